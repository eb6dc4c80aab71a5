//! `zemtak view`: an atlas as a picture, or as an HTML page.

pub mod live;

use crate::console::Console;
use crate::contact_sheet::{self, Cell, Head};
use crate::difference::Difference;
use crate::drawing::Shown;
use crate::html_view::{self, Beside};
use crate::opened::Opened;
use crate::output;
use crate::page_picture;
use crate::palette::LANTERN;
use crate::report::Report;
use serde_json::{Value, json};
use std::path::{Path, PathBuf};
use zemtak_build::ownership::ResultKind;
use zemtak_build::settings::Keyword;
use zemtak_build::{Failure, Problem, ProblemKind, format, write};
use zemtak_core::codec::Mark;
use zemtak_core::geometry::Rect;

/// The contents of a picture.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Subject {
    /// The atlas's pages.
    #[default]
    Pages,
    /// Its sprites, each on its canvas.
    Sprites,
}

impl Keyword for Subject {
    const ALL: &'static [(&'static str, &'static str, Self)] = &[
        ("pages", "pages with boxes, names, pivots, and what is left empty", Self::Pages),
        ("sprites", "every sprite on its canvas, with its name, visible box and pivot", Self::Sprites),
    ];
}

/// Which atlas, and how to show it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ViewRequest {
    /// The descriptor.
    pub descriptor: PathBuf,
    /// What to draw.
    pub subject: Subject,
    /// Only this page.
    pub page: Option<usize>,
    /// Where to draw a picture.
    pub png: Option<PathBuf>,
    /// Where to write an HTML page.
    pub html: Option<PathBuf>,
    /// The atlas before a change, to compare with on that page.
    pub before: Option<PathBuf>,
    /// Whether the page is served and updated until Ctrl-C.
    pub live: bool,
    /// The project file, if one was named.
    pub project: Option<PathBuf>,
    /// Whether an existing file that is not ours may be replaced.
    pub force: bool,
}

/// What was drawn and written.
pub struct View {
    files: Vec<(&'static str, String, u64)>,
    pages: usize,
    sprites: usize,
    /// How many of them the picture shows.
    shown: usize,
    /// How many builds a served page has shown.
    builds: Option<usize>,
}

/// Draws and writes it.
///
/// # Errors
/// The atlas cannot be read, has no such page, or a file cannot be written.
pub fn run(request: &ViewRequest, console: &Console) -> Result<View, Failure> {
    let inputs = || [Some(&request.descriptor), request.before.as_ref()].into_iter().flatten().map(PathBuf::as_path);
    let kinds = [(&request.png, ResultKind::Picture(Mark::View)), (&request.html, ResultKind::View)];
    for (file, kind) in kinds {
        file.iter().try_for_each(|file| output::check(file, kind, request.force, inputs()))?;
    }
    let atlas = Opened::read(&request.descriptor, console.allowance())?;
    let before = request.before.as_deref().map(|before| Opened::read(before, console.allowance())).transpose()?;
    for file in request.png.iter().chain(&request.html) {
        let read = before.iter().chain([&atlas]).flat_map(Opened::inputs).collect::<Vec<_>>();
        output::check_input(file, read.iter().map(PathBuf::as_path))?;
    }
    let pages = chosen(&atlas, request.page)?;
    let sprites = atlas.atlas.sprites.values().filter(|sprite| pages.contains(&sprite.page)).count();
    let mut view = View { files: Vec::new(), pages: pages.len(), sprites, shown: sprites, builds: None };
    if let Some(png) = &request.png {
        let drawn = match request.subject {
            Subject::Pages => page_picture::draw(&atlas, &pages)?,
            Subject::Sprites => draw_sprites(&atlas, &pages, sprites)?,
        };
        if request.subject == Subject::Sprites {
            view.shown = sprites.min(contact_sheet::MOST);
        }
        view.put("png", png, &drawn)?;
    }
    if let Some(html) = &request.html {
        view.put("html", html, page(&atlas, before.as_ref())?.as_bytes())?;
    }
    if request.live {
        view.builds = Some(live::run(&request.descriptor, request.project.as_deref(), console)?);
    }
    Ok(view)
}

/// The HTML page, with the earlier atlas if one is given.
fn page(atlas: &Opened, before: Option<&Opened>) -> Result<String, Failure> {
    match before {
        Some(before) => html_view::page_of_both(before, atlas, &Difference::between(before, atlas).json()),
        None => html_view::page(&atlas.atlas.name, &html_view::contents(atlas)?, &Beside::default()),
    }
}

/// The requested pages.
fn chosen(atlas: &Opened, page: Option<usize>) -> Result<Vec<usize>, Failure> {
    let count = atlas.pages.len();
    match page {
        Some(page) if page >= count => {
            let why = format!("the atlas has {}, counted from 0", format::count(count, "page", "pages"));
            Err(Problem::usage(ProblemKind::NoSuchPage, &page.to_string(), why, "name one of them").into())
        }
        Some(page) => Ok(vec![page]),
        None => Ok((0..count).collect()),
    }
}

impl View {
    fn put(&mut self, kind: &'static str, file: &Path, bytes: &[u8]) -> Result<(), Failure> {
        write::prepare(file, bytes)?.commit()?;
        self.files.push((kind, format::path(file), bytes.len() as u64));
        Ok(())
    }
}

fn draw_sprites(atlas: &Opened, pages: &[usize], all: usize) -> Result<Vec<u8>, Failure> {
    let chosen = atlas.atlas.sprites.iter().filter(|(_, sprite)| pages.contains(&sprite.page));
    let cells = chosen.take(contact_sheet::MOST).map(|(name, sprite)| {
        let size = if sprite.turned { sprite.rect.size().swapped() } else { sprite.rect.size() };
        Ok(Cell {
            name: format::name(name.as_str()),
            note: sprite.canvas.to_string(),
            mark: None,
            pixels: sprite.restore(&atlas.pages[sprite.page]),
            visible: Some(Rect::at(sprite.inset[0], sprite.inset[1], size)),
            pivot: Some(sprite.pivot),
        })
    });
    let shown = all.min(contact_sheet::MOST);
    let count = format::count(all, "sprite", "sprites");
    let count = if shown < all { format!("the first {shown} of {count}") } else { count };
    let title = format::name(&atlas.path);
    let head = Head {
        title: &title,
        count: &count,
        legend: &[("pivot", LANTERN, Shown::Crossed)],
        notes: "below each name: the size of the canvas",
    };
    contact_sheet::draw(&head, shown, cells)
}

impl Report for View {
    fn text(&self, _: bool) -> String {
        let pages = format::count(self.pages, "page", "pages");
        let sprites = format::count(self.sprites, "sprite", "sprites");
        let line = |(kind, file, bytes): &(&str, String, u64)| {
            let of = if *kind == "png" && self.shown < self.sprites {
                format!("the first {} of ", self.shown)
            } else {
                String::new()
            };
            format!("{}: {of}{sprites} on {pages}, {}\n", format::name(file), format::bytes(*bytes))
        };
        let served = self.builds.map(|builds| format!("{} shown\n", format::count(builds, "build", "builds")));
        self.files.iter().map(line).chain(served).collect()
    }

    fn json(&self) -> Value {
        let mut json = json!({ "pages": self.pages, "sprites": self.sprites, "shown": self.shown });
        for (kind, file, bytes) in &self.files {
            json[kind] = json!({ "file": file, "bytes": bytes });
        }
        if let Some(builds) = self.builds {
            json["builds"] = builds.into();
        }
        json
    }

    fn kind(&self) -> &'static str {
        "view"
    }
}
