//! The courier: a moth with a satchel, seen from above.

use crate::canvas::{Canvas, Ink, TURN, curve, dot, oval, path, plate, poly, rgb, rgba, sin};
use anyhow::Result;
use tiny_skia::Transform;

const OUTLINE: u32 = 0x2a_21_40;

/// How the moth holds itself.
struct Pose {
    /// How far the wings are spread: 1 flat, near 0 folded up.
    spread: f32,
    /// How far the wings are swept back, as an angle.
    sweep: f32,
    /// How far it is lifted from the middle of its canvas, in pixels.
    lift: f32,
    /// How far the antennae lean outwards.
    feelers: f32,
}

/// Eight frames of flight: one beat of the wings.
pub fn fly(frame: u32) -> Result<Canvas> {
    let t = frame as f32 / 8.0 * TURN;
    draw(&Pose { spread: 0.66 + 0.34 * sin(t + 1.2), sweep: 0.16 * sin(t), lift: 2.5 * sin(t), feelers: 0.4 })
}

/// Six frames from flight to standing.
pub fn land(frame: u32) -> Result<Canvas> {
    let t = frame as f32 / 5.0;
    let spread = 0.98 - 0.62 * t + 0.14 * sin(t * TURN * 1.5);
    draw(&Pose { spread, sweep: 0.5 * t, lift: 4.0 - 9.0 * t, feelers: 0.4 - 0.3 * t })
}

/// Four frames of standing: only the antennae move, and the second returns to where the first was.
pub fn idle(frame: u32) -> Result<Canvas> {
    let feelers = [0.1, 0.3, 0.1, -0.1][frame as usize % 4];
    draw(&Pose { spread: 0.36, sweep: 0.5, lift: -5.0, feelers })
}

fn draw(pose: &Pose) -> Result<Canvas> {
    let mut canvas = Canvas::new(64, 64)?;
    let centre = Transform::from_translate(32.0, 33.0 - pose.lift);
    for side in [-1.0, 1.0] {
        canvas.place = centre.pre_scale(side, 1.0);
        feeler(&mut canvas, pose.feelers);
        let swept = Transform::from_rotate(pose.sweep.to_degrees());
        canvas.place = centre.pre_scale(side * pose.spread, 1.0).pre_concat(swept);
        wings(&mut canvas);
    }
    canvas.place = centre;
    body(&mut canvas);
    Ok(canvas)
}

fn feeler(canvas: &mut Canvas, lean: f32) {
    let tip = (5.0 + 5.0 * lean, -24.0);
    canvas.line(&curve((1.5, -11.0), (2.0, -16.0), (3.0 + 4.0 * lean, -20.0), tip), 1.4, OUTLINE);
    for k in 0..4 {
        let (t, reach) = (k as f32 / 4.0, 2.6 - 0.4 * k as f32);
        let (x, y) = (2.2 + t * (tip.0 - 1.8), -15.5 - t * 8.0);
        canvas.line(&poly(&[(x, y), (x + reach, y - 1.2)]), 0.8, OUTLINE);
    }
}

fn wings(canvas: &mut Canvas) {
    let lower = path(|b| {
        b.move_to(2.0, 1.0);
        b.cubic_to(11.0, 2.0, 19.0, 9.0, 16.0, 17.0);
        b.cubic_to(14.0, 22.0, 5.0, 17.0, 2.0, 8.0);
        b.close();
    });
    let low = vec![(0.0, rgb(0xd9_c6_f2)), (0.7, rgb(0xa5_8c_d6)), (1.0, rgb(0x7d_66_b8))];
    canvas.shape(&lower, Ink::Around((3.0, 4.0), 20.0, low), 1.5, OUTLINE);
    let upper = path(|b| {
        b.move_to(2.0, -6.0);
        b.cubic_to(8.0, -16.0, 22.0, -20.0, 28.5, -15.0);
        b.cubic_to(29.0, -7.0, 24.0, 4.0, 13.0, 5.0);
        b.cubic_to(8.0, 5.0, 4.0, 3.0, 2.0, 1.0);
        b.close();
    });
    let high = vec![(0.0, rgb(0xff_f4_dc)), (0.55, rgb(0xe8_cf_f0)), (1.0, rgb(0x93_79_cc))];
    canvas.shape(&upper, Ink::Around((4.0, -3.0), 28.0, high), 1.5, OUTLINE);
    canvas.line(&curve((7.0, -9.0), (13.0, -13.0), (19.0, -14.0), (25.0, -12.5)), 1.0, rgba(0x5d_47_99, 0.6));
    canvas.line(&curve((10.0, 1.5), (16.0, 1.0), (21.0, -3.0), (24.0, -8.0)), 1.0, rgba(0x5d_47_99, 0.6));
    canvas.shape(&dot(17.0, -6.5, 3.4), 0xff_d0_7a, 1.1, 0x5d_47_99);
    canvas.fill(&dot(17.0, -6.5, 1.5), 0x3a_2c_63);
    canvas.shape(&dot(10.5, 11.0, 2.2), 0xff_d0_7a, 0.9, 0x5d_47_99);
}

fn body(canvas: &mut Canvas) {
    let fur = vec![(0.0, rgb(0xff_ef_cf)), (1.0, rgb(0xc9_9a_6a))];
    canvas.shape(&oval(0.0, 4.0, 5.0, 12.0), Ink::Around((-1.0, 1.0), 13.0, fur), 1.5, OUTLINE);
    for y in [5.0, 9.0, 13.0] {
        canvas.line(&curve((-3.8, y), (-1.5, y + 1.8), (1.5, y + 1.8), (3.8, y)), 1.0, rgba(0x8a_5a_3c, 0.7));
    }
    let collar = vec![(0.0, rgb(0xff_ff_ff)), (1.0, rgb(0xf0_d6_a8))];
    canvas.shape(&oval(0.0, -5.0, 6.5, 4.8), Ink::Around((-1.0, -6.0), 7.0, collar), 1.3, OUTLINE);
    canvas.shape(&dot(0.0, -11.0, 4.6), 0xf4_dc_b4, 1.4, OUTLINE);
    for side in [-1.0, 1.0] {
        canvas.fill(&dot(2.2 * side, -12.0, 1.5), OUTLINE);
        canvas.fill(&dot(2.2 * side - 0.5, -12.5, 0.5), 0xff_ff_ff);
    }
    // The satchel with a letter looking out.
    canvas.line(&curve((-5.5, -6.0), (-2.0, 0.0), (2.0, 4.0), (5.0, 7.0)), 1.5, 0x7a_3b_2e);
    canvas.shape(&plate(2.0, 3.5, 6.5, 4.0, 0.6), 0xff_fb_ee, 0.9, OUTLINE);
    canvas.shape(&plate(1.2, 5.5, 8.2, 6.2, 1.4), 0xc4_56_3f, 1.2, OUTLINE);
    canvas.fill(&dot(5.3, 8.6, 1.0), 0xff_d0_7a);
}
