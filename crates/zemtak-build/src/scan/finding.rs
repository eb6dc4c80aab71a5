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

macro_rules! kinds {
    ($($(#[$doc:meta])+ $name:ident: $severity:ident, $code:literal, $one:literal, $many:literal, $advice:literal;)+) => {
        /// Kinds of findings, the most serious first.
        #[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
        #[non_exhaustive]
        pub enum FindingKind {
            $($(#[$doc])+ $name),+
        }

        impl FindingKind {
            /// All kinds, the most serious first.
            pub const ALL: &'static [Self] = &[$(Self::$name),+];

            /// Its name for programs. It stays the same when the words change.
            #[must_use]
            pub fn code(self) -> &'static str {
                match self {
                    $(Self::$name => $code),+
                }
            }

            /// How much it matters.
            #[must_use]
            pub fn severity(self) -> Severity {
                match self {
                    $(Self::$name => Severity::$severity),+
                }
            }

            /// Its description, for one and for several.
            #[must_use]
            pub fn words(self) -> [&'static str; 2] {
                match self {
                    $(Self::$name => [$one, $many]),+
                }
            }

            /// What it means for a build, and what to do.
            #[must_use]
            pub fn advice(self) -> &'static str {
                match self {
                    $(Self::$name => $advice),+
                }
            }
        }
    };
}

kinds! {
    /// A file that cannot be read or decoded.
    UnusableImage: Error, "unusable_image", "image cannot be used", "images cannot be used",
        "repair or replace them, or leave them out with 'leave'";
    /// A name that cannot be a sprite's, or that several files share.
    UnusableName: Error, "unusable_name", "name cannot be used", "names cannot be used",
        "rename the files: a sprite's name is its path without the extension";
    /// A sprite that fits on no page.
    TooLarge: Error, "too_large", "sprite is larger than a page", "sprites are larger than a page",
        "allow larger pages with page.max, or make the images smaller";
    /// A sequence in which numbers are missing.
    Gap: Warning, "frame_gap", "sequence has a gap", "sequences have gaps",
        "the clip goes on without the missing frames; add them, or give the steps in a [[atlas.NAME.clip]]";
    /// Steps of a sequence with the same number, such as `lava2` and `lava02`.
    SameNumber: Warning, "same_frame_number", "sequence uses a number twice", "sequences use a number twice",
        "both become steps of one clip; rename one if they are not";
    /// A sequence with numbers of mixed widths, as `pause_1` and `pause_0010`.
    MixedDigits: Warning, "mixed_digits", "sequence mixes numbers of different lengths", "sequences mix numbers of different lengths",
        "steps are sorted by value, which is fine if they belong together";
    /// A sequence with canvases of several sizes.
    VaryingCanvas: Warning, "varying_canvas", "sequence has canvases of several sizes", "sequences have canvases of several sizes",
        "a pivot in the middle jumps from step to step; draw them on one canvas, or give the pivot by a rule";
    /// Only specks on a large canvas.
    Speck: Warning, "speck", "sprite has only specks on a large canvas", "sprites have only specks on a large canvas",
        "a stray pixel? it keeps the sprite from counting as empty";
    /// Nothing but faint pixels.
    Faint: Warning, "faint", "sprite can hardly be seen", "sprites can hardly be seen",
        "if it is to count as empty, raise visible_alpha";
    /// A file whose extension is that of another format.
    WrongExtension: Warning, "wrong_extension", "file is named like another format", "files are named like another format",
        "they are read by content; other tools may refuse them";
    /// A file that is damaged outside its pixels.
    Damaged: Warning, "damaged_images", "image file is damaged outside its pixels", "image files are damaged outside their pixels",
        "the pixels are whole, but strict readers refuse the file: save it anew";
    /// A picture whose file asks for it to be shown turned or mirrored.
    Orientation: Warning, "orientation", "image file asks to be shown turned or mirrored", "image files ask to be shown turned or mirrored",
        "pixels are taken as they are stored; save the image upright";
    /// No visible pixel.
    Empty: Note, "empty", "sprite has no visible pixel", "sprites have no visible pixel",
        "normal in animations: they keep their names and share one transparent pixel";
    /// Sprites with the same pixels.
    Twins: Note, "twins", "set of equal sprites", "sets of equal sprites",
        "each set shares one box";
    /// Sprites with the same visible pixels at another place of their canvas.
    MovedTwins: Note, "moved_twins", "set of sprites equal but for their place on the canvas", "sets of sprites equal but for their place on the canvas",
        "trimmed, each set shares one box";
    /// Sprites that differ in a few pixels.
    NearTwins: Note, "near_twins", "pair of sprites differs in a few pixels", "pairs of sprites differ in a few pixels",
        "if they are meant to be equal, make them so: twins share one box";
    /// Sprites that may differ in a few pixels, but are too many to compare.
    NotCompared: Note, "not_compared", "folder holds more sprites that look alike than one scan compares", "folders hold more sprites that look alike than one scan compares",
        "scan fewer of them at a time: one scan compares at most 4,000 pairs";
    /// Colour under transparent pixels.
    HiddenColour: Note, "hidden_colour", "sprite has colour under transparent pixels", "sprites have colour under transparent pixels",
        "it is dropped, and makes no difference between twins";
    /// Samples of 16 bits.
    SixteenBits: Note, "sixteen_bits", "image has 16 bits a channel", "images have 16 bits a channel",
        "rounded to 8 bits";
    /// A colour profile.
    ColourProfile: Note, "colour_profile", "image has a colour profile", "images have a colour profile",
        "not applied: numbers are taken as they are";
    /// Gamma or primaries.
    Gamma: Note, "gamma", "image has gamma or primaries", "images have gamma or primaries",
        "not applied: numbers are taken as they are";
    /// A picture that this tool drew.
    OwnPicture: Note, "own_pictures", "folder holds pictures drawn by zemtak", "folders hold pictures drawn by zemtak",
        "skipped: results never become sprites";
}

/// One case of a finding.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
#[non_exhaustive]
pub struct FindingItem {
    /// The sprites, sequences, files or folders concerned.
    pub about: Vec<String>,
    /// The details.
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

/// Findings while they are collected.
#[derive(Default)]
pub(super) struct Findings(BTreeMap<FindingKind, Vec<FindingItem>>);

impl Findings {
    pub(super) fn add(&mut self, kind: FindingKind, item: FindingItem) {
        self.0.entry(kind).or_default().push(item);
    }

    /// Adds something that a build refuses.
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
