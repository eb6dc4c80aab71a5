//! What a file contains beside its pixels, and decoding ignores.

use serde::{Deserialize, Serialize};
#[cfg(feature = "decode-png")]
use std::collections::BTreeSet;
use std::fmt;

/// Something in an image file that does not affect the pixels taken from it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
#[non_exhaustive]
pub enum Ignored {
    /// An ICC profile or a coded colour space.
    ColourProfile,
    /// A gamma value (`gAMA`) or primaries (`cHRM`).
    Gamma,
    /// An orientation other than upright.
    Orientation,
    /// Further frames: only the first picture is taken.
    Frames,
    /// A chunk other than pixels with a wrong checksum. A strict reader would refuse the file, the common ones show it.
    DamagedChunk,
    /// Compressed pixels that lack their end or its checksum, although all pixels are there.
    CutEnd,
    /// Pixels after the last row.
    MorePixels,
}

impl Ignored {
    /// Its name for lists: "colour profile".
    #[must_use]
    pub const fn as_str(self) -> &'static str {
        match self {
            Self::ColourProfile => "colour profile",
            Self::Gamma => "gamma",
            Self::Orientation => "orientation",
            Self::Frames => "frames after the first",
            Self::DamagedChunk => "a chunk whose checksum is wrong",
            Self::CutEnd => "compressed pixels without their end",
            Self::MorePixels => "pixels after the last row",
        }
    }

    /// Whether it shows that the file is damaged, although its pixels are not.
    #[must_use]
    pub const fn is_damage(self) -> bool {
        matches!(self, Self::DamagedChunk | Self::CutEnd | Self::MorePixels)
    }
}

impl fmt::Display for Ignored {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.as_str())
    }
}

/// The chunks of a PNG: the type of each, as much of its data as there is, and everything from its length on. Nothing
/// follows the chunk that marks the end.
#[cfg(feature = "decode-png")]
fn chunks(bytes: &[u8]) -> impl Iterator<Item = ([u8; 4], &[u8], &[u8])> {
    let mut rest = bytes.get(8..).unwrap_or_default();
    std::iter::from_fn(move || {
        let chunk = rest;
        let [a, b, c, d, t0, t1, t2, t3, after @ ..] = chunk else { return None };
        let length = u32::from_be_bytes([*a, *b, *c, *d]) as usize;
        let kind = [*t0, *t1, *t2, *t3];
        let data = after.get(..length).unwrap_or_default();
        rest = if &kind == b"IEND" { &[] } else { after.get(length.saturating_add(4)..).unwrap_or_default() };
        Some((kind, data, chunk))
    })
}

/// Whether a PNG declares itself an animation. One without frames is not.
#[cfg(feature = "decode-apng")]
pub(super) fn is_animated(bytes: &[u8]) -> bool {
    let announces =
        |kind: &[u8; 4], data: &[u8]| kind == b"acTL" && data.get(..4).is_some_and(|frames| frames != [0; 4]);
    chunks(bytes).take_while(|(kind, ..)| kind != b"IDAT").any(|(kind, data, _)| announces(&kind, data))
}

/// What a PNG contains of it, by the types of its chunks (length, type, data, checksum) before the first pixels: the
/// decoder would have to inflate a profile to report it. The decoder checks the checksums of the chunks that it needs;
/// here the others are checked.
#[cfg(feature = "decode-png")]
pub(super) fn of_png(bytes: &[u8]) -> BTreeSet<Ignored> {
    let mut found = BTreeSet::new();
    let mut before_pixels = true;
    for (kind, data, chunk) in chunks(bytes) {
        if !has_checksum(&kind, chunk) {
            found.insert(Ignored::DamagedChunk);
        }
        match &kind {
            b"IDAT" => before_pixels = false,
            _ if !before_pixels => {}
            b"iCCP" | b"cICP" => found.extend([Ignored::ColourProfile]),
            b"gAMA" | b"cHRM" => found.extend([Ignored::Gamma]),
            b"eXIf" if turned_by_exif(data) => found.extend([Ignored::Orientation]),
            b"acTL" if data.get(..4).is_some_and(|n| n > [0, 0, 0, 1].as_slice()) => found.extend([Ignored::Frames]),
            _ => {}
        }
    }
    found
}

/// Whether a chunk has the CRC of its type and data. The decoder itself checks chunks of pixels.
#[cfg(feature = "decode-png")]
fn has_checksum(kind: &[u8; 4], chunk: &[u8]) -> bool {
    if matches!(kind, b"IDAT" | b"fdAT") {
        return true;
    }
    let length = chunk.first_chunk().map_or(0, |length| u32::from_be_bytes(*length) as usize);
    let Some((covered, rest)) = chunk.get(4..).and_then(|chunk| chunk.split_at_checked(length.saturating_add(4)))
    else {
        return false;
    };
    rest.first_chunk().is_some_and(|sum| u32::from_be_bytes(*sum) == crc32fast::hash(covered))
}

/// Whether an Exif block (a TIFF header and its first directory) declares that the picture is not upright (tag 274).
#[cfg(any(feature = "decode-png", feature = "decode-jpeg", feature = "decode-webp"))]
pub(super) fn turned_by_exif(exif: &[u8]) -> bool {
    let big = match exif {
        [b'M', b'M', ..] => true,
        [b'I', b'I', ..] => false,
        _ => return false,
    };
    let short = |at: usize| {
        let b = exif.get(at..at.checked_add(2)?)?;
        Some(if big { u16::from_be_bytes([b[0], b[1]]) } else { u16::from_le_bytes([b[0], b[1]]) })
    };
    let long = |at: usize| {
        let (first, second) = (u32::from(short(at)?), u32::from(short(at + 2)?));
        Some(if big { first << 16 | second } else { second << 16 | first })
    };
    let orientation = || {
        let directory = long(4)? as usize;
        let entries = usize::from(short(directory)?);
        (0..entries).map(|i| directory + 2 + i * 12).find(|&at| short(at) == Some(274)).and_then(|at| short(at + 8))
    };
    orientation().is_some_and(|o| (2..=8).contains(&o))
}

/// How a PNG stores its pixels.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub struct PngKind {
    /// Bits of a sample: 1, 2, 4, 8 or 16.
    pub bits: u8,
    /// What samples mean.
    pub colour: PngColour,
    /// Whether rows are interlaced.
    pub interlaced: bool,
}

/// What the samples of a PNG mean.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum PngColour {
    /// Grey.
    Grey,
    /// Red, green, blue.
    Rgb,
    /// Indices into a palette.
    Palette,
    /// Grey and alpha.
    GreyAlpha,
    /// Red, green, blue, alpha.
    Rgba,
}

impl PngColour {
    /// Its name in words.
    #[must_use]
    pub const fn as_str(self) -> &'static str {
        match self {
            Self::Grey => "grey",
            Self::Rgb => "RGB",
            Self::Palette => "palette",
            Self::GreyAlpha => "grey and alpha",
            Self::Rgba => "RGBA",
        }
    }
}

impl PngKind {
    /// The header of a PNG; `None` if it is not a PNG.
    #[must_use]
    pub fn of(bytes: &[u8]) -> Option<Self> {
        // The signature, then the first chunk: length, type, width, height.
        let header = bytes.strip_prefix(b"\x89PNG\r\n\x1a\n\0\0\0\rIHDR")?;
        let [bits, colour, _, _, interlaced] = header.get(8..13)? else { return None };
        let colour = match colour {
            0 => PngColour::Grey,
            2 => PngColour::Rgb,
            3 => PngColour::Palette,
            4 => PngColour::GreyAlpha,
            6 => PngColour::Rgba,
            _ => return None,
        };
        Some(Self { bits: *bits, colour, interlaced: *interlaced == 1 })
    }
}
