//! What lies over the game: buttons and the emblem.

use crate::canvas::{Canvas, Ink, TURN, cos, curve, dot, oval, path, plate, poly, rgb, rgba, sin};
use crate::{light, moth};
use anyhow::Result;
use tiny_skia::Transform;

/// What buttons say.
pub const SIGNS: [&str; 4] = ["play", "pause", "map", "post"];

/// A button: `up`, `down` or `over`.
pub fn button(sign: &str, state: &str) -> Result<Canvas> {
    let mut canvas = Canvas::scaled(70, 28, 7.0 / 8.0)?;
    let (drop, light) = match state {
        "down" => (2.0, 0.78),
        "over" => (0.0, 1.12),
        _ => (0.0, 1.0),
    };
    let shade = |hex: u32| {
        let [_, r, g, b] = hex.to_be_bytes();
        let part = |v: u8| (f32::from(v) / 255.0 * light).min(1.0);
        tiny_skia::Color::from_rgba(part(r), part(g), part(b), 1.0).unwrap_or(tiny_skia::Color::BLACK)
    };
    canvas.fill(&plate(3.0, 5.0, 74.0, 25.0, 9.0), rgba(0x0c_10_28, 0.55));
    canvas.place = Transform::from_translate(0.0, drop);
    let face = vec![(0.0, shade(0x8a_78_d0)), (1.0, shade(0x4a_3c_8c))];
    canvas.shape(&plate(3.0, 2.0, 74.0, 24.0, 9.0), Ink::Between((0.0, 2.0), (0.0, 26.0), face), 1.6, 0x22_1a_48);
    canvas.line(&curve((12.0, 5.0), (30.0, 4.0), (50.0, 4.0), (68.0, 5.0)), 1.4, rgba(0xff_ff_ff, 0.45));
    sign_on(&mut canvas, sign);
    Ok(canvas)
}

fn sign_on(canvas: &mut Canvas, sign: &str) {
    const GOLD: u32 = 0xff_e2_a0;
    match sign {
        "play" => canvas.fill(&poly(&[(35.0, 7.0), (48.0, 14.0), (35.0, 21.0)]), GOLD),
        "pause" => {
            canvas.fill(&plate(34.0, 7.5, 4.5, 13.0, 1.0), GOLD);
            canvas.fill(&plate(42.0, 7.5, 4.5, 13.0, 1.0), GOLD);
        }
        "map" => {
            canvas.line(
                &poly(&[
                    (30.0, 9.0),
                    (37.0, 7.0),
                    (43.0, 9.5),
                    (50.0, 7.5),
                    (50.0, 18.5),
                    (43.0, 20.5),
                    (37.0, 18.0),
                    (30.0, 20.0),
                ]),
                1.6,
                GOLD,
            );
            canvas.line(&poly(&[(37.0, 7.0), (37.0, 18.0)]), 1.0, GOLD);
            canvas.line(&poly(&[(43.0, 9.5), (43.0, 20.5)]), 1.0, GOLD);
        }
        _ => {
            canvas.line(&plate(31.0, 7.5, 18.0, 13.0, 1.0), 1.6, GOLD);
            canvas.line(
                &path(|b| {
                    b.move_to(31.5, 8.5);
                    b.line_to(40.0, 15.0);
                    b.line_to(48.5, 8.5);
                }),
                1.4,
                GOLD,
            );
        }
    }
}

/// The emblem of the demo, the largest sprite: the courier before the moon, over reeds and water.
pub fn emblem() -> Result<Canvas> {
    let mut canvas = Canvas::new(160, 128)?;
    let sky = vec![(0.0, rgb(0x14_18_3e)), (0.7, rgb(0x33_38_77)), (1.0, rgb(0x57_4e_92))];
    canvas.fill(&oval(80.0, 64.0, 74.0, 60.0), Ink::Between((0.0, 4.0), (0.0, 124.0), sky));
    canvas.fill(
        &dot(80.0, 50.0, 44.0),
        Ink::Around((80.0, 50.0), 44.0, vec![(0.7, rgba(0xff_f0_c4, 0.35)), (1.0, rgba(0xff_f0_c4, 0.0))]),
    );
    canvas.fill(
        &dot(80.0, 50.0, 33.0),
        Ink::Around((72.0, 42.0), 44.0, vec![(0.0, rgb(0xff_fd_ee)), (1.0, rgb(0xe6_d6_a4))]),
    );
    let lake = path(|b| {
        b.move_to(11.0, 84.0);
        b.quad_to(80.0, 78.0, 149.0, 84.0);
        b.cubic_to(140.0, 112.0, 108.0, 124.0, 80.0, 124.0);
        b.cubic_to(52.0, 124.0, 20.0, 112.0, 11.0, 84.0);
        b.close();
    });
    canvas.fill(&lake, Ink::Between((0.0, 80.0), (0.0, 124.0), vec![(0.0, rgb(0x3d_62_9c)), (1.0, rgb(0x16_27_56))]));
    for (y, half) in [(88.0, 26.0), (94.0, 20.0), (101.0, 13.0)] {
        canvas.line(
            &curve((80.0 - half, y), (72.0, y - 2.0), (88.0, y + 2.0), (80.0 + half, y)),
            1.8,
            rgba(0xff_f0_c4, 0.7),
        );
    }
    for k in 0..9u8 {
        let a = f32::from(k) * 0.7;
        let (x, y) = (80.0 + (48.0 + 14.0 * sin(3.0 * a)) * cos(a + TURN * 0.52), 46.0 + 34.0 * sin(a + TURN * 0.52));
        if y < 70.0 {
            canvas.fill(&dot(x, y, 0.9 + 0.3 * sin(a)), rgba(0xff_ff_f0, 0.9));
        }
    }
    canvas.line(&oval(80.0, 64.0, 74.0, 60.0), 3.0, 0xff_d0_7a);
    canvas.line(&oval(80.0, 64.0, 70.5, 56.5), 1.0, rgba(0xff_d0_7a, 0.6));
    let (courier, glow) = (moth::fly(0)?, light::spark(0)?);
    canvas.stamp(&courier, Transform::from_translate(32.0, 8.0).pre_scale(1.5, 1.5));
    canvas.stamp(&glow, Transform::from_translate(30.0, 70.0));
    canvas.stamp(&glow, Transform::from_translate(122.0, 66.0));
    Ok(canvas)
}
