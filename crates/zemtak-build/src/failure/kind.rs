//! The kinds of problems, each with a heading and a code that never changes.

use std::fmt;

macro_rules! kinds {
    ($($name:ident: $code:literal, $words:literal;)+) => {
        /// What is wrong, the same for every problem of this kind.
        #[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
        #[non_exhaustive]
        pub enum ProblemKind {
            $(#[doc = concat!("`", $code, "`: ", $words, ".")] $name),+
        }

        impl ProblemKind {
            /// All kinds.
            pub const ALL: &'static [Self] = &[$(Self::$name),+];

            /// The code for programs. It stays the same when the words change.
            #[must_use]
            pub fn code(self) -> &'static str {
                match self {
                    $(Self::$name => $code),+
                }
            }

            /// In words.
            #[must_use]
            pub fn words(self) -> &'static str {
                match self {
                    $(Self::$name => $words),+
                }
            }
        }
    };
}

kinds! {
    CannotCut: "cannot_cut", "the sheet cannot be cut";
    CannotDrawClip: "cannot_draw_clip", "the clip cannot be drawn";
    CannotDrawPage: "cannot_draw_page", "the page cannot be drawn";
    CannotDrawPattern: "cannot_draw_pattern", "the pattern cannot be drawn";
    CannotDrawPicture: "cannot_draw_picture", "the picture cannot be drawn";
    CannotEncode: "cannot_encode", "the picture cannot be encoded";
    CannotTile: "cannot_tile", "the area cannot be tiled";
    ClipOverAtlases: "clip_over_atlases", "a clip over several atlases";
    ClipTooLarge: "clip_too_large", "clip too large for one page";
    ClipTwice: "clip_twice", "clip written twice";
    ColonInName: "colon_in_name", "sprite name with a colon";
    ConflictingOptions: "conflicting_options", "conflicting options";
    ContradictoryPages: "contradictory_pages", "contradictory page options";
    EmptyPart: "empty_part", "no stored pixels in this part";
    ImageTooLarge: "image_too_large", "image too large for any page";
    Interrupted: "interrupted", "interrupted";
    EmptyList: "empty_list", "nothing in a list";
    WrongUvList: "wrong_uv_list", "wrong entry in a list of UVs";
    InvalidBox: "invalid_box", "invalid box";
    InvalidCommandLine: "invalid_command_line", "invalid command line";
    InvalidGlob: "invalid_glob", "invalid glob";
    InvalidName: "invalid_name", "invalid name";
    InvalidNamePattern: "invalid_name_pattern", "invalid name pattern";
    InvalidQuads: "invalid_quads", "invalid quads";
    InvalidValue: "invalid_value", "invalid value";
    Io: "io", "reading or writing failed";
    MissingArgument: "missing_argument", "missing argument";
    MissingCommand: "missing_command", "missing command";
    MissingKey: "missing_key", "missing key";
    MissingValue: "missing_value", "missing value";
    NamesTooAlike: "names_too_alike", "sprite names that differ only in case or Unicode composition";
    NoStore: "no_store", "no store";
    NoSuchCell: "no_such_cell", "no such cell";
    NoSuchPage: "no_such_page", "no such page";
    NotADescriptor: "not_a_descriptor", "not a descriptor";
    NotAFileName: "not_a_file_name", "name that cannot be a file name";
    NotBuilt: "not_built", "atlas not built yet";
    NotProved: "not_proved", "the encoded picture does not decode to the same pixels";
    NotToml: "not_toml", "not TOML";
    NotUtf8: "not_utf8", "name that is not UTF-8";
    NothingToPack: "nothing_to_pack", "nothing to pack";
    NothingToPlay: "nothing_to_play", "nothing to play";
    OutputAmongSources: "output_among_sources", "the output folder is also the source folder";
    OutputIsInput: "output_is_input", "the output would overwrite an input";
    OutsidePage: "outside_page", "sprite outside its page";
    OutsideRoot: "outside_root", "path outside the root";
    OverLimit: "over_limit", "over a limit";
    PageCount: "page_count", "the page count cannot be met";
    PageTooLarge: "page_too_large", "page too large for memory";
    SeveralMatch: "several_match", "more than one sprite matches";
    SharedConstant: "shared_constant", "sprites that share a constant";
    SharedCutName: "shared_cut_name", "several sprites share a name";
    SharedOutput: "shared_output", "two outputs share a name";
    SharedSpriteName: "shared_sprite_name", "several files share a sprite name";
    SpriteTooLarge: "sprite_too_large", "sprites too large for any page";
    StillClip: "still_clip", "a clip that stands still";
    TurnedOffsetScale: "turned_offset_scale", "turned sprites have no offset and scale";
    UnexpectedArgument: "unexpected_argument", "unexpected argument";
    UnknownAtlas: "unknown_atlas", "unknown atlas";
    UnknownClip: "unknown_clip", "unknown clip";
    UnknownCommand: "unknown_command", "unknown command";
    UnknownKey: "unknown_key", "unknown key";
    UnknownName: "unknown_name", "unknown name";
    UnknownOption: "unknown_option", "unknown option";
    UnknownSprite: "unknown_sprite", "unknown sprite";
    UnknownStep: "unknown_step", "unknown step";
    UnplayableClip: "unplayable_clip", "unplayable clip";
    UnusableDescriptor: "unusable_descriptor", "unusable descriptor";
    UnusableImage: "unusable_image", "unusable image";
    UnusablePlacement: "unusable_placement", "unusable placement";
    UnusableTemplate: "unusable_template", "unusable template";
    WouldOverwrite: "would_overwrite", "a file would be overwritten";
    WrongEnding: "wrong_ending", "file name with another ending";
}

impl fmt::Display for ProblemKind {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.words())
    }
}
