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
