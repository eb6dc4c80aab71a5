//! `zemtak new`: a commented project file that fits the images of a folder.

use crate::answer::{Answer, Manner};
use crate::draft::{self, Draft};
use crate::failure::{Failure, Problem};
use crate::{project, show, sources, write};
use serde_json::{Value, json};
use std::fmt::Write as _;
use std::path::{Path, PathBuf};

/// For which folder.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Request {
    /// The project's folder, which holds the images.
    pub folder: PathBuf,
}

/// What was written, and why.
#[derive(Debug, Clone)]
pub struct New {
    file: PathBuf,
    draft: Draft,
    images: usize,
    refused: Vec<String>,
}

/// Where results go, unless something else is there already.
const OUT: [&str; 3] = ["build", "packed", "zemtak-build"];

/// Looks at the images and writes the file.
///
/// # Errors
/// There is such a file already, there is no image, or something cannot be read or written.
pub fn run(request: &Request, manner: Manner) -> Result<New, Failure> {
    let here = request.folder == Path::new(".");
    // Shown as it would be typed.
    let file = if here { project::FILE.into() } else { request.folder.join(project::FILE) };
    if file.symlink_metadata().is_ok() {
        let why = "it is there already, and may hold somebody's work";
        let help = "move it away if you want a new one";
        return Err(Problem::usage("a project file would be written over", &show::path(&file), why, help).into());
    }
    std::fs::read_dir(&request.folder).map_err(|e| Failure::io(&show::path(&request.folder), &e))?;
    let out = OUT.into_iter().find(|out| is_free(&request.folder.join(out))).unwrap_or(OUT[0]);
    let survey = draft::survey(&request.folder, &request.folder.join(out), manner)?;
    if survey.pictures.is_empty() {
        let others = show::count(survey.skipped, "other file was", "other files were");
        let why = [format!("there is no image that can be used; {others} passed over")];
        let why: Vec<String> = why.into_iter().chain(survey.refused).collect();
        let help = "name a folder with images";
        return Err(Problem::usage("nothing to pack", &show::path(&request.folder), why.join("\n"), help).into());
    }
    let folder = sources::clean(&request.folder).map_err(|e| Failure::io("the working folder", &e))?;
    let name = folder.file_name().map(|n| n.to_string_lossy().into_owned()).unwrap_or_default();
    let draft = Draft::of(&survey, &name, out);
    write::prepare(&file, draft.text()?.as_bytes())?.put()?;
    Ok(New { file, draft, images: survey.pictures.len(), refused: survey.refused })
}

/// Whether a folder is not there, is empty, or holds results of ours already.
fn is_free(folder: &Path) -> bool {
    let Ok(mut entries) = std::fs::read_dir(folder) else { return !folder.exists() };
    let ours = |name: &str| name.ends_with(".atlas.json");
    let mut names = entries.by_ref().flatten().map(|e| e.file_name().to_string_lossy().into_owned()).peekable();
    names.peek().is_none() || names.any(|name| ours(&name))
}

impl Answer for New {
    fn text(&self, _: bool) -> String {
        let atlases = show::count(self.draft.atlases.len(), "atlas", "atlases");
        let images = show::count(self.images, "image", "images");
        let file = show::name(&show::path(&self.file));
        let mut out = format!("{file}: {atlases} of {images}\n");
        for atlas in &self.draft.atlases {
            let _ = writeln!(out, "\n{}", atlas.name);
            for why in &atlas.why {
                let _ = writeln!(out, "  {why}");
            }
        }
        let folder = self.file.parent().filter(|p| !p.as_os_str().is_empty() && *p != Path::new("."));
        let project = folder.map_or(String::new(), |_| format!(" --project {file}"));
        let _ = writeln!(out, "\nRead it, change what you like, and build it: zemtak pack{project}");
        out
    }

    fn json(&self) -> Value {
        let atlas = |a: &draft::AtlasDraft| json!({ "name": a.name, "why": a.why });
        let atlases: Vec<Value> = self.draft.atlases.iter().map(atlas).collect();
        json!({
            "file": show::path(&self.file),
            "images": self.images,
            "atlases": atlases,
            "warnings": self.warnings(),
        })
    }

    fn warnings(&self) -> Vec<String> {
        self.refused.iter().map(|refused| format!("a build will refuse this: {}", show::name(refused))).collect()
    }
}
