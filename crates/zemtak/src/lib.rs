//! The Zemtak command-line tool.
//!
//! A command line is parsed ([`cli`]), turned into a typed request, answered by a module of [`commands`], and the answer
//! is printed by one renderer ([`answer`]): a person's text, or JSON. Shared steps are modules named for what they do.

pub mod answer;
pub mod build;
pub mod cli;
pub mod commands;
pub mod context;
pub mod descriptor;
pub mod draft;
pub mod exit;
pub mod explain;
pub mod failure;
pub mod files;
pub mod forms;
pub mod interrupt;
pub mod job;
pub mod load;
pub mod lock;
pub mod make;
pub mod place;
pub mod placements;
pub mod progress;
pub mod project;
mod rehearsal;
pub mod settings;
pub mod shader;
pub mod show;
pub mod sources;
pub mod store;
pub mod summary;
pub mod timings;
pub mod together;
pub mod toml_text;
pub mod values;
pub mod vertices;
pub mod write;

use crate::answer::Manner;
use crate::exit::Exit;
use std::process::ExitCode;

/// Runs the tool on the process's command line.
pub fn main() -> ExitCode {
    let invocation = match cli::parse(std::env::args_os()) {
        Ok(invocation) => invocation,
        Err(message) => return message.print().into(),
    };
    interrupt::listen();
    load::hush_codec_panics();
    let manner = invocation.manner;
    manner.apply_colour();
    run(invocation).into()
}

fn run(invocation: cli::Invocation) -> Exit {
    let manner = invocation.manner;
    let pool = rayon::ThreadPoolBuilder::new().num_threads(manner.jobs).build();
    let answer = match pool {
        Ok(pool) => pool.install(|| commands::run(invocation.request, manner)),
        Err(error) => Err(failure::Failure::io("threads", &error)),
    };
    match answer {
        Ok(answer) => manner.print(answer.as_ref()),
        Err(failure) => manner.print_failure(&failure),
    }
}

/// How a command is to behave whatever it does.
impl Manner {
    fn apply_colour(self) {
        self.colour.write_global();
    }
}
