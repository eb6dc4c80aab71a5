//! Image formats that come in: the same pixels as another library makes of them, and what is left out of account.

#![allow(missing_docs, clippy::unwrap_used, clippy::cast_possible_truncation, reason = "a test may fail loudly")]

use image::{DynamicImage, ImageFormat, RgbaImage};
use png::Encoder;
use std::collections::BTreeSet;
use std::io::Cursor;
use zemtak_core::codec::{
    DecodeError, Ignored, Limits, Mark, PngEffort, TimedPicture, decode, decode_frames, encode_apng, encode_gif,
    encode_marked_png, encode_png,
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
                    let ours = decode(&bytes, format.extensions_str().first().copied(), &Limits::default()).unwrap();
                    assert_eq!(ours.pixels.as_bytes(), seen.as_raw(), "{format:?} {w} x {h}");
                    assert_eq!(ours.pixels.as_bytes(), image.into_rgba8().as_raw(), "{format:?} {w} x {h}");
                    assert_eq!(ours.ignored, BTreeSet::new());
                }
            }
        }
    }
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
    let mut chunks = chunks_of(&encode_png(&picture, PngEffort::Fast).unwrap());
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
