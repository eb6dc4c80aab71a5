//! An atlas as one page for a browser, which needs nothing but itself: no network, no other file.

use crate::opened::Opened;
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use minijinja::{AutoEscape, Environment, context};
use serde_json::{Value, json};
use zemtak_build::{Failure, Problem, format};
use zemtak_core::atlas::{Alpha, Page};
use zemtak_core::codec::{PngEffort, encode_png};
use zemtak_core::json::one_line;
use zemtak_core::pixels::Pixels;
use zemtak_core::prepare::straighten;

const PAGE: &str = include_str!("page.html");
const CSS: &str = include_str!("page.css");
const JS: &str = include_str!("page.js");

/// The page.
///
/// # Errors
/// A page of the atlas cannot be read or encoded.
pub fn page(atlas: &Opened) -> Result<String, Failure> {
    let of = &atlas.atlas;
    let pages: Result<Vec<Value>, Failure> =
        of.pages.iter().zip(&atlas.pages).map(|(page, pixels)| texture(atlas, page, pixels)).collect();
    let failed = |error: serde_json::Error| Failure::io("the page", &std::io::Error::from(error));
    let text = |value: Result<String, serde_json::Error>| value.map_err(failed);
    let (sprites, clips) = (text(one_line(&of.sprites))?, text(one_line(&of.clips))?);
    let data = format!("{{\"pages\":{},\"sprites\":{sprites},\"clips\":{clips}}}", Value::from(pages?));
    // Within a script nothing may look like the end of one.
    let data = data.replace('<', "\\u003c");
    let count = |n: usize, one, many| format::count(n, one, many);
    let figures = format!(
        "{} on {}, {}",
        count(of.sprites.len(), "sprite", "sprites"),
        count(of.pages.len(), "page", "pages"),
        count(of.clips.len(), "clip", "clips")
    );
    let files: Vec<String> = of.pages.iter().map(|page| page.file.clone()).collect();
    let mut environment = Environment::new();
    environment.set_auto_escape_callback(|_| AutoEscape::None);
    let filled = context! { title => of.name.clone(), figures, pages => files, css => CSS, js => JS, atlas => data };
    environment.render_str(PAGE, filled).map_err(|error| Failure::io("the page", &error))
}

/// A page's size and ring, and its picture within the text.
fn texture(atlas: &Opened, page: &Page, pixels: &Pixels) -> Result<Value, Failure> {
    let straight = page.alpha == Alpha::Straight;
    let file = format::folder_of(atlas.descriptor()).join(&page.file);
    let is_png = file.extension().is_some_and(|extension| extension == "png");
    let bytes = if is_png && straight {
        std::fs::read(&file).map_err(|error| Failure::io(&format::path(&file), &error))?
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
        "data": format!("data:image/png;base64,{}", STANDARD.encode(bytes)),
    }))
}
