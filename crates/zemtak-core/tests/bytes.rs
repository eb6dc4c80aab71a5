//! The same pixels come to the same bytes, on every processor and with every version of the libraries.
//!
//! `.ci/run` runs this a second time on an emulated processor without the instructions that the deflate libraries look for.
//! Where a sum changes on purpose, `PNG_VERSION` must change with it: what earlier builds wrote is not taken over then.

#![allow(missing_docs, clippy::unwrap_used, clippy::cast_possible_truncation, reason = "a test may fail loudly")]

use zemtak_core::atlas::{Alpha, Colour, PixelKind};
use zemtak_core::codec::{
    DECODE_VERSION, IMAGE_VERSION, KTX2_VERSION, Limits, PNG_VERSION, PngEffort, Supercompression, decode, encode_ktx2,
    encode_png, encoded_qoi, encoded_webp,
};
use zemtak_core::compose::{COMPOSE_VERSION, Stamp, compose};
use zemtak_core::geometry::{Rect, Size};
use zemtak_core::layout::{
    Arrangement, Effort, Family, Item, Kept, LAYOUT_VERSION, Layout, LayoutRequest, PagePolicy, Place, Prefer, Shape,
    Spacing, lay_out,
};
use zemtak_core::mips::{Light, MIPS_VERSION, smaller_levels};
use zemtak_core::pixels::Pixels;
use zemtak_core::prepare::{Prepared, TREATMENT_VERSION, Treatment};
use zemtak_core::resample::{Resample, Scale};
use zemtak_core::texture::Texture;

/// Flat areas, gradients, repetition and noise in turn.
fn picture() -> Pixels {
    let size = Size::new(517, 300);
    let mut state = 5u64;
    let pixel = |i: u32| {
        state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1);
        let (x, y, noise) = (i % size.w, i / size.w, (state >> 40) as u8);
        match (x / 64 + y / 50) % 4 {
            0 => [40, 80, 120, 255],
            1 => [x as u8, y as u8, (x + y) as u8, 255],
            2 => [(x % 7 * 30) as u8, (y % 5 * 40) as u8, 9, (x % 3 * 127) as u8],
            _ => [noise, noise / 2, x as u8, noise],
        }
    };
    Pixels::from_rgba(size, (0..size.w * size.h).flat_map(pixel).collect()).unwrap()
}

/// Blocks of 4 x 4 pixels between two colours, with grain. Of 400,000 made this way two came to other bytes where the
/// packer added in another order, as it does on other processors if it is let: both are here.
fn blocks() -> Pixels {
    let block = |seed: u64| {
        let mut state = seed.wrapping_mul(0x9e37_79b9_7f4a_7c15) | 1;
        let mut next = || {
            state ^= state << 13;
            state ^= state >> 7;
            state ^= state << 17;
            (state >> 40) as u8
        };
        let (a, b): ([u8; 4], [u8; 4]) = (std::array::from_fn(|_| next()), std::array::from_fn(|_| next()));
        let grain = next() % 64 + 1;
        let mut pixel = |_| {
            let share = u32::from(next());
            let between = |k: usize| (u32::from(a[k]) * share + u32::from(b[k]) * (255 - share)) / 255;
            std::array::from_fn::<u8, 4, _>(|k| (between(k) as u8).saturating_add(next() % grain))
        };
        std::array::from_fn::<_, 16, _>(&mut pixel)
    };
    let blocks: Vec<_> = (48_000..48_032).chain(386_352..386_384).map(block).collect();
    let pixel = |i: u32| blocks[(i / 32 / 4 * 8 + i % 32 / 4) as usize][(i / 32 % 4 * 4 + i % 4) as usize];
    Pixels::from_rgba(Size::new(32, 32), (0..32 * 32).flat_map(pixel).collect()).unwrap()
}

/// FNV-1a (G. Fowler, L. Noll, K. Vo, 1991).
fn sum(bytes: &[u8]) -> u64 {
    bytes.iter().fold(0xcbf2_9ce4_8422_2325, |sum, &b| (sum ^ u64::from(b)).wrapping_mul(0x100_0000_01b3))
}

/// The sum of what a stage makes, and the number of bytes that it is of.
fn result(bytes: &[u8]) -> (usize, u64) {
    (bytes.len(), sum(bytes))
}

/// Pictures of many sizes, cut out of one, some of them with a transparent border.
fn pieces() -> Vec<Pixels> {
    let whole = picture();
    let piece = |i: u32| {
        let mut piece = whole.crop(Rect::new(i * 13 % 400, i * 29 % 200, 5 + i * 7 % 60, 4 + i * 11 % 50)).unwrap();
        let clear = if i.is_multiple_of(3) { 0 } else { 9 };
        piece.row_mut(0).iter_mut().skip(3).step_by(4).for_each(|alpha| *alpha = (*alpha).min(clear));
        piece
    };
    (0..60).map(piece).collect()
}

/// A PNG of 16-bit greys with alpha.
fn sixteen_bits() -> Vec<u8> {
    let (picture, mut file) = (picture(), Vec::new());
    let mut encoder = png::Encoder::new(&mut file, picture.size().w, picture.size().h);
    encoder.set_color(png::ColorType::GrayscaleAlpha);
    encoder.set_depth(png::BitDepth::Sixteen);
    encoder.write_header().unwrap().write_image_data(picture.as_bytes()).unwrap();
    file
}

fn prepared() -> Vec<Pixels> {
    let scale = Scale { factor: "0.75".parse().unwrap(), resample: Resample::Smooth };
    let treatments = [
        Treatment::default(),
        Treatment { fringe: 2, visible_alpha: 5, ..Treatment::default() },
        Treatment { scale: Some(scale), premultiply: true, ..Treatment::default() },
        Treatment { scale: Some(Scale { resample: Resample::Pixel, ..scale }), trim: false, ..Treatment::default() },
    ];
    let all = pieces().into_iter().zip(treatments.iter().cycle());
    all.map(|(piece, treatment)| Prepared::new(piece, *treatment).stored).collect()
}

fn layouts(stored: &[Pixels]) -> Vec<Layout> {
    let item = |(i, pixels): (usize, &Pixels)| Item {
        may_turn: i % 2 == 0,
        family: Some(Family { number: i / 8, canvas: Size::new(64, 64), above: i as u32 % 5 }),
        ..Item::new(pixels.size())
    };
    let items: Vec<Item> = stored.iter().enumerate().map(item).collect();
    let spacing = Spacing { gutter: 2, margin: 1, extrude: 1, align: 1 };
    let shapes = [Shape::Pow2, Shape::Free, Shape::Square].map(|shape| PagePolicy { shape, ..PagePolicy::default() });
    let small = PagePolicy { max: Size::new(128, 128), ..PagePolicy::default() };
    let of_policy = |policy: &PagePolicy| lay_out(&LayoutRequest::new(&items, spacing, policy)).unwrap();
    let mut layouts: Vec<Layout> = shapes.iter().chain([&small]).map(of_policy).collect();
    layouts.extend(special_layouts(&items, spacing, &small, &layouts[3]));
    layouts.extend(plain_layouts(&shapes));
    layouts.extend(clip_layouts());
    layouts
}

/// Numbers from 1 to a highest one, most of them low.
fn sides() -> impl FnMut(u32) -> u32 {
    let mut state = 11u64;
    move |most| {
        state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1);
        let most = u64::from(most);
        (1 + (state >> 33) % most * ((state >> 50) % most) / most) as u32
    }
}

/// Layouts of boxes that belong nowhere: some, so many that no beam looks at them, and some that all are as large.
fn plain_layouts(policies: &[PagePolicy]) -> Vec<Layout> {
    let mut side = sides();
    let mut item = |_| Item { may_turn: side(4) > 2, ..Item::new(Size::new(side(40) + 2, side(60) + 3)) };
    let some: Vec<Item> = (0..150).map(&mut item).collect();
    let many: Vec<Item> = (0..5200).map(&mut item).collect();
    let alike = [Item::new(Size::new(23, 31)); 70];
    let spacing = Spacing { gutter: 1, margin: 0, extrude: 0, align: 1 };
    let small = PagePolicy { max: Size::new(256, 256), ..policies[0].clone() };
    let bytes = PagePolicy { prefer: Prefer::Bytes, ..small.clone() };
    let of = |items: &[Item], policy: &PagePolicy| lay_out(&LayoutRequest::new(items, spacing, policy)).unwrap();
    let mut layouts: Vec<Layout> = policies.iter().chain([&small, &bytes]).map(|policy| of(&some, policy)).collect();
    layouts.extend(policies.iter().map(|policy| of(&alike, policy)));
    layouts.extend([&policies[1], &small].map(|policy| of(&many, policy)));
    layouts
}

/// Layouts on several pages of clips as in real art: frames alike, some slightly smaller, a few large, some a few rows
/// further down.
fn clip_layouts() -> [Layout; 2] {
    let (mut side, mut items) = (sides(), Vec::new());
    for number in 0..130 {
        let (w, h, grown) = (side(80) + 8, side(110) + 8, if side(9) == 1 { 2 } else { 1 });
        for _ in 0..side(13) + 1 {
            let size = Size::new(w * grown - side(6), h * grown - side(6));
            let family = Some(Family { number, canvas: Size::new(240, 240), above: side(4) - 1 });
            items.push(Item { family, ..Item::new(size) });
        }
    }
    let spacing = Spacing { gutter: 1, margin: 0, extrude: 0, align: 1 };
    [Prefer::Pages, Prefer::Bytes].map(|prefer| {
        let policy = PagePolicy { max: Size::new(512, 512), shape: Shape::Pow2, prefer, ..PagePolicy::default() };
        lay_out(&LayoutRequest::new(&items, spacing, &policy)).unwrap()
    })
}

/// Layouts that are found in other ways: with groups, in rows, on pages of one size, with boxes that stay, of few items.
fn special_layouts(items: &[Item], spacing: Spacing, small: &PagePolicy, former: &Layout) -> Vec<Layout> {
    let plainly = |request: LayoutRequest<'_>| lay_out(&request).unwrap();
    let free = PagePolicy { shape: Shape::Free, ..small.clone() };
    let in_groups: Vec<Item> =
        (0..).zip(items).map(|(i, item)| Item { group: Some(i / 7), alone: i % 20 == 9, ..*item }).collect();
    let of_group = plainly(LayoutRequest::new(&in_groups, spacing, small));
    let arranged = [Arrangement::Grid, Arrangement::Row, Arrangement::Column]
        .map(|arrangement| plainly(LayoutRequest { arrangement, ..LayoutRequest::new(items, spacing, &free) }));
    let policies = [
        PagePolicy { same_size: true, ..small.clone() },
        PagePolicy { same_size: true, step: 4, ..free.clone() },
        PagePolicy { prefer: Prefer::Bytes, ..small.clone() },
        PagePolicy { count: Some(9), ..free.clone() },
    ];
    let aligned = Spacing { align: 4, gutter: 0, ..spacing };
    let of_policy = policies.iter().map(|policy| plainly(LayoutRequest::new(items, aligned, policy)));
    let places = former.places.iter().enumerate().map(|(i, place)| (i % 3 > 0).then_some(*place)).collect();
    let kept = Kept { pages: former.pages.clone(), places };
    let with_kept = plainly(LayoutRequest { kept: Some(&kept), ..LayoutRequest::new(items, spacing, small) });
    let of_few = [5, 9, 16].map(|few| {
        plainly(LayoutRequest { effort: Effort::Normal, ..LayoutRequest::new(&items[..few], spacing, &free) })
    });
    [of_group, with_kept].into_iter().chain(arranged).chain(of_policy.collect::<Vec<_>>()).chain(of_few).collect()
}

/// A stage's version stands for its results: what earlier builds learnt is taken over as long as it is the same. Where a
/// result below changes on purpose, raise the version in the stage's own file and note both here; where it changes for
/// another reason, find out why.
#[test]
fn no_stage_comes_to_another_result_under_the_same_version() {
    let stored = prepared();
    let treated: Vec<u8> = stored.iter().flat_map(|pixels| pixels.as_bytes().iter().copied()).collect();
    let layouts = layouts(&stored);
    let places = |layout: &Layout| {
        let pages = layout.pages.iter().flat_map(|size| [size.w, size.h]);
        let place = |p: &Place| [p.page as u32, p.rect.x, p.rect.y, p.rect.w, p.rect.h, u32::from(p.turned)];
        pages.chain(layout.places.iter().flat_map(place)).flat_map(u32::to_le_bytes).collect::<Vec<u8>>()
    };
    let laid_out: Vec<u8> = layouts.iter().flat_map(places).collect();
    let stamps = stored.iter().zip(&layouts[0].places);
    let stamps = stamps.map(|(pixels, place)| Stamp { pixels, rect: place.rect, turned: place.turned });
    let page = compose(layouts[0].pages[0], stamps, 1).unwrap();
    let (qoi, webp) = (encoded_qoi(&page).unwrap().prove().unwrap(), encoded_webp(&page).unwrap().prove().unwrap());
    let smaller = smaller_levels(&page, 16, Alpha::Straight, Light::Linear);
    let blocks = blocks();
    let fewer = smaller_levels(&blocks, 3, Alpha::Straight, Light::Linear);
    let ktx2 = |kind| {
        let texture = Texture::new(&blocks, &fewer, kind, (Alpha::Straight, Colour::Srgb)).unwrap();
        encode_ktx2(&texture, Supercompression::Zstd).unwrap()
    };
    let by_kind = [PixelKind::Bc1, PixelKind::Bc3, PixelKind::Bc7].map(ktx2);
    let smaller: Vec<u8> = smaller.iter().flat_map(|level| level.as_bytes().iter().copied()).collect();
    let decoded = decode(&sixteen_bits(), None, &Limits::default()).unwrap();
    assert_eq!(
        [
            ("decode", DECODE_VERSION, result(decoded.pixels.as_bytes())),
            ("treat", TREATMENT_VERSION, result(&treated)),
            ("lay out", LAYOUT_VERSION, result(&laid_out)),
            ("compose", COMPOSE_VERSION, result(page.as_bytes())),
            ("mips", MIPS_VERSION, result(&smaller)),
            ("QOI", IMAGE_VERSION, result(&qoi)),
            ("WebP", IMAGE_VERSION, result(&webp)),
            ("KTX2 BC1", KTX2_VERSION, result(&by_kind[0])),
            ("KTX2 BC3", KTX2_VERSION, result(&by_kind[1])),
            ("KTX2 BC7", KTX2_VERSION, result(&by_kind[2])),
        ],
        [
            ("decode", 4, (620_400, 11_815_333_958_224_985_962)),
            ("treat", 1, (181_640, 4_924_186_040_218_414_315)),
            ("lay out", 7, (320_976, 4_362_960_415_772_940_654)),
            ("compose", 2, (262_144, 17_570_232_750_824_669_982)),
            ("mips", 1, (87_380, 11_152_673_173_832_851_545)),
            ("QOI", 1, (122_296, 10_175_682_392_731_804_181)),
            ("WebP", 1, (80_938, 15_072_706_117_642_275_414)),
            ("KTX2 BC1", 1, (912, 6_183_857_247_536_443_120)),
            ("KTX2 BC3", 1, (1_686, 12_703_521_953_669_082_729)),
            ("KTX2 BC7", 1, (1_670, 134_811_636_358_179_816)),
        ]
    );
}

#[test]
fn pages_come_to_the_same_bytes_everywhere() {
    let picture = picture();
    let sums = [PngEffort::Fast, PngEffort::Balanced, PngEffort::Small].map(|effort| {
        let file = encode_png(&picture, effort).unwrap();
        (file.len(), sum(&file))
    });
    assert_eq!(
        (PNG_VERSION, sums),
        (
            5,
            [
                (97_147, 15_455_920_957_519_982_248),
                (95_601, 5_363_815_460_506_266_352),
                (89_863, 13_222_229_833_431_794_293)
            ]
        )
    );
}
