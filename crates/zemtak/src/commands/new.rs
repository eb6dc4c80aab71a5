//! `zemtak new`: a commented project file that fits the images of a folder.

use crate::console::Console;
use crate::notice::Notice;
use crate::report::Report;
use serde_json::{Value, json};
use std::fmt::Write as _;
use std::path::{Path, PathBuf};
use zemtak_build::{AtlasDraft, Failure, NewProject, format};

/// The folder to write for.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NewRequest {
    /// The project's folder, which holds the images.
    pub folder: PathBuf,
}

/// What was written, and why.
#[derive(Debug, Clone)]
pub struct NewReport(NewProject);

/// Looks at the images and writes the file.
///
/// # Errors
/// A project file exists already, there are no images, or something cannot be read or written.
pub fn run(request: &NewRequest, console: &Console) -> Result<NewReport, Failure> {
    let project = NewProject::propose(&request.folder, *console.allowance().limits(), &console.watcher())?;
    project.write()?;
    Ok(NewReport(project))
}

impl Report for NewReport {
    fn text(&self, _: bool) -> String {
        let NewProject { file, atlases, images, .. } = &self.0;
        let folder = file.parent().filter(|p| !p.as_os_str().is_empty() && *p != Path::new("."));
        let count = format::count(atlases.len(), "atlas", "atlases");
        let images = format::count(*images, "image", "images");
        let file = format::name(&format::path(file));
        let mut out = format!("{file}: {count} of {images}\n");
        for atlas in atlases {
            let _ = writeln!(out, "\n{}", atlas.name);
            for why in &atlas.why {
                let _ = writeln!(out, "  {why}");
            }
        }
        if self.0.own_pictures > 0 {
            let own = format::count(self.0.own_pictures, "picture", "pictures");
            let _ = writeln!(out, "\n{own} of earlier builds skipped");
        }
        let project = folder.map_or(String::new(), |_| format!(" --project {file}"));
        let _ = writeln!(out, "\nRead it, change what you like, and build it: zemtak pack{project}");
        out
    }

    fn json(&self) -> Value {
        let atlas = |a: &AtlasDraft| json!({ "name": a.name, "why": a.why });
        let atlases: Vec<Value> = self.0.atlases.iter().map(atlas).collect();
        json!({
            "file": format::path(&self.0.file),
            "images": self.0.images,
            "own_pictures": self.0.own_pictures,
            "atlases": atlases,
        })
    }

    fn kind(&self) -> &'static str {
        "new"
    }

    fn warnings(&self) -> Vec<Notice> {
        let left_out = self.0.left_out.iter().map(|problem| Notice::of_problem("left_out", "left out: ", problem));
        let lead = "fix this before you pack: ";
        let refused = self.0.refused.iter().map(|problem| Notice::of_problem("fix_first", lead, problem));
        left_out.chain(refused).collect()
    }
}
