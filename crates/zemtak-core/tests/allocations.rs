//! What a game computes every frame takes no memory from the heap, and a file no more than it may.

#![allow(missing_docs, clippy::unwrap_used, reason = "a test may fail loudly")]

use zemtak_core::atlas::Mode;
use zemtak_core::clip::{Player, Ratio, Timeline};
use zemtak_core::codec::{Limits, decode_frames};
use zemtak_core::coords::{Area, Part, Picture, Placement, Sampling, Sheet, quad, tiles};
use zemtak_core::geometry::{Rect, Size};

#[test]
fn coordinates_of_a_sprite_take_no_memory() {
    let mut sum = 0.0;
    let taken = allocation_counter::measure(|| {
        let area = Area::new(Size::new(512, 256), Rect::new(34, 2, 28, 30), true).unwrap();
        let picture = Picture { area, canvas: Size::new(40, 40), inset: [4, 5] };
        let shown = picture.part(&[Part { x: -3, y: 3, w: 30, h: 30 }, Part { x: 9, y: 1, w: 9, h: 9 }]).unwrap();
        let how = Sampling { shrink: 0.5, ..Sampling::default() };
        sum += shown.area.rect(&how).0[0] + shown.area.matrix(&how)[0][0];
        sum += f32::from(shown.area.unorm16(&how).corners[0][0]);
        let drawn = quad(&shown, [16.0, 32.0], &Placement { degrees: 33.0, ..Placement::default() }, &how);
        sum += drawn.positions[0][0] + drawn.uv[0][0];
        let grid = Sheet { size: Size::new(512, 256), margin: 1, gutter: 2 }.cells_of(Size::new(32, 32)).unwrap();
        sum += grid.at_uv([0.5, 0.5]).map_or(0.0, |cell| f32::from(u8::try_from(cell.column).unwrap()));
        for ([x, _], part) in tiles(Size::new(16, 16), Size::new(100, 50)).unwrap() {
            sum += f32::from(u8::try_from(x + part.w).unwrap());
        }
    });
    assert!(sum > 0.0);
    assert_eq!(taken.count_total, 0);
}

#[test]
fn playing_takes_no_memory() {
    let fps = Ratio::parse("60000/1001").unwrap();
    let timeline = Timeline::new(Mode::Bounce, fps, &[None, None, Some(40_000_000), None]).unwrap();
    let mut entered = 0;
    let taken = allocation_counter::measure(|| {
        let mut player = Player::starting_at(Ratio::ONE, &timeline, 1_000_000);
        for time in [1, 16_666_667, 5_000_000_000] {
            entered += player.advance(&timeline, time).count() + player.step(&timeline);
        }
        entered += timeline.at(123_456_789).step;
    });
    assert!(entered > 100);
    assert_eq!(size_of::<Player>(), 40);
    assert_eq!(taken.count_total, 0);
}

/// Files that say of themselves what is larger than the limits allow, in places where a decoder may believe it.
fn greedy() -> Vec<(&'static str, Vec<u8>)> {
    // A GIF with a small screen and a frame of 2000 x 2000 pixels on it.
    let gif = |left: u16, side: u16| {
        let mut gif = b"GIF89a\x04\0\x04\0\x80\0\0\0\0\0\xff\xff\xff,".to_vec();
        gif.extend([left, left, side, side].iter().flat_map(|v| v.to_le_bytes()));
        gif.extend(b"\0\x02\x02\x44\x01\0;");
        gif
    };
    // A bitmap whose palette says that it has four thousand million colours.
    let mut bmp = b"BM\x76\0\0\0\0\0\0\0\x76\0\0\0\x28\0\0\0\x04\0\0\0\x04\0\0\0\x01\0\x08\0".to_vec();
    bmp.extend([0; 16]);
    bmp.extend([0xff; 4]);
    bmp.extend([0; 68]);
    // A WebP with a small canvas and a lossless frame of 16384 x 16384.
    let mut webp = b"RIFF\x2c\0\0\0WEBPVP8X\x0a\0\0\0\x10\0\0\0\x03\0\0\x03\0\0VP8L\x0d\0\0\0\x2f".to_vec();
    webp.extend(0x0fff_ffff_u32.to_le_bytes());
    webp.extend([0; 9]);
    // A PNG with a chunk that says it is as long as a chunk can be.
    let mut png = Vec::new();
    let mut encoder = png::Encoder::new(&mut png, 4, 4);
    encoder.set_color(png::ColorType::Rgba);
    encoder.write_header().unwrap().write_image_data(&[9; 64]).unwrap();
    let mut exif = png[..33].to_vec();
    exif.extend(b"\x7f\xff\xff\xffeXIf");
    exif.extend([0; 64]);
    // A TGA with the longest colour map there is, of which nothing is there.
    let tga = b"\0\x01\x01\0\0\xff\xff\x20\0\0\0\0\x04\0\x04\0\x08\0".to_vec();
    // A QOI of one run after another.
    let mut qoi = b"qoif\0\0\0\x40\0\0\0\x40\x04\0".to_vec();
    qoi.extend([0xfd; 400]);
    vec![
        ("gif", gif(0, 2_000)),
        ("gif", gif(60_000, 4)),
        ("bmp", bmp),
        ("webp", webp),
        ("png", exif),
        ("tga", tga),
        ("qoi", qoi),
    ]
}

#[test]
fn no_decoder_takes_more_memory_than_its_limits_let_it() {
    let limits = Limits { side: 64, pixels: 64 * 64, ..Limits::default() };
    // Sixteen bytes a pixel, for a picture with 16 bits a sample and its result, and what a library keeps for itself.
    let most = 16 * limits.pixels + (512 << 10);
    for (extension, bytes) in greedy() {
        let taken = allocation_counter::measure(|| drop(decode_frames(&bytes, Some(extension), &limits)));
        assert!(taken.bytes_max <= most, "{extension}: {} bytes for a file of {}", taken.bytes_max, bytes.len());
    }
}
