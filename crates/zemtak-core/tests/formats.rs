//! Image formats that come in: the same pixels as another library makes of them, and what is left out of account.

#![allow(missing_docs, clippy::unwrap_used, clippy::cast_possible_truncation, reason = "a test may fail loudly")]

use image::{DynamicImage, ImageFormat, RgbaImage};
use png::Encoder;
use std::collections::BTreeSet;
use std::io::Cursor;
use zemtak_core::codec::{
    DecodeError, Ignored, Limits, Mark, PngEffort, TimedPicture, decode, decode_frames, encode_apng, encode_gif,
    encode_marked_png, encode_png, size_of,
};
use zemtak_core::geometry::Size;
use zemtak_core::pixels::Pixels;

/// An Exif block with one entry: the orientation.
fn exif(orientation: u16, big: bool) -> Vec<u8> {
    let short = |v: u16| if big { v.to_be_bytes() } else { v.to_le_bytes() };
    let long = |v: u32| if big { v.to_be_bytes() } else { v.to_le_bytes() };
    let mut exif = if big { b"MM\0*".to_vec() } else { b"II*\0".to_vec() };
    exif.extend(long(8));
    exif.extend(short(1));
    exif.extend([short(274), short(3)].concat());
    exif.extend(long(1));
    exif.extend([short(orientation), short(0)].concat());
    exif.extend(long(0));
    exif
}

fn picture(w: u32, h: u32, alpha: bool) -> RgbaImage {
    let mut dice = 7_u32;
    RgbaImage::from_fn(w, h, |x, y| {
        dice = dice.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        let [noise, clear, ..] = dice.to_be_bytes();
        let alpha = if alpha { if x > y { 0 } else { clear } } else { 255 };
        image::Rgba([(x * 9 % 256) as u8, (y * 5 % 256) as u8, noise / 8, alpha])
    })
}

fn ignored(bytes: &[u8]) -> Vec<Ignored> {
    decode(bytes, None, &Limits::default()).unwrap().ignored.into_iter().collect()
}

#[test]
fn every_format_shows_what_another_library_sees() {
    for (w, h) in [(1, 1), (17, 5), (40, 33)] {
        for alpha in [false, true] {
            let rgba = picture(w, h, alpha);
            for format in [ImageFormat::Png, ImageFormat::WebP, ImageFormat::Qoi, ImageFormat::Tga, ImageFormat::Bmp] {
                for opaque_file in [false, true] {
                    let rgb = DynamicImage::from(rgba.clone()).into_rgb8();
                    let image = if opaque_file { DynamicImage::from(rgb) } else { DynamicImage::from(rgba.clone()) };
                    let mut bytes = Vec::new();
                    image.write_to(&mut Cursor::new(&mut bytes), format).unwrap();
                    let seen = image::load_from_memory_with_format(&bytes, format).unwrap().into_rgba8();
                    let extension = format.extensions_str().first().copied();
                    let ours = decode(&bytes, extension, &Limits::default()).unwrap();
                    assert_eq!(size_of(&bytes, extension).unwrap(), Size::new(w, h), "{format:?}");
                    assert_eq!(ours.pixels.as_bytes(), seen.as_raw(), "{format:?} {w} x {h}");
                    assert_eq!(ours.pixels.as_bytes(), image.into_rgba8().as_raw(), "{format:?} {w} x {h}");
                    assert_eq!(ours.ignored, BTreeSet::new());
                }
            }
        }
    }
}

#[test]
fn headers_of_jpeg_and_gif_tell_the_size() {
    let mut jpeg = Vec::new();
    let encoder = jpeg_encoder::Encoder::new(&mut jpeg, 90);
    encoder.encode(&[120; 17 * 5 * 3], 17, 5, jpeg_encoder::ColorType::Rgb).unwrap();
    let picture = Pixels::transparent(Size::new(17, 5)).unwrap();
    let gif = encode_gif(&[(&picture, 5)], false).unwrap();
    for file in [jpeg, gif] {
        assert_eq!(size_of(&file, None).unwrap(), Size::new(17, 5));
        assert_eq!(decode(&file, None, &Limits::default()).unwrap().pixels.size(), Size::new(17, 5));
    }
}

/// With more colours than a GIF can have, every pixel still gets one that is near its own.
#[test]
fn a_gif_of_many_colours_has_colours_near_them() {
    let rgba = (0..1024u32).flat_map(|i| [i % 32 * 8, i / 32 * 8, ((i % 32) ^ (i / 32)) * 8, 255].map(|v| v as u8));
    let picture = Pixels::from_rgba(Size::new(32, 32), rgba.collect()).unwrap();
    let gif = encode_gif(&[(&picture, 5)], false).unwrap();
    let shown = decode(&gif, None, &Limits::default()).unwrap().pixels;
    let off: Vec<u8> = shown.as_bytes().iter().zip(picture.as_bytes()).map(|(a, b)| a.abs_diff(*b)).collect();
    let mean = off.iter().map(|&v| f64::from(v)).sum::<f64>() / off.len() as f64;
    assert!(mean < 6.0, "off by {mean} on average, by {:?} at most", off.iter().max());
}

#[test]
fn what_a_picture_has_beside_its_pixels_is_told() {
    let (w, h) = (8, 6);
    let rgba = picture(w, h, true);
    for (orientation, big, told) in [
        (1, true, vec![]),
        (1, false, vec![]),
        (6, true, vec![Ignored::Orientation]),
        (8, false, vec![Ignored::Orientation]),
    ] {
        let exif = exif(orientation, big);

        let mut bytes = Vec::new();
        let mut info = png::Info::with_size(w, h);
        (info.color_type, info.bit_depth) = (png::ColorType::Rgba, png::BitDepth::Eight);
        info.exif_metadata = Some(exif.clone().into());
        let mut writer = Encoder::with_info(&mut bytes, info).unwrap().write_header().unwrap();
        writer.write_image_data(rgba.as_raw()).unwrap();
        writer.finish().unwrap();
        assert_eq!(ignored(&bytes), told, "PNG");

        let mut bytes = Vec::new();
        let mut webp = image_webp::WebPEncoder::new(&mut bytes);
        webp.set_exif_metadata(exif.clone());
        webp.encode(rgba.as_raw(), w, h, image_webp::ColorType::Rgba8).unwrap();
        assert_eq!(ignored(&bytes), told, "WebP");

        let mut bytes = Vec::new();
        let mut jpeg = jpeg_encoder::Encoder::new(&mut bytes, 90);
        jpeg.add_app_segment(1, [b"Exif\0\0".as_slice(), &exif].concat()).unwrap();
        jpeg.encode(rgba.as_raw(), w as u16, h as u16, jpeg_encoder::ColorType::Rgba).unwrap();
        assert_eq!(ignored(&bytes), told, "JPEG");
    }
}

#[test]
fn colour_profiles_and_gamma_are_told() {
    let (w, h) = (8, 6);
    let rgba = picture(w, h, true);
    let profile = vec![7; 300];

    let mut bytes = Vec::new();
    let mut webp = image_webp::WebPEncoder::new(&mut bytes);
    webp.set_icc_profile(profile.clone());
    webp.encode(rgba.as_raw(), w, h, image_webp::ColorType::Rgba8).unwrap();
    assert_eq!(ignored(&bytes), [Ignored::ColourProfile]);

    let mut bytes = Vec::new();
    let mut jpeg = jpeg_encoder::Encoder::new(&mut bytes, 90);
    jpeg.add_icc_profile(&profile).unwrap();
    jpeg.encode(rgba.as_raw(), w as u16, h as u16, jpeg_encoder::ColorType::Rgba).unwrap();
    assert_eq!(ignored(&bytes), [Ignored::ColourProfile]);

    for (chunk, data, told) in [
        (png::chunk::iCCP, b"profile\0\0no stream".as_slice(), Ignored::ColourProfile),
        (png::chunk::cICP, &[1, 13, 0, 1], Ignored::ColourProfile),
        (png::chunk::gAMA, &45_455_u32.to_be_bytes(), Ignored::Gamma),
        (png::chunk::cHRM, &[0, 0, 1, 2].repeat(8), Ignored::Gamma),
    ] {
        let mut bytes = Vec::new();
        let mut encoder = Encoder::new(&mut bytes, w, h);
        encoder.set_color(png::ColorType::Rgba);
        let mut writer = encoder.write_header().unwrap();
        writer.write_chunk(chunk, data).unwrap();
        writer.write_image_data(rgba.as_raw()).unwrap();
        // What stands after the pixels tells nothing of their colour.
        writer.write_chunk(png::chunk::eXIf, &exif(6, true)).unwrap();
        writer.finish().unwrap();
        assert_eq!(ignored(&bytes), [told], "{chunk:?}");
    }
}

#[test]
fn an_animation_says_that_one_picture_was_taken_and_has_them_all() {
    let frames: Vec<_> = [(3, 40), (200, 250)]
        .map(|(grey, ms)| (RgbaImage::from_pixel(5, 4, image::Rgba([grey, 2, 3, 255])), ms))
        .into();
    let mut gif = Vec::new();
    let delay = |ms| image::Delay::from_numer_denom_ms(ms, 1);
    let mut encoder = image::codecs::gif::GifEncoder::new(&mut gif);
    encoder.encode_frames(frames.iter().map(|(p, ms)| image::Frame::from_parts(p.clone(), 0, 0, delay(*ms)))).unwrap();
    drop(encoder);

    let mut apng = Vec::new();
    let mut encoder = Encoder::new(&mut apng, 5, 4);
    encoder.set_color(png::ColorType::Rgba);
    encoder.set_animated(2, 0).unwrap();
    let mut writer = encoder.write_header().unwrap();
    for (picture, ms) in &frames {
        writer.set_frame_delay(*ms as u16, 1000).unwrap();
        writer.write_image_data(picture.as_raw()).unwrap();
    }
    writer.finish().unwrap();

    for bytes in [gif, apng] {
        assert_eq!(ignored(&bytes), [Ignored::Frames]);
        let all = decode_frames(&bytes, None, &Limits::default()).unwrap();
        assert_eq!(all.ignored, BTreeSet::new());
        let shown: Vec<_> = all.frames.iter().map(|f| (f.pixels.as_bytes().to_vec(), f.ms)).collect();
        let expected: Vec<_> = frames.iter().map(|(p, ms)| (p.as_raw().clone(), Some(f64::from(*ms)))).collect();
        assert_eq!(shown, expected);
        // The limit holds for all frames together.
        let one = Limits { side: 5, all_pixels: 39, ..Limits::default() };
        assert_eq!(decode_frames(&bytes, None, &one).unwrap_err(), DecodeError::TooLong { limits: one });
        assert!(decode_frames(&bytes, None, &Limits { frames: 1, ..Limits::default() }).is_err());
        assert!(decode_frames(&bytes, None, &Limits { all_pixels: 40, ..one }).is_ok());
    }
}

#[test]
fn a_picture_is_refused_by_its_header_before_memory_is_taken() {
    let formats =
        [ImageFormat::Png, ImageFormat::WebP, ImageFormat::Qoi, ImageFormat::Tga, ImageFormat::Bmp, ImageFormat::Gif];
    for (format, (w, h)) in formats.into_iter().flat_map(|format| [(format, (40, 30)), (format, (30, 40))]) {
        let mut bytes = Vec::new();
        DynamicImage::from(picture(w, h, false)).write_to(&mut Cursor::new(&mut bytes), format).unwrap();
        let extension = format.extensions_str().first().copied();
        for limits in [(39, 1200), (40, 1199)] {
            let limits = Limits { side: limits.0, pixels: limits.1, ..Limits::default() };
            // A header alone is enough to refuse it, and no more than that is read.
            let refused = decode(&bytes, extension, &limits).unwrap_err();
            let expected = DecodeError::TooLarge { size: Size::new(w, h), limits };
            assert_eq!(refused, expected, "{format:?}");
        }
        assert!(
            decode(&bytes, extension, &Limits { side: 40, pixels: 1200, ..Limits::default() }).is_ok(),
            "{format:?}"
        );
    }
}

/// PNG's chunks: type and data.
fn chunks_of(png: &[u8]) -> Vec<([u8; 4], Vec<u8>)> {
    let (mut chunks, mut rest) = (Vec::new(), &png[8..]);
    while let Some((length, after)) = rest.split_first_chunk::<4>() {
        let length = u32::from_be_bytes(*length) as usize;
        chunks.push((*after.first_chunk().unwrap(), after[4..4 + length].to_vec()));
        rest = &after[8 + length..];
    }
    chunks
}

/// A PNG of chunks, with a wrong checksum for one of them.
fn png_of(chunks: &[([u8; 4], Vec<u8>)], wrong: Option<usize>) -> Vec<u8> {
    let chunk = |(number, (kind, data)): (usize, &([u8; 4], Vec<u8>))| {
        let mut sum = flate2::Crc::new();
        [&kind[..], data].iter().for_each(|bytes| sum.update(bytes));
        let sum = sum.sum() ^ u32::from(wrong == Some(number));
        [&(data.len() as u32).to_be_bytes()[..], kind, data, &sum.to_be_bytes()].concat()
    };
    [b"\x89PNG\r\n\x1a\n".to_vec(), chunks.iter().enumerate().flat_map(chunk).collect()].concat()
}

/// A file whose compressed pixels have a wrong checksum was taken without a word, and one with a damaged chunk beside them is.
#[test]
fn wrong_checksums_are_errors_of_pixels_and_told_of_the_rest() {
    let picture = Pixels::transparent(Size::new(9, 7)).unwrap();
    let mut chunks = chunks_of(&encode_png(&picture, PngEffort::Small).unwrap());
    let text = |chunks: &mut Vec<_>, at| chunks.insert(at, (*b"tEXt", b"Comment\0moth".to_vec()));
    text(&mut chunks, 1);
    text(&mut chunks, 3);
    let kinds: Vec<&[u8]> = chunks.iter().map(|(kind, _)| &kind[..]).collect();
    assert_eq!(kinds, [b"IHDR", b"tEXt", b"IDAT", b"tEXt", b"IEND"]);
    assert_eq!(ignored(&png_of(&chunks, None)), []);
    for wrong in 0..chunks.len() {
        let decoded = decode(&png_of(&chunks, Some(wrong)), None, &Limits::default());
        match &chunks[wrong].0 {
            b"IHDR" | b"IDAT" => {
                assert!(decoded.unwrap_err().to_string().contains("a checksum does not match"));
            }
            _ => assert_eq!(decoded.unwrap().ignored, [Ignored::DamagedChunk].into()),
        }
    }
    *chunks[2].1.last_mut().unwrap() ^= 1;
    let wrong_sum_of_pixels = decode(&png_of(&chunks, None), None, &Limits::default());
    assert!(wrong_sum_of_pixels.unwrap_err().to_string().contains("a checksum does not match"));
}

/// All pixels are there, but a strict reader misses the end of what they were compressed to, or finds more behind them.
#[test]
fn an_odd_end_of_the_pixels_is_told() {
    let (w, h) = (50_u32, 40_u32);
    let rows: Vec<u8> = (0..=h).flat_map(|y| [0].into_iter().chain((0..w).map(move |x| (x * y) as u8))).collect();
    let compressed = |rows: &[u8]| {
        let mut encoder = flate2::write::ZlibEncoder::new(Vec::new(), flate2::Compression::default());
        std::io::Write::write_all(&mut encoder, rows).unwrap();
        encoder.finish().unwrap()
    };
    let header = [&w.to_be_bytes()[..], &h.to_be_bytes(), &[8, 0, 0, 0, 0]].concat();
    let whole = compressed(&rows[..(h * (w + 1)) as usize]);
    let mut wrong_sum = whole.clone();
    *wrong_sum.last_mut().unwrap() ^= 1;
    for (pixels, told) in [
        (whole.clone(), Some(vec![])),
        (compressed(&rows), Some(vec![Ignored::MorePixels])),
        (whole[..whole.len() - 4].to_vec(), Some(vec![Ignored::CutEnd])),
        (whole[..whole.len() / 2].to_vec(), None),
        (wrong_sum, None),
    ] {
        let chunks = [(*b"IHDR", header.clone()), (*b"IDAT", pixels), (*b"IEND", Vec::new())];
        let decoded = decode(&png_of(&chunks, None), None, &Limits::default()).ok();
        let shown = decoded.map(|decoded| {
            let expected: Vec<u8> = (0..h).flat_map(|y| (0..w).map(move |x| (x * y) as u8)).collect();
            assert!(decoded.pixels.as_bytes().iter().step_by(4).eq(&expected));
            decoded.ignored.into_iter().collect::<Vec<_>>()
        });
        assert_eq!(shown, told);
    }
}

/// Other readers refuse what the library passes over: a WebP that lacks its last bytes.
#[test]
fn a_file_that_is_cut_is_refused_at_every_length() {
    let picture = DynamicImage::from(picture(17, 9, true));
    for format in [ImageFormat::Png, ImageFormat::WebP, ImageFormat::Qoi, ImageFormat::Tga, ImageFormat::Bmp] {
        let mut bytes = Vec::new();
        picture.write_to(&mut Cursor::new(&mut bytes), format).unwrap();
        let extension = format.extensions_str().first().copied();
        for cut in 0..bytes.len() {
            let decoded = decode(&bytes[..cut], extension, &Limits::default());
            // The end mark of a PNG ends with a checksum, which no common reader misses.
            let told = decoded.is_ok_and(|decoded| decoded.ignored == [Ignored::DamagedChunk].into());
            assert!(decode(&bytes[..cut], extension, &Limits::default()).is_err() || told, "{format:?} cut at {cut}");
        }
    }
}

/// Games have strips of frames of this size; by the former limit of a side they were refused.
#[test]
fn the_tallest_strip_that_was_seen_is_taken() {
    let (w, h) = (2048, 32_768);
    let mut bytes = Vec::new();
    let mut encoder = Encoder::new(&mut bytes, w, h);
    encoder.set_color(png::ColorType::Grayscale);
    encoder.set_depth(png::BitDepth::One);
    encoder.write_header().unwrap().write_image_data(&vec![0xaa; (w / 8 * h) as usize]).unwrap();
    let decoded = decode(&bytes, None, &Limits::default()).unwrap();
    assert_eq!(
        (decoded.pixels.size(), decoded.pixels.row(7)[..8].to_vec()),
        (Size::new(w, h), [255, 255, 255, 255, 0, 0, 0, 255].into())
    );
}

/// A picture of somebody else may have a text chunk of that name too.
#[test]
fn marked_pictures_are_known_again_and_no_others() {
    let picture = Pixels::transparent(Size::new(3, 2)).unwrap();
    for mark in [Mark::Page, Mark::Clip, Mark::Pattern, Mark::Rehearsal, Mark::View] {
        for effort in [PngEffort::Fast, PngEffort::Balanced, PngEffort::Small] {
            let file = encode_marked_png(&picture, effort, mark).unwrap();
            assert_eq!(Mark::of(&file), Some(mark));
            // The text chunk's data, as an independent decoder reads it.
            let reader = png::Decoder::new(std::io::Cursor::new(&file)).read_info().unwrap();
            let texts = &reader.info().uncompressed_latin1_text;
            assert_eq!((texts[0].keyword.as_str(), texts[0].text.as_str()), ("Software", mark.text()));
            let mut foreign = file.clone();
            foreign[file.windows(6).position(|w| w == b"Zemtak").unwrap()] = b'Y';
            assert_eq!(Mark::of(&foreign), None);
        }
    }
    let moment = TimedPicture { pixels: &picture, seconds: [1, 10] };
    for file in [encode_apng(&[moment, moment], 0).unwrap(), encode_gif(&[(&picture, 5)], false).unwrap()] {
        assert_eq!(Mark::of(&file), Some(Mark::Clip));
    }
    // With the block that says how often it plays before the comment.
    assert_eq!(Mark::of(&encode_gif(&[(&picture, 5)], true).unwrap()), Some(Mark::Clip));
    let plain = encode_png(&picture, PngEffort::Balanced).unwrap();
    for cut in 0..plain.len() {
        assert_eq!(Mark::of(&plain[..cut]), None);
    }
    let mut bare = Vec::new();
    let still = image::Frame::new(RgbaImage::new(1, 1));
    image::codecs::gif::GifEncoder::new(&mut bare).encode_frame(still).unwrap();
    assert_eq!(Mark::of(&bare), None);
}

/// A TGA of the same pixels in its many ways: rows from the top or the bottom, from the left or the right, with run lengths or not.
#[test]
fn a_tga_is_read_whichever_way_it_is_written() {
    let (w, h) = (7_u8, 5_u8);
    let numbers: Vec<u8> = (0..w * h).map(|n| n / 3 % 4).collect();
    // The colours of the numbers 0 to 3, as a file has them and as they are shown: kind of picture, bits, palette.
    let colours = [[9, 200, 30, 255], [255, 0, 9, 40], [0, 0, 0, 0], [1, 2, 3, 255]];
    let word = |[r, g, b, _]: [u8; 4]| u16::from(r / 8) << 10 | u16::from(g / 8) << 5 | u16::from(b / 8);
    let five = |v: u8| ((u32::from(v / 8) * 255 + 15) / 31) as u8;
    let stored = |bits: u8, c: [u8; 4]| match bits {
        8 => vec![c[0]],
        15 | 16 => word(c).to_le_bytes().to_vec(),
        24 => vec![c[2], c[1], c[0]],
        _ => vec![c[2], c[1], c[0], c[3]],
    };
    let shown = |kind: u8, bits: u8, c: [u8; 4]| match (kind, bits) {
        (3, _) => [c[0], c[0], c[0], 255],
        (_, 15 | 16) => [five(c[0]), five(c[1]), five(c[2]), 255],
        (_, 24) => [c[0], c[1], c[2], 255],
        _ => c,
    };
    for (kind, bits, palette) in [(2, 16, 0), (2, 24, 0), (2, 32, 0), (3, 8, 0), (1, 8, 15), (1, 16, 24), (1, 8, 32)] {
        for (runs, way) in (0..8).map(|n| (n & 1 == 1, n >> 1 << 4)) {
            let first = if kind == 1 { 100_u8 } else { 0 };
            let mut file = vec![2, u8::from(kind == 1), kind | if runs { 8 } else { 0 }, first, 0, 4, 0, palette];
            file.extend([0, 0, 0, 0, w, 0, h, 0, bits, way]);
            file.extend(b"id");
            if kind == 1 {
                file.extend(colours.iter().flat_map(|&colour| stored(palette, colour)));
            } else {
                file[5] = 0;
            }
            let value = |number: u8| match kind {
                1 if bits == 16 => vec![number + first, 0],
                1 => vec![number + first],
                _ => stored(bits, colours[usize::from(number)]),
            };
            let at = |x: u8, y: u8| {
                let (x, y) = (if way & 16 == 0 { x } else { w - 1 - x }, if way & 32 == 0 { h - 1 - y } else { y });
                numbers[usize::from(y * w + x)]
            };
            let in_file: Vec<u8> = (0..h).flat_map(|y| (0..w).map(move |x| (x, y))).map(|(x, y)| at(x, y)).collect();
            for packet in in_file.chunk_by(|a, b| runs && a == b) {
                match (runs, packet.len()) {
                    (false, _) => {}
                    (true, 1) => file.push(0),
                    (true, many) => file.push(127 + many as u8),
                }
                file.extend(if runs { value(packet[0]) } else { packet.iter().flat_map(|&n| value(n)).collect() });
            }
            let depth = if kind == 1 { palette } else { bits };
            let expected: Vec<u8> = numbers.iter().flat_map(|&n| shown(kind, depth, colours[usize::from(n)])).collect();
            let what = format!("kind {kind}, {bits} bits, palette {palette}, {way}, {runs}");
            let decoded = decode(&file, Some("tga"), &Limits::default()).unwrap();
            assert_eq!(decoded.pixels.as_bytes(), expected, "{what}");
            let cut = decode(&file[..file.len() - 1], Some("tga"), &Limits::default());
            assert!(cut.unwrap_err().to_string().contains("ends too early"), "{what}");
        }
    }
    // The highest bit of 16 means alpha only if the header says so; a pixel of 15 bits has none.
    for (bits, alpha_bits, alphas) in [(16, 1, [255, 0]), (16, 0, [255, 255]), (15, 1, [255, 255])] {
        let file = [0, 0, 2, 0, 0, 0, 0, 0, 0, 0, 0, 0, 2, 0, 1, 0, bits, alpha_bits, 0xff, 0xff, 0xff, 0x7f];
        let pixels = decode(&file, Some("tga"), &Limits::default()).unwrap().pixels;
        assert_eq!(
            pixels.as_bytes(),
            [255, 255, 255, alphas[0], 255, 255, 255, alphas[1]],
            "{bits} bits, {alpha_bits}"
        );
    }
    let odd = [0, 0, 3, 0, 0, 0, 0, 0, 0, 0, 0, 0, 1, 0, 1, 0, 32, 0, 9, 9, 9, 9];
    let why = decode(&odd, Some("tga"), &Limits::default()).unwrap_err().to_string();
    assert!(why.contains("kind 3 with 32 bits"), "{why}");
}

/// An animation of 16-bit samples was refused, and of one with a single frame the image for readers that know no animation was
/// taken in its place.
#[test]
fn an_animation_of_any_depth_has_its_own_frames() {
    let mut apng = Vec::new();
    let mut encoder = Encoder::new(&mut apng, 2, 1);
    encoder.set_color(png::ColorType::Rgba);
    encoder.set_depth(png::BitDepth::Sixteen);
    encoder.set_animated(1, 0).unwrap();
    encoder.set_sep_def_img(true).unwrap();
    let mut writer = encoder.write_header().unwrap();
    writer.write_image_data(&[7; 16]).unwrap();
    writer.set_frame_dimension(1, 1).unwrap();
    writer.set_frame_position(1, 0).unwrap();
    writer.write_image_data(&[0x80, 0x81, 0, 0x7f, 0, 0x81, 0xff, 0xff]).unwrap();
    writer.finish().unwrap();
    let shown = decode_frames(&apng, None, &Limits::default()).unwrap();
    assert_eq!((shown.frames.len(), shown.frames[0].ms), (1, None));
    assert_eq!(shown.frames[0].pixels.as_bytes(), [0, 0, 0, 0, 128, 0, 1, 255]);
    // With no frames at all it is no animation.
    let number = apng.windows(4).position(|bytes| bytes == b"acTL").unwrap() + 7;
    apng[number] = 0;
    let mut sum = flate2::Crc::new();
    sum.update(&apng[number - 7..number + 5]);
    let sum = sum.sum().to_be_bytes();
    apng[number + 5..number + 9].copy_from_slice(&sum);
    let still = decode_frames(&apng, None, &Limits::default()).unwrap();
    assert_eq!(still.frames[0].pixels.as_bytes(), [7; 8]);
}

/// What the library takes for colours or blackness, or refuses though it is whole.
#[test]
fn a_bmp_that_cannot_be_is_refused_and_the_smallest_is_taken() {
    let mut bmp = Vec::new();
    let image = DynamicImage::from(picture(3, 2, false)).into_rgb8();
    image.write_to(&mut Cursor::new(&mut bmp), ImageFormat::Bmp).unwrap();
    let refused = |change: fn(&mut Vec<u8>)| {
        let mut file = bmp.clone();
        change(&mut file);
        decode(&file, None, &Limits::default()).unwrap_err().to_string()
    };
    assert!(refused(|file| file[26] = 2).contains("2 planes"));
    let runs_from_the_top = |file: &mut Vec<u8>| {
        file[30] = 1;
        file[22..26].copy_from_slice(&(-2_i32).to_le_bytes());
    };
    assert!(refused(runs_from_the_top).contains("run lengths"));
    let in_palette = |file: &mut Vec<u8>| (file[28], file[46]) = (8, 200);
    assert!(refused(in_palette).contains("inside its palette"));
    // A header of the oldest kind, two colours, and one row of one byte without what would fill it up.
    let tiny = [
        b"BM\x21\0\0\0\0\0\0\0\x20\0\0\0\x0c\0\0\0\x02\0\x01\0\x01\0\x01\0".as_slice(),
        &[9, 8, 7, 0, 0, 255],
        &[0b0100_0000],
    ]
    .concat();
    let decoded = decode(&tiny, None, &Limits::default()).unwrap();
    assert_eq!(decoded.pixels.as_bytes(), [7, 8, 9, 255, 255, 0, 0, 255]);
    // One of a palette, without the three bytes that would fill its last row up.
    let words = [40, 1, 40, 8 << 16 | 1, 0, 0, 0, 0, 1, 0, 0x07_08_09].map(u32::to_le_bytes).concat();
    let single = [b"BM\x3b\0\0\0\0\0\0\0\x3a\0\0\0".as_slice(), &words, &[0; 157]].concat();
    assert_eq!(decode(&single, None, &Limits::default()).unwrap().pixels.as_bytes(), [7, 8, 9, 255].repeat(40));
}
