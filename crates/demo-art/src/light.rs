//! What shines: lanterns, sparks, stars, the moon.

use crate::canvas::{Canvas, Ink, TURN, cos, dot, path, plate, poly, rgb, rgba, sin};
use anyhow::Result;
use tiny_skia::Transform;

const IRON: u32 = 0x2b_2a_3d;

/// The three colours of lanterns: name, glass, glow.
pub const GLASSES: [(&str, u32, u32); 3] =
    [("amber", 0xff_b3_3f, 0xff_e9_a8), ("rose", 0xf0_5d_86, 0xff_c2_d2), ("teal", 0x2f_b8_a8, 0xb8_ff_ee)];

/// A hanging lantern; six frames of its flame.
pub fn lantern(glass: u32, glow: u32, frame: u32) -> Result<Canvas> {
    let t = frame as f32 / 6.0 * TURN;
    let strength = 0.82 + 0.12 * sin(t) + 0.06 * sin(2.0 * t + 1.0);
    let mut canvas = Canvas::scaled(40, 60, 5.0 / 6.0)?;
    let halo = vec![(0.0, rgba(glow, 0.55 * strength)), (0.5, rgba(glass, 0.18 * strength)), (1.0, rgba(glass, 0.0))];
    canvas.fill(&dot(24.0, 41.0, 23.0), Ink::Around((24.0, 41.0), 23.0, halo));
    canvas.line(&dot(24.0, 6.0, 4.0), 2.0, IRON);
    let hood = poly(&[(13.0, 24.0), (20.0, 12.0), (28.0, 12.0), (35.0, 24.0)]);
    canvas.shape(
        &hood,
        Ink::Between((13.0, 12.0), (35.0, 24.0), vec![(0.0, rgb(0x5a_59_78)), (1.0, rgb(IRON))]),
        2.0,
        IRON,
    );
    let pane = path(|b| {
        b.move_to(15.0, 24.0);
        b.line_to(33.0, 24.0);
        b.quad_to(38.0, 41.0, 33.0, 57.0);
        b.line_to(15.0, 57.0);
        b.quad_to(10.0, 41.0, 15.0, 24.0);
        b.close();
    });
    let light = vec![(0.0, rgb(0xff_ff_f0)), (0.35 * strength, rgb(glow)), (1.0, rgb(glass))];
    canvas.shape(&pane, Ink::Around((24.0, 43.0), 24.0, light), 2.2, IRON);
    canvas.place = Transform::from_translate(24.0 + 1.2 * sin(t), 51.0).pre_scale(1.0, 0.85 + 0.25 * strength);
    let flame = path(|b| {
        b.move_to(0.0, 1.0);
        b.cubic_to(-6.5, 1.0, -4.5, -8.0, 1.4 * cos(t), -15.0);
        b.cubic_to(4.5, -8.0, 6.5, 1.0, 0.0, 1.0);
        b.close();
    });
    canvas.fill(&flame, Ink::Between((0.0, -15.0), (0.0, 1.0), vec![(0.0, rgb(glass)), (0.6, rgb(0xff_ff_ff))]));
    canvas.place = Transform::identity();
    for x in [19.0, 29.0] {
        canvas.line(&poly(&[(x, 25.0), (x, 56.0)]), 1.2, rgba(IRON, 0.75));
    }
    canvas.shape(&plate(13.0, 56.0, 22.0, 6.0, 2.0), 0x5a_59_78, 2.0, IRON);
    canvas.shape(&poly(&[(20.0, 62.0), (28.0, 62.0), (24.0, 69.0)]), IRON, 1.0, IRON);
    Ok(canvas)
}

/// A spark of 8 by 8 pixels; four frames of going out.
pub fn spark(frame: u32) -> Result<Canvas> {
    let mut canvas = Canvas::new(8, 8)?;
    let r = 3.8 - 0.9 * frame as f32;
    let glow = vec![(0.0, rgb(0xff_ff_f0)), (0.4, rgba(0xff_d0_7a, 0.9)), (1.0, rgba(0xff_8a_3c, 0.0))];
    canvas.fill(&dot(4.0, 4.0, r), Ink::Around((4.0, 4.0), r, glow));
    Ok(canvas)
}

/// A star with four rays on a canvas of 16.
pub fn star(size: f32) -> Result<Canvas> {
    let mut canvas = Canvas::new(16, 16)?;
    canvas.place = Transform::from_translate(8.0, 8.0).pre_scale(size, size);
    let rays: Vec<(f32, f32)> = (0..8u8)
        .map(|k| {
            let (r, a) = (if k % 2 == 0 { 7.0 } else { 1.6 }, f32::from(k) / 8.0 * TURN);
            (r * sin(a), -r * cos(a))
        })
        .collect();
    canvas.fill(&poly(&rays), 0xff_f6_d0);
    canvas.fill(&dot(0.0, 0.0, 1.8), 0xff_ff_ff);
    Ok(canvas)
}

/// The moon in one of eight phases: 0 is new, 4 is full.
pub fn moon(phase: u32) -> Result<Canvas> {
    const R: f32 = 38.0;
    let mut canvas = Canvas::scaled(72, 72, 0.75)?;
    canvas.place = Transform::from_translate(48.0, 48.0);
    canvas.fill(&dot(0.0, 0.0, R), Ink::Around((0.0, 0.0), R, vec![(0.8, rgb(0x22_26_45)), (1.0, rgb(0x39_40_6b))]));
    if phase > 0 {
        let halo = vec![(0.8, rgba(0xf4_f0_d8, 0.28)), (1.0, rgba(0xf4_f0_d8, 0.0))];
        if phase == 4 {
            canvas.fill(&dot(0.0, 0.0, 47.0), Ink::Around((0.0, 0.0), 47.0, halo));
        }
        // The lit part lies between half of the rim and half an ellipse.
        let side = if phase <= 4 { 1.0 } else { -1.0 };
        let edge = side * R * cos(phase as f32 / 8.0 * TURN);
        let lit = path(|b| {
            let k = 0.552_284_8;
            b.move_to(0.0, -R);
            b.cubic_to(side * R * k, -R, side * R, -R * k, side * R, 0.0);
            b.cubic_to(side * R, R * k, side * R * k, R, 0.0, R);
            b.cubic_to(edge * k, R, edge, R * k, edge, 0.0);
            b.cubic_to(edge, -R * k, edge * k, -R, 0.0, -R);
            b.close();
        });
        let face = vec![(0.0, rgb(0xff_fd_f0)), (0.7, rgb(0xf2_e9_c4)), (1.0, rgb(0xcf_c1_98))];
        canvas.fill(&lit, Ink::Around((-8.0, -8.0), 52.0, face));
    }
    for (x, y, r) in [
        (-12.0, -14.0, 7.0),
        (14.0, -4.0, 5.0),
        (-4.0, 12.0, 9.0),
        (17.0, 17.0, 4.0),
        (-22.0, 6.0, 4.0),
        (4.0, -25.0, 3.5),
    ] {
        canvas.fill(&dot(x, y, r), rgba(0x8f_86_78, 0.28));
        canvas.fill(&dot(x + 0.8, y + 0.8, r * 0.8), rgba(0x6c_66_66, 0.16));
    }
    Ok(canvas)
}
