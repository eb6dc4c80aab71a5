//! `zemtak describe`: all values of a sprite on one screen.

use crate::console::Console;
use crate::descriptor::{self, Choice};
use crate::report::Report;
use crate::terminal_picture::{self, Means};
use serde_json::{Value, json};
use std::fmt::Write as _;
use std::path::PathBuf;
use zemtak_build::{Failure, Problem, ProblemKind, format};
use zemtak_core::atlas::{Page, Sprite, Wrap};
use zemtak_core::coords::{OffsetScale, Sampling, VAxis, Visible};
use zemtak_core::pixels::Pixels;

/// The sprite to describe.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct DescribeRequest {
    /// The descriptor.
    pub descriptor: PathBuf,
    /// Its name.
    pub name: String,
    /// Whether its picture is shown in the terminal.
    pub picture: bool,
}

/// All of a sprite.
#[derive(Debug, Clone)]
pub struct Described {
    atlas: String,
    name: String,
    sprite: Sprite,
    page: Page,
    shown: Visible,
    /// Other sprites in the same box.
    twins: Vec<String>,
    /// Clips that use it: names and step numbers.
    clips: Vec<(String, Vec<usize>)>,
    /// Its pixels on its canvas, if the picture is shown.
    pixels: Option<Pixels>,
}

/// Looks the sprite up.
///
/// # Errors
/// The descriptor cannot be used, or the name does not mean exactly one sprite.
pub fn run(request: &DescribeRequest, console: &Console) -> Result<Described, Failure> {
    let file = descriptor::open(&request.descriptor, console.allowance())?;
    let atlas = file.atlas();
    let choice = Choice { names: vec![request.name.clone()], clips: Vec::new() };
    let chosen = descriptor::choose(atlas, &choice, console.allowance().limits())?;
    let [(name, sprite)] = chosen.as_slice() else {
        let names: Vec<String> = chosen.iter().map(|(n, _)| format::name(n.as_str())).collect();
        let why = format!("{} sprites match: {}", names.len(), format::first_of(&names));
        let help = "name one of them; 'zemtak list' shows them all";
        return Err(Problem::usage(ProblemKind::SeveralMatch, &format::name(&request.name), why, help).into());
    };
    let page = atlas.pages[sprite.page].clone();
    let broken = |why: String| Problem::bad_input(ProblemKind::OutsidePage, name.as_str(), why, "build it again");
    let picture = sprite.picture(&page).map_err(|e| broken(e.to_string()))?;
    let shown = picture.part(&[]).map_err(|e| broken(e.to_string()))?;
    let beside = atlas.sprites.iter().filter(|(n, s)| n != name && (s.page, s.rect) == (sprite.page, sprite.rect));
    let twins = beside.map(|(n, _)| n.to_string()).collect();
    let steps_of = |steps: &[zemtak_core::atlas::Step]| -> Vec<usize> {
        steps.iter().enumerate().filter(|(_, step)| step.sprite == **name).map(|(i, _)| i).collect()
    };
    let clips = atlas.clips.iter().map(|(n, clip)| (n.to_string(), steps_of(&clip.steps)));
    let clips = clips.filter(|(_, steps)| !steps.is_empty()).collect();
    let sprite = (*sprite).clone();
    let pixels = match request.picture {
        true => {
            let (pages, _held) =
                descriptor::read_pages(&request.descriptor, &file, &[sprite.page], console.allowance())?.whole()?;
            sprite.restore(&pages[0])
        }
        false => None,
    };
    Ok(Described { atlas: atlas.name.clone(), name: name.to_string(), sprite, page, shown, twins, clips, pixels })
}

fn pair<T: std::fmt::Display>([a, b]: [T; 2]) -> String {
    format!("({a}, {b})")
}

impl Described {
    fn up() -> Sampling {
        Sampling { v: VAxis::Up, ..Sampling::default() }
    }

    fn pivot_part(&self) -> [f64; 2] {
        let [x, y] = self.sprite.pivot;
        [x / f64::from(self.sprite.canvas.w), y / f64::from(self.sprite.canvas.h)]
    }

    fn texel(&self) -> [f64; 2] {
        [1.0 / f64::from(self.page.width), 1.0 / f64::from(self.page.height)]
    }

    /// Bytes of the page on a device, mip levels included.
    fn page_bytes(&self) -> u64 {
        self.page.pixels.texture_bytes(self.page.size(), self.page.sampling.mips.max(1))
    }

    fn pixels(&self) -> String {
        let Sprite { canvas, rect, inset, pivot, .. } = &self.sprite;
        let turned = if self.sprite.turned { ", stored turned by 90 degrees clockwise" } else { "" };
        let mut out = format!("  image     {canvas} pixels\n");
        let _ = writeln!(out, "  box       {rect} on the page{turned}");
        let _ = writeln!(out, "  visible   {} of the canvas, inset {}", self.shown.on_canvas.size(), pair(*inset));
        let _ = writeln!(out, "  pivot     {} pixels, {} of the canvas", pair(*pivot), pair(self.pivot_part()));
        for (name, point) in &self.sprite.points {
            let _ = writeln!(out, "  point     {} {}", format::name(name), pair(*point));
        }
        if let Some([left, top, right, bottom]) = self.sprite.stretch {
            let _ = writeln!(out, "  stretch   bands of {left}, {top}, {right}, {bottom}: left, top, right, bottom");
        }
        if !self.sprite.tags.is_empty() {
            let _ = writeln!(out, "  tags      {}", format::name(&self.sprite.tags.join(", ")));
        }
        out
    }

    fn coordinates(&self) -> String {
        let area = &self.shown.area;
        let (down, up) = (area.corners(&Sampling::default()), area.corners(&Self::up()));
        let mut out = format!("  {:<14}{:<30}{}\n", "corner", "v down", "v up");
        let corners = ["top left", "top right", "bottom right", "bottom left"];
        for (name, (down, up)) in corners.iter().zip(down.into_iter().zip(up)) {
            let _ = writeln!(out, "  {name:<14}{:<30}{}", pair(down), pair(up));
        }
        let [u, v] = self.texel();
        let _ = writeln!(out, "  one pixel     ({u:.10}, {v:.10})");
        for (v, how) in [("v down", Sampling::default()), ("v up", Self::up())] {
            match area.offset_scale(&how) {
                Ok(OffsetScale { offset, scale }) => {
                    let _ = writeln!(out, "  {v:<14}offset {} scale {}", pair(offset), pair(scale));
                }
                Err(error) => _ = writeln!(out, "  {v:<14}{error}:"),
            }
            let [[a, b, c], [d, e, f]] = area.matrix(&how);
            let _ = writeln!(out, "                matrix ({a}, {b}, {c}), ({d}, {e}, {f})");
        }
        out
    }
}

impl Report for Described {
    fn text(&self, _: bool) -> String {
        let Page { file, width, height, pixels, alpha, sampling, .. } = &self.page;
        let picture = self.pixels.iter().map(|pixels| terminal_picture::picture(pixels, Means::of_stdout()));
        let mut out: String = picture.collect();
        out.push_str(&format!("{}, a sprite of {}\n", format::name(&self.name), self.atlas));
        let alpha = alpha.word();
        let filter = sampling.filter.word();
        let wrap = match sampling.wrap {
            Wrap::Clamp => String::new(),
            other => format!(", wrap {}", other.word()),
        };
        let bytes = format::bytes(self.page_bytes());
        let _ = writeln!(
            out,
            "  texture   {width} x {height}, page {} ({}), {bytes}",
            self.sprite.page,
            format::name(file)
        );
        let pixels = if pixels.is_compressed() { format!("pixels {}, ", pixels.word()) } else { String::new() };
        let _ = writeln!(out, "            {pixels}alpha {alpha}, filter {filter}{wrap}");
        out.push_str(&self.pixels());
        if !self.twins.is_empty() {
            let _ = writeln!(out, "  same box  {}", format::first_of(&self.twins));
        }
        for (clip, steps) in &self.clips {
            let steps: Vec<String> = steps.iter().map(ToString::to_string).collect();
            let word = if steps.len() == 1 { "step" } else { "steps" };
            let _ = writeln!(out, "  clip      {}, {word} {}", format::name(clip), steps.join(", "));
        }
        out.push('\n');
        out.push_str(&self.coordinates());
        out
    }

    fn kind(&self) -> &'static str {
        "describe"
    }

    fn is_answer(&self) -> bool {
        true
    }

    fn json(&self) -> Value {
        let area = &self.shown.area;
        let axis = |how: &Sampling| {
            let affine = area.offset_scale(how).ok();
            json!({
                "corners": area.corners(how),
                "offset": affine.map(|a| a.offset),
                "scale": affine.map(|a| a.scale),
                "matrix": area.matrix(how),
            })
        };
        let clip = |(name, steps): &(String, Vec<usize>)| json!({ "clip": name, "steps": steps });
        json!({
            "sprite": self.name,
            "atlas": self.atlas,
            "page": self.sprite.page,
            "file": self.page.file,
            "page_size": self.page.size(),
            "page_bytes": self.page_bytes(),
            "values": self.sprite,
            "on_canvas": self.shown.on_canvas,
            "pivot_part": self.pivot_part(),
            "texel": self.texel(),
            "v_down": axis(&Sampling::default()),
            "v_up": axis(&Self::up()),
            "same_box": self.twins,
            "clips": self.clips.iter().map(clip).collect::<Vec<_>>(),
        })
    }
}
