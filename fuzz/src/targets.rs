//! What is fed with made-up bytes. Whatever comes in, none of this may panic.

use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;
use std::sync::OnceLock;
use zemtak_build::project::Project;
use zemtak_core::atlas::{Atlas, Page, Sprite};
use zemtak_core::clip;
use zemtak_core::codec::{self, Limits};
use zemtak_core::geometry::{Rect, Size};
use zemtak_core::glob::Glob;
use zemtak_core::name::SpriteName;
use zemtak_runtime::{Cache, MemoryFiles, MemorySink, PerFrame, Settings};

const SMALL: Limits = Limits { side: 2048, pixels: 1 << 18, all_pixels: 1 << 20, frames: 64 };

fn text(data: &[u8]) -> Option<&str> {
    std::str::from_utf8(data).ok()
}

/// Images of every format; TGA is told by the extension alone.
pub fn images(data: &[u8]) {
    for extension in [None, Some("tga")] {
        let size = codec::size_of(data, extension);
        let mut first = None;
        let decoded = codec::decode_each(data, extension, &SMALL, &mut |frame| {
            first.get_or_insert(frame.pixels.size());
        });
        if decoded.is_ok() {
            assert_eq!(size.ok(), first);
        }
    }
}

/// Textures in KTX2, as pages come.
pub fn textures(data: &[u8]) {
    let _ = codec::read_ktx2(data, &SMALL);
    let _ = codec::decode(data, Some("ktx2"), &SMALL);
}

/// Descriptors: what is sound reads back as it was.
pub fn descriptors(data: &[u8]) {
    let Some(parsed) = text(data).and_then(|text| zemtak_core::atlas::parse(text).ok()) else { return };
    if parsed.atlas.check().is_empty() {
        let again = zemtak_core::atlas::parse(&parsed.atlas.to_text().unwrap()).unwrap();
        assert_eq!(again.atlas, parsed.atlas);
    }
}

/// Project files, with all that their rules and globs say.
pub fn projects(data: &[u8]) {
    let Some(source) = text(data) else { return };
    match Project::read(Path::new("zemtak.toml"), source) {
        Ok(project) => project.atlases.into_iter().for_each(|(_, keys)| drop(keys.settle())),
        Err(failure) => assert!(!failure.to_string().is_empty()),
    }
}

/// Scenarios of a rehearsal, without playing them.
pub fn scenarios(data: &[u8]) {
    let Some(source) = text(data) else { return };
    if let Err(failure) = zemtak::commands::rehearse::check(Path::new("/nowhere/scenes.toml"), source) {
        assert!(!failure.to_string().is_empty());
    }
}

fn atlas() -> &'static Atlas {
    static ATLAS: OnceLock<Atlas> = OnceLock::new();
    ATLAS.get_or_init(|| {
        let size = Size::new(64, 64);
        let built =
            serde_json::from_str(r#"{"gutter":2,"margin":0,"extrude":1,"trim":true,"visible_alpha":1,"mip_levels":0}"#);
        let mut atlas = Atlas::new("night", built.unwrap());
        atlas.pages.push(Page::new("night-0.png", size, String::new()));
        for n in 0..4 {
            let name = SpriteName::new(&format!("moth/fly-{n}"));
            atlas.sprites.insert(name, Sprite::new(0, Rect::new(2 + n * 14, 3, 10, 12), size));
        }
        atlas
    })
}

/// Templates. Long runs are ended by their steps.
pub fn templates(data: &[u8]) {
    let Some(template) = text(data).filter(|text| text.len() < 2000) else { return };
    let _ = zemtak_build::forms::joint(
        "fuzz.jinja",
        template,
        std::slice::from_ref(atlas()),
        &zemtak_build::Limits::default(),
    );
}

/// Names to clips, and globs on them: a line each, the globs behind an empty line.
pub fn names(data: &[u8]) {
    let Some((names, globs)) = text(data).map(|text| text.split_once("\n\n").unwrap_or((text, ""))) else { return };
    let names: BTreeSet<SpriteName> = names.lines().map(SpriteName::new).collect();
    let found = clip::find(&names, "night", &BTreeMap::new());
    assert!(found.clips.values().flatten().all(|step| names.contains(step)));
    for glob in globs.lines().filter_map(|glob| Glob::new(glob).ok()) {
        for name in &names {
            let name = name.as_str();
            assert!(!glob.matches(name) || name.starts_with(glob.start()) && name.ends_with(glob.end()));
        }
    }
}

/// Lists of placements and of texture coordinates, as JSON lines and CSV.
pub fn lists(data: &[u8]) {
    let Some(text) = text(data) else { return };
    for name in ["points.csv", "points.json", "points.obj", "points.txt"] {
        let form = zemtak::uv_list::ListForm::of(Path::new(name), text);
        let _ = form.map(text, name, &mut |_, uv| uv);
    }
}

/// Command lines, the words parted by line ends.
pub fn command_lines(data: &[u8]) {
    let Some(text) = text(data) else { return };
    let words = std::iter::once("zemtak").chain(text.lines()).map(Into::into);
    if let Err(message) = zemtak::cli::parse(words) {
        let _ = message.failure();
    }
}

/// A game's cache: a descriptor and a page as they come, parted by an empty line behind the descriptor.
pub fn cache(data: &[u8]) {
    let at = data.windows(4).position(|part| part == b"\n}\n\n").map_or(data.len(), |at| at + 3);
    let (descriptor, page) = data.split_at(at);
    let files = MemoryFiles::new();
    files.put("night.zemtak.json", descriptor);
    files.put("night-0.png", page.get(1..).unwrap_or_default());
    files.put("loose.png", page);
    let settings = Settings { workers: Some(0), limits: SMALL, ..Settings::over(files) };
    let (cache, mut pump) = Cache::new(settings, MemorySink::new());
    let leases = [cache.lease("night:moth/fly-1"), cache.lease("loose")];
    let all = cache.lease_all(["night:**"]);
    let _clips = cache.clips("night");
    for _ in 0..4 {
        pump.pump(PerFrame::UNLIMITED);
        leases.iter().for_each(|lease| {
            std::hint::black_box(lease.view());
        });
    }
    drop((leases, all));
    let ledger = pump.finish();
    assert_eq!(ledger.resident_bytes, 0);
}
