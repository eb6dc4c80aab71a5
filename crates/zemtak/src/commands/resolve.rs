//! Resolves shorthands on a command line: an atlas's name for its descriptor, `-` for a list on standard input.

use super::Request;
use crate::descriptor::Choice;
use crate::query::Subject;
use std::path::{Path, PathBuf};
use zemtak_build::project::Project;
use zemtak_build::settings::Keys;
use zemtak_build::{Failure, Limits, Problem, ProblemKind, format};
use zemtak_core::atlas::{Atlas, FILE_SUFFIX};

/// Replaces shorthands by the paths and names they stand for.
///
/// # Errors
/// There is no atlas of that name, it is not built yet, or standard input cannot be read.
pub fn resolve(request: &mut Request, project: Option<&Path>, limits: &Limits) -> Result<(), Failure> {
    for descriptor in descriptors_of(request) {
        *descriptor = locate(descriptor, project, limits)?;
    }
    match request {
        Request::Pack(request) => paths(&mut request.pack.paths, limits),
        Request::Share(request) => paths(&mut request.pack.paths, limits),
        Request::Plan(request) => paths(&mut request.pack.paths, limits),
        Request::Watch(request) => paths(&mut request.pack.pack.paths, limits),
        other => choice_of(other).map_or(Ok(()), |choice| names(&mut choice.names, limits)),
    }
}

/// The descriptors that a request is about.
fn descriptors_of(request: &mut Request) -> Vec<&mut PathBuf> {
    match request {
        Request::Verify(request) => vec![&mut request.descriptor],
        Request::List(request) => vec![&mut request.descriptor],
        Request::Describe(request) => vec![&mut request.descriptor],
        Request::View(request) => [&mut request.descriptor].into_iter().chain(&mut request.before).collect(),
        Request::Mips(request) => vec![&mut request.descriptor],
        Request::Export(request) => vec![&mut request.descriptor],
        Request::Diff(request) => vec![&mut request.old, &mut request.new],
        Request::Clip(request) => vec![request.descriptor_mut()],
        Request::Cut(request) => vec![&mut request.sheet],
        Request::Uv(request) => descriptor_in(&mut request.subject).into_iter().collect(),
        Request::Quad(request) => descriptor_in(&mut request.subject).into_iter().collect(),
        Request::Pack(_)
        | Request::Share(_)
        | Request::Plan(_)
        | Request::Store(_)
        | Request::Watch(_)
        | Request::Demo(_)
        | Request::New(_)
        | Request::Scan(_)
        | Request::Grid(_)
        | Request::Pattern(_)
        | Request::Rehearse(_)
        | Request::Setup(_)
        | Request::Reader(_)
        | Request::Schema(_) => Vec::new(),
    }
}

fn descriptor_in(subject: &mut Subject) -> Option<&mut PathBuf> {
    match subject {
        Subject::Sprites { descriptor, .. } => Some(descriptor),
        Subject::Bare { .. } => None,
    }
}

fn choice_of(request: &mut Request) -> Option<&mut Choice> {
    let subject = match request {
        Request::List(request) => return Some(&mut request.choice),
        Request::Uv(request) => &mut request.subject,
        Request::Quad(request) => &mut request.subject,
        _ => return None,
    };
    match subject {
        Subject::Sprites { choice, .. } => Some(choice),
        Subject::Bare { .. } => None,
    }
}

/// The descriptor of an atlas of the project, if the word names one and no file has that name. A folder of that name is
/// not a descriptor.
fn locate(named: &Path, project: Option<&Path>, limits: &Limits) -> Result<PathBuf, Failure> {
    let name = named.to_str().filter(|name| Atlas::is_name(name) && !named.is_file());
    let (Some(name), true) = (name, Project::locate(project).is_ok()) else { return Ok(named.to_owned()) };
    let project = Project::open(project, limits)?;
    let of_atlas = |(atlas, keys): &(String, Keys)| {
        let sizes = keys.sizes.iter().flatten().map(|size| format!("{atlas}{}", size.suffix));
        std::iter::once(atlas.clone()).chain(sizes).collect::<Vec<_>>()
    };
    let names: Vec<String> = project.atlases.iter().flat_map(of_atlas).collect();
    let descriptor = project.out.join(format!("{name}{FILE_SUFFIX}"));
    match names.iter().any(|known| known == name) {
        true if descriptor.exists() => Ok(descriptor),
        true => {
            let why = format!("there is no {}", format::path(&descriptor));
            Err(Problem::usage(ProblemKind::NotBuilt, name, why, "build it with 'zemtak pack'").into())
        }
        false if named.exists() => Ok(named.to_owned()),
        false => {
            let near = format::did_you_mean(name, names.iter().map(String::as_str));
            let why = format!("there is no such file, and the project has {}{near}", format::first_of(&names));
            let help = "name a descriptor, NAME.zemtak.json, or an atlas of the project";
            Err(Problem::usage(ProblemKind::UnknownAtlas, name, why, help).into())
        }
    }
}

/// A list on standard input, one entry per line, in place of `-`.
fn names(names: &mut Vec<String>, limits: &Limits) -> Result<(), Failure> {
    let Some(at) = names.iter().position(|name| name == "-") else { return Ok(()) };
    let text = limits.read_standard_input("text_bytes")?;
    let lines: Vec<String> = text.lines().filter(|line| !line.is_empty()).map(str::to_owned).collect();
    if lines.is_empty() {
        let why = "it holds no names";
        return Err(Problem::usage(ProblemKind::EmptyList, "standard input", why, "write one name on each line").into());
    }
    names.splice(at..=at, lines);
    Ok(())
}

fn paths(paths: &mut Vec<PathBuf>, limits: &Limits) -> Result<(), Failure> {
    if !paths.iter().any(|path| path == Path::new("-")) {
        return Ok(());
    }
    let mut all: Vec<String> = paths.iter().map(|path| path.to_string_lossy().into_owned()).collect();
    names(&mut all, limits)?;
    *paths = all.into_iter().map(PathBuf::from).collect();
    Ok(())
}
