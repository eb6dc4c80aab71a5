//! The scene of the games in C and for browsers, put together from the loose images, without anything of ours: what their frames are held to.

/// The screen's width and height.
pub const SIZE: [usize; 2] = [640, 360];

/// A picture of 8-bit RGBA.
pub struct Picture {
    pub size: [usize; 2],
    pub rgba: Vec<u8>,
}

/// An image with its upper left corner at a place, each of its pixels `scale` wide and high, mirrored in x or y.
struct Drawn {
    name: String,
    corner: [i32; 2],
    scale: usize,
    mirrored: [bool; 2],
    /// Of the image only what lies within these columns.
    columns: [usize; 2],
}

fn drawn(name: &str, corner: [i32; 2]) -> Drawn {
    Drawn { name: name.into(), corner, scale: 1, mirrored: [false; 2], columns: [0, usize::MAX] }
}

/// What is to be seen after so many frames of a sixtieth of a second, from the back to the front: places are those of the games, taken from the
/// pivots of the demo's project to the corners of the canvases.
fn scene(frame: i32) -> Vec<Drawn> {
    let mut all: Vec<Drawn> = (0..10).map(|i| drawn("tile/water", [64 * i, 296])).collect();
    all.push(drawn("moon/phase/04", [556 - 36, 60 - 36]));
    all.push(drawn("star/large", [40 - 8, 30 - 8]));
    all.push(drawn("star/small", [150 - 8, 52 - 8]));
    all.push(Drawn { scale: 3, ..drawn("star/large", [270 - 3 * 8, 90 - 3 * 8]) });
    all.push(Drawn { mirrored: [false, true], ..drawn("letter/sealed", [320 - 22, 190 - 18]) });
    all.push(drawn("letterbox/open/00", [590 - 30, 262 - 40]));
    all.push(Drawn { columns: [10, 40], ..drawn("moon/phase/00", [330 - 36, 96 - 36]) });
    // Ten steps a second are six frames each, twelve are five; of a lantern each step has its own time.
    let reed = format!("reed/sway/{:02}", frame / 6 % 8);
    all.push(drawn(&reed, [100 - 24, 262 - 48]));
    all.push(Drawn { mirrored: [true, false], ..drawn(&reed, [470 - 24, 268 - 48]) });
    let into = frame * 1000 / 60 % 800;
    let step = [240, 320, 440, 640, 700].iter().filter(|end| **end <= into).count();
    all.push(drawn(&format!("lantern/amber/{step:02}"), [200 - 20, 0]));
    all.push(drawn(&format!("lantern/rose/{step:02}"), [420 - 20, 20]));
    let moth = format!("moth/fly/{:02}", frame / 5 % 8);
    all.push(drawn(&moth, [frame * 2 % 704 - 32 - 32, 230 - 64]));
    all.push(Drawn { mirrored: [true, false], ..drawn(&moth, [640 - frame % 704 + 32 - 32, 170 - 64]) });
    all
}

/// Lays one over what is there: each channel is what of the picture its alpha lets through, and the rest of what was there.
fn lay_over(screen: &mut [u8], drawn: &Drawn, picture: &Picture) {
    let [w, h] = picture.size;
    for (y, x) in (0..h * drawn.scale).flat_map(|y| (0..w * drawn.scale).map(move |x| (y, x))) {
        let at = |own: usize, side: usize, mirrored: bool| if mirrored { side - 1 - own } else { own };
        let (from_x, from_y) = (at(x / drawn.scale, w, drawn.mirrored[0]), at(y / drawn.scale, h, drawn.mirrored[1]));
        let to = [x, y].into_iter().zip(drawn.corner).map(|(own, corner)| usize::try_from(own as i32 + corner).ok());
        let [Some(to_x), Some(to_y)] = to.collect::<Vec<_>>()[..] else { continue };
        if !(drawn.columns[0]..drawn.columns[1]).contains(&from_x) || to_x >= SIZE[0] || to_y >= SIZE[1] {
            continue;
        }
        let pixel = &picture.rgba[(from_y * w + from_x) * 4..][..4];
        let below = &mut screen[(to_y * SIZE[0] + to_x) * 4..][..3];
        for (below, over) in below.iter_mut().zip(pixel) {
            let alpha = u32::from(pixel[3]);
            *below = ((u32::from(*over) * alpha + u32::from(*below) * (255 - alpha) + 127) / 255) as u8;
        }
    }
}

/// The whole frame as rows of RGBA, from loose images that `loose` reads by their names.
pub fn frame(frame: i32, loose: impl Fn(&str) -> Picture) -> Vec<u8> {
    let mut screen = [18, 20, 46, 255].repeat(SIZE[0] * SIZE[1]);
    scene(frame).iter().for_each(|drawn| lay_over(&mut screen, drawn, &loose(&drawn.name)));
    screen
}

/// The first pixel that two frames differ in by more than a few of 255, and its place.
pub fn difference(seen: &[u8], wanted: &[u8], most: u8) -> Option<[usize; 2]> {
    assert_eq!(seen.len(), wanted.len());
    let off = |(seen, wanted): (&[u8], &[u8])| seen[..3].iter().zip(wanted).any(|(a, b)| a.abs_diff(*b) > most);
    seen.chunks(4).zip(wanted.chunks(4)).position(off).map(|at| [at % SIZE[0], at / SIZE[0]])
}
