//! Textures in KTX2: what is written is read back by others, keeps the container's rules, and shows what went in.

#![allow(missing_docs, clippy::unwrap_used, clippy::cast_possible_truncation, reason = "a test may fail loudly")]

use ktx2::dfd::{Basic, DataFormatFlags};
use ktx2::{Format, Reader, SupercompressionScheme};
use proptest::prelude::*;
use zemtak_core::atlas::{Alpha, Colour, PixelKind};
use zemtak_core::codec::{Limits, Mark, Supercompression, decode, encode_ktx2, read_ktx2};
use zemtak_core::geometry::{Rect, Size};
use zemtak_core::mips::{Light, smaller_levels};
use zemtak_core::pixels::Pixels;
use zemtak_core::texture::{Loss, Texture, loss, unpack, worst_block};

const KINDS: [PixelKind; 4] = [PixelKind::Rgba8, PixelKind::Bc1, PixelKind::Bc3, PixelKind::Bc7];

/// A soft round gradient on transparent ground, as a lamp's light is.
fn lamp(size: Size) -> Pixels {
    let pixel = |i: u32| {
        let (x, y) = (i % size.w, i / size.w);
        let far = (x * 2).abs_diff(size.w).pow(2) + (y * 2).abs_diff(size.h).pow(2);
        let alpha = 255u32.saturating_sub(far * 255 / (size.w * size.h).max(1));
        [250, (x * 200 / size.w) as u8, (y * 90 / size.h) as u8, alpha as u8]
    };
    Pixels::from_rgba(size, (0..size.w * size.h).flat_map(pixel).collect()).unwrap()
}

fn texture(pixels: &Pixels, kind: PixelKind, alpha: Alpha, colour: Colour, levels: u32) -> Texture {
    let smaller = smaller_levels(pixels, levels - 1, alpha, Light::of(colour));
    Texture::new(pixels, &smaller, kind, (alpha, colour)).unwrap()
}

fn format_of(kind: PixelKind, colour: Colour) -> Format {
    match (kind, colour) {
        (PixelKind::Rgba8, Colour::Srgb) => Format::R8G8B8A8_SRGB,
        (PixelKind::Rgba8, _) => Format::R8G8B8A8_UNORM,
        (PixelKind::Bc1, Colour::Srgb) => Format::BC1_RGBA_SRGB_BLOCK,
        (PixelKind::Bc1, _) => Format::BC1_RGBA_UNORM_BLOCK,
        (PixelKind::Bc3, Colour::Srgb) => Format::BC3_SRGB_BLOCK,
        (PixelKind::Bc3, _) => Format::BC3_UNORM_BLOCK,
        (_, Colour::Srgb) => Format::BC7_SRGB_BLOCK,
        _ => Format::BC7_UNORM_BLOCK,
    }
}

/// What the container's standard asks of a file, looked up in the file itself.
fn keeps_the_rules(file: &[u8], texture: &Texture, zstd: bool) {
    let reader = Reader::new(file).unwrap();
    let header = reader.header();
    assert_eq!(header.format, Some(format_of(texture.kind, texture.colour)));
    assert_eq!((header.pixel_width, header.pixel_height), (texture.size.w, texture.size.h));
    assert_eq!((header.type_size, header.pixel_depth, header.layer_count, header.face_count), (1, 0, 0, 1));
    assert_eq!(header.level_count as usize, texture.levels.len());
    let scheme = zstd.then_some(SupercompressionScheme::Zstandard);
    assert_eq!(header.supercompression_scheme, scheme);
    // The descriptor that the reader's authors would have written for this format.
    let (mut expected, _) = Basic::from_format(format_of(texture.kind, texture.colour)).unwrap();
    expected.flags.set(DataFormatFlags::ALPHA_PREMULTIPLIED, texture.alpha == Alpha::Premultiplied);
    assert_eq!(reader.basic_dfd(), Some(&expected));
    assert_eq!(header.index.dfd_byte_offset as usize, 80 + 24 * texture.levels.len());
    assert_eq!(header.index.kvd_byte_offset, header.index.dfd_byte_offset + header.index.dfd_byte_length);
    assert_eq!((header.index.sgd_byte_offset, header.index.sgd_byte_length), (0, 0));
    let values: Vec<(&str, &[u8])> = reader.key_value_data().collect();
    assert_eq!(values, [("KTXorientation", &b"rd\0"[..]), ("KTXwriter", &b"Zemtak page\0"[..])]);
    // Levels lie from the smallest to the largest, each where a block may begin, and nothing but zeros between them.
    let step = if zstd { 1 } else { texture.kind.block_bytes().max(4) as usize };
    let mut end = (header.index.kvd_byte_offset + header.index.kvd_byte_length) as usize;
    for level in reader.levels().collect::<Vec<_>>().into_iter().rev() {
        let at = level.data.as_ptr() as usize - file.as_ptr() as usize;
        assert!(at.is_multiple_of(step) && at < end + step && file[end..at].iter().all(|&b| b == 0), "{end} {at}");
        end = at + level.data.len();
    }
    assert_eq!(end, file.len());
    let lengths: Vec<u64> = reader.levels().map(|level| level.uncompressed_byte_length).collect();
    assert_eq!(lengths, texture.levels.iter().map(|level| level.len() as u64).collect::<Vec<_>>());
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(96))]

    #[test]
    fn a_texture_is_read_back_as_it_was_and_its_file_keeps_the_rules(
        w in 1u32..40, h in 1u32..40, kind in 0usize..4, premultiplied: bool, srgb: bool, levels in 1u32..5, zstd: bool,
    ) {
        let alpha = if premultiplied { Alpha::Premultiplied } else { Alpha::Straight };
        let colour = if srgb { Colour::Srgb } else { Colour::Linear };
        let texture = texture(&lamp(Size::new(w, h)), KINDS[kind], alpha, colour, levels);
        let with = if zstd { Supercompression::Zstd } else { Supercompression::None };
        let file = encode_ktx2(&texture, with).unwrap();
        keeps_the_rules(&file, &texture, zstd);
        let read = read_ktx2(&file, &Limits::default()).unwrap();
        prop_assert_eq!(&read, &texture);
        let shown = decode(&file, None, &Limits::default()).unwrap().pixels;
        prop_assert_eq!(Some(shown), unpack(&texture.levels[0], texture.kind, texture.size));
        prop_assert_eq!(Mark::of(&file), Some(Mark::Page));
    }

    /// Two libraries that know nothing of each other show the same, whatever the blocks hold.
    #[test]
    fn blocks_show_the_same_by_another_decoder(blocks in prop::collection::vec(any::<[u8; 16]>(), 6), kind in 1usize..4) {
        let (kind, size) = (KINDS[kind], Size::new(11, 6));
        let mut bytes = blocks.concat();
        bytes.truncate(kind.level_bytes(size) as usize);
        if kind == PixelKind::Bc3 {
            // The other one takes the two colours' order for a sign, as BC1 does; in BC3 it means nothing.
            bytes.chunks_mut(16).for_each(|block| (block[9], block[11]) = (block[9] | 0x80, block[11] & 0x7f));
        }
        let shown = unpack(&bytes, kind, size).unwrap();
        let mut by_other = vec![0; size.area() as usize * 4];
        let view = dds::ImageViewMut::new(&mut by_other, dds::Size::new(11, 6), dds::ColorFormat::RGBA_U8).unwrap();
        let format = [dds::Format::BC1_UNORM, dds::Format::BC3_UNORM, dds::Format::BC7_UNORM][kind as usize - 1];
        dds::decode(&mut &bytes[..], view, format, &dds::DecodeOptions::default()).unwrap();
        let far = shown.as_bytes().iter().zip(&by_other).map(|(a, b)| a.abs_diff(*b)).max();
        // BC1 and BC3 leave the rounding of colours between the two ends to the decoder.
        prop_assert!(far <= Some(if kind == PixelKind::Bc7 { 0 } else { 1 }), "{far:?}");
    }
}

#[test]
fn no_part_of_a_file_is_taken_for_the_whole() {
    let whole = texture(&lamp(Size::new(12, 9)), PixelKind::Bc7, Alpha::Straight, Colour::Srgb, 2);
    for with in [Supercompression::None, Supercompression::Zstd] {
        let file = encode_ktx2(&whole, with).unwrap();
        for end in 0..file.len() {
            assert!(read_ktx2(&file[..end], &Limits::default()).is_err(), "{end} of {}", file.len());
        }
        // A changed byte is an error or another texture, never a crash.
        for at in 0..file.len() {
            let mut broken = file.clone();
            broken[at] ^= 0x81;
            let _ = read_ktx2(&broken, &Limits::default());
        }
    }
    let small = Limits { side: 8, pixels: 64, ..Limits::default() };
    let file = encode_ktx2(&whole, Supercompression::None).unwrap();
    assert!(read_ktx2(&file, &small).unwrap_err().to_string().contains("more than the limit"));
}

/// Each kind keeps what it can: the loss is counted as it is seen, against sums made here in another way.
#[test]
fn loss_is_counted_as_it_is_seen() {
    let size = Size::new(64, 48);
    let original = lamp(size);
    let all = Rect::at(0, 0, size);
    let psnr = |kind| {
        let texture = texture(&original, kind, Alpha::Straight, Colour::Srgb, 1);
        let shown = unpack(&texture.levels[0], kind, size).unwrap();
        let counted = loss(&original, &shown, Alpha::Straight, all);
        let (mut squares, mut pixels) = (0.0, 0u64);
        for (a, b) in original.as_bytes().chunks(4).zip(shown.as_bytes().chunks(4)) {
            if a[3] > 0 || b[3] > 0 {
                pixels += 1;
                let seen = |p: &[u8], k: usize| (f64::from(p[k]) * f64::from(p[3]) / 255.0).round();
                squares += (0..3).map(|k| (seen(a, k) - seen(b, k)).powi(2)).sum::<f64>();
                squares += (f64::from(a[3]) - f64::from(b[3])).powi(2);
            }
        }
        assert_eq!((counted.pixels, counted.squares as f64), (pixels, squares));
        let expected = 10.0 * (255.0f64.powi(2) / (squares / (pixels as f64 * 4.0))).log10();
        assert!(counted.psnr().is_none_or(|psnr| (psnr - expected).abs() < 1e-9));
        let worst = worst_block(&original, &shown, Alpha::Straight);
        assert_eq!(worst.is_some(), kind.is_compressed());
        if let Some(worst) = worst {
            let mean = |loss: Loss| loss.squares as f64 / loss.pixels as f64;
            let blocks = (0..12).flat_map(|y| (0..16).map(move |x| Rect::new(x * 4, y * 4, 4, 4)));
            let most = blocks.map(|rect| mean(loss(&original, &shown, Alpha::Straight, rect))).fold(0.0, f64::max);
            assert_eq!((mean(worst.loss), worst.loss), (most, loss(&original, &shown, Alpha::Straight, worst.rect)));
        }
        counted.psnr()
    };
    assert_eq!(psnr(PixelKind::Rgba8), None);
    let [bc1, bc3, bc7] = [PixelKind::Bc1, PixelKind::Bc3, PixelKind::Bc7].map(|kind| psnr(kind).unwrap());
    // One bit of alpha cannot show a soft edge; eight can.
    assert!(bc1 < 15.0 && bc3 > 36.0 && bc7 > bc3 + 2.0, "{bc1} {bc3} {bc7}");
    // Blocks at the right and lower edge have fewer pixels; of equal ones the first counts.
    let size = Size::new(10, 6);
    let plain = Pixels::from_rgba(size, [9, 9, 9, 255].repeat(60)).unwrap();
    for (changed, worst) in [
        (&[(9, 5)][..], Rect::new(8, 4, 2, 2)),
        (&[(3, 4), (4, 4), (1, 1)], Rect::new(0, 4, 4, 2)),
        (&[(1, 1), (5, 1)], Rect::new(0, 0, 4, 4)),
    ] {
        let mut shown = plain.clone();
        changed.iter().for_each(|&(x, y)| shown.row_mut(y)[x * 4] = 12);
        let found = worst_block(&plain, &shown, Alpha::Straight).unwrap();
        assert_eq!((found.rect, found.loss.squares), (worst, 9));
    }
    assert!(Loss { squares: 4, pixels: 1 }.keeps(48.0) && !Loss { squares: 4, pixels: 1 }.keeps(49.0));
}
