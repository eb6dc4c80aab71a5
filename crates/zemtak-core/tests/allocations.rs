//! What a game computes every frame takes no memory from the heap.

#![allow(missing_docs, clippy::unwrap_used, reason = "a test may fail loudly")]

use zemtak_core::atlas::Mode;
use zemtak_core::clip::{Player, Ratio, Timeline};
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
