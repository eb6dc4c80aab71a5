//! The formats in which pages are written: one line each, for the project file, the command line, file names and
//! encoders.

use super::Keyword;
use serde::Serialize;
use zemtak_core::codec::{EncodeError, Encoded, Mark, PngEffort, encoded_png, encoded_qoi, encoded_webp};
use zemtak_core::pixels::Pixels;

macro_rules! page_formats {
    ($($(#[$default:ident])? $name:ident: $word:literal, $about:literal, files $extension:literal, by $encode:expr;)+) => {
        /// The format of page files.
        #[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize)]
        #[non_exhaustive]
        pub enum PageFormat {
            $(#[doc = concat!("`", $word, "`: ", $about, ".")] $(#[$default])? $name),+
        }

        impl Keyword for PageFormat {
            const ALL: &'static [(&'static str, &'static str, Self)] = &[$(($word, $about, Self::$name)),+];
        }

        impl PageFormat {
            /// The file extension.
            #[must_use]
            pub fn extension(self) -> &'static str {
                match self {
                    $(Self::$name => $extension),+
                }
            }

            /// A page encoded, with its bytes not yet proved. `None` if it is a texture with levels.
            pub(crate) fn encode(self, pixels: &Pixels, effort: PngEffort) -> Option<Result<Encoded<'_>, EncodeError>> {
                let encode: Option<fn(&Pixels, PngEffort) -> Result<Encoded<'_>, EncodeError>> = match self {
                    $(Self::$name => $encode),+
                };
                encode.map(|encode| encode(pixels, effort))
            }
        }
    };
}

page_formats! {
    #[default]
    Png: "png", "PNG, read by everything", files "png", by Some(|pixels, effort| encoded_png(pixels, effort, Some(Mark::Page)));
    Qoi: "qoi", "QOI, quick to read", files "qoi", by Some(|pixels, _| encoded_qoi(pixels));
    WebP: "webp", "Lossless WebP", files "webp", by Some(|pixels, _| encoded_webp(pixels));
    Raw: "raw", "Rows of 8-bit RGBA, no header", files "rgba", by Some(|pixels, _| Ok(Encoded::raw(pixels)));
    Ktx2: "ktx2", "KTX2 with mip levels, in compressed blocks where asked", files "ktx2", by None;
}
