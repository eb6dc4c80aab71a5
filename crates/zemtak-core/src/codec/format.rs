//! Recognising image formats by content.

use std::fmt;

/// The first bytes of every KTX2.
pub(super) const KTX2_IDENTIFIER: &[u8] = b"\xabKTX 20\xbb\r\n\x1a\n";

/// An image format that sprites may come in.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
#[non_exhaustive]
pub enum Format {
    /// Portable Network Graphics, including APNG.
    Png,
    /// JPEG.
    Jpeg,
    /// WebP.
    WebP,
    /// Windows bitmap.
    Bmp,
    /// Truevision TGA; it has no signature.
    Tga,
    /// Quite OK Image.
    Qoi,
    /// GIF.
    Gif,
    /// KTX2, a container of textures: pages may use it, sprites do not.
    Ktx2,
}

impl Format {
    /// How many bytes [`Format::of`] needs.
    pub const SIGNATURE_BYTES: usize = 18;

    /// The format of a file that begins with `bytes`: by signature or, if `extension` is "tga", by a plausible header.
    #[must_use]
    pub fn of(bytes: &[u8], extension: Option<&str>) -> Option<Self> {
        match bytes {
            [0x89, b'P', b'N', b'G', 0x0d, 0x0a, 0x1a, 0x0a, ..] => Some(Self::Png),
            [0xff, 0xd8, 0xff, ..] => Some(Self::Jpeg),
            [b'R', b'I', b'F', b'F', _, _, _, _, b'W', b'E', b'B', b'P', ..] => Some(Self::WebP),
            [b'B', b'M', ..] if plausible_bmp(bytes) => Some(Self::Bmp),
            [b'q', b'o', b'i', b'f', ..] => Some(Self::Qoi),
            _ if bytes.starts_with(KTX2_IDENTIFIER) => Some(Self::Ktx2),
            [b'G', b'I', b'F', b'8', b'7' | b'9', b'a', ..] => Some(Self::Gif),
            _ if extension.and_then(Self::of_extension) == Some(Self::Tga) && plausible_tga(bytes) => Some(Self::Tga),
            _ => None,
        }
    }

    /// The format that a file extension promises (without the dot, in any case).
    #[must_use]
    pub fn of_extension(extension: &str) -> Option<Self> {
        Some(match extension.to_ascii_lowercase().as_str() {
            "png" | "apng" => Self::Png,
            "jpg" | "jpeg" | "jpe" | "jfif" => Self::Jpeg,
            "webp" => Self::WebP,
            "bmp" | "dib" => Self::Bmp,
            "tga" | "icb" | "vda" | "vst" => Self::Tga,
            "qoi" => Self::Qoi,
            "gif" => Self::Gif,
            _ => return None,
        })
    }

    /// The part after `decode-` in the name of the Cargo feature that reads it.
    pub(super) const fn feature(self) -> &'static str {
        match self {
            Self::Png => "png",
            Self::Jpeg => "jpeg",
            Self::WebP => "webp",
            Self::Bmp => "bmp",
            Self::Tga => "tga",
            Self::Qoi => "qoi",
            Self::Gif => "gif",
            Self::Ktx2 => "ktx2",
        }
    }

    /// Its usual short name: `PNG`.
    #[must_use]
    pub const fn as_str(self) -> &'static str {
        match self {
            Self::Png => "PNG",
            Self::Jpeg => "JPEG",
            Self::WebP => "WebP",
            Self::Bmp => "BMP",
            Self::Tga => "TGA",
            Self::Qoi => "QOI",
            Self::Gif => "GIF",
            Self::Ktx2 => "KTX2",
        }
    }
}

impl fmt::Display for Format {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.as_str())
    }
}

/// Two letters are a weak signature; the offset of the pixels and the size of the second header must fit too.
fn plausible_bmp(bytes: &[u8]) -> bool {
    let word = |at: usize| bytes.get(at..at + 4).map(|b| u32::from_le_bytes([b[0], b[1], b[2], b[3]]));
    match (word(10), word(14)) {
        (Some(pixels), Some(header)) => pixels >= 14 && (12..=256).contains(&header),
        _ => false,
    }
}

/// Colour map, image type, size and depth must be what the format allows.
fn plausible_tga(bytes: &[u8]) -> bool {
    let Some(header) = bytes.get(..18) else {
        return false;
    };
    let (map, kind, depth) = (header[1], header[2], header[16]);
    let sides = (u16::from_le_bytes([header[12], header[13]]), u16::from_le_bytes([header[14], header[15]]));
    let kind_fits = match kind {
        1 | 9 => map == 1,
        2 | 3 | 10 | 11 => map <= 1,
        _ => false,
    };
    kind_fits && matches!(depth, 8 | 15 | 16 | 24 | 32) && sides.0 > 0 && sides.1 > 0
}
