//! What the names in a scenario mean: sprites, globs and clips of the atlases below its roots.

use crate::descriptor;
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, PoisonError};
use zemtak_build::format;
use zemtak_build::sources::{self, SourceSearch};
use zemtak_core::atlas::{Atlas, FILE_SUFFIX};
use zemtak_core::clip::Timeline;
use zemtak_core::glob::Glob;
use zemtak_core::name::{ClipName, SpriteName};
use zemtak_runtime::AtlasFile;

type Opened = Result<Arc<AtlasFile>, String>;

/// Atlases and images below the roots, each opened on first use.
pub struct Catalog {
    roots: Vec<PathBuf>,
    aliases: BTreeMap<String, String>,
    atlases: Mutex<BTreeMap<String, Opened>>,
}

/// A clip's steps by full names, and when each is shown.
#[derive(Debug, Clone)]
pub struct Steps {
    /// Sprites.
    pub names: Vec<String>,
    /// Times.
    pub timeline: Timeline,
}

impl Catalog {
    /// Of the roots in search order.
    pub fn new(roots: Vec<PathBuf>, aliases: BTreeMap<String, String>) -> Self {
        Self { roots, aliases, atlases: Mutex::default() }
    }

    /// The full names of the sprites that a name or a glob means; at least one.
    pub fn sprites(&self, name: &str) -> Result<Vec<String>, String> {
        let name = self.real(name);
        let Some((atlas, local)) = name.split_once(':') else { return self.images(name) };
        let file = self.atlas(atlas)?;
        if file.atlas().sprites.contains_key(&SpriteName::new(local)) {
            return Ok(vec![name.to_owned()]);
        }
        let pattern = Glob::new(local).map_err(|error| format!("expected a glob: {error}"))?;
        let names = file.atlas().sprites.keys().filter(|own| pattern.matches(own.as_str()));
        let names: Vec<String> = names.map(|own| format!("{atlas}:{own}")).collect();
        if names.is_empty() {
            let all = file.atlas().sprites.keys().map(SpriteName::as_str);
            return Err(format!("atlas {atlas} has no such sprite{}", nearest(local, all)));
        }
        Ok(names)
    }

    /// The steps of a clip.
    pub fn clip(&self, name: &str) -> Result<Steps, String> {
        let name = self.real(name);
        let Some((atlas, local)) = name.split_once(':') else {
            return Err("a clip is written as atlas:clip".into());
        };
        let file = self.atlas(atlas)?;
        let clips = &file.atlas().clips;
        let Some(clip) = clips.get(&ClipName::new(local)) else {
            let all = clips.keys().map(ClipName::as_str);
            return Err(format!("atlas {atlas} has no such clip{}", nearest(local, all)));
        };
        let timeline = Timeline::of(clip).map_err(|error| error.to_string())?;
        let full = |sprite: &str| {
            let own = file.atlas().sprites.contains_key(&SpriteName::new(sprite));
            if own || !sprite.contains(':') { format!("{atlas}:{sprite}") } else { sprite.to_owned() }
        };
        let names = clip.steps.iter().map(|step| full(step.sprite.as_str())).collect();
        Ok(Steps { names, timeline })
    }

    /// Why a file cannot be made to go missing, if it cannot.
    pub fn lacks_file(&self, path: &str) -> Option<String> {
        let there = self.roots.iter().any(|root| root.join(path).is_file());
        (!there).then(|| format!("there is no such file below {}", self.places()))
    }

    /// Why an atlas cannot be reloaded, if it cannot.
    pub fn lacks_atlas(&self, name: &str) -> Option<String> {
        self.atlas(name).err()
    }

    fn places(&self) -> String {
        self.roots.iter().map(|root| format::path(root)).collect::<Vec<_>>().join(", ")
    }

    /// The page of a sprite, and how many of its pixels the sprite's box takes.
    pub fn page_of(&self, name: &str) -> Option<(String, u64, u64)> {
        let (atlas, local) = self.real(name).split_once(':')?;
        let file = self.atlas(atlas).ok()?;
        let sprite = file.atlas().sprites.get(&SpriteName::new(local))?;
        let page = &file.atlas().pages[sprite.page];
        let folder = atlas.rfind('/').map_or("", |slash| &atlas[..=slash]);
        Some((format!("{folder}{}", page.file), sprite.rect.size().area(), page.size().area()))
    }

    /// The target of a name, through any number of aliases.
    fn real<'n>(&'n self, name: &'n str) -> &'n str {
        let mut name = name;
        // An alias that leads back to itself means nothing, and is reported as such.
        for _ in 0..=self.aliases.len() {
            match self.aliases.get(name) {
                Some(other) => name = other,
                None => break,
            }
        }
        name
    }

    fn images(&self, name: &str) -> Result<Vec<String>, String> {
        if self.roots.iter().any(|root| root.join(name).is_file()) {
            return Ok(vec![name.to_owned()]);
        }
        Err(format!("there is no such image below {}; a sprite is written as atlas:sprite", self.places()))
    }

    fn atlas(&self, name: &str) -> Opened {
        let mut atlases = self.atlases.lock().unwrap_or_else(PoisonError::into_inner);
        atlases.entry(name.to_owned()).or_insert_with(|| self.open(name)).clone()
    }

    fn open(&self, name: &str) -> Opened {
        if !Atlas::is_name(name.rsplit('/').next().unwrap_or(name)) {
            return Err(format!("{} is not an atlas name", format::name(name)));
        }
        let file = format!("{name}{FILE_SUFFIX}");
        let found = self.roots.iter().map(|root| root.join(&file)).find(|path| path.is_file());
        let Some(path) = found else {
            return Err(format!("there is no {file} below {}; build it with 'zemtak pack'", self.places()));
        };
        AtlasFile::open(&path).map(Arc::new).map_err(|error| {
            let why = descriptor::explain(&error).problems().first().map(|problem| problem.why.clone());
            format!("{} cannot be used: {}", format::path(&path), why.unwrap_or_default())
        })
    }
}

fn nearest<'n>(name: &str, all: impl Iterator<Item = &'n str>) -> String {
    format::nearest(name, all).map_or(String::new(), |like| format!("; the nearest is {like}"))
}

/// All image files below a folder by the names of their sprites, found as `pack` finds them.
pub fn loose_images(folder: &Path) -> BTreeMap<String, String> {
    let search = SourceSearch {
        paths: vec![folder.to_owned()],
        root: Some(folder.to_owned()),
        leave_out: None,
        follow_links: false,
    };
    let mut images = BTreeMap::new();
    for source in sources::find(&search).unwrap_or_default().files {
        let below = source.path.strip_prefix(folder).unwrap_or(&source.path);
        let parts: Vec<_> = below.iter().map(|part| part.to_string_lossy()).collect();
        // Of two with the same name the first in order counts.
        images.entry(source.name.to_string()).or_insert_with(|| parts.join("/"));
    }
    images
}
