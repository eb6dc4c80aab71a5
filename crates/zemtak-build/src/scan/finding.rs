//! What somebody should know about images, by kind.

use crate::failure::{Problem, ProblemKind};
use std::collections::BTreeMap;

/// How much a finding matters.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Severity {
    /// A build fails.
    Error,
    /// Most likely not what was meant.
    Warning,
    /// Good to know.
    Note,
}

impl Severity {
    /// Its name for programs.
    #[must_use]
    pub fn code(self) -> &'static str {
        match self {
            Self::Error => "error",
            Self::Warning => "warning",
            Self::Note => "note",
        }
    }
}

/// Kinds of findings, the worst first.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
#[non_exhaustive]
pub enum FindingKind {
    /// A file that cannot be read or decoded.
    UnusableImage,
    /// A name that cannot be a sprite's, or that several files share.
    UnusableName,
    /// A sprite that fits on no page.
    TooLarge,
    /// A sequence in which numbers are missing.
    Gap,
    /// Steps of a sequence with the same number, as `lava2` and `lava02`.
    SameNumber,
    /// A sequence with numbers of mixed widths, as `pause_1` and `pause_0010`.
    MixedDigits,
    /// A sequence with canvases of several sizes.
    VaryingCanvas,
    /// Next to nothing on a large canvas.
    Speck,
    /// Nothing but faint pixels.
    Faint,
    /// A file whose extension is that of another format.
    WrongExtension,
    /// A picture that its file says is to be turned or mirrored.
    Orientation,
    /// No visible pixel.
    Empty,
    /// Sprites with the same pixels.
    Twins,
    /// Sprites with the same visible pixels at another place of their canvas.
    MovedTwins,
    /// Sprites that differ in a few pixels.
    NearTwins,
    /// Colour under transparent pixels.
    HiddenColour,
    /// Samples of 16 bits.
    SixteenBits,
    /// A colour profile.
    ColourProfile,
    /// Gamma or primaries.
    Gamma,
    /// A picture that this tool drew.
    OwnPicture,
}

impl FindingKind {
    /// All kinds, the worst first.
    pub const ALL: [Self; 20] = [
        Self::UnusableImage,
        Self::UnusableName,
        Self::TooLarge,
        Self::Gap,
        Self::SameNumber,
        Self::MixedDigits,
        Self::VaryingCanvas,
        Self::Speck,
        Self::Faint,
        Self::WrongExtension,
        Self::Orientation,
        Self::Empty,
        Self::Twins,
        Self::MovedTwins,
        Self::NearTwins,
        Self::HiddenColour,
        Self::SixteenBits,
        Self::ColourProfile,
        Self::Gamma,
        Self::OwnPicture,
    ];

    /// Its name for programs.
    #[must_use]
    pub fn code(self) -> &'static str {
        self.told().0
    }

    /// What it is, of one and of several.
    #[must_use]
    pub fn words(self) -> [&'static str; 2] {
        self.told().1
    }

    /// What it means for a build, and what to do.
    #[must_use]
    pub fn advice(self) -> &'static str {
        self.told().2
    }

    /// How much it matters.
    #[must_use]
    pub fn severity(self) -> Severity {
        match self {
            Self::UnusableImage | Self::UnusableName | Self::TooLarge => Severity::Error,
            kind if kind <= Self::Orientation => Severity::Warning,
            _ => Severity::Note,
        }
    }

    fn told(self) -> (&'static str, [&'static str; 2], &'static str) {
        match self {
            Self::UnusableImage => (
                "unusable_image",
                ["image cannot be used", "images cannot be used"],
                "repair or replace them, or leave them out with 'leave'",
            ),
            Self::UnusableName => (
                "unusable_name",
                ["name cannot be used", "names cannot be used"],
                "rename the files: a sprite's name is its path without the extension",
            ),
            Self::TooLarge => (
                "too_large",
                ["sprite is larger than a page", "sprites are larger than a page"],
                "allow larger pages with page.max, or make the images smaller",
            ),
            Self::Gap => (
                "frame_gap",
                ["sequence has a gap", "sequences have gaps"],
                "the clip goes on without the missing frames; add them, or give the steps in a [[atlas.NAME.clip]]",
            ),
            Self::SameNumber => (
                "same_frame_number",
                ["sequence has one number twice", "sequences have one number twice"],
                "both become steps of one clip; rename one if they are not",
            ),
            Self::MixedDigits => (
                "mixed_digits",
                ["sequence mixes widths of numbers", "sequences mix widths of numbers"],
                "steps are sorted by value, so all is well if they belong together",
            ),
            Self::VaryingCanvas => (
                "varying_canvas",
                ["sequence has canvases of several sizes", "sequences have canvases of several sizes"],
                "a pivot in the middle jumps from step to step; draw them on one canvas, or give the pivot by a rule",
            ),
            Self::Speck => (
                "speck",
                ["sprite is next to nothing on a large canvas", "sprites are next to nothing on a large canvas"],
                "a stray pixel? it keeps the sprite from counting as empty",
            ),
            Self::Faint => (
                "faint",
                ["sprite can hardly be seen", "sprites can hardly be seen"],
                "if it is to count as empty, raise visible_alpha",
            ),
            Self::NearTwins => (
                "near_twins",
                ["pair of sprites differs in a few pixels", "pairs of sprites differ in a few pixels"],
                "if they are meant to be equal, make them so: twins share one box",
            ),
            Self::WrongExtension => (
                "wrong_extension",
                ["file is named like another format", "files are named like another format"],
                "read all the same, by content; other tools may stumble",
            ),
            Self::Orientation => (
                "orientation",
                [
                    "image is to be turned or mirrored, says its file",
                    "images are to be turned or mirrored, say their files",
                ],
                "pixels are taken as they are stored; save the image upright",
            ),
            Self::Empty => (
                "empty",
                ["sprite has no visible pixel", "sprites have no visible pixel"],
                "normal in animations: they keep their names and share one transparent pixel",
            ),
            Self::Twins => ("twins", ["set of equal sprites", "sets of equal sprites"], "each set shares one box"),
            Self::MovedTwins => (
                "moved_twins",
                [
                    "set of sprites equal but for their place on the canvas",
                    "sets of sprites equal but for their place on the canvas",
                ],
                "trimmed, each set shares one box",
            ),
            Self::HiddenColour => (
                "hidden_colour",
                ["sprite has colour under transparent pixels", "sprites have colour under transparent pixels"],
                "it is dropped, and makes no difference between twins",
            ),
            Self::SixteenBits => {
                ("sixteen_bits", ["image has 16 bits a channel", "images have 16 bits a channel"], "rounded to 8 bits")
            }
            Self::ColourProfile => (
                "colour_profile",
                ["image has a colour profile", "images have a colour profile"],
                "not applied: numbers are taken as they are",
            ),
            Self::Gamma => (
                "gamma",
                ["image has gamma or primaries", "images have gamma or primaries"],
                "not applied: numbers are taken as they are",
            ),
            Self::OwnPicture => (
                "own_pictures",
                ["place holds pictures that zemtak drew", "places hold pictures that zemtak drew"],
                "passed over: results never become sprites",
            ),
        }
    }
}

/// One case of a finding.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
#[non_exhaustive]
pub struct FindingItem {
    /// The sprites, sequences, files or folders that it is about.
    pub about: Vec<String>,
    /// What exactly.
    pub detail: Option<String>,
}

impl FindingItem {
    pub(super) fn of(about: &str) -> Self {
        Self { about: vec![about.to_owned()], detail: None }
    }

    pub(super) fn with(about: &str, detail: String) -> Self {
        Self { detail: Some(detail), ..Self::of(about) }
    }
}

/// All cases of one kind.
#[derive(Debug, Clone, PartialEq, Eq)]
#[non_exhaustive]
pub struct Finding {
    /// The kind.
    pub kind: FindingKind,
    /// The cases, sorted.
    pub items: Vec<FindingItem>,
}

/// Findings as they come in.
#[derive(Default)]
pub(super) struct Findings(BTreeMap<FindingKind, Vec<FindingItem>>);

impl Findings {
    pub(super) fn add(&mut self, kind: FindingKind, item: FindingItem) {
        self.0.entry(kind).or_default().push(item);
    }

    /// What a build refuses.
    pub(super) fn refused(&mut self, problem: &Problem) {
        let kind = match problem.what {
            ProblemKind::UnusableImage | ProblemKind::Io => FindingKind::UnusableImage,
            _ => FindingKind::UnusableName,
        };
        self.add(kind, FindingItem::with(&problem.place, problem.why.clone()));
    }

    pub(super) fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    pub(super) fn all(self) -> Vec<Finding> {
        let sorted = |(kind, mut items): (FindingKind, Vec<FindingItem>)| {
            items.sort();
            Finding { kind, items }
        };
        self.0.into_iter().map(sorted).collect()
    }
}
