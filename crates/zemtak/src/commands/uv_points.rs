//! `zemtak uv --points`: maps UVs that were made for a loose image onto its page.

use crate::console::Console;
use crate::notice::Notice;
use crate::query::{Subject, look_up};
use crate::report::Report;
use crate::uv_list::ListForm;
use serde_json::{Value, json};
use std::path::Path;
use zemtak_build::{Failure, Problem, ProblemKind, format};
use zemtak_core::coords::{Picture, VAxis};
use zemtak_files::SystemDisk;

/// The mapped list.
pub struct UvPoints {
    sprite: String,
    text: String,
    points: Vec<[f64; 2]>,
    v: VAxis,
    warnings: Vec<Notice>,
}

/// Maps every pair of a list onto the page of one sprite. The list's format decides whether V goes up; where it does
/// not, the option does.
///
/// # Errors
/// The names do not mean exactly one sprite, or the list cannot be read.
pub fn run(subject: &Subject, list: &Path, said: VAxis, console: &Console) -> Result<UvPoints, Failure> {
    let places = look_up(subject, &[], console.allowance())?;
    let [place] = places.as_slice() else {
        let why = format!("it is for one sprite, not for {}", places.len());
        return Err(Problem::usage(ProblemKind::InvalidValue, "--points", why, "name one sprite").into());
    };
    let standard = list == Path::new("-");
    let shown = if standard { "standard input".into() } else { format::path(list) };
    let (limits, limit) = (console.allowance().limits(), "descriptor_bytes");
    let text = if standard { limits.read_standard_input(limit) } else { limits.read_text(limit, list, &SystemDisk) }?;
    let form = ListForm::of(list, &text);
    let v = form.axis().unwrap_or(said);
    let (mut points, mut warnings) = (Vec::new(), Vec::new());
    let text = form.map(&text, &shown, &mut |number, uv| {
        let at = place.picture.to_page(uv, v);
        warnings.extend(odd(&place.picture, number, uv, v));
        points.push(at);
        at
    })?;
    if points.is_empty() {
        warnings.push(Notice::about("no_uvs", &shown, format!("{}: it holds no UVs", format::name(&shown))));
    }
    Ok(UvPoints { sprite: place.name.clone(), text, points, v, warnings })
}

/// The points of the list that lie outside the stored part of the image.
fn odd(picture: &Picture, number: usize, uv: [f64; 2], v: VAxis) -> Option<Notice> {
    let [a, b] = uv;
    if uv.iter().any(|n| !(0.0..=1.0).contains(n)) {
        let text = format!("UV {number}, ({a}, {b}), lies outside of 0 to 1: a part of a page cannot repeat");
        return Some(Notice::of_all("uv_outside", text));
    }
    let text = || {
        format!(
            "UV {number}, ({a}, {b}), lies in the transparent border, which is not stored; the answer is a place beside the box"
        )
    };
    (!picture.stores(uv, v)).then(|| Notice::of_all("uv_in_border", text()))
}

impl Report for UvPoints {
    fn text(&self, _: bool) -> String {
        self.text.clone()
    }

    #[expect(clippy::cast_possible_truncation, reason = "rounding to f32 is wanted")]
    fn json(&self) -> Value {
        let points: Vec<[f32; 2]> = self.points.iter().map(|point| point.map(|n| n as f32)).collect();
        json!({ "sprite": self.sprite, "v": if self.v == VAxis::Up { "up" } else { "down" }, "points": points })
    }

    fn kind(&self) -> &'static str {
        "uv-points"
    }

    fn is_answer(&self) -> bool {
        true
    }

    fn warnings(&self) -> Vec<Notice> {
        self.warnings.clone()
    }
}
