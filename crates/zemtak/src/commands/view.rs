//! `zemtak view`: an atlas as a picture.

use crate::contact_sheet::{self, Cell, Head, LANTERN};
use crate::opened::Opened;
use crate::output;
use crate::page_picture;
use crate::report::Report;
use serde_json::{Value, json};
use std::path::PathBuf;
use zemtak_build::ownership::ResultKind;
use zemtak_build::settings::Keyword;
use zemtak_build::{Failure, Problem, ProblemKind, format, write};
use zemtak_core::codec::Mark;
use zemtak_core::geometry::Rect;

/// What of an atlas is drawn.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Subject {
    /// Its pages.
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

/// Which atlas, and how it is drawn.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ViewRequest {
    /// The descriptor.
    pub descriptor: PathBuf,
    /// What is drawn.
    pub subject: Subject,
    /// Only this page.
    pub page: Option<usize>,
    /// Where to.
    pub png: PathBuf,
    /// Whether another file may be replaced.
    pub force: bool,
}

/// What was drawn.
pub struct View {
    png: String,
    pages: usize,
    sprites: usize,
    /// How many of them are on the picture.
    shown: usize,
    bytes: usize,
}

/// Draws it.
///
/// # Errors
/// The atlas cannot be read, has no such page, or the picture cannot be written.
pub fn run(request: &ViewRequest) -> Result<View, Failure> {
    let inputs = [request.descriptor.as_path()];
    output::check(&request.png, ResultKind::Picture(Mark::View), request.force, inputs)?;
    let atlas = Opened::read(&request.descriptor)?;
    output::check_input(&request.png, atlas.inputs().iter().map(PathBuf::as_path))?;
    let count = atlas.pages.len();
    let pages: Vec<usize> = match request.page {
        Some(page) if page >= count => {
            let why = format!("the atlas has {}, counted from 0", format::count(count, "page", "pages"));
            return Err(Problem::usage(ProblemKind::NoSuchPage, &page.to_string(), why, "name one of them").into());
        }
        Some(page) => vec![page],
        None => (0..count).collect(),
    };
    let on_pages = |page: usize| pages.contains(&page);
    let sprites = atlas.atlas.sprites.values().filter(|sprite| on_pages(sprite.page)).count();
    let (drawn, shown) = match request.subject {
        Subject::Pages => (page_picture::draw(&atlas, &pages)?, sprites),
        Subject::Sprites => (draw_sprites(&atlas, &pages, sprites)?, sprites.min(contact_sheet::MOST)),
    };
    write::prepare(&request.png, &drawn)?.commit()?;
    Ok(View { png: format::path(&request.png), pages: pages.len(), sprites, shown, bytes: drawn.len() })
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
        legend: &[("pivot", LANTERN)],
        notes: "below each name: the size of the canvas",
    };
    contact_sheet::draw(&head, shown, cells)
}

impl Report for View {
    fn text(&self, _: bool) -> String {
        let pages = format::count(self.pages, "page", "pages");
        let of = if self.shown < self.sprites { format!("the first {} of ", self.shown) } else { String::new() };
        let sprites = format::count(self.sprites, "sprite", "sprites");
        format!("{}: {of}{sprites} on {pages}, {}\n", format::name(&self.png), format::bytes(self.bytes as u64))
    }

    fn json(&self) -> Value {
        json!({ "png": self.png, "pages": self.pages, "sprites": self.sprites, "shown": self.shown, "bytes": self.bytes })
    }

    fn kind(&self) -> &'static str {
        "view"
    }
}
