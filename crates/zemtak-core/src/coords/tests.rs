//! Coordinates compared with an independent sampler: what it reads from a page at the computed places is the source,
//! pixel by pixel.

#![allow(
    clippy::cast_possible_truncation,
    clippy::cast_sign_loss,
    clippy::cast_possible_wrap,
    reason = "small numbers"
)]

use super::*;
use crate::pixels::Pixels;
use proptest::prelude::*;

/// A page with one box in which all pixels differ, and that picture upright.
#[derive(Debug, Clone)]
struct Scene {
    page: Pixels,
    source: Pixels,
    picture: Picture,
}

/// Boxes anywhere on pages, with canvases around them.
fn scenes() -> impl Strategy<Value = Scene> {
    let sides = (1u32..9, 1u32..9, 0u32..5, 0u32..5, 0u32..4, 0u32..4, 0u32..3, 0u32..3);
    (sides, any::<bool>()).prop_map(|((w, h, x, y, left, top, right, bottom), turned)| {
        let number = |i: u32| [i as u8, (i >> 8) as u8, 77, 255];
        let source = Pixels::from_rgba(Size::new(w, h), (0..w * h).flat_map(number).collect()).unwrap();
        let stored = if turned { source.turned() } else { source.clone() };
        let rect = Rect::at(x, y, stored.size());
        let mut page = Pixels::transparent(Size::new(x + rect.w + right, y + rect.h + bottom)).unwrap();
        for row in 0..rect.h {
            page.row_mut(y + row)[x as usize * 4..][..rect.w as usize * 4].copy_from_slice(stored.row(row));
        }
        let area = Area::new(page.size(), rect, turned).unwrap();
        let canvas = Size::new(left + w + right, top + h + bottom);
        Scene { page, source, picture: Picture { area, canvas, inset: [left, top] } }
    })
}

fn samplings() -> impl Strategy<Value = Sampling> {
    (any::<bool>(), any::<bool>(), any::<bool>()).prop_map(|(x, y, up)| Sampling {
        flip: Flip { x, y },
        v: if up { VAxis::Up } else { VAxis::Down },
        shrink: 0.0,
    })
}

/// The pixel that a graphics card reads at a place: with V up the page was uploaded bottom row first.
fn sample(page: &Pixels, [u, v]: [f64; 2], axis: VAxis) -> [u8; 4] {
    let from_top = if axis == VAxis::Up { 1.0 - v } else { v };
    let at = |t: f64, side: u32| ((t * f64::from(side)).floor() as u32).min(side - 1);
    page.get(at(u, page.size().w), at(from_top, page.size().h)).unwrap()
}

/// Between four corners, as a quad of two triangles is filled.
fn between(corners: [[f32; 2]; 4], s: f64, t: f64) -> [f64; 2] {
    let [a, b, _, d] = corners.map(|c| c.map(f64::from));
    [0, 1].map(|k| a[k] + s * (b[k] - a[k]) + t * (d[k] - a[k]))
}

/// Whether drawing an area at its own size shows `expected`.
fn shows(page: &Pixels, area: &Area, how: &Sampling, expected: &Pixels) -> Result<(), TestCaseError> {
    let Size { w, h } = area.upright();
    for j in 0..h {
        for i in 0..w {
            let (s, t) = ((f64::from(i) + 0.5) / f64::from(w), (f64::from(j) + 0.5) / f64::from(h));
            let from = [if how.flip.x { w - 1 - i } else { i }, if how.flip.y { h - 1 - j } else { j }];
            let wanted = expected.get(from[0], from[1]).unwrap();
            prop_assert_eq!(sample(page, between(area.corners(how), s, t), how.v), wanted, "corners at {}, {}", i, j);
            let m = area.matrix(how).map(|row| row.map(f64::from));
            let by_matrix = m.map(|row| row[0] * s + row[1] * t + row[2]);
            prop_assert_eq!(sample(page, by_matrix, how.v), wanted, "matrix at {}, {}", i, j);
            if let Ok(OffsetScale { offset, scale }) = area.offset_scale(how) {
                let uv = [0, 1].map(|k| f64::from(offset[k]) + f64::from(scale[k]) * [s, t][k]);
                prop_assert_eq!(sample(page, uv, how.v), wanted, "offset and scale at {}, {}", i, j);
            }
        }
    }
    Ok(())
}

/// A part somewhere near a canvas of about ten pixels.
fn parts() -> impl Strategy<Value = Part> {
    (-6i32..12, -6i32..12, 1u32..12, 1u32..12).prop_map(|(x, y, w, h)| Part { x, y, w, h })
}

proptest! {
    #[test]
    fn what_is_sampled_is_the_source(scene in scenes(), how in samplings()) {
        shows(&scene.page, &scene.picture.area, &how, &scene.source)?;
    }

    #[test]
    fn the_stored_rectangle_says_the_same_as_the_corners(scene in scenes(), how in samplings()) {
        let UvRect([u0, v0, u1, v1]) = scene.picture.area.rect(&how);
        let stored = [[u0, v0], [u1, v0], [u1, v1], [u0, v1]];
        let [a, b, c, d] = stored;
        let expected = if scene.picture.area.turned() { [b, c, d, a] } else { stored };
        prop_assert_eq!(scene.picture.area.corners(&how), expected);
        prop_assert!(scene.picture.area.turned() == scene.picture.area.offset_scale(&how).is_err());
        // Each flip exchanges corners in pairs, so flipping again restores them.
        let plain = scene.picture.area.corners(&Sampling { flip: Flip::default(), ..how });
        let [mut a, mut b, mut c, mut d] = scene.picture.area.corners(&how);
        if how.flip.x {
            [a, b, c, d] = [b, a, d, c];
        }
        if how.flip.y {
            [a, b, c, d] = [d, c, b, a];
        }
        prop_assert_eq!([a, b, c, d], plain);
    }

    #[test]
    fn a_place_on_the_image_is_the_same_place_on_the_page(scene in scenes(), s in 0.0..1.0f64, t in 0.0..1.0f64, up: bool) {
        let axis = if up { VAxis::Up } else { VAxis::Down };
        let picture = &scene.picture;
        let corners = picture.area.corners(&Sampling { flip: Flip::default(), v: axis, shrink: 0.0 });
        // The visible box is a part of the image as its corners are of the page.
        let (visible, canvas) = (picture.visible_box(), picture.canvas);
        let u = (f64::from(visible.x) + s * f64::from(visible.w)) / f64::from(canvas.w);
        let v = (f64::from(visible.y) + t * f64::from(visible.h)) / f64::from(canvas.h);
        let found = picture.to_page([u, if up { 1.0 - v } else { v }], axis);
        let expected = between(corners, s, t);
        for k in 0..2 {
            prop_assert!((found[k] - expected[k]).abs() < 1e-6, "{:?} {:?}", found, expected);
        }
        // What is stored is the visible box. These places lie on no edge, where the last bit of a number would decide.
        let places = (0..2 * canvas.h).flat_map(|y| (0..2 * canvas.w).map(move |x| [x, y].map(|at| f64::from(at) / 2.0 + 0.25)));
        for [x, y] in places {
            let within = |at: f64, start: u32, length: u32| (f64::from(start)..f64::from(start + length)).contains(&at);
            let stored = within(x, visible.x, visible.w) && within(y, visible.y, visible.h);
            let (u, v) = (x / f64::from(canvas.w), y / f64::from(canvas.h));
            prop_assert_eq!(picture.stores([u, if up { 1.0 - v } else { v }], axis), stored, "{} {}", x, y);
        }
    }

    #[test]
    fn a_part_is_cut_from_the_source_wherever_it_lies(scene in scenes(), part in parts(), how in samplings()) {
        let picture = scene.picture;
        let inside = |x: i64, y: i64| {
            let (left, top) = (x - i64::from(picture.inset[0]), y - i64::from(picture.inset[1]));
            let pixel = u32::try_from(left).ok().zip(u32::try_from(top).ok());
            pixel.filter(|&(x, y)| x < scene.source.size().w && y < scene.source.size().h)
        };
        let all = (0..i64::from(part.h)).flat_map(|y| (0..i64::from(part.w)).map(move |x| (x, y)));
        let stored: Vec<_> =
            all.filter(|&(x, y)| inside(x + i64::from(part.x), y + i64::from(part.y)).is_some()).collect();
        prop_assert_eq!(picture.part(&[]), Ok(picture.shown()));
        match picture.part(&[part]) {
            Err(why) => {
                prop_assert!(stored.is_empty());
                let apart = |start: i32, length: u32, side: u32| {
                    i64::from(start) >= i64::from(side) || i64::from(start) + i64::from(length) <= 0
                };
                let outside = apart(part.x, part.w, picture.canvas.w) || apart(part.y, part.h, picture.canvas.h);
                let expected =
                    if outside { PartError::Outside(picture.canvas) } else { PartError::InBorder(picture.visible_box()) };
                prop_assert_eq!(why, expected);
            }
            Ok(shown) => {
                let size = shown.area.upright();
                prop_assert_eq!(stored.len() as u64, size.area());
                prop_assert_eq!(stored[0], (shown.in_part[0].into(), shown.in_part[1].into()));
                let [left, top, right, bottom] = [0, 1, 2, 3].map(|k| shown.outside[k] + shown.in_border[k]);
                prop_assert_eq!((left + size.w + right, top + size.h + bottom), (part.w, part.h));
                let in_box =
                    Rect::at(shown.on_canvas.x - picture.inset[0], shown.on_canvas.y - picture.inset[1], size);
                shows(&scene.page, &shown.area, &how, &scene.source.crop(in_box).unwrap())?;
            }
        }
    }

    #[test]
    fn a_part_of_a_part_is_the_part_at_once(scene in scenes(), outer in parts(), inner in parts()) {
        // At once: where both overlap, from the canvas's corner.
        let (x, y) = (outer.x + inner.x, outer.y + inner.y);
        let (left, top) = (x.max(outer.x), y.max(outer.y));
        let right = (x + inner.w as i32).min(outer.x + outer.w as i32);
        let bottom = (y + inner.h as i32).min(outer.y + outer.h as i32);
        let nested = scene.picture.part(&[outer, inner]);
        if left >= right || top >= bottom {
            prop_assert!(nested.is_err());
        } else {
            let at_once = Part { x: left, y: top, w: (right - left) as u32, h: (bottom - top) as u32 };
            let place = |v: Visible| (v.area, v.on_canvas);
            prop_assert_eq!(nested.map(place).ok(), scene.picture.part(&[at_once]).map(place).ok());
        }
    }

    /// Whoever has only the visible rest of a part gets the same parts of it.
    #[test]
    fn a_part_of_what_is_shown_is_the_part_of_the_part(scene in scenes(), outer in parts(), inner in parts(), last in parts()) {
        let chains: [&[Part]; 3] = [&[], &[outer], &[outer, inner]];
        for chain in chains {
            let Ok(shown) = scene.picture.part(chain) else { continue };
            let all = [chain, &[last]].concat();
            match (shown.part(last), scene.picture.part(&all)) {
                (Ok(one), other) => prop_assert_eq!(Ok(one), other),
                (Err(one), Err(other)) => {
                    prop_assert_eq!(std::mem::discriminant(&one), std::mem::discriminant(&other));
                }
                (one, other) => prop_assert!(false, "{one:?} {other:?}"),
            }
        }
    }

    #[test]
    fn pixels_come_back_from_uv(w in 1u32..=16384, h in 1u32..=16384, a in 0.0..1.0f64, b in 0.0..1.0f64) {
        let page = Size::new(w, h);
        let at = |t: f64, side: u32| (t * f64::from(side)) as u32;
        let (x, end) = (at(a.min(b), w), at(a.max(b), w) + 1);
        let rect = Rect::new(x, at(a, h), end - x, 1);
        prop_assert_eq!(UvRect::of(rect, page).to_box(page), Some(rect));
        let pixel = [at(a, w), at(b, h)];
        prop_assert_eq!(pixel_at(centre_of(pixel, page), page), Some(pixel));
        let single = centre_of(pixel, page).map(|t| f64::from(t as f32));
        prop_assert_eq!(pixel_at(single, page), Some(pixel));
    }

    #[test]
    fn integers_are_off_by_half_of_their_step_at_most(scene in scenes(), how in samplings()) {
        let Unorm16 { corners, error } = scene.picture.area.unorm16(&how);
        let page = scene.page.size();
        for (quantised, exact) in corners.iter().zip(scene.picture.area.corners(&how)) {
            for (k, side) in [page.w, page.h].into_iter().enumerate() {
                let off = (f64::from(quantised[k]) / 65535.0 - f64::from(exact[k])).abs() * f64::from(side);
                prop_assert!(off <= error[k] + 1e-6 && error[k] <= 0.5 / 65535.0 * f64::from(side) + 1e-9);
            }
        }
    }

    #[test]
    fn a_quad_is_where_the_formula_puts_it_and_stays_clockwise(
        scene in scenes(), pivot in prop::array::uniform2(-9.0..9.0f64), at in prop::array::uniform2(-99.0..99.0f64),
        scale in prop::array::uniform2(prop_oneof![-3.0..-0.1f64, 0.1..3.0f64]), degrees in -720.0..720.0f64,
        how in samplings(), up: bool,
    ) {
        let y = if up { ScreenY::Up } else { ScreenY::Down };
        let placement = Placement { at, scale, degrees, flip: how.flip, y };
        let shown = scene.picture.part(&[]).unwrap();
        let quad = quad(&shown, pivot, &placement, &how);
        let Rect { x: left, y: top, w, h } = shown.on_canvas;
        let corners = [(left, top), (left + w, top), (left + w, top + h), (left, top + h)];
        for (position, (cx, cy)) in quad.positions.iter().zip(corners) {
            // As complex numbers: the offset times e^(i angle).
            let dx = (f64::from(cx) - pivot[0]) * scale[0] * if how.flip.x { -1.0 } else { 1.0 };
            let dy = (f64::from(cy) - pivot[1]) * scale[1] * if how.flip.y { -1.0 } else { 1.0 };
            let (length, angle) = (dx.hypot(dy), (if up { -dy } else { dy }).atan2(dx) + degrees.to_radians());
            prop_assert!((f64::from(position[0]) - at[0] - length * angle.cos()).abs() < 1e-3);
            prop_assert!((f64::from(position[1]) - at[1] - length * angle.sin()).abs() < 1e-3);
        }
        for triangle in quad.indices.chunks_exact(3) {
            let [a, b, c] = [0, 1, 2].map(|k| quad.positions[usize::from(triangle[k])].map(f64::from));
            let area = (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0]);
            prop_assert!(if up { area < 0.0 } else { area > 0.0 }, "clockwise as seen");
        }
    }

    #[test]
    fn cells_are_found_again_by_their_pixels(
        size in (1u32..99, 1u32..99), cell in (1u32..30, 1u32..30), margin in 0u32..5, gutter in 0u32..5,
    ) {
        let sheet = Sheet { size: Size::new(size.0, size.1), margin, gutter };
        let Ok(grid) = sheet.cells_of(Size::new(cell.0, cell.1)) else { return Ok(()) };
        let mut in_cells = 0;
        for y in 0..size.1 {
            for x in 0..size.0 {
                if let Some(cell) = grid.at_pixel([x, y]) {
                    in_cells += 1;
                    let inside = (cell.rect.x..cell.rect.x + cell.rect.w).contains(&x)
                        && (cell.rect.y..cell.rect.y + cell.rect.h).contains(&y);
                    prop_assert!(inside && grid.cell(cell.index) == Some(cell));
                    prop_assert_eq!(grid.at_uv(centre_of([x, y], sheet.size)), Some(cell));
                }
            }
        }
        prop_assert_eq!(in_cells, grid.count() * grid.cell_size().area());
        let [columns, rows] = grid.counts();
        let last = grid.cell(grid.count() - 1).unwrap().rect;
        let over = grid.left_over();
        prop_assert_eq!(last.x + last.w + over[0] + margin, size.0);
        prop_assert_eq!(last.y + last.h + over[1] + margin, size.1);
        prop_assert!(grid.cell(grid.count()).is_none());
        let split = sheet.split(columns, rows).unwrap();
        prop_assert!(split.cell_size().w >= cell.0 && split.counts() == [columns, rows]);
    }

    #[test]
    fn tiles_cover_a_surface_once(canvas in (1u32..9, 1u32..9), surface in (1u32..40, 1u32..40)) {
        let mut covered = vec![0; (surface.0 * surface.1) as usize];
        for ([x, y], part) in tiles(Size::new(canvas.0, canvas.1), Size::new(surface.0, surface.1)).unwrap() {
            prop_assert!(x % canvas.0 == 0 && y % canvas.1 == 0 && part.w <= canvas.0 && part.h <= canvas.1);
            for row in y..y + part.h {
                covered[(row * surface.0 + x) as usize..][..part.w as usize].iter_mut().for_each(|n| *n += 1);
            }
        }
        prop_assert!(covered.iter().all(|&n| n == 1));
    }
}

#[test]
fn the_examples_of_the_format_come_out() {
    let page = Size::new(512, 256);
    let uv = UvRect::of(Rect::new(35, 1, 28, 30), page);
    assert_eq!(uv, UvRect([0.068_359_375, 0.003_906_25, 0.123_046_875, 0.121_093_75]));
    let up = Sampling { v: VAxis::Up, ..Sampling::default() };
    let area = Area::new(page, Rect::new(35, 1, 28, 30), false).unwrap();
    assert_eq!(area.rect(&up), UvRect([0.068_359_375, 0.996_093_75, 0.123_046_875, 0.878_906_25]));
    let sheet = Sheet { size: Size::new(100, 40), margin: 2, gutter: 2 };
    let grid = sheet.cells_of(Size::new(16, 16)).unwrap();
    assert_eq!((grid.counts(), grid.left_over()), ([5, 2], [8, 2]));
    assert_eq!(grid.cell(6).unwrap().rect, Rect::new(20, 20, 16, 16));
}

#[test]
fn a_shrink_stops_at_the_centre_and_says_so() {
    let area = Area::new(Size::new(10, 10), Rect::new(2, 4, 1, 4), false).unwrap();
    let half = |shrink: f64| area.rect(&Sampling { shrink, ..Sampling::default() }).0;
    assert_eq!((half(0.5), area.shrinks_to_centre(0.5)), ([0.25, 0.45, 0.25, 0.75], [false, false]));
    assert_eq!((half(3.0), area.shrinks_to_centre(3.0)), ([0.25, 0.6, 0.25, 0.6], [true, true]));
}

#[test]
fn quarter_turns_leave_whole_positions_whole() {
    let area = Area::new(Size::new(8, 8), Rect::new(0, 0, 4, 2), false).unwrap();
    let shown = Picture::whole(area).part(&[]).unwrap();
    let at = |degrees: f64, y: ScreenY| {
        let placement = Placement { at: [10.0, 20.0], degrees, y, ..Placement::default() };
        quad(&shown, [2.0, 1.0], &placement, &Sampling::default()).positions
    };
    assert_eq!(at(90.0, ScreenY::Down), [[11.0, 18.0], [11.0, 22.0], [9.0, 22.0], [9.0, 18.0]]);
    for (degrees, same) in [(-270.0, 90.0), (450.0, 90.0), (-180.0, 180.0), (-90.0, 270.0), (-360.0, 0.0), (720.0, 0.0)]
    {
        assert_eq!(at(degrees, ScreenY::Down), at(same, ScreenY::Down), "{degrees}");
    }
    assert_eq!(at(-90.0, ScreenY::Down), [[9.0, 22.0], [9.0, 18.0], [11.0, 18.0], [11.0, 22.0]]);
    assert_eq!(at(90.0, ScreenY::Up), [[9.0, 18.0], [9.0, 22.0], [11.0, 22.0], [11.0, 18.0]]);
    assert_eq!(at(0.0, ScreenY::Up)[0], [8.0, 21.0], "the picture stays upright");
}

#[test]
fn sizes_fit_and_fill_and_nonsense_is_refused() {
    assert_eq!(fit(Size::new(32, 16), [64.0, 64.0]), [2.0, 2.0]);
    assert_eq!(fill(Size::new(32, 16), [64.0, 64.0]), [2.0, 4.0]);
    assert!(matches!(Area::new(Size::new(4, 4), Rect::new(1, 1, 4, 1), false), Err(AreaError::Outside { .. })));
    assert!(matches!(Area::new(Size::new(4, 4), Rect::new(1, 1, 0, 1), false), Err(AreaError::Empty(_))));
    let huge = Rect::new(u32::MAX, u32::MAX, u32::MAX, u32::MAX);
    assert!(Area::new(Size::new(u32::MAX, u32::MAX), huge, true).is_err());
    let sheet = Sheet { size: Size::new(16, 16), margin: u32::MAX, gutter: u32::MAX };
    assert!(matches!(sheet.cells_of(Size::new(1, 1)), Err(GridError::NoRoom { .. })));
    let wide = Sheet { margin: 0, ..sheet }.cells_of(Size::new(16, 16)).unwrap();
    assert_eq!((wide.count(), wide.at_pixel([15, 15]).map(|c| c.index), wide.left_over()), (1, Some(0), [0, 0]));
    assert_eq!(
        tiles(Size::new(1, 1), Size::new(u32::MAX, 2)).unwrap_err(),
        TileError::TooMany(2 * u64::from(u32::MAX))
    );
    let area = Area::new(Size::new(8, 8), Rect::new(0, 0, 4, 2), false).unwrap();
    let far = Part { x: i32::MAX, y: i32::MIN, w: u32::MAX, h: u32::MAX };
    assert!(Picture::whole(area).part(&[far; 9]).is_err());
}

#[test]
fn what_has_no_pixels_is_refused_as_that() {
    let (page, flat, thin) = (Size::new(8, 8), Rect::new(1, 1, 2, 0), Rect::new(1, 1, 0, 2));
    for empty in [flat, thin] {
        assert!(matches!(Area::new(page, empty, false), Err(AreaError::Empty(_))));
        let size = empty.size();
        let whole = Picture::whole(Area::new(page, Rect::new(0, 0, 4, 4), false).unwrap());
        assert_eq!(whole.area.inner(empty), None);
        let part = Part { x: 0, y: 0, w: size.w, h: size.h };
        assert_eq!(whole.part(&[part]), Err(PartError::Empty));
        assert_eq!(whole.part(&[]).unwrap().part(part), Err(PartError::Empty));
        assert_eq!(tiles(size, page).unwrap_err(), TileError::Empty);
        assert_eq!(tiles(page, size).unwrap_err(), TileError::Empty);
        let sheet = |size| Sheet { size, margin: 0, gutter: 0 };
        assert_eq!(sheet(size).cells_of(page), Err(GridError::Zero));
        assert_eq!(sheet(page).cells_of(size), Err(GridError::Zero));
        assert_eq!(sheet(size).split(1, 1), Err(GridError::Zero));
        assert_eq!(sheet(page).split(size.w, size.h), Err(GridError::Zero));
    }
    assert!(tiles(Size::new(1, 1), Size::new(4096, 4096)).is_ok(), "the most tiles");
    assert_eq!(tiles(Size::new(1, 1), Size::new(4096, 4097)).unwrap_err(), TileError::TooMany((1 << 24) + 4096));
    // Nine columns with gutters between them: 100 - 8 * 5 pixels for nine.
    let grid = Sheet { size: Size::new(100, 50), margin: 0, gutter: 5 }.split(9, 1).unwrap();
    assert_eq!((grid.cell(8).map(|cell| cell.rect), grid.left_over()), (Some(Rect::new(88, 0, 6, 50)), [6, 0]));
}

#[test]
fn the_edge_of_the_visible_box_is_stored_too() {
    let area = Area::new(Size::new(64, 64), Rect::new(0, 0, 4, 4), false).unwrap();
    let picture = Picture { area, canvas: Size::new(8, 8), inset: [2, 2] };
    let stored = |u, v| picture.stores([u, v], VAxis::Down);
    assert!(stored(0.25, 0.25) && stored(0.75, 0.75));
    assert!(!stored(0.24, 0.5) && !stored(0.76, 0.5) && !stored(0.5, 0.24) && !stored(0.5, 0.76));
}

#[test]
fn vertices_are_the_numbers_of_the_quad_in_order() {
    let quad = Quad {
        positions: [[1.0, 2.0], [3.0, 4.0], [5.0, 6.0], [7.0, 8.5]],
        uv: [[0.1, 0.2], [0.3, 0.4], [0.5, 0.6], [0.7, 0.8]],
        indices: [0, 1, 2, 0, 2, 3],
    };
    for (corner, vertex) in quad.vertices([9, 8, 7, 6]).iter().enumerate() {
        let number = |at: usize| f32::from_le_bytes(vertex[at * 4..][..4].try_into().unwrap());
        assert_eq!([number(0), number(1)], quad.positions[corner]);
        assert_eq!([number(2), number(3)], quad.uv[corner]);
        assert_eq!(vertex[16..], [9, 8, 7, 6]);
    }
}

proptest! {
    /// A plain renderer draws it on a canvas of the new size: every pixel is the one that its band prescribes, and none
    /// is drawn twice.
    #[test]
    fn a_stretched_sprite_keeps_its_bands_and_fills_the_rest(
        scene in scenes(), bands in any::<[u8; 4]>(), to in [1u32..60, 1u32..60], tiled: bool,
    ) {
        let picture = scene.picture;
        let bands = bands.map(|band| u32::from(band) % 12);
        let middle = if tiled { Middle::Tiled } else { Middle::Stretched };
        let size = to.map(f64::from);
        let stretched = Stretched::new(picture, bands, size, middle);
        let quads: Vec<Quad> = stretched.quads([0.0; 2], Placement::default(), Sampling::default()).collect();
        // Which place of the source a place of the stretched canvas shows, along one side, by definition.
        let source = |at: f64, length: u32, first: u32, last: u32, to: f64| {
            let first = first.min(length);
            let last = last.min(length - first);
            let (both, between) = (f64::from(first + last), f64::from(length - first - last));
            let size = if both > to { to / both } else { 1.0 };
            let (start, end) = (f64::from(first) * size, to - f64::from(last) * size);
            if at < start {
                return at / size;
            } else if at > end {
                return f64::from(length) - (to - at) / size;
            }
            let copies = if tiled && between > 0.0 { ((end - start) / between).round().max(1.0) } else { 1.0 };
            let way = (at - start) / (end - start) * copies;
            f64::from(first) + (way - way.floor()) * between
        };
        let Size { w, h } = picture.canvas;
        for (i, j) in (0..to[1]).flat_map(|j| (0..to[0]).map(move |i| (i, j))) {
            // Off the grid, where no edge lies.
            let [x, y] = [f64::from(i) + 0.4871, f64::from(j) + 0.5127];
            let from = [source(x, w, bands[0], bands[2], size[0]), source(y, h, bands[1], bands[3], size[1])];
            let inside = |quad: &&Quad| {
                let [[l, t], _, [r, b], _] = quad.positions.map(|p| p.map(f64::from));
                l < x && x < r && t < y && y < b
            };
            let over: Vec<&Quad> = quads.iter().filter(inside).collect();
            prop_assert!(over.len() <= 1, "drawn twice at {x}, {y}");
            let near_edge = from.iter().any(|at| (at - at.round()).abs() < 0.02);
            if near_edge {
                continue;
            }
            let visible = picture.visible_box();
            let (px, py) = (from[0].floor() as u32, from[1].floor() as u32);
            let stored = from.iter().all(|at| *at >= 0.0) && px >= visible.x && py >= visible.y && px < visible.x + visible.w && py < visible.y + visible.h;
            prop_assert_eq!(stored, over.len() == 1, "{:?} from {:?}", (x, y), from);
            let Some(quad) = over.first() else { continue };
            // The texture coordinate there, between the corners.
            let [[l, t], _, [r, b], _] = quad.positions.map(|p| p.map(f64::from));
            let [a, bb] = [(x - l) / (r - l), (y - t) / (b - t)];
            let mix = |k: usize| {
                let [tl, tr, br, bl] = quad.uv.map(|uv| f64::from(uv[k]));
                (tl * (1.0 - a) + tr * a) * (1.0 - bb) + (bl * (1.0 - a) + br * a) * bb
            };
            let page = picture.area.page();
            let texel = [(mix(0) * f64::from(page.w)).floor() as u32, (mix(1) * f64::from(page.h)).floor() as u32];
            let found = scene.page.get(texel[0], texel[1]);
            prop_assert_eq!(found, scene.source.get(px - visible.x, py - visible.y), "{:?}", from);
        }
    }
}

#[test]
fn points_move_with_their_bands() {
    let area = Area::new(Size::new(64, 64), Rect::new(0, 0, 20, 10), false).unwrap();
    let wide = Stretched::new(Picture::whole(area), [4, 3, 6, 3], [100.0, 10.0], Middle::Stretched);
    assert_eq!(wide.point([2.0, 5.0]), [2.0, 5.0]);
    assert_eq!(wide.point([17.0, 9.0]), [97.0, 9.0]);
    assert_eq!(wide.point([9.0, -1.0]), [49.0, -1.0]);
    // No room for the bands: they shrink in proportion.
    let narrow = Stretched::new(Picture::whole(area), [4, 3, 6, 3], [5.0, 10.0], Middle::Stretched);
    assert_eq!((narrow.point([4.0, 0.0]), narrow.point([14.0, 0.0])), ([2.0, 0.0], [2.0, 0.0]));
    // Beyond a side without a band, points keep their distance from it, in canvas pixels.
    let bare = Stretched::new(Picture::whole(area), [0, 0, 0, 4], [100.0, 30.0], Middle::Stretched);
    assert_eq!((bare.point([-3.0, 12.0]), bare.point([25.0, 0.0])), ([-3.0, 32.0], [105.0, 0.0]));
    // Only bands that have pixels and room are drawn.
    let drawn = |bands, to| {
        let stretched = Stretched::new(Picture::whole(area), bands, to, Middle::Stretched);
        stretched.quads([0.0, 0.0], Placement::default(), Sampling::default()).count()
    };
    assert_eq!(drawn([4, 3, 6, 3], [100.0, 30.0]), 9);
    assert_eq!(drawn([4, 3, 6, 3], [5.0, 30.0]), 6, "no room for the middle");
    assert_eq!(drawn([0, 0, 6, 3], [100.0, 30.0]), 4, "no bands on the left and at the top");
    assert_eq!(drawn([12, 0, 8, 0], [100.0, 30.0]), 2, "no middle");
}
