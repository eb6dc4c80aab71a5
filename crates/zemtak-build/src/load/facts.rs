//! What is remembered about an image file, so that a build need not decode it again.

use crate::store::Hash;
use serde::{Deserialize, Serialize};
use zemtak_core::codec::Ignored;
use zemtak_core::geometry::Size;

/// What is known about a treated sprite without its pixels.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Facts {
    /// The source's size.
    pub source: Size,
    /// The canvas's size: the source's, scaled.
    pub canvas: Size,
    /// Where the stored pixels begin on the canvas.
    pub inset: [u32; 2],
    /// The size of the stored pixels.
    pub stored: Size,
    /// A hash of the stored pixels.
    pub hash: Hash,
    /// Whether no pixel is visible.
    pub empty: bool,
    /// How long the frame of an animated picture is shown.
    pub ms: Option<f64>,
}

/// Changes whenever the bytes do in which facts are remembered. They hold no names, so the order of fields and of kinds
/// counts.
pub(super) const FACTS_VERSION: u32 = 1;

/// What is known about an image file.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub(super) struct Known {
    /// Its frames; one for a still picture.
    pub frames: Vec<Facts>,
    /// What it contains that was ignored.
    pub ignored: Vec<Ignored>,
}

impl Known {
    /// The bytes to remember.
    pub fn to_bytes(&self) -> Option<Vec<u8>> {
        postcard::to_stdvec(self).ok()
    }

    /// What was remembered; `None` if that cannot be right.
    pub fn of_bytes(bytes: &[u8]) -> Option<Self> {
        postcard::from_bytes(bytes).ok().filter(|known: &Self| !known.frames.is_empty())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// If the bytes came to mean something else under the same version, builds would take sizes for other sizes.
    #[test]
    fn no_bytes_change_their_meaning_under_the_same_version() {
        let facts = Facts {
            source: Size::new(1, 2),
            canvas: Size::new(3, 4),
            inset: [5, 6],
            stored: Size::new(7, 8),
            hash: [9; 32],
            empty: true,
            ms: Some(1.5),
        };
        let ignored = [
            Ignored::ColourProfile,
            Ignored::Gamma,
            Ignored::Orientation,
            Ignored::Frames,
            Ignored::DamagedChunk,
            Ignored::CutEnd,
            Ignored::MorePixels,
        ];
        let known = Known { frames: vec![facts], ignored: ignored.to_vec() };
        let ms = [1, 0, 0, 0, 0, 0, 0, 0xf8, 0x3f];
        let expected = [&[1, 1, 2, 3, 4, 5, 6, 7, 8][..], &[9; 32], &[1], &ms, &[7, 0, 1, 2, 3, 4, 5, 6]].concat();
        assert_eq!((FACTS_VERSION, known.to_bytes()), (1, Some(expected.clone())));
        let back = Known::of_bytes(&expected).unwrap();
        assert!(back.frames == known.frames && back.ignored == known.ignored);
        assert!(Known::of_bytes(&[0, 0]).is_none(), "no frames");
    }
}
