//! One module a command: a typed request in, an answer out.

pub mod demo;
pub mod new;
pub mod pack;
pub mod schema;
pub mod verify;
pub mod watch;

use crate::answer::{Answer, Manner};
use crate::failure::Failure;

/// What a command line asks for.
#[derive(Debug, Clone, PartialEq)]
pub enum Request {
    /// Build an atlas.
    Pack(Box<pack::Request>),
    /// Build whenever something changes.
    Watch(Box<watch::Request>),
    /// Prove an atlas.
    Verify(verify::Request),
    /// Write the demo and run the job on it.
    Demo(demo::Request),
    /// Write a project file for the images that are there.
    New(new::Request),
    /// Print a JSON Schema.
    Schema(schema::Request),
}

/// Answers a request.
///
/// # Errors
/// What kept the command from its answer.
pub fn run(request: Request, manner: Manner) -> Result<Box<dyn Answer>, Failure> {
    Ok(match request {
        Request::Pack(request) => Box::new(pack::run(&request, manner)?),
        Request::Watch(request) => Box::new(watch::run(&request, manner)?),
        Request::Verify(request) => Box::new(verify::run(&request, manner)?),
        Request::Demo(request) => Box::new(demo::run(&request, manner)?),
        Request::New(request) => Box::new(new::run(&request, manner)?),
        Request::Schema(request) => Box::new(schema::run(request)),
    })
}
