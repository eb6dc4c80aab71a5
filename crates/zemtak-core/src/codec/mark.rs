//! The mark in pictures that this tool writes, by which it recognises them.
//!
//! In PNG a text chunk `Software` before the pixels (PNG 3rd edition, 11.3.3.3), in GIF a comment before the first
//! picture (GIF89a, 24), in KTX2 the value of `KTXwriter`. Other formats have no room for a mark that every reader
//! skips.

use super::format::KTX2_IDENTIFIER;

/// What a picture was made for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub enum Mark {
    /// A page of an atlas.
    Page,
    /// A drawn clip.
    Clip,
    /// A test pattern.
    Pattern,
    /// The chart of a rehearsal.
    Rehearsal,
    /// Sprites or pages drawn for people to look at.
    View,
}

/// The keyword of the text chunk.
pub(super) const KEYWORD: &str = "Software";

impl Mark {
    /// The text in the file.
    #[must_use]
    pub fn text(self) -> &'static str {
        match self {
            Self::Page => "Zemtak page",
            Self::Clip => "Zemtak clip",
            Self::Pattern => "Zemtak pattern",
            Self::Rehearsal => "Zemtak rehearsal",
            Self::View => "Zemtak view",
        }
    }

    /// The mark of a picture; the file's first 4 KiB suffice. `None` for a picture that this tool did not make.
    #[must_use]
    pub fn of(file: &[u8]) -> Option<Self> {
        let text = match file {
            _ if file.starts_with(PNG) => png_text(&file[PNG.len()..]),
            _ if file.starts_with(KTX2_IDENTIFIER) => ktx2_writer(file),
            _ => gif_comment(file),
        }?;
        let all = [Self::Page, Self::Clip, Self::Pattern, Self::Rehearsal, Self::View];
        all.into_iter().find(|mark| mark.text().as_bytes() == text)
    }

    /// Whether a picture with this mark is a result and never a sprite. A test pattern may well be packed.
    #[must_use]
    pub fn is_result(self) -> bool {
        self != Self::Pattern
    }

    /// The data of the text chunk.
    #[cfg(feature = "encode-png")]
    pub(super) fn chunk(self) -> Vec<u8> {
        [KEYWORD.as_bytes(), &[0], self.text().as_bytes()].concat()
    }
}

const PNG: &[u8] = b"\x89PNG\r\n\x1a\n";

/// The value of the key `KTXwriter`, without the zero at its end.
fn ktx2_writer(file: &[u8]) -> Option<&[u8]> {
    let word = |at: usize| Some(u32::from_le_bytes(*file.get(at..)?.first_chunk()?) as usize);
    // The header says where the list of keys and values begins, and its length.
    let (first, length) = (word(56)?, word(60)?);
    let mut list = file.get(first..)?.get(..length)?;
    while let Some((length, rest)) = list.split_first_chunk::<4>() {
        let length = u32::from_le_bytes(*length) as usize;
        if let Some(value) = rest.get(..length)?.strip_prefix(b"KTXwriter\0") {
            return value.strip_suffix(&[0]);
        }
        list = rest.get(length.next_multiple_of(4)..)?;
    }
    None
}

/// The text of the chunk `Software` before the first pixels.
fn png_text(mut rest: &[u8]) -> Option<&[u8]> {
    loop {
        let (length, after) = rest.split_first_chunk::<4>()?;
        let (kind, after) = after.split_first_chunk::<4>()?;
        if kind == b"IDAT" {
            return None;
        }
        let (data, after) = after.split_at_checked(u32::from_be_bytes(*length) as usize)?;
        let text = (kind == b"tEXt").then(|| data.strip_prefix(KEYWORD.as_bytes())?.strip_prefix(&[0])).flatten();
        if text.is_some() {
            return text;
        }
        rest = after.get(4..)?;
    }
}

/// The first comment of a GIF before its first picture.
fn gif_comment(file: &[u8]) -> Option<&[u8]> {
    if !file.starts_with(b"GIF8") {
        return None;
    }
    let packed = *file.get(10)?;
    // The lowest three bits are the palette's size.
    let palette = if packed & 0x80 == 0 { 0 } else { 3 << ((packed & 7) + 1) };
    let mut rest = file.get(13 + palette..)?;
    while let [0x21, label, after @ ..] = rest {
        let (length, after) = after.split_first()?;
        if *label == 0xfe {
            return after.get(..usize::from(*length));
        }
        // Skips this block's pieces, the last of which is empty.
        let mut piece = (usize::from(*length), after);
        while piece.0 > 0 {
            let (length, after) = piece.1.get(piece.0..)?.split_first()?;
            piece = (usize::from(*length), after);
        }
        rest = piece.1;
    }
    None
}
