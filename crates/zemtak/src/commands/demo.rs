//! `zemtak demo`: writes the Moth Courier project and runs the tool on it, step by step.

use crate::document::Document;
use crate::exit::Exit;
use crate::output;
use crate::report::{Report, document};
use include_dir::{Dir, include_dir};
use serde_json::{Value, json};
use std::fmt::Write as _;
use std::path::{Path, PathBuf};
use zemtak_build::{Failure, Problem, ProblemKind, format, write};

/// The project, compiled into the tool.
static PROJECT: Dir<'static> = include_dir!("$CARGO_MANIFEST_DIR/demo");

/// Where to write it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct DemoRequest {
    /// The folder.
    pub folder: PathBuf,
}

/// The steps that were run.
#[derive(Debug, Clone)]
pub struct Demo {
    folder: PathBuf,
    files: usize,
    steps: Vec<DemoStep>,
}

/// A command line and its result.
#[derive(Debug, Clone)]
struct DemoStep {
    about: &'static str,
    command: String,
    text: String,
    json: Document,
    exit: Exit,
}

/// The steps in order: the reason for each, and its command line. `DIR` stands for the demo's folder.
const STEPS: [(&str, &[&str]); 13] = [
    ("Look at what came in, before any packing.", &["scan", "DIR/art"]),
    (
        "Pack the sprites into a texture page and write the descriptor.",
        &["pack", "DIR/art", "-o", "DIR/build", "--name", "night"],
    ),
    (
        "Prove it: every pixel of every sprite, put back from the page, against its source.",
        &["verify", "DIR/build/night.zemtak.json", "--against", "DIR/art"],
    ),
    (
        "The same with a page of any size, and sprites turned where that saves room.",
        &["pack", "DIR/art", "-o", "DIR/build", "--name", "night-free", "--page-shape", "free", "--turn"],
    ),
    (
        "Build the project as its file says: two atlases with pivots and clips, one of them at two sizes.",
        &["pack", "--project", "DIR/zemtak.toml"],
    ),
    ("Once more: nothing has changed, so nothing is done.", &["pack", "--project", "DIR/zemtak.toml"]),
    ("Every value of one sprite.", &["describe", "DIR/build/scene.zemtak.json", "moth/fly/03"]),
    (
        "Its texture coordinates for a V axis that points up, mirrored: here for a shader.",
        &["uv", "DIR/build/scene.zemtak.json", "moth/fly/03", "--v-up", "--flip", "x", "--as", "wgsl"],
    ),
    (
        "Its vertices on the screen, turned by 15 degrees about its pivot and 96 pixels large.",
        &["quad", "DIR/build/scene.zemtak.json", "moth/fly/03", "--at", "640,360", "--angle", "15", "--fit", "96x96"],
    ),
    ("Which step of a clip is shown when.", &["clip", "table", "DIR/build/scene.zemtak.json", "lantern/teal"]),
    (
        "The moth flies: an animated PNG, each pixel three times as large.",
        &["clip", "render", "DIR/build/scene.zemtak.json", "moth/fly", "--zoom", "3", "-o", "DIR/build/moth.png"],
    ),
    (
        "A lantern flickers.",
        &[
            "clip",
            "render",
            "DIR/build/scene.zemtak.json",
            "lantern/teal",
            "--zoom",
            "3",
            "-o",
            "DIR/build/lantern.png",
        ],
    ),
    (
        "Rehearse a night in three scenes against the cache that a game links, and draw it.",
        &["cache", "rehearse", "DIR/scenes.toml", "--png", "DIR/build/scenes.png"],
    ),
];

/// Runs a command line, given without the program's name.
pub type Runner<'a> = &'a dyn Fn(Vec<String>) -> Result<Box<dyn Report>, Failure>;

/// Writes the project and runs the steps; stops after the first one that fails.
///
/// # Errors
/// A file of the project exists with other contents, or cannot be written.
pub fn run(request: &DemoRequest, verbose: bool, runner: Runner<'_>) -> Result<Demo, Failure> {
    let files = write_project(&request.folder)?;
    let mut demo = Demo { folder: request.folder.clone(), files, steps: Vec::new() };
    for (about, words) in STEPS {
        let step = run_step(about, words, &request.folder, verbose, runner)?;
        let done = step.exit == Exit::Done;
        demo.steps.push(step);
        if !done {
            break;
        }
    }
    Ok(demo)
}

/// Writes the missing files. A file with other contents is somebody's work: then nothing is written.
fn write_project(folder: &Path) -> Result<usize, Failure> {
    let mut files = Vec::new();
    gather(&PROJECT, &mut files);
    let differs =
        |file: &&include_dir::File<'_>| output::has(&folder.join(file.path()), file.contents()) == Some(false);
    let problems = files.iter().copied().filter(differs).map(|file| {
        let why = "it already exists with different contents";
        Problem::usage(ProblemKind::WouldOverwrite, &format::path(&folder.join(file.path())), why, "name a new folder")
    });
    Failure::unless(problems.collect(), ())?;
    for file in &files {
        let target = folder.join(file.path());
        if !target.exists() {
            write::make_folder(target.parent().unwrap_or(folder))?;
            write::prepare(&target, file.contents())?.commit()?;
        }
    }
    Ok(files.len())
}

fn gather<'a>(folder: &'a Dir<'a>, files: &mut Vec<&'a include_dir::File<'a>>) {
    files.extend(folder.files());
    folder.dirs().for_each(|d| gather(d, files));
}

/// Runs one command line as a shell would.
fn run_step(
    about: &'static str,
    words: &[&str],
    folder: &Path,
    verbose: bool,
    runner: Runner<'_>,
) -> Result<DemoStep, Failure> {
    let folder = format::path(folder);
    let words: Vec<String> = words.iter().map(|w| w.replace("DIR", &folder)).collect();
    let quoted = shlex::try_join(words.iter().map(String::as_str)).unwrap_or_else(|_| words.join(" "));
    let report = runner(words)?;
    let (text, json, exit) = (report.text(verbose), document(report.as_ref()), report.exit());
    Ok(DemoStep { about, command: format!("zemtak {quoted}"), text, json, exit })
}

impl Report for Demo {
    fn text(&self, _: bool) -> String {
        let folder = format::name(&format::path(&self.folder));
        let mut out = format!("Moth Courier: {} in {folder}\n", format::count(self.files, "file", "files"));
        for (i, step) in self.steps.iter().enumerate() {
            let _ = write!(out, "\n{}. {}\n   $ {}\n", i + 1, step.about, step.command);
            for line in step.text.lines() {
                let _ = writeln!(out, "   {line}");
            }
        }
        let _ = writeln!(
            out,
            "\nLook at night-0.png, moth.png, lantern.png and scenes.png in {folder}/build, and change something in {folder}/art."
        );
        out
    }

    fn kind(&self) -> &'static str {
        "demo"
    }

    fn json(&self) -> Value {
        let steps: Vec<Value> = self
            .steps
            .iter()
            .map(|s| json!({ "command": s.command, "exit": s.exit.code(), "answer": s.json }))
            .collect();
        json!({ "folder": format::path(&self.folder), "files": self.files, "steps": steps })
    }

    fn exit(&self) -> Exit {
        self.steps.iter().map(|s| s.exit).max().unwrap_or(Exit::Done)
    }
}
