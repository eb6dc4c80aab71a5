//! An atlas as one HTML page that needs nothing else: no network and no other file.

use crate::opened::Opened;
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use minijinja::{AutoEscape, Environment, context};
use rayon::prelude::*;
use serde_json::{Value, json};
use std::fmt::Write as _;
use zemtak_build::{Failure, Problem, format};
use zemtak_core::atlas::{Alpha, Page};
use zemtak_core::codec::{PngEffort, encode_png};
use zemtak_core::json::one_line;
use zemtak_core::pixels::Pixels;
use zemtak_core::prepare::straighten;

const PAGE: &str = include_str!("page.html");
const CSS: &str = include_str!("page.css");
/// One script in parts; each may use what earlier parts declare, and their functions anywhere.
const SCRIPT: [&str; 9] = [
    include_str!("script/atlas.js"),
    include_str!("script/stage.js"),
    include_str!("script/layers.js"),
    include_str!("script/levels.js"),
    include_str!("script/lists.js"),
    include_str!("script/clips.js"),
    include_str!("script/compare.js"),
    include_str!("script/place.js"),
    include_str!("script/start.js"),
];
/// Only for a served page: a page in a file requests nothing.
const LIVE: &str = include_str!("script/live.js");

/// What a page shows besides the atlas itself.
#[derive(Debug, Clone, Copy, Default)]
pub struct Beside<'a> {
    /// The contents of the earlier atlas, and the differences as in `zemtak diff --json`.
    pub before: Option<(&'a str, &'a Value)>,
    /// For a page that is served during builds.
    pub live: Option<&'a Live>,
}

/// What a served page needs to know.
#[derive(Debug, Clone, Default)]
pub struct Live {
    /// The number of the build, counted from 1.
    pub build: u64,
    /// The differences from the previous build, as in `zemtak diff --json`.
    pub news: Option<Value>,
    /// The served atlases.
    pub atlases: Vec<String>,
    /// Whether lines can be written to a project file.
    pub project: bool,
}

/// The page of an atlas.
///
/// # Errors
/// The page cannot be put together.
pub fn page(name: &str, contents: &str, beside: &Beside<'_>) -> Result<String, Failure> {
    // A script must not contain what looks like its end.
    let data = data(contents, beside).replace('<', "\\u003c");
    let is_live = beside.live.is_some();
    let mut environment = Environment::new();
    environment.set_auto_escape_callback(|_| AutoEscape::None);
    let filled = context! {
        title => name,
        css => CSS,
        js => SCRIPT.concat() + if is_live { LIVE } else { "" },
        connect => if is_live { "'self'" } else { "'none'" },
        compared => beside.before.is_some(),
        atlas => data,
    };
    environment.render_str(PAGE, filled).map_err(|error| Failure::io("the page", &error))
}

/// The page of an atlas and of an earlier one. The differences are as in `zemtak diff --json`.
///
/// # Errors
/// A page of one of them cannot be read or encoded.
pub fn page_of_both(before: &Opened, atlas: &Opened, changes: &Value) -> Result<String, Failure> {
    let (before, now) = (contents(before)?, contents(atlas)?);
    page(&atlas.atlas.name, &now, &Beside { before: Some((&before, changes)), live: None })
}

/// The data of the page, as JSON.
#[must_use]
pub fn data(contents: &str, beside: &Beside<'_>) -> String {
    let mut out = format!("{{{contents}");
    if let Some((before, changes)) = beside.before {
        let _ = write!(out, ",\"before\":{{{before}}},\"changes\":{changes}");
    }
    if let Some(live) = beside.live {
        let told = json!({ "atlases": live.atlases, "project": live.project });
        let _ = write!(out, ",\"build\":{},\"live\":{told}", live.build);
        if let Some(news) = &live.news {
            let _ = write!(out, ",\"news\":{news}");
        }
    }
    out + "}"
}

/// An atlas with the pictures of its pages, as the keys of a JSON object.
///
/// # Errors
/// A page of the atlas cannot be read or encoded.
pub fn contents(atlas: &Opened) -> Result<String, Failure> {
    let of = &atlas.atlas;
    let pages: Vec<(&Page, &Pixels)> = of.pages.iter().zip(&atlas.pages).collect();
    let pages: Result<Vec<Value>, Failure> =
        pages.into_par_iter().map(|(page, pixels)| texture(atlas, page, pixels)).collect();
    let failed = |error: serde_json::Error| Failure::io("the page", &std::io::Error::from(error));
    let sprites = one_line(&of.sprites).map_err(failed)?;
    let clips = one_line(&of.clips).map_err(failed)?;
    let count = |n: usize, one, many| format::count(n, one, many);
    let figures = format!(
        "{} on {}, {}",
        count(of.sprites.len(), "sprite", "sprites"),
        count(of.pages.len(), "page", "pages"),
        count(of.clips.len(), "clip", "clips")
    );
    let (name, base, scale) = (json!(of.name), json!(of.base.as_ref().unwrap_or(&of.name)), json!(of.scale));
    let head = format!("\"name\":{name},\"base\":{base},\"scale\":{scale},\"figures\":{}", json!(figures));
    Ok(format!("{head},\"pages\":{},\"sprites\":{sprites},\"clips\":{clips}", Value::from(pages?)))
}

/// A page's size and rings, and its picture inside the text.
fn texture(atlas: &Opened, page: &Page, pixels: &Pixels) -> Result<Value, Failure> {
    let straight = page.alpha == Alpha::Straight;
    let file = format::folder_of(atlas.descriptor()).join(&page.file);
    let is_png = file.extension().is_some_and(|extension| extension == "png");
    let bytes = if is_png && straight {
        zemtak_files::read(&file, zemtak_runtime::PAGE_BYTES)
            .map_err(|error| Failure::io(&format::path(&file), &error))?
    } else {
        let mut shown = pixels.clone();
        if !straight {
            straighten(&mut shown);
        }
        let help = "please report this";
        encode_png(&shown, PngEffort::Fast).map_err(|error| Problem::not_encoded(&page.file, &error, help))?
    };
    Ok(json!({
        "file": page.file,
        "width": page.width,
        "height": page.height,
        "extrude": page.extrude.unwrap_or(atlas.atlas.built.extrude),
        "gutter": atlas.atlas.built.gutter,
        "data": format!("data:image/png;base64,{}", STANDARD.encode(bytes)),
    }))
}
