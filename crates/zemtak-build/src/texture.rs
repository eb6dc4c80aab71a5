//! Pages as textures in KTX2: their mip levels, their pixel format, and what that loses.

use crate::settings::TextureSettings;
use crate::timings::{Stage, Timings};
use serde::{Deserialize, Serialize};
use zemtak_core::atlas::{Alpha, Colour, Filter, PixelKind};
use zemtak_core::codec::{EncodeError, Unproved, encode_ktx2};
use zemtak_core::geometry::Rect;
use zemtak_core::mips::{Light, smaller_levels};
use zemtak_core::pixels::{PIXEL, Pixels};
use zemtak_core::texture::{Loss, Texture, WorstBlock, compared, loss, unpack, worst_block};

/// What is recorded about a page in KTX2.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct DrawnTexture {
    /// How its pixels are stored.
    pub kind: PixelKind,
    /// How many mip levels it has, including the full size.
    pub mips: u32,
    /// What each of its boxes loses.
    pub losses: Vec<Loss>,
    /// The block that loses most.
    pub worst: Option<WorstBlock>,
}

/// A page to be turned into a texture.
#[derive(Debug, Clone, Copy)]
pub(crate) struct TexturePage<'a> {
    /// Its pixels.
    pub pixels: &'a Pixels,
    /// The boxes of its sprites.
    pub boxes: &'a [Rect],
    /// The meaning of its values, and how they will be sampled.
    pub alpha: Alpha,
    pub colour: Colour,
    pub filter: Filter,
    /// How many levels below the full size it gets.
    pub smaller: u32,
    /// How to store its pixels.
    pub settings: TextureSettings,
}

/// A texture of one level, what each box loses, and the block that loses most.
type Tried = (Texture, Vec<Loss>, Option<WorstBlock>);

impl TexturePage<'_> {
    /// The page's bytes, read back and compared, and what is recorded about them.
    pub fn encode(&self, timings: &Timings) -> Result<(Vec<u8>, DrawnTexture), EncodeError> {
        let (mut texture, losses, worst) = self.smallest(timings)?;
        let make = || smaller_levels(self.pixels, self.smaller, self.alpha, Light::of(self.colour));
        let smaller = timings.time(Stage::Compose, make);
        let bytes = timings.time(Stage::Encode, || {
            smaller.iter().try_for_each(|level| texture.add_level(level))?;
            // Made from sRGB values, and then marked as linear.
            texture.colour = if self.settings.unorm { Colour::Linear } else { self.colour };
            encode_ktx2(&texture, self.settings.supercompression())
        })?;
        let mips = u32::try_from(texture.levels.len()).unwrap_or(u32::MAX);
        Ok((bytes, DrawnTexture { kind: texture.kind, mips, losses, worst }))
    }

    /// The requested format, or the smallest one in which every box keeps what it must.
    fn smallest(&self, timings: &Timings) -> Result<Tried, EncodeError> {
        let TextureSettings { pixels, least_psnr, .. } = self.settings;
        let Some(least) = least_psnr.filter(|_| pixels.is_none()) else {
            return self.stored_as(pixels.unwrap_or(PixelKind::Rgba8), timings);
        };
        let small = self.one_bit_will_do().then_some(PixelKind::Bc1);
        for kind in small.into_iter().chain([PixelKind::Bc7, PixelKind::Bc3]) {
            let tried = self.stored_as(kind, timings)?;
            if tried.1.iter().all(|loss| loss.keeps(least)) {
                return Ok(tried);
            }
        }
        self.stored_as(PixelKind::Rgba8, timings)
    }

    fn stored_as(&self, kind: PixelKind, timings: &Timings) -> Result<Tried, EncodeError> {
        let pack = || Texture::new(self.pixels, &[], kind, (self.alpha, self.colour));
        let texture = timings.time(Stage::Encode, pack)?;
        if !kind.is_compressed() {
            let exact = |rect: &Rect| Loss { squares: 0, pixels: rect.size().area() };
            return Ok((texture, self.boxes.iter().map(exact).collect(), None));
        }
        let measure = || {
            let shown = unpack(&texture.levels[0], kind, self.pixels.size())?;
            let alpha = compared(self.alpha, self.colour);
            let of_box = |rect: &Rect| loss(self.pixels, &shown, alpha, *rect);
            Some((self.boxes.iter().map(of_box).collect(), worst_block(self.pixels, &shown, alpha)))
        };
        let (losses, worst) = timings.time(Stage::Prove, measure).ok_or(Unproved::Size)?;
        Ok((texture, losses, worst))
    }

    /// Whether alpha is either on or off, and losing the rest does no harm: BC1 stores black under transparent pixels,
    /// which a filter between pixels shows as a dark fringe unless colours are multiplied by alpha.
    fn one_bit_will_do(&self) -> bool {
        let mixes = self.filter == Filter::Linear && self.alpha == Alpha::Straight;
        let allowed = |pixel: &[u8; PIXEL]| pixel[3] == u8::MAX || (pixel[3] == 0 && !mixes);
        let in_box = |rect: &Rect| {
            (rect.y..rect.y + rect.h).all(|y| {
                let row = &self.pixels.row(y)[rect.x as usize * PIXEL..][..rect.w as usize * PIXEL];
                row.as_chunks::<PIXEL>().0.iter().all(allowed)
            })
        };
        self.boxes.iter().all(in_box)
    }
}
