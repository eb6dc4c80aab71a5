//! PNG in every form against an independent decoder.

#![allow(
    missing_docs,
    clippy::unwrap_used,
    clippy::panic,
    clippy::cast_possible_truncation,
    clippy::cast_sign_loss,
    reason = "a test may fail loudly, and its numbers are small"
)]

use flate2::write::ZlibEncoder;
use png::{BitDepth, ColorType};
use proptest::prelude::*;
use std::io::Write;
use zemtak_core::codec::{
    Band, Limits, PngEffort, Unproved, decode, encode_png, encode_png_band, join_png_bands, png_bands,
    prove_joined_png, prove_png, prove_png_band, to_8_bit,
};
use zemtak_core::geometry::Size;
use zemtak_core::pixels::Pixels;

/// The passes of Adam7: first column and row, steps between columns and rows.
const ADAM7: [(usize, usize, usize, usize); 7] =
    [(0, 0, 8, 8), (4, 0, 8, 8), (0, 4, 4, 8), (2, 0, 4, 4), (0, 2, 2, 4), (1, 0, 2, 2), (0, 1, 1, 2)];

/// Samples of a picture, `channels` a pixel, and how its header is to be.
struct Raw {
    size: Size,
    color: ColorType,
    depth: BitDepth,
    samples: Vec<u16>,
}

impl Raw {
    fn channels(&self) -> usize {
        self.color.samples()
    }

    /// One row of samples packed as the format packs them, with filter byte 0.
    fn packed(&self, row: &[u16]) -> Vec<u8> {
        let mut out = vec![0];
        let bits = self.depth as usize;
        match bits {
            16 => out.extend(row.iter().flat_map(|v| v.to_be_bytes())),
            8 => out.extend(row.iter().map(|&v| v as u8)),
            _ => out.extend(row.chunks(8 / bits).map(|chunk| {
                let filled = chunk.iter().fold(0, |byte, &v| (byte << bits) | v as u8);
                filled << (bits * (8 / bits - chunk.len()))
            })),
        }
        out
    }

    fn scanlines(&self, interlaced: bool) -> Vec<u8> {
        let (w, h, channels) = (self.size.w as usize, self.size.h as usize, self.channels());
        let passes: &[_] = if interlaced { &ADAM7 } else { &[(0, 0, 1, 1)] };
        let mut out = Vec::new();
        for &(x0, y0, dx, dy) in passes.iter().filter(|p| p.0 < w) {
            for y in (y0..h).step_by(dy) {
                let pixel = |x: usize| &self.samples[(y * w + x) * channels..][..channels];
                let row: Vec<u16> = (x0..w).step_by(dx).flat_map(pixel).copied().collect();
                out.extend(self.packed(&row));
            }
        }
        out
    }

    /// The file, chunk by chunk, so that nothing depends on what an encoder supports.
    fn file(&self, interlaced: bool, palette: Option<&[u8]>, transparent: Option<&[u8]>) -> Vec<u8> {
        let mut out = b"\x89PNG\r\n\x1a\n".to_vec();
        let mut header = [self.size.w.to_be_bytes(), self.size.h.to_be_bytes()].concat();
        header.extend([self.depth as u8, self.color as u8, 0, 0, u8::from(interlaced)]);
        chunk(&mut out, b"IHDR", &header);
        chunk(&mut out, b"gAMA", &100_000u32.to_be_bytes());
        palette.into_iter().for_each(|p| chunk(&mut out, b"PLTE", p));
        transparent.into_iter().for_each(|t| chunk(&mut out, b"tRNS", t));
        let mut zlib = ZlibEncoder::new(Vec::new(), flate2::Compression::fast());
        zlib.write_all(&self.scanlines(interlaced)).unwrap();
        chunk(&mut out, b"IDAT", &zlib.finish().unwrap());
        chunk(&mut out, b"IEND", &[]);
        out
    }
}

fn chunk(out: &mut Vec<u8>, kind: &[u8; 4], data: &[u8]) {
    out.extend((data.len() as u32).to_be_bytes());
    out.extend(kind);
    out.extend(data);
    let mut crc = flate2::Crc::new();
    crc.update(kind);
    crc.update(data);
    out.extend(crc.sum().to_be_bytes());
}

/// What the independent decoder makes of it; of 16 bits the samples as they are, so that rounding stays ours.
fn independent(file: &[u8], depth: BitDepth) -> Vec<u8> {
    if depth != BitDepth::Sixteen {
        let decoded = lodepng::decode32(file).unwrap();
        return decoded.buffer.iter().flat_map(|p| [p.r, p.g, p.b, p.a]).collect();
    }
    let decoded = lodepng::decode_memory(file, lodepng::ColorType::RGBA, 16).unwrap();
    let lodepng::Image::RGBA16(bitmap) = decoded else { panic!("asked for RGBA16") };
    let wide = bitmap.buffer.iter().flat_map(|p| [p.r, p.g, p.b, p.a]);
    wide.map(|v| to_8_bit(u16::from_be(v))).collect()
}

fn kinds() -> Vec<(ColorType, BitDepth)> {
    use BitDepth::{Eight, Four, One, Sixteen, Two};
    let grey = [One, Two, Four, Eight, Sixteen].map(|d| (ColorType::Grayscale, d));
    let palette = [One, Two, Four, Eight].map(|d| (ColorType::Indexed, d));
    let wide = [ColorType::Rgb, ColorType::GrayscaleAlpha, ColorType::Rgba];
    let wide = wide.into_iter().flat_map(|c| [(c, Eight), (c, Sixteen)]);
    grey.into_iter().chain(palette).chain(wide).collect()
}

#[test]
fn every_colour_type_depth_and_interlacing_with_and_without_transparency() {
    let mut seed = 1u64;
    let mut random = || {
        seed = seed.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1);
        (seed >> 40) as u16
    };
    let palette: Vec<u8> = (0..768).map(|_| random() as u8).collect();
    for (color, depth) in kinds() {
        let bits = depth as u32;
        for (w, h) in [(1, 1), (9, 5), (3, 17), (32, 8)] {
            let count = (w * h) as usize * color.samples();
            let samples: Vec<u16> = (0..count).map(|_| (u32::from(random()) % (1 << bits)) as u16).collect();
            let raw = Raw { size: Size::new(w, h), color, depth, samples };
            // The colour of the first pixel is the transparent one; of a palette every entry has its own alpha.
            let key: Option<Vec<u8>> = match color {
                ColorType::Grayscale | ColorType::Rgb => {
                    Some(raw.samples[..color.samples()].iter().flat_map(|v| v.to_be_bytes()).collect())
                }
                ColorType::Indexed => Some((0..1 << bits).map(|i| (i * 37) as u8).collect()),
                _ => None,
            };
            let palette = (color == ColorType::Indexed).then(|| &palette[..3 << bits]);
            for interlaced in [false, true] {
                for transparent in [None, key.as_deref()] {
                    let file = raw.file(interlaced, palette, transparent);
                    let ours = decode(&file, None, &Limits::default()).unwrap();
                    let what = format!("{color:?} {depth:?} {w}x{h} {interlaced} {transparent:?}");
                    assert_eq!(ours.pixels.size(), raw.size, "{what}");
                    assert_eq!(ours.pixels.as_bytes(), independent(&file, depth), "{what}");
                    assert_eq!(ours.ignored.len(), 1, "{what}: gamma");
                }
            }
        }
    }
}

/// Readers do not agree on what such a pixel shows: the library made it black.
#[test]
fn a_pixel_of_a_colour_that_the_palette_lacks_is_an_error() {
    for (depth, most) in [(BitDepth::One, 1), (BitDepth::Two, 3), (BitDepth::Four, 15), (BitDepth::Eight, 255)] {
        let samples = vec![0, 1, most, 0, 0, 0];
        let raw = Raw { size: Size::new(3, 2), color: ColorType::Indexed, depth, samples };
        let file = |colours: u16| raw.file(false, Some(&[7, 8, 9].repeat(colours.into())), None);
        assert!(decode(&file(most + 1), None, &Limits::default()).is_ok(), "{depth:?}");
        let why = decode(&file(most), None, &Limits::default()).unwrap_err().to_string();
        assert!(why.contains(&format!("colour {most}, counted from 0, of a palette with {most}")), "{why}");
    }
}

/// What an independent decoder makes of a file that we wrote.
fn read_back(file: &[u8]) -> Vec<u8> {
    seen(file).unwrap()
}

fn seen(file: &[u8]) -> Option<Vec<u8>> {
    Some(lodepng::decode32(file).ok()?.buffer.iter().flat_map(|p| [p.r, p.g, p.b, p.a]).collect())
}

/// Pixels of which `noise` hundredths are noise, in runs, and the others flat colour.
fn noisy(size: Size, noise: u64, seed: u64) -> Pixels {
    let mut state = seed | 1;
    let mut random = || {
        state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1);
        state >> 33
    };
    let mut data = Vec::with_capacity(size.area() as usize * 4);
    while data.len() < size.area() as usize * 4 {
        let (run, noise) = (random() % 200 + 1, random() % 100 < noise);
        let colour = [random() as u8, 20, 40, 255];
        (0..run).for_each(|_| data.extend(if noise { (random() as u32).to_le_bytes() } else { colour }));
    }
    data.truncate(size.area() as usize * 4);
    Pixels::from_rgba(size, data).unwrap()
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 32, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn what_we_write_an_independent_decoder_reads(
        w in prop_oneof![1u32..40, 900u32..1100], h in 1u32..600, noise in 0u64..=100, seed: u64,
        effort in prop_oneof![2 => Just(PngEffort::Fast), 8 => Just(PngEffort::Balanced), 1 => Just(PngEffort::Small)],
    ) {
        let picture = noisy(Size::new(w, h), noise, seed);
        prop_assert_eq!(&read_back(&encode_png(&picture, effort).unwrap()), picture.as_bytes());
    }
}

/// Pages that deflate to anything from nothing to all of what went in, of every width from 1, from one row to many bands.
#[test]
fn every_page_between_flat_and_noise_can_be_read() {
    for noise in 0..=100 {
        let picture = noisy(Size::new(512, 260), noise, noise * 7919);
        assert_eq!(read_back(&encode_png(&picture, PngEffort::Balanced).unwrap()), picture.as_bytes(), "{noise}");
    }
    for w in 1..=70 {
        for effort in [PngEffort::Fast, PngEffort::Balanced, PngEffort::Small] {
            let picture = noisy(Size::new(w, 1 + w % 3), 40, u64::from(w));
            assert_eq!(read_back(&encode_png(&picture, effort).unwrap()), picture.as_bytes(), "{w} {effort:?}");
        }
    }
}

/// One page in fifteen of real art was no valid PNG, and made-up sprites never were. A band of a megabyte lost its end where
/// its output buffer, of a third of that at first, filled up with the last block of the stream: the next call handed out what
/// was left of that block and no more, and that was taken for the end. Zeros and then so many pixels of noise come to this.
#[test]
fn a_band_that_fills_its_buffer_with_its_last_block_keeps_its_end() {
    let (w, h) = (512, 512);
    for noise in [92_040, 92_080, 92_120] {
        let mut state = 9u64;
        let mut random = || {
            state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1);
            (state >> 56) as u8
        };
        let mut data = vec![0; w * (h + 1) * 4];
        data[(w * h - noise) * 4..w * h * 4].fill_with(&mut random);
        let picture = Pixels::from_rgba(Size::new(w as u32, h as u32 + 1), data).unwrap();
        assert_eq!(read_back(&encode_png(&picture, PngEffort::Balanced).unwrap()), picture.as_bytes(), "{noise}");
    }
}

/// A proof that nothing could fail would be none: every byte of a band is bent in turn, and none of what comes out is proved
/// unless another decoder sees the same picture in it (a few bits between blocks mean nothing).
#[test]
fn a_bent_band_is_not_proved() {
    let picture = noisy(Size::new(40, 12), 60, 3);
    let rows = picture.as_bytes();
    let band = encode_png_band(rows, 40, PngEffort::Balanced.bands().unwrap()).unwrap();
    assert_eq!(prove_png_band(&band, rows, 40), Ok(()));
    for at in 0..band.deflated.len() {
        let mut bent = band.clone();
        bent.deflated.to_mut()[at] ^= 0x10;
        let file = join_png_bands(picture.size(), None, std::slice::from_ref(&bent));
        let same = seen(&file).is_some_and(|seen| seen == rows);
        assert_eq!(prove_png_band(&bent, rows, 40).is_ok(), same, "{at}");
    }
    let wrong_sum = Band { sum: band.sum ^ 1, ..band.clone() };
    assert!(prove_png_band(&wrong_sum, rows, 40).is_err());
    let wrong_length = Band { length: band.length + 1, ..band.clone() };
    assert!(prove_png_band(&wrong_length, rows, 40).is_err());
    // The end that was missing in files of real art: the last of its rows, and the mark of a flush.
    let mut cut = band.clone();
    let length = cut.deflated.len();
    cut.deflated.to_mut().truncate(length - 60);
    assert!(prove_png_band(&cut, rows, 40).is_err());
    let mut other = rows.to_vec();
    other[1700] ^= 1;
    assert_eq!(prove_png_band(&band, &other, 40), Err(Unproved::Pixels { picture: 0, row: 10 }));
}

/// Rows as they are, deflated by another library to a stream of its own: a decoder would take its end for that of the page.
/// And rows with the beginning of a block behind them, which would take the next band for its bytes.
#[test]
fn a_band_that_does_not_end_between_two_blocks_is_not_proved() {
    let picture = noisy(Size::new(40, 12), 60, 4);
    let filtered: Vec<u8> = picture.as_bytes().chunks(160).flat_map(|row| [&[0], row].concat()).collect();
    let (first, second) = filtered.iter().fold((1u32, 0u32), |(first, second), byte| {
        let first = (first + u32::from(*byte)) % 65_521;
        (first, (second + first) % 65_521)
    });
    let band = |ended: bool, more: &[u8]| {
        let mut encoder = flate2::write::DeflateEncoder::new(Vec::new(), flate2::Compression::default());
        encoder.write_all(&filtered).unwrap();
        encoder.flush().unwrap();
        let flushed = encoder.get_ref().clone();
        let deflated = if ended { encoder.finish().unwrap() } else { flushed };
        Band { deflated: [&deflated, more].concat().into(), sum: second << 16 | first, length: filtered.len() as u64 }
    };
    assert_eq!(prove_png_band(&band(false, &[]), picture.as_bytes(), 40), Ok(()));
    assert!(prove_png_band(&band(true, &[]), picture.as_bytes(), 40).is_err());
    // Stored blocks of four and of nine bytes, the last of the stream or not.
    for more in [[1, 4, 0, 0xfb, 0xff], [0, 4, 0, 0xfb, 0xff], [1, 9, 0, 0xf6, 0xff], [0, 9, 0, 0xf6, 0xff]] {
        assert!(prove_png_band(&band(false, &more), picture.as_bytes(), 40).is_err(), "{more:?}");
    }
}

/// Of a page only what is not in its bands is read when they are joined: a file that differs in any byte, or has its bands in
/// another order or number, is refused.
#[test]
fn a_file_is_proved_to_hold_its_bands_and_nothing_else() {
    let picture = noisy(Size::new(512, 300), 1, 5);
    let ranges = png_bands(picture.size());
    let rows = |i: usize| &picture.as_bytes()[ranges[i].start as usize * 2048..ranges[i].end as usize * 2048];
    let effort = PngEffort::Fast.bands().unwrap();
    let bands: Vec<Band<'_>> = (0..ranges.len()).map(|i| encode_png_band(rows(i), 512, effort).unwrap()).collect();
    let of =
        |bands: &[&Band<'_>]| join_png_bands(picture.size(), None, &bands.iter().copied().cloned().collect::<Vec<_>>());
    let size = picture.size();
    let [a, b, c] = &bands[..] else { panic!("{} bands", bands.len()) };
    let file = of(&[a, b, c]);
    assert_eq!(prove_joined_png(&file, size, &bands), Ok(()));
    assert_eq!(read_back(&file), picture.as_bytes());
    let mut bent = b.clone();
    bent.deflated.to_mut()[9] ^= 1;
    for other in [&[a, b][..], &[a, &bent, c], &[b, a, c], &[a, b, b], &[a, b, c, c], &[]] {
        assert!(prove_joined_png(&of(other), size, &bands).is_err());
    }
    assert!(prove_joined_png(&of(&[a, b]), size, &bands[..2]).is_err(), "rows are missing");
    let other_sum = [a.clone(), b.clone(), Band { sum: c.sum ^ 1, ..c.clone() }];
    assert!(prove_joined_png(&file, size, &other_sum).is_err());
    // The header of the stream, in a chunk with the right checksum.
    let at = file.windows(4).position(|four| four == b"IDAT").unwrap();
    let mut crc = flate2::Crc::new();
    crc.update(b"IDAT\x78\x9d");
    let bent = [&file[..at + 4], b"\x78\x9d", &crc.sum().to_be_bytes(), &file[at + 10..]].concat();
    assert!(prove_joined_png(&bent, size, &bands).is_err());
    for at in 0..file.len() {
        let mut bent = file.clone();
        bent[at] ^= 0x20;
        assert!(prove_joined_png(&bent, size, &bands).is_err(), "{at}");
        assert!(prove_joined_png(&file[..at], size, &bands).is_err(), "{at}");
    }
}

/// Another encoder's files are proved whatever their filter, and not for a picture that differs in one bit.
#[test]
fn every_filter_is_proved_and_no_other_picture() {
    use png::Filter::{Avg, NoFilter, Paeth, Sub, Up};
    for (w, h) in [(1, 1), (1, 9), (2, 3), (5, 4), (33, 7)] {
        let picture = noisy(Size::new(w, h), 60, u64::from(w));
        for filter in [NoFilter, Sub, Up, Avg, Paeth] {
            let mut file = Vec::new();
            let mut encoder = png::Encoder::new(&mut file, w, h);
            encoder.set_color(png::ColorType::Rgba);
            encoder.set_filter(filter);
            encoder.write_header().unwrap().write_image_data(picture.as_bytes()).unwrap();
            assert_eq!(prove_png(&file, &picture), Ok(()), "{w} x {h}, {filter:?}");
            for at in 0..picture.as_bytes().len() {
                let mut other = picture.as_bytes().to_vec();
                other[at] ^= 1 << (at % 8);
                let other = Pixels::from_rgba(picture.size(), other).unwrap();
                let row = at / (w as usize * 4);
                assert_eq!(prove_png(&file, &other), Err(Unproved::Pixels { picture: 0, row }), "{filter:?} {at}");
            }
        }
    }
}

#[test]
fn a_header_that_claims_too_much_is_refused_before_memory_is_taken() {
    let tiny = Raw { size: Size::new(1, 1), color: ColorType::Grayscale, depth: BitDepth::Eight, samples: vec![7] };
    for size in [Size::new(u32::MAX >> 1, 1), Size::new(30_000, 30_000), Size::new(0, 1), Size::new(1, u32::MAX)] {
        let raw = Raw { size: Size::new(1, 1), ..Raw { samples: tiny.samples.clone(), ..tiny } };
        let mut file = raw.file(false, None, None);
        file[16..24].copy_from_slice(&[size.w.to_be_bytes(), size.h.to_be_bytes()].concat());
        let mut crc = flate2::Crc::new();
        crc.update(&file[12..29]);
        file[29..33].copy_from_slice(&crc.sum().to_be_bytes());
        assert!(decode(&file, None, &Limits::default()).is_err(), "{size}");
    }
}

/// Whatever is done to a file, decoding gives an answer: a picture or an error, never a panic.
#[test]
fn broken_files_of_all_lengths_are_errors_or_pictures() {
    let samples = (0..64 * 64 * 4).map(|i| i % 256).collect();
    let raw = Raw { size: Size::new(64, 64), color: ColorType::Rgba, depth: BitDepth::Eight, samples };
    let file = raw.file(true, None, None);
    let mut state = 7u64;
    for cut in 0..file.len() {
        assert!(decode(&file[..cut], None, &Limits::default()).is_err() || cut + 16 > file.len(), "{cut}");
        state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1);
        let mut bent = file.clone();
        bent[cut] ^= (state >> 56) as u8 | 1;
        let _ = decode(&bent, None, &Limits::default());
    }
}
