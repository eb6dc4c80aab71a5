//! The post: letters, stamps, letter boxes.

use crate::canvas::{Canvas, Ink, TURN, cos, curve, dot, oval, path, plate, poly, rgb, rgba, sin};
use anyhow::Result;
use tiny_skia::Transform;

const INK: u32 = 0x3a_2a_3f;

/// A letter as it lies: plain, sealed, by air, or a bundle of three.
pub fn letter(kind: &str) -> Result<Canvas> {
    let mut canvas = Canvas::new(44, 36)?;
    match kind {
        "bundle" => {
            for (x, y, angle) in [(2.0, 6.0, -6.0), (3.0, 2.0, 4.0), (2.0, 4.0, 0.0)] {
                canvas.place = Transform::from_rotate_at(angle, 22.0, 18.0).pre_translate(x - 2.0, y - 4.0);
                envelope(&mut canvas, 0xf7_ec_d2);
            }
            canvas.place = Transform::identity();
            canvas.line(&poly(&[(22.0, 6.0), (22.0, 30.0)]), 2.0, 0xb2_3a_48);
            canvas.line(&poly(&[(5.0, 19.0), (39.0, 19.0)]), 2.0, 0xb2_3a_48);
            canvas.shape(&oval(18.5, 17.0, 3.5, 2.2), 0xd8_57_60, 1.0, 0x7c_22_35);
            canvas.shape(&oval(25.5, 17.0, 3.5, 2.2), 0xd8_57_60, 1.0, 0x7c_22_35);
        }
        "air" => {
            envelope(&mut canvas, 0xf4_f8_ff);
            for k in 0..8u8 {
                let x = 6.0 + f32::from(k) * 4.2;
                let color = if k % 2 == 0 { 0xd8_45_55 } else { 0x3f_6f_c9 };
                canvas.line(&poly(&[(x, 29.0), (x + 1.8, 26.6)]), 2.0, color);
            }
        }
        "sealed" => {
            envelope(&mut canvas, 0xf7_ec_d2);
            canvas.shape(&dot(22.0, 19.0, 4.6), 0xc8_34_45, 1.2, 0x7c_18_2c);
            canvas.line(&curve((20.0, 19.5), (20.8, 16.8), (23.2, 16.8), (24.0, 19.5)), 1.1, 0xff_b0_a8);
        }
        _ => envelope(&mut canvas, 0xf7_ec_d2),
    }
    Ok(canvas)
}

fn envelope(canvas: &mut Canvas, paper: u32) {
    canvas.shape(&plate(3.0, 5.0, 38.0, 26.0, 2.0), paper, 1.6, INK);
    canvas.line(
        &poly(&[(4.0, 30.0), (18.0, 18.0), (26.0, 18.0), (40.0, 30.0), (26.0, 18.0), (18.0, 18.0)]),
        0.9,
        rgba(INK, 0.45),
    );
    let flap = path(|b| {
        b.move_to(3.6, 6.0);
        b.line_to(40.4, 6.0);
        b.quad_to(24.0, 20.0, 22.0, 20.0);
        b.quad_to(20.0, 20.0, 3.6, 6.0);
        b.close();
    });
    canvas.shape(
        &flap,
        Ink::Between((0.0, 5.0), (0.0, 21.0), vec![(0.0, rgb(paper)), (1.0, rgb(0xdc_c9_a4))]),
        1.2,
        INK,
    );
}

/// A letter turning in the air; six frames, the back is shown in the second half.
pub fn spinning(frame: u32) -> Result<Canvas> {
    let t = frame as f32 / 6.0 * TURN + 0.3;
    let mut canvas = Canvas::new(44, 44)?;
    let squeeze = cos(t);
    canvas.place = Transform::from_translate(22.0, 22.0)
        .pre_rotate(10.0 * sin(t))
        .pre_scale(squeeze.abs().max(0.08), 1.0)
        .pre_translate(-22.0, -18.0);
    if squeeze > 0.0 {
        envelope(&mut canvas, 0xf7_ec_d2);
    } else {
        canvas.shape(&plate(3.0, 5.0, 38.0, 26.0, 2.0), 0xe8_d8_b4, 1.6, INK);
        for (y, x) in [(14.0, 27.0), (18.5, 30.0), (23.0, 22.0)] {
            canvas.line(&poly(&[(9.0, y), (x, y)]), 1.2, rgba(INK, 0.55));
        }
        canvas.shape(&plate(32.0, 8.0, 6.0, 7.0, 0.5), 0x7d_66_b8, 0.8, INK);
    }
    Ok(canvas)
}

/// A stamp with one of four pictures.
pub fn stamp(motif: &str) -> Result<Canvas> {
    let mut canvas = Canvas::new(40, 48)?;
    let (top, bottom) = match motif {
        "moon" => (0x1f_2a_5c, 0x4a_4f_94),
        "lantern" => (0x5c_1f_3c, 0xc2_5a_4a),
        "reed" => (0x14_4a_4a, 0x6d_a8_6a),
        _ => (0x3a_2c_63, 0x8f_6f_c2),
    };
    canvas.shape(&plate(2.5, 2.5, 35.0, 43.0, 0.5), 0xfb_f4_e2, 1.0, 0xcf_c1_a4);
    for k in 0..9u8 {
        let (x, y) = (3.0 + f32::from(k) * 4.25, 3.0 + f32::from(k) * 5.25);
        for (cx, cy) in [(x, 2.0), (x, 46.0), (2.0, y), (38.0, y)] {
            canvas.cut(&dot(cx, cy, 1.45));
        }
    }
    let sky = vec![(0.0, rgb(top)), (1.0, rgb(bottom))];
    canvas.fill(&plate(7.0, 7.0, 26.0, 34.0, 1.0), Ink::Between((0.0, 7.0), (0.0, 41.0), sky));
    match motif {
        "moon" => {
            canvas.fill(&dot(20.0, 21.0, 8.5), 0xf7_ec_c4);
            canvas.fill(&dot(23.5, 18.5, 7.4), 0x2a_34_69);
            canvas.line(&curve((8.0, 35.0), (15.0, 31.0), (25.0, 39.0), (32.0, 34.0)), 1.6, 0xb9_c4_f0);
        }
        "lantern" => {
            canvas.fill(
                &dot(20.0, 24.0, 11.0),
                Ink::Around((20.0, 24.0), 11.0, vec![(0.0, rgba(0xff_e9_a8, 0.8)), (1.0, rgba(0xff_e9_a8, 0.0))]),
            );
            canvas.shape(&plate(15.5, 17.0, 9.0, 14.0, 3.0), 0xff_c4_5a, 1.4, 0x3a_14_2a);
            canvas.line(&poly(&[(20.0, 8.0), (20.0, 16.0)]), 1.4, 0x3a_14_2a);
        }
        "reed" => {
            for (x, y) in [(15.0, 18.0), (21.0, 13.0), (26.0, 20.0)] {
                canvas.line(&curve((20.0, 40.0), (19.0, 32.0), (x, 28.0), (x, y)), 1.3, 0xe2_f0_b4);
                canvas.fill(&oval(x, y, 1.8, 4.6), 0x5a_32_20);
            }
        }
        _ => {
            for side in [-1.0, 1.0] {
                canvas.fill(&oval(20.0 + 5.6 * side, 21.0, 5.6, 4.4), 0xf0_d6_f4);
                canvas.fill(&oval(20.0 + 4.0 * side, 27.5, 3.8, 3.4), 0xc9_ac_e8);
            }
            canvas.fill(&oval(20.0, 24.0, 2.0, 7.0), 0xff_e2_a8);
        }
    }
    Ok(canvas)
}

/// A letter box; five frames of opening, the first is closed.
pub fn letter_box(frame: u32) -> Result<Canvas> {
    let open = frame as f32 / 4.0;
    let mut canvas = Canvas::scaled(60, 80, 5.0 / 6.0)?;
    canvas.shape(
        &plate(31.0, 52.0, 10.0, 42.0, 1.5),
        Ink::Between((31.0, 0.0), (41.0, 0.0), vec![(0.0, rgb(0x8a_5d_42)), (1.0, rgb(0x4a_2e_2a))]),
        1.6,
        INK,
    );
    let case = path(|b| {
        b.move_to(12.0, 58.0);
        b.line_to(12.0, 34.0);
        b.quad_to(12.0, 16.0, 30.0, 16.0);
        b.line_to(44.0, 16.0);
        b.quad_to(62.0, 16.0, 62.0, 34.0);
        b.line_to(62.0, 58.0);
        b.close();
    });
    let paint = vec![(0.0, rgb(0x4f_9d_b8)), (1.0, rgb(0x24_4f_78))];
    canvas.shape(&case, Ink::Between((0.0, 16.0), (0.0, 58.0), paint), 2.0, INK);
    canvas.fill(&plate(18.0, 27.0, 38.0, 25.0, 3.0), 0x16_1c_36);
    if frame >= 2 {
        canvas.place = Transform::from_translate(15.0, 20.0 + 6.0 * (1.0 - open));
        envelope(&mut canvas, 0xf7_ec_d2);
        canvas.place = Transform::identity();
    }
    // The door hangs on its lower edge and comes down towards us.
    canvas.place = Transform::from_translate(37.0, 53.0).pre_scale(1.0 + 0.12 * open, 1.0 - 1.45 * open);
    canvas.shape(&plate(-21.0, -28.0, 42.0, 28.0, 4.0), 0x5f_b2_c9, 1.8, INK);
    canvas.shape(&dot(0.0, -22.0, 2.0), 0xff_d0_7a, 1.0, INK);
    canvas.place = Transform::from_rotate_at(-90.0 * (1.0 - open), 64.0, 40.0);
    canvas.line(&poly(&[(64.0, 40.0), (64.0, 20.0)]), 2.4, INK);
    canvas.shape(&poly(&[(64.0, 16.0), (56.0, 19.5), (64.0, 23.0)]), 0xd8_45_55, 1.4, INK);
    Ok(canvas)
}
