//! A proof that nothing could fail would be none: of every format that is written, other pixels, another size and bytes that
//! somebody bent are refused.

#![allow(clippy::cast_possible_truncation, reason = "small numbers")]

use super::encode::Unproved;
use super::moving_out::{Palette, TimedPicture, encode_apng, encode_gif, prove_gif};
use super::{Limits, PngEffort, Supercompression, decode, encode_ktx2, encoded_png, ktx2_out, png_proof, qoi, webp};
use crate::atlas::{Alpha, Colour, PixelKind};
use crate::geometry::Size;
use crate::pixels::Pixels;
use crate::texture::Texture;

/// Opaque and clear pixels of few colours.
fn picture(w: u32, h: u32, colour: u8) -> Pixels {
    let pixel = |i: u32| if i * i % 7 == 3 { [0; 4] } else { [colour, (i % 5 * 50) as u8, (i / 3) as u8, 255] };
    Pixels::from_rgba(Size::new(w, h), (0..w * h).flat_map(pixel).collect()).unwrap()
}

/// A picture, the same with one pixel changed in row 4, and one of the same number of pixels in another shape.
fn three() -> [Pixels; 3] {
    let [right, mut wrong, turned] = [picture(9, 7, 40), picture(9, 7, 40), picture(7, 9, 40)];
    wrong.row_mut(4)[8 * 4] ^= 64;
    [right, wrong, turned]
}

type Proof = fn(&[u8], &Pixels) -> Result<(), Unproved>;

/// Every format of one picture: a file of it, and its proof.
fn stills(pixels: &Pixels) -> Vec<(&'static str, Vec<u8>, Proof)> {
    let png = |effort| encoded_png(pixels, effort, None).unwrap().prove().unwrap();
    vec![
        ("bands", png(PngEffort::Balanced), png_proof::prove_png_of_bands),
        ("png", png(PngEffort::Small), png_proof::prove_png),
        ("qoi", qoi::encode(pixels).unwrap(), qoi::prove),
        ("webp", webp::encode(pixels).unwrap(), webp::prove),
    ]
}

#[test]
fn a_file_of_another_picture_is_not_proved() {
    let [right, wrong, turned] = three();
    for (format, file, prove) in stills(&right) {
        assert_eq!(prove(&file, &right), Ok(()), "{format}");
        assert_eq!(prove(&file, &wrong), Err(Unproved::Pixels { picture: 0, row: 4 }), "{format}");
        // A proof that takes a file apart by the size it expects finds other rows first.
        assert!(prove(&file, &turned).is_err(), "{format}");
        let pieces = (0..file.len()).map(|cut| &file[..cut]);
        // WebP's last byte may be one that fills up.
        assert!(pieces.take(file.len() - 1).all(|piece| prove(piece, &right).is_err()), "{format}");
    }
    let raw = super::Encoded::new(right.as_bytes().to_vec(), &wrong, |bytes, pixels| {
        super::encode::compare(0, bytes, pixels)
    });
    assert_eq!(raw.prove(), Err(Unproved::Pixels { picture: 0, row: 4 }));
}

/// Every byte is bent in turn: it is proved only if a decoder still sees the same picture.
#[test]
fn a_bent_file_is_not_proved_unless_it_shows_the_same() {
    let [right, ..] = three();
    for (format, file, prove) in stills(&right) {
        for (at, bit) in (0..file.len()).map(|at| (at, 1 << (at % 8))) {
            let mut bent = file.clone();
            bent[at] ^= bit;
            let same = decode(&bent, None, &Limits::default()).is_ok_and(|decoded| decoded.pixels == right);
            assert!(same || prove(&bent, &right).is_err(), "{format}, byte {at}");
        }
    }
}

#[test]
fn moving_pictures_are_proved_one_by_one() {
    let [right, wrong, turned] = three();
    let moments = [&right, &wrong].map(|pixels| TimedPicture { pixels, seconds: [1, 10] });
    let apng = encode_apng(&moments, 0).unwrap();
    let prove = |pictures: &[&Pixels]| png_proof::prove_moving(&apng, pictures);
    assert_eq!(prove(&[&right, &wrong]), Ok(()));
    assert_eq!(prove(&[&right, &right]), Err(Unproved::Pixels { picture: 1, row: 4 }));
    assert_eq!(prove(&[&turned, &turned]), Err(Unproved::Size));
    assert_eq!(prove(&[&right]), Err(Unproved::Size));
    assert!(prove(&[&right, &wrong, &wrong]).is_err());

    let gif = encode_gif(&[(&right, 5), (&wrong, 7)], true).unwrap();
    let palette = Palette::of([&right, &wrong].into_iter());
    let prove = |moments: &[(&Pixels, u16)]| prove_gif(&gif, moments, &palette);
    assert_eq!(prove(&[(&right, 5), (&wrong, 7)]), Ok(()));
    assert_eq!(prove(&[(&right, 5), (&right, 7)]), Err(Unproved::Pixels { picture: 1, row: 4 }));
    for other in [&[(&right, 5), (&wrong, 8)][..], &[(&turned, 5), (&turned, 7)], &[(&right, 5)]] {
        assert_eq!(prove(other), Err(Unproved::Size));
    }
    assert_eq!(prove(&[(&right, 5), (&wrong, 7), (&wrong, 7)]), Err(Unproved::Size));
}

#[test]
fn a_gif_draws_half_alpha_keeps_255_colours_and_repeats_if_asked() {
    let pixel = |i: u32| [i as u8, (i >> 8) as u8, 3, 255];
    for (colours, exact) in [(255, true), (256, false)] {
        let pixels: Vec<u8> = (0..512).flat_map(|i| pixel(i % colours)).collect();
        let picture = Pixels::from_rgba(Size::new(32, 16), pixels).unwrap();
        for for_ever in [false, true] {
            let gif = encode_gif(&[(&picture, 5)], for_ever).unwrap();
            let shown = decode(&gif, None, &Limits::default()).unwrap().pixels;
            assert_eq!(shown == picture, exact, "{colours} colours");
            let decoder = gif::DecodeOptions::new().read_info(&gif[..]).unwrap();
            assert_eq!(decoder.repeat() == gif::Repeat::Infinite, for_ever);
        }
    }
    let faint = Pixels::from_rgba(Size::new(2, 1), vec![9, 8, 7, 127, 9, 8, 7, 128]).unwrap();
    let gif = encode_gif(&[(&faint, 5)], false).unwrap();
    let shown = decode(&gif, None, &Limits::default()).unwrap().pixels;
    assert_eq!((shown.as_bytes()[3], &shown.as_bytes()[4..]), (0, &[9, 8, 7, 255][..]));
}

#[test]
fn a_texture_is_proved_with_its_levels_and_what_it_says_of_its_colours() {
    let [right, wrong, _] = three();
    let small = picture(4, 3, 1);
    let of = |pixels: &Pixels| {
        let levels = std::slice::from_ref(&small);
        Texture::new(pixels, levels, PixelKind::Rgba8, (Alpha::Straight, Colour::Srgb)).unwrap()
    };
    let texture = of(&right);
    for with in [Supercompression::None, Supercompression::Zstd] {
        let file = encode_ktx2(&texture, with).unwrap();
        assert_eq!(ktx2_out::prove(&file, &texture), Ok(()));
        assert_eq!(ktx2_out::prove(&file, &of(&wrong)), Err(Unproved::Pixels { picture: 0, row: 0 }));
        let fewer = Texture { levels: texture.levels[..1].to_vec(), ..texture.clone() };
        assert_eq!(ktx2_out::prove(&file, &fewer), Err(Unproved::Size));
        for other in [
            Texture { alpha: Alpha::Premultiplied, ..texture.clone() },
            Texture { colour: Colour::Linear, ..texture.clone() },
        ] {
            assert!(matches!(ktx2_out::prove(&file, &other), Err(Unproved::Undecodable(_))));
        }
        assert!(ktx2_out::prove(&file[..file.len() - 1], &texture).is_err());
    }
}
