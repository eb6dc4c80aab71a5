//! One image: its visible part, and what its file contains.

use super::finding::{FindingItem, FindingKind, Findings};
use crate::allowance::Allowance;
use crate::failure::Problem;
use crate::format;
use crate::load;
use crate::settings::AtlasSettings;
use crate::sources::{Source, frame_name};
use crate::store::{self, Hash};
use std::path::PathBuf;
use zemtak_core::codec::{Format, Frame, Ignored, PngKind};
use zemtak_core::geometry::{Rect, Size};
use zemtak_core::name::SpriteName;
use zemtak_core::pixels::Pixels;

/// By how many bands of rows the visible pixels of sprites are compared; see [`super::twins`].
pub(super) const BANDS: usize = 8;

/// Pixels with less alpha can hardly be seen.
const FAINT: u8 = 8;

/// The most visible pixels of a speck, and the least pixels of its canvas.
const SPECK: (u64, u64) = (4, 256);

/// A sprite, as a build with default settings would see it.
#[derive(Debug, Clone)]
#[non_exhaustive]
pub struct ScannedSprite {
    /// Its name.
    pub name: SpriteName,
    /// The path of its file below the root.
    pub file: String,
    /// The number of the frame in the file.
    pub frame: usize,
    /// The format, recognised by content.
    pub format: Format,
    /// How a PNG stores its samples.
    pub png: Option<PngKind>,
    /// The size of the canvas.
    pub canvas: Size,
    /// The visible box on it; `None` if nothing is visible.
    pub visible: Option<Rect>,
    /// Whether every pixel is opaque.
    pub opaque: bool,
    /// The clip of which it would be a step.
    pub sequence: Option<String>,
    /// The file, the way it would be typed.
    pub path: PathBuf,
    /// The hash of the visible pixels.
    pub(super) content: Hash,
    /// The hashes of bands of the visible pixels.
    pub(super) bands: [u64; BANDS],
    pub(super) most_alpha: u8,
    pub(super) hidden_colour: bool,
    ignored: Vec<Ignored>,
}

impl ScannedSprite {
    /// Its pixels, read again: keeping those of all sprites would take gigabytes. `None` if its file has changed
    /// meanwhile.
    #[must_use]
    pub fn pixels(&self, allowance: &Allowance) -> Option<Pixels> {
        let source =
            Source { name: self.name.clone(), path: self.path.clone(), shown: self.file.clone(), layers: Vec::new() };
        let (mut at, mut pixels) = (0, None);
        let mut take = |frame: Frame| {
            if at == self.frame {
                pixels = Some(frame.pixels);
            }
            at += 1;
        };
        load::decode_sprites(&source, allowance, &mut take).ok()??;
        pixels
    }
}

/// The result of looking at a file.
pub(super) enum Looked {
    /// A picture that a build or another command drew.
    Result,
    /// Not a usable image.
    Unusable(Problem),
    /// An image.
    Image { format: Format, sprites: Vec<ScannedSprite> },
}

pub(super) fn look(source: &Source, allowance: &Allowance) -> Looked {
    let mut sprites = Vec::new();
    let decoded = load::decode_sprites(source, allowance, &mut |frame| {
        let number = sprites.len();
        sprites.push(scanned(source, number, &frame.pixels));
    });
    let decoded = match decoded {
        Ok(Some(decoded)) => decoded,
        Ok(None) => return Looked::Result,
        Err(problem) => return Looked::Unusable(problem),
    };
    let animated = sprites.len() > 1;
    let (png, ignored) = (PngKind::of(&decoded.bytes), decoded.ignored.into_iter().collect::<Vec<_>>());
    for sprite in &mut sprites {
        (sprite.format, sprite.png) = (decoded.format, png);
        sprite.ignored.clone_from(&ignored);
        if animated {
            sprite.name = frame_name(&source.name, sprite.frame);
        }
    }
    Looked::Image { format: decoded.format, sprites }
}

/// What is known about a frame; what its file contains beside it is added once the file has been read completely.
fn scanned(source: &Source, frame: usize, pixels: &Pixels) -> ScannedSprite {
    let part = pixels.visible_part();
    let shown = part.as_ref().map(|(_, shown)| shown);
    let alphas = || pixels.as_bytes().chunks_exact(4).map(|pixel| pixel[3]);
    ScannedSprite {
        name: source.name.clone(),
        file: source.shown.clone(),
        frame,
        format: Format::Png,
        png: None,
        canvas: pixels.size(),
        visible: part.as_ref().map(|(part, _)| *part),
        opaque: alphas().all(|alpha| alpha == 255),
        sequence: None,
        path: source.path.clone(),
        content: store::hash(shown.map_or(&[], Pixels::as_bytes)),
        bands: shown.map_or([0; BANDS], bands),
        most_alpha: alphas().max().unwrap_or(0),
        hidden_colour: pixels.as_bytes().chunks_exact(4).any(|p| p[3] == 0 && p[..3] != [0; 3]),
        ignored: Vec::new(),
    }
}

/// The hash of each eighth of the rows; 0 if it has only one colour, which distinguishes nothing.
fn bands(pixels: &Pixels) -> [u64; BANDS] {
    let rows = pixels.size().h as usize;
    std::array::from_fn(|n| {
        let [from, to] = [n, n + 1].map(|n| u32::try_from(rows * n / BANDS).unwrap_or(0));
        let band = (from..to).flat_map(|y| pixels.row(y)).copied().collect::<Vec<u8>>();
        let plain = band.chunks_exact(4).all(|pixel| *pixel == band[..4]);
        let hash = store::hash(&band);
        if plain { 0 } else { u64::from_le_bytes(std::array::from_fn(|i| hash[i])) }
    })
}

/// Findings about single sprites and their files.
pub(super) fn find(sprites: &[ScannedSprite], settings: &AtlasSettings, findings: &mut Findings) {
    let most = settings.page.max;
    for sprite in sprites {
        let name = sprite.name.as_str();
        let mut tell = |kind, detail: Option<String>| {
            findings.add(kind, FindingItem { about: vec![name.to_owned()], detail });
        };
        match sprite.visible {
            None => tell(FindingKind::Empty, None),
            Some(part) => {
                let ring = 2 * settings.spacing.extrude;
                let ringed = Size::new(part.w + ring, part.h + ring);
                if !ringed.fits_in(most) {
                    tell(
                        FindingKind::TooLarge,
                        Some(format!("{}, with its ring {}; a page has {most}", part.size(), ringed)),
                    );
                }
                if part.size().area() <= SPECK.0 && sprite.canvas.area() >= SPECK.1 {
                    tell(FindingKind::Speck, Some(format!("{} on {}", part.size(), sprite.canvas)));
                } else if sprite.most_alpha < FAINT {
                    tell(FindingKind::Faint, Some(format!("alpha up to {} of 255", sprite.most_alpha)));
                }
            }
        }
        if sprite.hidden_colour {
            tell(FindingKind::HiddenColour, None);
        }
    }
    for sprite in sprites.iter().filter(|sprite| sprite.frame == 0) {
        of_file(sprite, findings);
    }
}

fn of_file(sprite: &ScannedSprite, findings: &mut Findings) {
    let file = format::path(&sprite.path);
    let extension = sprite.path.extension().and_then(|e| e.to_str()).and_then(Format::of_extension);
    if extension.is_some_and(|named| named != sprite.format) {
        findings.add(FindingKind::WrongExtension, FindingItem::with(&file, format!("is {}", sprite.format)));
    }
    if sprite.png.is_some_and(|png| png.bits == 16) {
        findings.add(FindingKind::SixteenBits, FindingItem::of(&file));
    }
    for ignored in &sprite.ignored {
        let kind = match ignored {
            Ignored::ColourProfile => FindingKind::ColourProfile,
            Ignored::Gamma => FindingKind::Gamma,
            Ignored::Orientation => FindingKind::Orientation,
            damage if damage.is_damage() => FindingKind::Damaged,
            _ => continue,
        };
        let item = if kind == FindingKind::Damaged {
            FindingItem::with(&file, format!("has {ignored}"))
        } else {
            FindingItem::of(&file)
        };
        findings.add(kind, item);
    }
}
