//! The Zemtak command-line tool.
//!
//! A command line is parsed ([`cli`]), turned into a typed request and answered by a module of [`commands`]; one
//! renderer ([`report`]) shows the answer as text or JSON. `zemtak-build` does the building.

pub mod cli;
pub mod columns;
pub mod commands;
pub mod console;
mod contact_sheet;
pub mod descriptor;
mod diff_picture;
mod difference;
pub mod document;
pub mod drawing;
pub mod exit;
pub mod explain;
mod html_view;
pub mod instances;
pub mod interrupt;
mod live;
pub mod log;
mod mips_picture;
pub mod notice;
mod opened;
mod origins;
pub mod output;
mod page_picture;
pub mod palette;
pub mod progress;
pub mod query;
mod rehearsal;
mod remedies;
pub mod report;
pub mod shader;
pub mod style;
pub mod summary;
pub mod terminal_picture;
pub mod timings;
pub mod uv_list;
pub mod values;
pub mod vertices;
pub mod wrap;

use crate::console::Console;
use crate::exit::Exit;
use crate::interrupt::Interrupt;
use crate::report::Report;
use std::error::Error;
use std::ffi::OsString;
use std::path::Path;
use std::process::ExitCode;
use zemtak_build::{Failure, Problem, format};

/// Runs the tool on the process's command line.
pub fn main() -> ExitCode {
    cli::complete();
    let invocation = match cli::parse(std::env::args_os()) {
        Ok(invocation) => invocation,
        Err(message) => return message.print().into(),
    };
    zemtak_build::hush_codec_panics();
    Interrupt::heed_file_sizes();
    invocation.output.apply_colour();
    log::to_stderr(invocation.output.log);
    if let Some(folder) = &invocation.folder
        && let Err(error) = std::env::set_current_dir(folder)
    {
        return invocation.output.print_failure(&Failure::io(&format::path(folder), &error)).into();
    }
    run(invocation).into()
}

fn run(invocation: cli::Invocation) -> Exit {
    let console = Console::new(invocation.output, invocation.limits, invocation.project.clone());
    let pool = rayon::ThreadPoolBuilder::new().num_threads(invocation.threads).build();
    let report = match pool {
        Ok(pool) => pool.install(|| answer(invocation.request, invocation.project.as_deref(), &console)),
        Err(error) => Err(no_threads(&error)),
    };
    match report {
        Ok(report) => console.output.print(report.as_ref()),
        Err(failure) => console.output.print_failure(&failure),
    }
}

/// The system cannot start as many threads.
fn no_threads(error: &rayon::ThreadPoolBuildError) -> Failure {
    let mut problem = Problem::io("threads", error.source().unwrap_or(error));
    problem.why = format!("the system cannot start them: {}", problem.why);
    problem.help = "ask for fewer with --jobs, or allow more processes".into();
    problem.into()
}

fn answer(
    mut request: commands::Request,
    project: Option<&Path>,
    console: &Console,
) -> Result<Box<dyn Report>, Failure> {
    commands::resolve::resolve(&mut request, project, &console.limits)?;
    commands::run(request, console, &|words| answer_words(words, console))
}

/// Answers a command line given without the program's name.
fn answer_words(words: Vec<String>, console: &Console) -> Result<Box<dyn Report>, Failure> {
    let line = std::iter::once("zemtak".to_owned()).chain(words);
    let invocation = cli::parse(line.map(OsString::from)).map_err(|message| message.failure())?;
    answer(invocation.request, invocation.project.as_deref(), console)
}
