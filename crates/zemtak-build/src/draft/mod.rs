//! A first project file for a folder of images: which atlases they make, which kind of art each is, which clips there
//! are, and why.

mod clips;
mod survey;
mod together;

use survey::{LARGEST_PAGE, Picture, Survey, Unusable, survey};

use crate::allowance::Allowance;
use crate::failure::{Failure, Problem, ProblemKind};
use crate::limits::Limits;
use crate::observer::Observer;
use crate::settings::Keys;
use crate::{format, project, sources, template, write};
use minijinja::value::Serde;
use serde::Serialize;
use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};
use zemtak_core::atlas::FILE_SUFFIX;
use zemtak_core::geometry::Size;
use zemtak_core::glob;
use zemtak_core::layout::Spacing;
use zemtak_core::style::Style;

const TEMPLATE: &str = include_str!("project.toml.jinja");

/// With this many subjects, a folder of its own makes an atlas of its own. A clip is one subject, and so is a single
/// image.
const MANY_SUBJECTS: usize = 16;

/// Fewer images of the other kind of art are not worth a texture bind of their own.
const MANY_OF_A_STYLE: usize = 4;

/// A folder is separated from others for its kind of art only if this fraction of it is of that kind.
const MOSTLY: (usize, usize) = (4, 5);

/// The side of the largest page unless a project says otherwise.
const USUAL_SIDE: u32 = 2048;

/// Sides that many devices still take.
const WIDE_SIDES: [u32; 3] = [4096, 8192, LARGEST_PAGE];

/// Where results go, unless something else is there already.
const OUT: [&str; 3] = ["build", "packed", "zemtak-build"];

/// The spacing round boxes, which these projects do not change.
fn spacing() -> Spacing {
    Keys::default().settle().spacing
}

/// A new project file for a folder of images, not written yet.
#[derive(Debug, Clone)]
#[non_exhaustive]
pub struct NewProject {
    /// The project file.
    pub file: PathBuf,
    /// Its text.
    pub text: String,
    /// Its atlases.
    pub atlases: Vec<AtlasDraft>,
    /// How many images were looked at and can be used.
    pub images: usize,
    /// How many pictures of earlier builds were skipped.
    pub own_pictures: usize,
    /// Problems with images that the project leaves out.
    pub left_out: Vec<Problem>,
    /// Other problems, which must be fixed before a build.
    pub refused: Vec<Problem>,
}

impl NewProject {
    /// Looks at every image below a folder, within limits, and proposes atlases, filters and clips.
    ///
    /// # Errors
    /// There is a project file already, there is no image, something cannot be read, or the observer cancels.
    pub fn propose(folder: &Path, limits: Limits, observer: &dyn Observer) -> Result<Self, Failure> {
        // Shown the way it would be typed.
        let file = if folder == Path::new(".") { project::FILE.into() } else { folder.join(project::FILE) };
        if file.symlink_metadata().is_ok() {
            let why = "it already exists and may hold somebody's work";
            let help = "move it away if you want a new one";
            return Err(Problem::usage(ProblemKind::WouldOverwrite, &format::path(&file), why, help).into());
        }
        std::fs::read_dir(folder).map_err(|e| Failure::io(&format::path(folder), &e))?;
        let out = OUT.into_iter().find(|out| is_free(&folder.join(out))).unwrap_or(OUT[0]);
        let survey = survey(folder, &folder.join(out), &Allowance::new(limits), observer)?;
        if survey.pictures.is_empty() {
            return Err(nothing_to_pack(folder, &survey).into());
        }
        let whole = sources::clean(folder).map_err(|e| Failure::io("the working folder", &e))?;
        let name = whole.file_name().map(|n| n.to_string_lossy().into_owned()).unwrap_or_default();
        let draft = Draft::of(&survey, &name, out);
        let text = draft.text()?;
        let left_out = survey.unusable.into_iter().map(|unusable| unusable.problem).collect();
        let (images, own_pictures, refused) = (survey.pictures.len(), survey.own, survey.refused);
        Ok(Self { file, text, atlases: draft.atlases, images, own_pictures, left_out, refused })
    }

    /// Writes the file.
    ///
    /// # Errors
    /// It cannot be written.
    pub fn write(&self) -> Result<(), Failure> {
        write::prepare(&self.file, self.text.as_bytes())?.commit()
    }
}

fn nothing_to_pack(folder: &Path, survey: &Survey) -> Problem {
    let others = format::count(survey.skipped, "other file was", "other files were");
    let why = [format!("there is no image that can be used; {others} skipped")];
    let unusable = survey.unusable.iter().map(|unusable| &unusable.problem);
    let refused = survey.refused.iter().chain(unusable).map(ToString::to_string);
    let why: Vec<String> = why.into_iter().chain(refused).collect();
    Problem::usage(ProblemKind::NothingToPack, &format::path(folder), why.join("\n"), "name a folder with images")
}

/// Whether a folder does not exist, is empty, or holds results of ours already.
fn is_free(folder: &Path) -> bool {
    let Ok(mut entries) = std::fs::read_dir(folder) else { return !folder.exists() };
    let ours = |name: &str| name.ends_with(FILE_SUFFIX);
    let mut names = entries.by_ref().flatten().map(|e| e.file_name().to_string_lossy().into_owned()).peekable();
    names.peek().is_none() || names.any(|name| ours(&name))
}

/// A future project file.
#[derive(Debug, Clone, PartialEq, Serialize)]
struct Draft {
    images: String,
    out: String,
    /// The folder below the project's that holds all images, if it is not the same.
    root: Option<String>,
    atlases: Vec<AtlasDraft>,
}

/// A future atlas.
#[derive(Debug, Clone, PartialEq, Default, Serialize)]
pub struct AtlasDraft {
    /// Its name.
    pub name: String,
    /// What it holds, and the reasons for its settings.
    pub why: Vec<String>,
    take: Vec<String>,
    leave: Vec<String>,
    page_max: Option<[u32; 2]>,
    together: bool,
    filter: &'static str,
    rules: Vec<RuleDraft>,
}

impl AtlasDraft {
    /// Whether a file would be packed into it.
    fn takes(&self, file: &str) -> bool {
        let any = |globs: &[String]| globs.iter().any(|g| glob::Glob::new(g).is_ok_and(|g| g.matches(file)));
        (self.take.is_empty() || any(&self.take)) && !any(&self.leave)
    }

    fn leave_out(&mut self, file: &str, unusable: &Unusable) {
        let why = unusable.problem.why.lines().next().unwrap_or_default();
        self.why.push(format!("Left out: {}: {}.", format::name(file), format::name(why)));
        self.leave.push(glob::escape(file));
    }
}

/// A future rule.
#[derive(Debug, Clone, PartialEq, Serialize)]
struct RuleDraft {
    why: Vec<String>,
    r#match: String,
    paced: bool,
}

/// The images of one atlas, by the folder or single image that they belong to.
#[derive(Debug, Clone, Default)]
struct Group<'a> {
    name: String,
    /// The folder below the root that they lie in, with its slash.
    prefix: String,
    take: Vec<String>,
    leave: Vec<String>,
    reason: String,
    units: BTreeMap<String, Vec<&'a Picture>>,
}

impl Draft {
    /// A project for the images found. `name` is the folder's.
    fn of(survey: &Survey, name: &str, out: &str) -> Self {
        let root = common_folder(&survey.pictures);
        let below = if root.is_empty() { 0 } else { root.len() + 1 };
        let mut groups = groups(&survey.pictures, below, name);
        groups = groups.into_iter().flat_map(by_style).collect();
        give_names(&mut groups);
        let mut atlases: Vec<AtlasDraft> = groups.iter().map(|group| atlas(group, below)).collect();
        for unusable in &survey.unusable {
            // An image beside the folder that holds all usable ones is no source in the first place.
            let below_root = unusable.shown.strip_prefix(root.as_str()).map(|name| name.trim_start_matches('/'));
            let Some(name) = below_root else { continue };
            if let Some(atlas) = atlases.iter_mut().find(|atlas| atlas.takes(name)) {
                atlas.leave_out(name, unusable);
            }
        }
        let images = format::count(survey.pictures.len(), "image", "images");
        Self { images, out: out.into(), root: Some(root).filter(|r| !r.is_empty()), atlases }
    }

    /// The file's text.
    fn text(&self) -> Result<String, Failure> {
        let broken = |e: &(dyn std::error::Error + 'static)| Failure::io("the template of project files", e);
        let mut environment = template::environment(&Limits::default()).map_err(|e| broken(&e))?;
        environment.add_filter("toml", |value: minijinja::Value| {
            let value = toml::Value::try_from(&value);
            value
                .map(|v| v.to_string())
                .map_err(|e| minijinja::Error::new(minijinja::ErrorKind::BadSerialization, e.to_string()))
        });
        environment.render_str(TEMPLATE, minijinja::Value::from(Serde(self))).map_err(|e| broken(&e))
    }
}

/// The deepest folder that holds all images.
fn common_folder(pictures: &[Picture]) -> String {
    let folder = |p: &Picture| p.name.as_str().rsplit_once('/').map_or("", |(folder, _)| folder).to_owned();
    let mut common = pictures.first().map(folder).unwrap_or_default();
    for picture in pictures {
        let folder = folder(picture);
        while !(common.is_empty() || folder == common || folder.starts_with(&format!("{common}/"))) {
            common = common.rsplit_once('/').map_or(String::new(), |(above, _)| above.to_owned());
        }
    }
    common
}

/// The first folder of a name, with its slash, or the whole name if it lies in none.
fn unit_of(name: &str) -> &str {
    name.find('/').map_or(name, |slash| &name[..=slash])
}

/// The glob that matches a unit and nothing else.
fn glob_of(prefix: &str, unit: &str) -> String {
    let whole = glob::escape(&format!("{prefix}{unit}"));
    if unit.ends_with('/') { format!("{whole}**") } else { whole }
}

/// An atlas for each folder that looks like one, and one for everything else.
fn groups<'a>(pictures: &'a [Picture], below: usize, name: &str) -> Vec<Group<'a>> {
    let units = |of: &[&'a Picture], below: usize| {
        let mut units: BTreeMap<String, Vec<&'a Picture>> = BTreeMap::new();
        for &picture in of {
            units.entry(unit_of(&picture.name.as_str()[below..]).to_owned()).or_default().push(picture);
        }
        units
    };
    let all: Vec<&Picture> = pictures.iter().collect();
    let mut rest = units(&all, below);
    let folders: Vec<String> = rest.keys().filter(|unit| unit.ends_with('/')).cloned().collect();
    let mut groups = Vec::new();
    for folder in folders {
        let inner = units(&rest[&folder], below + folder.len());
        let Some(reason) = looks_like_an_atlas(&inner, below + folder.len()) else { continue };
        rest.remove(&folder);
        let take = vec![glob_of("", &folder)];
        let name = folder.trim_end_matches('/').to_owned();
        groups.push(Group { name, prefix: folder, take, leave: Vec::new(), reason, units: inner });
    }
    if !rest.is_empty() {
        let leave: Vec<String> = groups.iter().flat_map(|g| g.take.clone()).collect();
        let (name, reason) = if leave.is_empty() {
            (name.to_owned(), "Everything together: no folder holds enough to be an atlas of its own.".to_owned())
        } else {
            ("rest".to_owned(), "What lies in no folder that looks like an atlas.".to_owned())
        };
        groups.push(Group { name, prefix: String::new(), take: Vec::new(), leave, reason, units: rest });
    }
    groups
}

/// Why a folder looks like an atlas of its own: it holds folders of folders, or many subjects.
fn looks_like_an_atlas(units: &BTreeMap<String, Vec<&Picture>>, below: usize) -> Option<String> {
    let folders = units.keys().filter(|unit| unit.ends_with('/'));
    let holds_folders = |unit: &&String| {
        let inner = |p: &&Picture| p.name.as_str()[below + unit.len()..].contains('/');
        units[*unit].iter().any(inner)
    };
    let deep = folders.filter(holds_folders).count();
    if deep >= 2 {
        return Some(format!("A folder of its own, whose {deep} objects have folders of their own."));
    }
    let subjects = clips::subjects(units.values().flatten().copied());
    (subjects >= MANY_SUBJECTS).then(|| format!("A folder of its own with {subjects} different images and clips."))
}

/// Pixel art and smooth art need different filters, so folders of a group that differ are separated.
fn by_style(group: Group<'_>) -> Vec<Group<'_>> {
    let is_mostly = |pictures: &[&Picture], wanted: Style| {
        let of = |style: Style| pictures.iter().filter(|picture| picture.style == Some(style)).count();
        let all = of(Style::Pixel) + of(Style::Smooth);
        all > 0 && of(wanted) * MOSTLY.1 >= all * MOSTLY.0
    };
    let count = |wanted: Style| {
        group.units.values().filter(|pictures| is_mostly(pictures, wanted)).map(Vec::len).sum::<usize>()
    };
    let lesser = if count(Style::Pixel) < count(Style::Smooth) { Style::Pixel } else { Style::Smooth };
    if count(lesser) < MANY_OF_A_STYLE {
        return vec![group];
    }
    let (parted, stay): (BTreeMap<_, _>, BTreeMap<_, _>) =
        group.units.into_iter().partition(|(_, pictures)| is_mostly(pictures, lesser));
    let take: Vec<String> = parted.keys().map(|unit| glob_of(&group.prefix, unit)).collect();
    let leave = [group.leave, take.clone()].concat();
    let word = if lesser == Style::Pixel { "pixel" } else { "smooth" };
    let other = Group {
        name: format!("{}-{word}", group.name),
        prefix: group.prefix.clone(),
        take,
        leave: Vec::new(),
        reason: format!("The {word} art of {}: it needs a different filter from the rest.", group.name),
        units: parted,
    };
    vec![Group { leave, units: stay, ..group }, other]
}

/// The style of most images, counting those of which it can be told.
fn style_of<'p>(pictures: impl Iterator<Item = &'p Picture>) -> Option<Style> {
    let (mut pixel, mut smooth) = (0, 0);
    for picture in pictures {
        match picture.style {
            Some(Style::Pixel) => pixel += 1,
            Some(Style::Smooth) => smooth += 1,
            None => {}
        }
    }
    (pixel + smooth > 0).then_some(if smooth > pixel { Style::Smooth } else { Style::Pixel })
}

/// Valid names for atlases, all different.
fn give_names(groups: &mut [Group<'_>]) {
    let mut used = BTreeSet::new();
    for group in groups {
        let plain = |c: char| match c.to_ascii_lowercase() {
            c @ ('a'..='z' | '0'..='9' | '_' | '-') => c,
            _ => '-',
        };
        let name: String = group.name.chars().map(plain).collect();
        let name = Some(name.trim_matches('-').to_owned()).filter(|n| !n.is_empty()).unwrap_or_else(|| "main".into());
        let mut numbered = (2..).map(|n| format!("{name}-{n}"));
        let mut candidate = name.clone();
        while !used.insert(candidate.clone()) {
            candidate = numbered.next().unwrap_or_default();
        }
        group.name = candidate;
    }
}

/// The filter for pictures, and why: how many of them are of which kind.
fn filter_of(pictures: &[&Picture]) -> (&'static str, String) {
    let style = style_of(pictures.iter().copied());
    let (filter, so) = match style {
        Some(Style::Smooth) => ("linear", "pixels may blend"),
        Some(Style::Pixel) | None => ("nearest", "pixels stay hard"),
    };
    let kinds = [
        (Some(Style::Pixel), "with few colours and hard edges"),
        (Some(Style::Smooth), "with many colours or soft edges"),
        (None, "of neither kind or too small to tell"),
    ];
    let mut found: Vec<(usize, &str)> = Vec::new();
    for (kind, traits) in kinds {
        let count = pictures.iter().filter(|picture| picture.style == kind).count();
        // The kind that decides comes first.
        let at = if kind == style { 0 } else { found.len() };
        found.splice(at..at, (count > 0).then_some((count, traits)));
    }
    let of = format::count(pictures.len(), "image", "images");
    let kinds = match found[..] {
        [(1, traits)] => format!(" {traits},"),
        [(_, traits)] => format!(", all {traits},"),
        _ => {
            let each = found.iter().map(|(count, traits)| format!("{} {traits}", format::number(*count as u64)));
            format!(": {};", each.collect::<Vec<_>>().join(", "))
        }
    };
    (filter, format!("{of}{kinds} so {so}: filter {filter}."))
}

fn atlas(group: &Group<'_>, below: usize) -> AtlasDraft {
    let pictures: Vec<&Picture> = group.units.values().flatten().copied().collect();
    let frames = pictures.iter().map(|p| p.boxes.len()).sum();
    let mut why = vec![group.reason.clone()];
    let (filter, reason) = filter_of(&pictures);
    why.push(reason);
    let boxes = || pictures.iter().flat_map(|picture| &picture.boxes).map(|shown| shown.size);
    let largest = boxes().fold(Size::default(), |most, size| Size::new(most.w.max(size.w), most.h.max(size.h)));
    let side = largest.w.max(largest.h);
    let needed = side + 2 * spacing().extrude;
    let wide = WIDE_SIDES.into_iter().find(|wide| *wide >= needed).filter(|_| needed > USUAL_SIDE);
    if let Some(wide) = wide {
        why.push(format!("The largest is {largest} pixels, so pages may be up to {wide} a side."));
    }
    // A gutter, and a ring on both sides.
    let around = spacing().gutter + 2 * spacing().extrude;
    let area: u64 = boxes().map(|size| size.area() + u64::from((size.w + size.h) * around)).sum();
    let page = wide.unwrap_or(USUAL_SIDE);
    let pages = usize::try_from(area.div_ceil(u64::from(page).pow(2))).unwrap_or(usize::MAX);
    let clips = clips::of(&pictures, below);
    let large = if pages > 1 { together::too_large(&pictures, &clips, Size::new(page, page)) } else { None };
    let together = pages > 1 && !clips.is_empty() && large.is_none();
    if pages > 1 {
        why.push(format!("{} will take about {pages} pages.", format::count(frames, "sprite", "sprites")));
    }
    if together {
        why.push("The steps of each clip are kept on one page; every clip was tried.".into());
    } else if let Some(clip) = large {
        why.push(format!(
            "The clip {} is larger than a page, so steps of clips may lie on several.",
            format::name(&clip)
        ));
    }
    AtlasDraft {
        name: group.name.clone(),
        why,
        take: group.take.clone(),
        leave: group.leave.clone(),
        page_max: wide.map(|wide| [wide; 2]),
        together,
        filter,
        rules: clips::rules(group, &clips, below),
    }
}
