//! The values of keys that have a few fixed ones: each with its word and its meaning, in one place for the project file
//! and the command line.

use super::LayerKind;
use serde::Serialize;
use zemtak_core::atlas::{Alpha, Filter, Mode, PixelKind, Wrap};
use zemtak_core::codec::{Bits, Channels, PngEffort};
use zemtak_core::layout::{Arrangement, Effort, Prefer, Shape};
use zemtak_core::resample::Resample;

/// A key's value that is one of a few words.
pub trait Keyword: Copy + PartialEq + Send + Sync + 'static {
    /// All of them: word, meaning, value.
    const ALL: &'static [(&'static str, &'static str, Self)];

    /// The value for a word.
    fn of(word: &str) -> Option<Self> {
        Self::ALL.iter().find(|(w, ..)| *w == word).map(|(.., value)| *value)
    }

    /// The word for a value.
    fn word(self) -> &'static str {
        Self::ALL.iter().find(|(.., value)| *value == self).map_or("", |(word, ..)| word)
    }
}

/// How page files are named.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize)]
#[non_exhaustive]
pub enum PageNames {
    /// `night-0.png`, overwritten in place.
    #[default]
    Plain,
    /// `night-0.1f6c2a9b03d4e5f6.png`, with a part of the content's hash.
    Hashed,
}

/// What must share a page.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize)]
pub enum Together {
    /// Nothing.
    #[default]
    None,
    /// All steps of a clip.
    Clip,
}

macro_rules! keywords {
    ($($type:ty { $($word:literal, $about:literal => $value:expr;)+ })+) => {
        $(impl Keyword for $type {
            const ALL: &'static [(&'static str, &'static str, Self)] = &[$(($word, $about, $value)),+];
        })+
    };
}

keywords! {
    Arrangement {
        "dense", "As small as can be, in any order" => Self::Dense;
        "grid", "Equal cells the size of the largest canvas, row by row, in the order of names" => Self::Grid;
        "row", "Such cells in one row; the page's aspect does not apply" => Self::Row;
        "column", "Such cells in one column; the page's aspect does not apply" => Self::Column;
    }
    Effort {
        "quick", "" => Self::Quick;
        "normal", "" => Self::Normal;
        "high", "" => Self::High;
    }
    Together {
        "none", "Anything goes anywhere" => Self::None;
        "clip", "All steps of a clip go on one page" => Self::Clip;
    }
    Shape {
        "free", "Any whole sides" => Self::Free;
        "pow2", "Sides that are powers of two" => Self::Pow2;
        "square", "Equal sides" => Self::Square;
        "pow2-square", "Equal sides that are powers of two" => Self::Pow2Square;
    }
    Prefer {
        "pages", "Fewest pages, then fewest bytes" => Self::Pages;
        "bytes", "One page more where that saves a tenth of the bytes" => Self::Bytes;
    }
    PngEffort {
        "fast", "" => Self::Fast;
        "balanced", "" => Self::Balanced;
        "small", "" => Self::Small;
    }
    PageNames {
        "plain", "night-0.png, written over in place" => Self::Plain;
        "hashed", "night-0.1f6c2a9b03d4e5f6.png, named by content" => Self::Hashed;
    }
    Channels {
        "rgba", "" => Self::Rgba;
        "bgra", "" => Self::Bgra;
        "argb", "" => Self::Argb;
        "abgr", "" => Self::Abgr;
    }
    Bits {
        "8", "Eight each" => Self::Eight;
        "565", "Five, six and five, without alpha" => Self::FiveSixFive;
        "4444", "Four each" => Self::Four;
    }
    PixelKind {
        "rgba8", "Each pixel by itself, nothing lost: 4 bytes a pixel" => Self::Rgba8;
        "bc1", "Half a byte a pixel; alpha is there or not" => Self::Bc1;
        "bc3", "A byte a pixel; alpha apart from colour" => Self::Bc3;
        "bc7", "A byte a pixel, and the least lost" => Self::Bc7;
    }
    LayerKind {
        "data", "Any numbers" => Self::Data;
        "normals", "Normals, green up" => Self::Normals;
        "normals-y-down", "Normals, green down" => Self::NormalsYDown;
    }
    Alpha {
        "straight", "Colour as drawn" => Self::Straight;
        "premultiplied", "Colour multiplied by alpha" => Self::Premultiplied;
    }
    Filter {
        "nearest", "Sharp pixels" => Self::Nearest;
        "linear", "Smooth" => Self::Linear;
    }
    Wrap {
        "clamp", "" => Self::Clamp;
        "repeat", "" => Self::Repeat;
        "mirror", "" => Self::Mirror;
    }
    Mode {
        "loop", "" => Self::Loop;
        "once", "" => Self::Once;
        "bounce", "" => Self::Bounce;
    }
    Resample {
        "smooth", "For smooth art: filtered in linear light" => Self::Smooth;
        "pixel", "For pixel art: exact at whole factors" => Self::Pixel;
    }
}
