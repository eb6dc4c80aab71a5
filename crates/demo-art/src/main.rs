//! Draws the sprites of the demo world Moth Courier: `demo-art DIR` writes them below DIR, the same bytes every time.

mod canvas;
mod land;
mod light;
mod moth;
mod panel;
mod post;

use anyhow::{Context, Result};
use canvas::Canvas;
use std::path::Path;

/// Every sprite: its name and its picture.
fn sprites() -> Result<Vec<(String, Canvas)>> {
    let mut all = Vec::new();
    let mut frames = |clip: &str, count: u32, draw: &dyn Fn(u32) -> Result<Canvas>| -> Result<()> {
        for frame in 0..count {
            all.push((format!("{clip}/{frame:02}"), draw(frame)?));
        }
        Ok(())
    };
    frames("moth/fly", 8, &moth::fly)?;
    frames("moth/land", 6, &moth::land)?;
    frames("moth/idle", 4, &moth::idle)?;
    for (name, glass, glow) in light::GLASSES {
        frames(&format!("lantern/{name}"), 6, &|frame| light::lantern(glass, glow, frame))?;
    }
    frames("reed/sway", 8, &land::reed)?;
    frames("letterbox/open", 5, &post::letter_box)?;
    frames("letter/spin", 6, &post::spinning)?;
    frames("moon/phase", 8, &light::moon)?;
    frames("wind/gust", 6, &land::wind)?;
    frames("spark/fade", 4, &light::spark)?;
    for kind in ["plain", "sealed", "air", "bundle"] {
        all.push((format!("letter/{kind}"), post::letter(kind)?));
    }
    for motif in ["moth", "moon", "lantern", "reed"] {
        all.push((format!("stamp/{motif}"), post::stamp(motif)?));
    }
    for sign in panel::SIGNS {
        for state in ["up", "over", "down"] {
            all.push((format!("button/{sign}/{state}"), panel::button(sign, state)?));
        }
    }
    for (name, size) in [("large", 1.0), ("small", 0.6)] {
        all.push((format!("star/{name}"), light::star(size)?));
    }
    all.push(("tile/water".into(), land::water()?));
    all.push(("emblem".into(), panel::emblem()?));
    Ok(all)
}

fn main() -> Result<()> {
    let folder = std::env::args_os().nth(1).context("usage: demo-art DIR")?;
    let all = sprites()?;
    for (name, canvas) in &all {
        let file = Path::new(&folder).join(format!("{name}.png"));
        let parent = file.parent().context("every sprite lies in a folder")?;
        std::fs::create_dir_all(parent).with_context(|| format!("cannot make {}", parent.display()))?;
        std::fs::write(&file, canvas.png()?).with_context(|| format!("cannot write {}", file.display()))?;
    }
    println!("{} sprites in {}", all.len(), Path::new(&folder).display());
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::collections::BTreeMap;
    use std::path::PathBuf;
    use tiny_skia::Pixmap;

    fn drawn() -> BTreeMap<String, Vec<u8>> {
        sprites().unwrap().into_iter().map(|(name, canvas)| (name, canvas.png().unwrap())).collect()
    }

    #[test]
    fn the_committed_sprites_are_those_that_are_drawn() {
        let art = PathBuf::from(env!("CARGO_MANIFEST_DIR")).join("../zemtak/demo/art");
        let drawn = drawn();
        for (name, png) in &drawn {
            assert!(std::fs::read(art.join(format!("{name}.png"))).unwrap() == *png, "{name} is drawn otherwise");
        }
        let count = |folder: &Path| -> usize {
            let mut folders = vec![folder.to_owned()];
            let mut files = 0;
            while let Some(folder) = folders.pop() {
                for entry in std::fs::read_dir(folder).unwrap().map(Result::unwrap) {
                    if entry.path().is_dir() { folders.push(entry.path()) } else { files += 1 }
                }
            }
            files
        };
        assert_eq!(count(&art), drawn.len(), "sprites that nobody draws any more");
    }

    #[test]
    fn the_demo_has_what_real_art_has() {
        let drawn = drawn();
        let size = |png: &[u8]| Pixmap::decode_png(png).map(|p| (p.width(), p.height())).unwrap();
        let sides: Vec<u32> = drawn.values().flat_map(|png| <[u32; 2]>::from(size(png))).collect();
        assert_eq!((sides.iter().min(), sides.iter().max()), (Some(&8), Some(&160)));
        let empty = |png: &&Vec<u8>| Pixmap::decode_png(png).unwrap().pixels().iter().all(|p| p.alpha() == 0);
        assert_eq!(drawn.values().filter(empty).count(), 1);
        assert_eq!(drawn["moth/idle/00"], drawn["moth/idle/02"], "twins");
        for (clip, frames) in [("moth/fly", 8), ("moth/land", 6), ("moth/idle", 4), ("lantern/rose", 6)] {
            assert_eq!(drawn.keys().filter(|name| name.starts_with(&format!("{clip}/"))).count(), frames, "{clip}");
        }
    }

    /// Across its edges the water changes no more than it does inside.
    #[test]
    fn the_water_tile_goes_on_without_a_seam() {
        let water = Pixmap::decode_png(&drawn()["tile/water"]).unwrap();
        let (w, h) = (water.width(), water.height());
        let blue = |x: u32, y: u32| i32::from(water.pixel(x % w, y % h).unwrap().blue());
        let steps = |from: u32, across: bool| {
            let step = move |i: u32| {
                if across { blue(from + 1, i) - blue(from, i) } else { blue(i, from + 1) - blue(i, from) }
            };
            (0..w).map(move |i| step(i).abs()).max().unwrap()
        };
        for across in [true, false] {
            let inside = (0..w - 1).map(|from| steps(from, across)).max().unwrap();
            assert!(steps(w - 1, across) <= inside, "{} against {inside}", steps(w - 1, across));
        }
    }
}
