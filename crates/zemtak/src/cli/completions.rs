//! Completes command lines in a shell, names of atlases, sprites and clips too; and the files that are installed for
//! shells and `man`.

use super::command;
use crate::commands::setup::MARK;
use clap_complete::engine::{ArgValueCompleter, CompletionCandidate, PathCompleter, ValueCompleter};
use clap_complete::env::{CompleteEnv, Shells};
use clap_mangen::Man;
use std::ffi::OsStr;
use std::path::PathBuf;
use zemtak_build::Limits;
use zemtak_build::project::Project;
use zemtak_core::atlas::{Atlas, FILE_SUFFIX};
use zemtak_runtime::AtlasFile;

/// The variable by which a shell asks for completions.
const ASKED: &str = "ZEMTAK_COMPLETE";

/// Answers a shell that asks for completions, and ends the process; otherwise does nothing.
pub fn complete() {
    CompleteEnv::with_factory(command).var(ASKED).complete();
}

/// Atlases of the project, and descriptors.
pub fn atlases() -> ArgValueCompleter {
    ArgValueCompleter::new(|current: &OsStr| {
        let descriptor = |path: &std::path::Path| path.is_dir() || path.to_string_lossy().ends_with(FILE_SUFFIX);
        let files = PathCompleter::any().filter(descriptor).complete(current);
        starting(project_atlases().map(|(name, _)| name), current).into_iter().chain(files).collect()
    })
}

/// Sprites of the atlas on the command line.
pub fn sprites() -> ArgValueCompleter {
    names(|atlas| atlas.sprites.keys().map(ToString::to_string).collect())
}

/// Clips of the atlas on the command line.
pub fn clips() -> ArgValueCompleter {
    names(|atlas| atlas.clips.keys().map(ToString::to_string).collect())
}

fn names(of: fn(&Atlas) -> Vec<String>) -> ArgValueCompleter {
    ArgValueCompleter::new(move |current: &OsStr| {
        let atlas = std::env::args_os().find_map(|word| opened(&word));
        starting(atlas.iter().flat_map(|file| of(file.atlas())), current)
    })
}

fn starting(names: impl Iterator<Item = String>, current: &OsStr) -> Vec<CompletionCandidate> {
    let current = current.to_string_lossy().into_owned();
    names.filter(|name| name.starts_with(&current)).map(CompletionCandidate::new).collect()
}

/// The atlases of the nearest project, with their descriptors.
fn project_atlases() -> impl Iterator<Item = (String, PathBuf)> {
    let project = Project::open(None, &Limits::default()).ok();
    project.into_iter().flat_map(|project| {
        let out = project.out.clone();
        project.atlases.into_iter().map(move |(name, _)| (name.clone(), out.join(format!("{name}{FILE_SUFFIX}"))))
    })
}

/// The atlas that a word on the command line stands for.
fn opened(word: &OsStr) -> Option<AtlasFile> {
    let word = word.to_str()?;
    if word.ends_with(FILE_SUFFIX) {
        return AtlasFile::open(word.as_ref()).ok();
    }
    let (_, descriptor) = project_atlases().find(|(name, _)| name == word)?;
    AtlasFile::open(&descriptor).ok()
}

/// The files that `zemtak setup` installs, by their paths below the prefix.
pub fn files() -> Vec<(PathBuf, Vec<u8>)> {
    let scripts = [
        ("bash", "share/bash-completion/completions/zemtak"),
        ("fish", "share/fish/vendor_completions.d/zemtak.fish"),
        ("zsh", "share/zsh/site-functions/_zemtak"),
    ];
    let script = |(shell, path): (&str, &str)| {
        let mut text = Vec::new();
        let shells = Shells::builtins();
        let written = shells.completer(shell)?.write_registration(ASKED, "zemtak", "zemtak", "zemtak", &mut text);
        written.ok()?;
        // At the end: the first line of a zsh file must be its own.
        text.extend(format!("# {MARK}\n").into_bytes());
        Some((path.into(), text))
    };
    let mut files: Vec<(PathBuf, Vec<u8>)> = scripts.into_iter().filter_map(script).collect();
    let mut root = command();
    root.build();
    manual(&root, "zemtak", &mut files);
    files
}

/// The manual page of a command, then those of its subcommands.
fn manual(command: &clap::Command, name: &str, files: &mut Vec<(PathBuf, Vec<u8>)>) {
    let mut page = format!(".\\\" {MARK}\n").into_bytes();
    let titled = command.clone().name(name.to_owned()).display_name(name.to_owned());
    if Man::new(titled).manual("Zemtak").render(&mut page).is_ok() {
        files.push((format!("share/man/man1/{name}.1").into(), page));
    }
    for sub in command.get_subcommands().filter(|sub| sub.get_name() != "help") {
        manual(sub, &format!("{name}-{}", sub.get_name()), files);
    }
}
