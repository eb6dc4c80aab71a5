//! Reeds, wind and water.

use crate::canvas::{Canvas, Ink, TURN, curve, oval, path, rgb, rgba, sin};
use anyhow::Result;
use tiny_skia::Transform;

/// A clump of reeds; eight frames of swaying.
pub fn reed(frame: u32) -> Result<Canvas> {
    let t = frame as f32 / 8.0 * TURN;
    let mut canvas = Canvas::scaled(48, 96, 6.0 / 7.0)?;
    for (x, height, phase, width) in [(14.0, 70.0, 0.9, 2.6), (42.0, 62.0, 2.2, 2.6), (28.0, 92.0, 0.0, 3.0)] {
        let lean = 5.0 * sin(t + phase) + 2.0;
        let top = (x + lean, 110.0 - height);
        leaf(&mut canvas, x, height * 0.72, -9.0 + lean * 0.7);
        leaf(&mut canvas, x, height * 0.6, 10.0 + lean * 0.7);
        let stem = vec![(0.0, rgb(0x9c_b8_6a)), (1.0, rgb(0x3d_5e_43))];
        let bend = (x, 110.0 - height * 0.6);
        canvas.line(&curve((x, 111.0), bend, bend, top), width, Ink::Between(top, (x, 111.0), stem));
        canvas.place = Transform::from_translate(top.0, top.1).pre_rotate(lean * 1.6);
        canvas.line(&curve((0.0, -14.0), (0.0, -10.0), (0.0, -8.0), (0.0, -4.0)), 1.2, 0x6b_7a_4a);
        let head = vec![(0.0, rgb(0x9a_62_3c)), (1.0, rgb(0x4e_2c_20))];
        canvas.shape(&oval(0.0, 3.0, 3.6, 9.5), Ink::Between((-4.0, 0.0), (4.0, 0.0), head), 1.0, 0x2f_1b_18);
        canvas.place = Transform::identity();
    }
    Ok(canvas)
}

fn leaf(canvas: &mut Canvas, x: f32, height: f32, lean: f32) {
    let (top, half) = ((x + lean, 110.0 - height), 110.0 - height * 0.5);
    let blade = path(|b| {
        b.move_to(x - 2.0, 111.0);
        b.quad_to(x - 1.0, half, top.0, top.1);
        b.quad_to(x + 4.0, half, x + 2.5, 111.0);
        b.close();
    });
    let green = vec![(0.0, rgb(0xb5_cf_74)), (1.0, rgb(0x2f_5a_45))];
    canvas.shape(&blade, Ink::Between(top, (x, 111.0), green), 0.8, rgba(0x1d_3a_33, 0.9));
}

/// A gust of wind; five frames that draw three curls from left to right. The sixth is empty: the gust is over.
pub fn wind(frame: u32) -> Result<Canvas> {
    let mut canvas = Canvas::scaled(112, 49, 7.0 / 8.0)?;
    if frame >= 5 {
        return Ok(canvas);
    }
    let drift = frame as f32 * 13.0;
    let strength = [0.45, 0.85, 1.0, 0.7, 0.3][frame as usize];
    for (y, start, length, width) in [(16.0, 2.0, 46.0, 3.0), (29.0, 14.0, 52.0, 3.6), (42.0, 8.0, 36.0, 2.6)] {
        let (x0, x1) = (start + drift * 0.6, start + length + drift * 0.45);
        let curl = path(|b| {
            b.move_to(x0, y + 3.0);
            b.cubic_to(x0 + length * 0.4, y - 5.0, x1 - 6.0, y + 5.0, x1 + 4.0, y);
            b.cubic_to(x1 + 13.0, y - 4.0, x1 + 10.0, y - 14.0, x1 + 3.0, y - 11.0);
            b.cubic_to(x1 - 2.0, y - 9.0, x1, y - 4.0, x1 + 4.0, y - 5.0);
        });
        let ink =
            vec![(0.0, rgba(0xdf_f2_ff, 0.0)), (0.4, rgba(0xdf_f2_ff, strength)), (1.0, rgba(0xff_ff_ff, strength))];
        canvas.line(&curl, width, Ink::Between((x0, y), (x1, y), ink));
    }
    Ok(canvas)
}

/// Night water, 64 by 64, that goes on without a seam on all sides: every wave has a whole number of periods.
pub fn water() -> Result<Canvas> {
    let mut canvas = Canvas::new(64, 64)?;
    canvas.paint_pixels(|x, y| {
        let (u, v) = (x as f32 / 64.0 * TURN, y as f32 / 64.0 * TURN);
        let swell = sin(2.0 * v + 0.8 * sin(u) + 0.3 * sin(3.0 * u + v));
        let ripple = sin(5.0 * v + 1.4 * sin(2.0 * u + 1.0) - u);
        let crest = (0.6 * swell + 0.4 * ripple - 0.55).max(0.0) * 1.6;
        let mix = |a: f32, b: f32, t: f32| a + (b - a) * t.clamp(0.0, 1.0);
        let deep = 0.5 + 0.5 * swell;
        let part = |low: f32, high: f32, top: f32| mix(mix(low, high, deep), top, crest);
        tiny_skia::Color::from_rgba(part(0.07, 0.12, 0.62), part(0.15, 0.27, 0.80), part(0.31, 0.44, 0.86), 1.0)
            .unwrap_or(tiny_skia::Color::BLACK)
    });
    Ok(canvas)
}
