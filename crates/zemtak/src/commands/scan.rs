//! `zemtak scan`: what is in a folder and what will cause trouble, before anything is packed.

use crate::console::Console;
use crate::contact_sheet::{self, Cell, Head};
use crate::drawing::Shown;
use crate::exit::Exit;
use crate::notice::Notice;
use crate::output;
use crate::palette::{self, LANTERN};
use crate::report::Report;
use crate::style::{NAME, ODD, WRONG};
use crate::wrap;
use serde_json::{Value, json};
use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write as _;
use std::path::PathBuf;
use zemtak_build::ownership::ResultKind;
use zemtak_build::{
    Allowance, Failure, Finding, FindingItem, FindingKind, Forecast, Observer, Scan, ScanRequest, ScannedSprite,
    Severity, format, write,
};
use zemtak_core::codec::Mark;

/// What to look at, and how to report it.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct ScanCommand {
    /// The sources.
    pub scan: ScanRequest,
    /// Whether every case of every finding is shown.
    pub all: bool,
    /// Whether errors and warnings count as a failed check.
    pub strict: bool,
    /// Where to draw a contact sheet.
    pub png: Option<PathBuf>,
    /// Whether an existing file that is not ours may be replaced by it.
    pub force: bool,
}

/// A scan as an answer.
pub struct ScanReport {
    scan: Scan,
    request: ScanCommand,
    /// The contact sheet, and which sprites it shows.
    sheet: Option<(PathBuf, String)>,
}

/// Looks at every image, and draws the contact sheet if one is asked for.
///
/// # Errors
/// There are no images, a folder cannot be searched, or the sheet cannot be written.
pub fn run(request: &ScanCommand, console: &Console) -> Result<ScanReport, Failure> {
    let watcher = console.watcher();
    if let Some(png) = &request.png {
        output::check(
            png,
            ResultKind::Picture(Mark::View),
            request.force,
            request.scan.paths.iter().map(PathBuf::as_path),
        )?;
    }
    let scan = ScanRequest { limits: console.limits, ..request.scan.clone() }.run(&watcher)?;
    let sheet = match &request.png {
        Some(png) => {
            let (shown, which) = shown(&scan);
            write::prepare(png, &draw(&scan, &shown, &which, console.allowance(), &watcher)?)?.commit()?;
            Some((png.clone(), which))
        }
        None => None,
    };
    Ok(ScanReport { scan, request: request.clone(), sheet })
}

/// For each sprite the most important finding about it or its file.
fn found(scan: &Scan) -> BTreeMap<&str, FindingKind> {
    let matters = scan.findings.iter().filter(|finding| finding.kind.severity() <= Severity::Warning);
    let mut worst: BTreeMap<&str, FindingKind> = BTreeMap::new();
    for finding in matters {
        for about in finding.items.iter().flat_map(|item| &item.about) {
            worst.entry(about).or_insert(finding.kind);
        }
    }
    let of = |sprite: &ScannedSprite| {
        let file = format::path(&sprite.path);
        let names = [Some(sprite.name.as_str()), Some(file.as_str()), sprite.sequence.as_deref()];
        names.into_iter().flatten().filter_map(|name| worst.get(name).copied()).min()
    };
    scan.sprites.iter().filter_map(|sprite| Some((sprite.name.as_str(), of(sprite)?))).collect()
}

/// The sprites for a contact sheet with their findings, and which of all they are. If there are too many, those with
/// findings come first.
fn shown(scan: &Scan) -> (Vec<(&ScannedSprite, Option<FindingKind>)>, String) {
    let found = found(scan);
    let mut shown: Vec<_> =
        scan.sprites.iter().map(|sprite| (sprite, found.get(sprite.name.as_str()).copied())).collect();
    let all = format::count(shown.len(), "sprite", "sprites");
    if shown.len() <= contact_sheet::MOST {
        return (shown, all);
    }
    shown.sort_by_key(|(_, found)| found.is_none());
    shown.truncate(contact_sheet::MOST);
    shown.sort_by(|a, b| a.0.name.cmp(&b.0.name));
    let some = shown.len();
    let which = match found.len() {
        0 => format!("the first {some} of {all}"),
        few if few <= some => format!("{some} of {all}, those with findings among them"),
        many => format!("{some} of {} sprites with findings, {all} in all", format::number(many as u64)),
    };
    (shown, which)
}

fn draw(
    scan: &Scan,
    shown: &[(&ScannedSprite, Option<FindingKind>)],
    which: &str,
    allowance: &Allowance,
    observer: &dyn Observer,
) -> Result<Vec<u8>, Failure> {
    let title = format::name(&scan.places.join(", "));
    let head = Head {
        title: &title,
        count: which,
        legend: &[("worth a look", LANTERN, Shown::Filled), ("a build fails", palette::WRONG, Shown::Filled)],
        notes: "below each name: what was found, or the size of the canvas",
    };
    let cell = |(sprite, found): &(&ScannedSprite, Option<FindingKind>)| {
        if observer.cancelled() {
            return Err(Failure::interrupted());
        }
        let colour = |kind: FindingKind| match kind.severity() {
            Severity::Error => palette::WRONG,
            _ => LANTERN,
        };
        Ok(Cell {
            name: format::name(sprite.name.as_str()),
            note: found.map_or_else(|| sprite.canvas.to_string(), |kind| kind.code().replace('_', " ")),
            mark: found.map(colour),
            pixels: sprite.pixels(allowance),
            visible: sprite.visible,
            pivot: None,
        })
    };
    contact_sheet::draw(&head, shown.len(), shown.iter().map(cell))
}

/// Cases of a finding shown by default.
const FEW: usize = 3;

impl ScanReport {
    fn head(&self) -> String {
        let Scan { places, sprites, formats, skipped, .. } = &self.scan;
        let files: usize = formats.values().sum();
        let of: Vec<String> = formats.iter().map(|(format, count)| format!("{count} {format}")).collect();
        let canvas: u64 = sprites.iter().map(|s| s.canvas.area()).sum();
        let visible: u64 = sprites.iter().filter_map(|s| s.visible).map(|part| part.size().area()).sum();
        let images = format::count(files, "image", "images");
        let names = format::name(&places.join(", "));
        let mut out =
            format!("{NAME}{names}{NAME:#}: {} in {images}\n", format::count(sprites.len(), "sprite", "sprites"));
        let mut line = |key: &str, value: &str| _ = writeln!(out, "  {key:<9}{value}");
        if !of.is_empty() {
            line("formats", &of.join(", "));
            line("visible", &format!("{} of all pixels lie in visible boxes", format::percent(visible, canvas)));
        }
        let sequences: BTreeSet<&String> = sprites.iter().filter_map(|s| s.sequence.as_ref()).collect();
        let steps = sprites.iter().filter(|s| s.sequence.is_some()).count();
        if steps > 0 {
            let steps = format::count(steps, "sprite", "sprites");
            line("clips", &format!("{}, made of {steps}", format::number(sequences.len() as u64)));
        }
        if *skipped > 0 {
            line("skipped", &format::count(*skipped, "file that is no image", "files that are no images"));
        }
        out
    }

    fn finding(&self, finding: &Finding) -> String {
        let Finding { kind, items, .. } = finding;
        let [one, many] = kind.words();
        let mut out = format!("  {NAME}{}{NAME:#}\n", format::count(items.len(), one, many));
        let shown = if self.request.all || items.len() <= FEW + 1 { items.len() } else { FEW };
        for item in &items[..shown] {
            out.push_str(&indented(&item_text(item, self.request.all), 4));
        }
        if shown < items.len() {
            let _ = writeln!(out, "    and {} more (--all lists them)", format::number((items.len() - shown) as u64));
        }
        out + &indented(&format!("-> {}", kind.advice()), 4)
    }

    fn findings(&self) -> String {
        let mut out = String::new();
        let heads = [
            (Severity::Error, format!("\n{WRONG}A build fails{WRONG:#}\n")),
            (Severity::Warning, format!("\n{ODD}Worth a look{ODD:#}\n")),
            (Severity::Note, format!("\n{NAME}Good to know{NAME:#}\n")),
        ];
        for (severity, head) in heads {
            let of: Vec<&Finding> = self.scan.findings.iter().filter(|f| f.kind.severity() == severity).collect();
            if !of.is_empty() {
                out.push_str(&head);
                of.iter().for_each(|finding| out.push_str(&self.finding(finding)));
            }
        }
        out
    }

    /// One line per sprite.
    fn table(&self) -> String {
        let mut table = comfy_table::Table::new();
        table.load_style(comfy_table::presets::NOTHING).set_header(["sprite", "canvas", "visible box", "kind", "clip"]);
        for sprite in &self.scan.sprites {
            let visible = sprite.visible.map_or("nothing".into(), |part| part.to_string());
            let clip = sprite.sequence.as_deref().map(format::name).unwrap_or_default();
            let name = format::name(sprite.name.as_str());
            table.add_row([name, sprite.canvas.to_string(), visible, kind_of(sprite), clip]);
        }
        let lines: Vec<String> = table.lines().map(|line| line.trim_end().to_owned()).collect();
        format!("\n{}\n", lines.join("\n"))
    }
}

/// An image's kind in a word or two.
fn kind_of(sprite: &ScannedSprite) -> String {
    let samples = sprite.png.map_or(String::new(), |png| {
        let interlaced = if png.interlaced { ", interlaced" } else { "" };
        format!(", {} {}-bit{interlaced}", png.colour.as_str(), png.bits)
    });
    format!("{}{samples}", sprite.format)
}

/// One case: its subject and the details.
fn item_text(item: &FindingItem, all: bool) -> String {
    let names: Vec<String> = item.about.iter().map(|name| format::name(name)).collect();
    let names = if all { names.join(", ") } else { format::first_of(&names) };
    match &item.detail {
        Some(detail) => format!("{names}: {}", format::name(detail)),
        None => names,
    }
}

/// Wrapped between words if standard output is a terminal.
fn indented(text: &str, by: usize) -> String {
    wrap::for_stdout(&format!("{:by$}{text}", "")) + "\n"
}

fn forecast_text(forecast: &Forecast) -> String {
    let Forecast { loose_textures, loose_bytes, pages, page_bytes, least_bytes, too_large, .. } = forecast;
    let mut out = format!("\n{NAME}Packed into one atlas with default settings{NAME:#}\n");
    let mut line = |key: &str, value: String| _ = writeln!(out, "  {key:<9}{value}");
    let textures = format::count(*loose_textures, "texture", "textures");
    let binds = |n: usize| format::count(n, "bind", "binds");
    line("loose", format!("{textures}, {}, {} to draw each once", format::bytes(*loose_bytes), binds(*loose_textures)));
    let count = format::count(pages.len(), "page", "pages");
    let largest = pages.iter().max_by_key(|page| page.area()).map_or(String::new(), |page| format!(" of up to {page}"));
    line(
        "packed",
        format!("{count}{largest}, {}, {}, by a quick layout", format::bytes(*page_bytes), binds(pages.len())),
    );
    line("at least", format!("{}: all boxes, equal ones once, with their gutters", format::bytes(*least_bytes)));
    if *too_large > 0 {
        line("without", format::count(*too_large, "sprite that is too large", "sprites that are too large"));
    }
    out
}

impl Report for ScanReport {
    fn text(&self, verbose: bool) -> String {
        let mut out = self.head();
        if self.request.all || verbose {
            out.push_str(&self.table());
        }
        out.push_str(&self.findings());
        out.push_str(&self.scan.forecast.as_ref().map(forecast_text).unwrap_or_default());
        if let Some((png, which)) = &self.sheet {
            let _ = writeln!(out, "\n{}: a contact sheet of {which}", format::name(&format::path(png)));
        }
        out
    }

    fn json(&self) -> Value {
        let Scan { places, sprites, formats, skipped, findings, forecast, .. } = &self.scan;
        let sprite = |s: &ScannedSprite| {
            json!({
                "sprite": s.name, "file": s.file, "frame": s.frame, "format": s.format.to_string(),
                "colour": s.png.map(|png| png.colour.as_str()), "bits": s.png.map(|png| png.bits),
                "canvas": s.canvas, "visible": s.visible, "opaque": s.opaque, "clip": s.sequence,
            })
        };
        let item = |item: &FindingItem| json!({ "about": item.about, "detail": item.detail });
        let finding = |f: &Finding| {
            json!({
                "code": f.kind.code(), "severity": f.kind.severity().code(), "advice": f.kind.advice(),
                "items": f.items.iter().map(item).collect::<Vec<Value>>(),
            })
        };
        let forecast = forecast.as_ref().map(|f| {
            json!({
                "loose_textures": f.loose_textures, "loose_bytes": f.loose_bytes, "pages": f.pages,
                "page_bytes": f.page_bytes, "least_bytes": f.least_bytes, "too_large": f.too_large,
            })
        });
        let mut json = json!({
            "places": places,
            "formats": formats,
            "skipped_files": skipped,
            "findings": findings.iter().map(finding).collect::<Vec<Value>>(),
            "forecast": forecast,
            "sprites": sprites.iter().map(sprite).collect::<Vec<Value>>(),
        });
        if let Some((png, _)) = &self.sheet {
            json["png"] = format::path(png).into();
        }
        json
    }

    fn kind(&self) -> &'static str {
        "scan"
    }

    fn warnings(&self) -> Vec<Notice> {
        Vec::new()
    }

    fn exit(&self) -> Exit {
        let found = self.scan.findings.iter().any(|finding| finding.kind.severity() <= Severity::Warning);
        if self.request.strict && found { Exit::Found } else { Exit::Done }
    }
}
