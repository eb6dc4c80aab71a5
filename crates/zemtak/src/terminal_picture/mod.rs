//! Pictures in a terminal: half blocks in 24-bit colour, or the graphics escape where the terminal supports it.

mod asked;

use crate::drawing::{scaled, zoom_to_fit};
use crate::palette::{Colour, NIGHT};
use anstream::ColorChoice;
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use std::fmt::Write as _;
use terminal_size::{Height, Width, terminal_size};
use zemtak_core::geometry::Size;
use zemtak_core::pixels::Pixels;

/// Columns and rows if standard output is not a terminal that reports its size.
const USUAL: [u32; 2] = [80, 24];

/// The background of half transparent pixels: a terminal's own background is not known.
const BEHIND: Colour = NIGHT;

/// Pixels with less alpha are not drawn.
const LEAST_ALPHA: u8 = 32;

/// Small pictures are enlarged up to this side if they are drawn in screen pixels.
const LARGE: u32 = 320;

/// The largest piece of the graphics escape in bytes of base 64.
const PIECE: usize = 4096;

/// How a terminal shows pictures.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Means {
    /// Two pixels per character.
    HalfBlocks,
    /// The graphics escape that carries pixels in base 64.
    Graphics,
    /// Not at all: colours are turned off, or the output is not a terminal.
    None,
}

impl Means {
    /// What standard output supports: the terminal is asked.
    #[must_use]
    pub fn of_stdout() -> Self {
        if anstream::AutoStream::choice(&std::io::stdout()) == ColorChoice::Never {
            return Self::None;
        }
        if asked::knows_graphics() { Self::Graphics } else { Self::HalfBlocks }
    }
}

/// A picture as text that draws it, with a newline at the end. If it cannot be drawn, a line says how it could.
#[must_use]
pub fn picture(pixels: &Pixels, means: Means) -> String {
    match means {
        Means::HalfBlocks => half_blocks(&fitting(pixels, [columns_and_rows()[0], u32::MAX])),
        Means::Graphics => {
            let shown = scaled(pixels, zoom_to_fit(pixels.size(), Size::new(LARGE, LARGE), 64.0).max(1.0));
            graphics(&shown, "") + "\n"
        }
        Means::None => "no picture without colour; --color always draws one all the same\n".into(),
    }
}

fn columns_and_rows() -> [u32; 2] {
    terminal_size().map_or(USUAL, |(Width(width), Height(height))| [width.into(), height.into()]).map(|n: u32| n.max(1))
}

/// A picture that takes no more than these columns and rows.
fn fitting(pixels: &Pixels, [columns, rows]: [u32; 2]) -> Pixels {
    let Size { w, h } = pixels.size();
    let across = f64::from(columns) / f64::from(w.max(1));
    let down = f64::from(rows.saturating_mul(2)) / f64::from(h.max(1));
    scaled(pixels, across.min(down).min(1.0))
}

/// A part of a terminal in which pictures follow each other in the same place.
#[derive(Debug, Clone, Copy)]
pub struct Screen {
    means: Means,
    size: [u32; 2],
}

impl Screen {
    /// The whole terminal of standard output except for the line of the cursor.
    #[must_use]
    pub fn new(means: Means) -> Self {
        let [columns, rows] = columns_and_rows();
        Self { means, size: [columns, rows.saturating_sub(1).max(1)] }
    }

    /// The rows that a picture takes.
    #[must_use]
    pub fn rows(self, picture: Size) -> u32 {
        let across = f64::from(self.size[0]) / f64::from(picture.w.max(1));
        let down = f64::from(self.size[1] * 2) / f64::from(picture.h.max(1));
        #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "a part of the height, above 0")]
        let height = (f64::from(picture.h) * across.min(down).min(1.0)).ceil() as u32;
        height.div_ceil(2).max(1)
    }

    /// Text that draws a picture from the cursor on, over the previous one.
    #[must_use]
    pub fn frame(self, picture: &Pixels) -> String {
        match self.means {
            // One image, drawn again each time, as many rows high as half blocks would be.
            Means::Graphics => {
                graphics(&fitting(picture, self.size), &format!("i=1,q=2,C=1,r={},", self.rows(picture.size())))
            }
            _ => half_blocks(&fitting(picture, self.size)).replace('\n', "\x1b[K\r\n"),
        }
    }
}

/// One character for each pair of pixels above each other.
fn half_blocks(pixels: &Pixels) -> String {
    let Size { w, h } = pixels.size();
    let seen = |x: u32, y: u32| pixels.get(x, y).filter(|pixel| pixel[3] >= LEAST_ALPHA).map(over_night);
    let mut out = String::new();
    for y in (0..h).step_by(2) {
        let mut line = String::new();
        for x in 0..w {
            match (seen(x, y), seen(x, y + 1)) {
                (None, None) => line.push(' '),
                (Some([r, g, b]), None) => _ = write!(line, "\x1b[38;2;{r};{g};{b}m▀\x1b[0m"),
                (None, Some([r, g, b])) => _ = write!(line, "\x1b[38;2;{r};{g};{b}m▄\x1b[0m"),
                (Some([r, g, b]), Some([s, h, c])) => {
                    _ = write!(line, "\x1b[38;2;{r};{g};{b};48;2;{s};{h};{c}m▀\x1b[0m");
                }
            }
        }
        let _ = writeln!(out, "{}", line.trim_end());
    }
    out
}

fn over_night([r, g, b, a]: [u8; 4]) -> [u8; 3] {
    let mixed = |above: u8, below: u8| {
        let sum = u32::from(above) * u32::from(a) + u32::from(below) * (255 - u32::from(a));
        u8::try_from((sum + 127) / 255).unwrap_or(u8::MAX)
    };
    [mixed(r, BEHIND[0]), mixed(g, BEHIND[1]), mixed(b, BEHIND[2])]
}

/// Raw pixels in base 64, piece by piece.
fn graphics(pixels: &Pixels, how: &str) -> String {
    let Size { w, h } = pixels.size();
    let text = STANDARD.encode(pixels.as_bytes());
    let pieces: Vec<&str> = text.as_bytes().chunks(PIECE).filter_map(|piece| std::str::from_utf8(piece).ok()).collect();
    let mut out = String::new();
    for (n, piece) in pieces.iter().enumerate() {
        let more = u8::from(n + 1 < pieces.len());
        let head = if n == 0 { format!("f=32,s={w},v={h},a=T,{how}m={more}") } else { format!("m={more}") };
        let _ = write!(out, "\x1b_G{head};{piece}\x1b\\");
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    fn two_by_three() -> Pixels {
        let pixels = [[255, 0, 0, 255], [0; 4], [0, 255, 0, 255], [1, 2, 3, 255], [0; 4], [9, 9, 9, 20]];
        Pixels::from_rgba(Size::new(2, 3), pixels.concat()).unwrap()
    }

    #[test]
    fn a_character_shows_two_pixels_and_nothing_where_nothing_is_visible() {
        let expected = "\x1b[38;2;255;0;0;48;2;0;255;0m▀\x1b[0m\x1b[38;2;1;2;3m▄\x1b[0m\n\n";
        assert_eq!(half_blocks(&two_by_three()), expected);
        assert_eq!(over_night([255, 255, 255, 0]), BEHIND);
        let wide = Pixels::transparent(Size::new(200, 50)).unwrap();
        assert_eq!(fitting(&wide, [80, 24]).size(), Size::new(80, 20));
    }

    #[test]
    fn the_graphics_escape_carries_every_pixel_enlarged() {
        let text = picture(&two_by_three(), Means::Graphics);
        let pieces: Vec<&str> = text.trim_end().split("\x1b\\").filter(|piece| !piece.is_empty()).collect();
        assert!(pieces[0].starts_with("\x1b_Gf=32,s=128,v=192,a=T,m=1;"), "{}", &pieces[0][..40]);
        assert!(pieces.last().unwrap().starts_with("\x1b_Gm=0;"));
        let data: String = pieces.iter().map(|piece| piece.split_once(';').unwrap().1).collect();
        let bytes = STANDARD.decode(data).unwrap();
        assert_eq!(bytes.len(), 128 * 192 * 4);
        assert_eq!((&bytes[..4], &bytes[bytes.len() - 4..]), (&[255, 0, 0, 255][..], &[9, 9, 9, 20][..]));
    }
}
