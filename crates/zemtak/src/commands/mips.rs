//! `zemtak mips`: down to which mip level sprites can be sampled without their neighbours.

use crate::console::Console;
use crate::mips_picture;
use crate::opened::Opened;
use crate::output;
use crate::remedies::{Remedy, remedies};
use crate::report::Report;
use crate::style::NAME;
use serde_json::{Value, json};
use std::fmt::Write as _;
use std::path::PathBuf;
use zemtak_build::mip_check::{Checked, FILTERS, check};
use zemtak_build::ownership::ResultKind;
use zemtak_build::{Failure, format, write};
use zemtak_core::atlas::Filter;
use zemtak_core::codec::Mark;
use zemtak_core::mips::{LevelMeasure, level_size, most_levels};
use zemtak_core::name::SpriteName;
use zemtak_core::pixels::Pixels;

/// Which atlas, and how deep.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct MipsRequest {
    /// The descriptor.
    pub descriptor: PathBuf,
    /// The deepest level to sample; by default the one that the atlas leaves room for, or three if it leaves none.
    pub levels: Option<u32>,
    /// Where to draw a picture.
    pub png: Option<PathBuf>,
    /// Whether an existing file that is not ours may be replaced.
    pub force: bool,
}

/// Levels to sample by default.
const USUAL: u32 = 3;

/// A sprite and its deepest clean level.
struct SpriteMips {
    name: SpriteName,
    page: usize,
    /// For each of [`FILTERS`]: the deepest clean level. In `levels` for each level the share of foreign texels and the
    /// error.
    clean: [Option<u32>; 2],
    levels: [Vec<[f64; 2]>; 2],
    /// The place of the largest error at each level, in pixels of the page.
    at: [Vec<[f64; 2]>; 2],
}

/// What was found.
pub struct MipsReport {
    descriptor: String,
    deepest: u32,
    sprites: Vec<SpriteMips>,
    /// The sizes of the first page's levels.
    sizes: Vec<String>,
    filter: Filter,
    remedies: Vec<Remedy>,
    png: Option<PathBuf>,
}

/// Samples.
///
/// # Errors
/// The atlas cannot be read, or the picture cannot be written.
pub fn run(request: &MipsRequest, console: &Console) -> Result<MipsReport, Failure> {
    if let Some(png) = &request.png {
        output::check(png, ResultKind::Picture(Mark::View), request.force, [request.descriptor.as_path()])?;
    }
    let atlas = Opened::read(&request.descriptor, console.allowance())?;
    let most = atlas.pages.iter().map(|page| most_levels(page.size()) - 1).max().unwrap_or(0);
    let usual = if atlas.atlas.built.mip_levels > 0 { atlas.atlas.built.mip_levels } else { USUAL };
    let deepest = request.levels.unwrap_or(usual).min(most);
    let pages: Vec<Option<Pixels>> = atlas.pages.iter().cloned().map(Some).collect();
    let checked = check(&atlas.atlas, &pages, deepest);
    if let Some(png) = &request.png {
        output::check_input(png, atlas.inputs().iter().map(PathBuf::as_path))?;
        write::prepare(png, &mips_picture::draw(&atlas, &checked, deepest)?)?.commit()?;
    }
    let is_clean = |checked: &Checked<'_>| checked.measured[0].levels.iter().all(LevelMeasure::is_clean);
    let remedies = if checked.iter().all(is_clean) { Vec::new() } else { remedies(&atlas, deepest) };
    let first = atlas.atlas.pages.first();
    Ok(MipsReport {
        descriptor: atlas.path.clone(),
        deepest,
        sprites: checked.iter().flat_map(of_sprites).collect(),
        sizes: (0..=deepest).filter_map(|level| Some(level_size(first?.size(), level).to_string())).collect(),
        filter: first.map_or(Filter::Nearest, |page| page.sampling.filter),
        remedies,
        png: request.png.clone(),
    })
}

fn of_sprites<'a>(checked: &'a Checked<'a>) -> impl Iterator<Item = SpriteMips> + 'a {
    checked.names.iter().map(|name| SpriteMips {
        name: (*name).clone(),
        page: checked.page,
        clean: [0, 1].map(|n| checked.measured[n].clean()),
        levels: [0, 1].map(|n| checked.measured[n].levels.iter().map(|l| [l.foreign, l.error]).collect()),
        at: [0, 1].map(|n| checked.measured[n].levels.iter().map(|l| l.at).collect()),
    })
}

/// The scale of a level as a fraction, in words.
fn part(level: u32) -> String {
    if level == 0 { "full".into() } else { format!("1/{}", 1u64 << level) }
}

impl MipsReport {
    /// How many sprites show pixels of others at a level, and the largest error.
    fn at_level(&self, filter: usize, level: usize) -> (usize, f64) {
        let foreign = self.sprites.iter().filter_map(|sprite| sprite.levels[filter].get(level)).filter(|l| l[0] > 0.0);
        foreign.fold((0, 0.0), |(count, worst), [_, error]| (count + 1, worst.max(*error)))
    }

    fn clean(&self, filter: usize) -> Option<u32> {
        self.sprites.iter().map(|sprite| sprite.clean[filter]).min().unwrap_or(Some(self.deepest))
    }

    fn worst(&self) -> Option<(&SpriteMips, usize)> {
        let all = self.sprites.iter().flat_map(|sprite| (0..sprite.levels[0].len()).map(move |level| (sprite, level)));
        all.filter(|(sprite, level)| sprite.levels[0][*level][0] > 0.0)
            .max_by(|(a, m), (b, n)| a.levels[0][*m][1].total_cmp(&b.levels[0][*n][1]))
    }

    fn cell(&self, filter: usize, level: usize) -> String {
        match self.at_level(filter, level) {
            (0, _) => "clean".into(),
            (count, worst) => {
                let bleed = if count == 1 { "bleeds" } else { "bleed" };
                format!("{} {bleed}, by up to {worst:.0}", format::count(count, "sprite", "sprites"))
            }
        }
    }
}

fn depth(clean: Option<u32>) -> String {
    clean.map_or("not at full size".into(), |level| format!("to level {level}"))
}

impl Report for MipsReport {
    fn text(&self, verbose: bool) -> String {
        let sprites = format::count(self.sprites.len(), "sprite", "sprites");
        let mut out = format!("{NAME}{}{NAME:#}: {sprites}\n", format::name(&self.descriptor));
        let asked = self.filter.word();
        let _ = writeln!(
            out,
            "  clean     {} with the linear filter, {} with the nearest pixel; its pages ask for {asked}",
            depth(self.clean(0)),
            depth(self.clean(1))
        );
        let width = (0..self.sizes.len()).map(|level| self.cell(0, level).len()).max().unwrap_or(0).max(6);
        let _ = writeln!(out, "  level               {:width$}  nearest", "linear");
        for (level, size) in self.sizes.iter().enumerate() {
            let number = u32::try_from(level).unwrap_or(0);
            let (linear, nearest) = (self.cell(0, level), self.cell(1, level));
            let _ = writeln!(out, "  {level} {:<5} {size:<11} {linear:width$}  {nearest}", part(number));
        }
        if let Some((sprite, level)) = self.worst() {
            let [x, y] = sprite.at[0][level].map(f64::round);
            let _ = writeln!(
                out,
                "  worst     {} at level {level}, by {:.0} of 255, at {x}, {y} on page {}",
                format::name(sprite.name.as_str()),
                sprite.levels[0][level][1],
                sprite.page
            );
        }
        if !self.remedies.is_empty() {
            let _ = writeln!(out, "  to be clean down to level {} with the linear filter, each tried:", self.deepest);
        }
        for Remedy { option, pixels } in &self.remedies {
            let cost = match pixels {
                Some(times) => format!("in pack; pages take {}", format::growth(*times, "pixels")),
                None => "in uv and quad; the pages stay as they are, the outermost pixels are not drawn".into(),
            };
            let _ = writeln!(out, "    {option:<16} {cost}");
        }
        if verbose {
            for sprite in &self.sprites {
                let _ = writeln!(out, "  {}: {}", format::name(sprite.name.as_str()), depth(sprite.clean[0]));
            }
        }
        if let Some(png) = &self.png {
            let _ = writeln!(out, "  drawn     {}", format::name(&format::path(png)));
        }
        out
    }

    fn json(&self) -> Value {
        let clean = |clean: Option<u32>| clean.map_or(-1, i64::from);
        let levels = |sprite: &SpriteMips, filter: usize| -> Value {
            let level = |(n, [foreign, error]): (usize, &[f64; 2])| json!({ "level": n, "foreign": foreign, "error": error, "at": sprite.at[filter][n] });
            sprite.levels[filter].iter().enumerate().filter(|(_, l)| l[0] > 0.0).map(level).collect()
        };
        let sprite = |sprite: &SpriteMips| {
            let mut told = json!({ "sprite": sprite.name, "page": sprite.page });
            for (n, filter) in FILTERS.iter().enumerate() {
                told[filter.word()] = json!({ "clean": clean(sprite.clean[n]), "not_clean": levels(sprite, n) });
            }
            told
        };
        let remedy = |remedy: &Remedy| json!({ "option": remedy.option, "pixels": remedy.pixels });
        let mut json = json!({
            "descriptor": self.descriptor,
            "levels": self.deepest,
            "clean": { "linear": clean(self.clean(0)), "nearest": clean(self.clean(1)) },
            "remedies": self.remedies.iter().map(remedy).collect::<Vec<_>>(),
            "sprites": self.sprites.iter().map(sprite).collect::<Vec<_>>(),
        });
        if let Some(png) = &self.png {
            json["png"] = format::path(png).into();
        }
        json
    }

    fn kind(&self) -> &'static str {
        "mips"
    }
}
