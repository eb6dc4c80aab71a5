//! One module per command: a typed request in, an answer out.

pub mod clip;
pub mod cut;
pub mod demo;
pub mod describe;
pub mod diff;
pub mod export;
pub mod grid;
pub mod list;
pub mod mips;
pub mod new;
pub mod pack;
pub mod pattern;
pub mod plan;
pub mod quad;
pub mod reader;
pub mod rehearse;
pub mod resolve;
pub mod scan;
pub mod schema;
pub mod setup;
pub mod share;
pub mod store;
pub mod uv;
pub mod uv_points;
pub mod verify;
pub mod view;
pub mod watch;

use crate::console::Console;
use crate::report::Report;
use zemtak_build::Failure;

/// A parsed command line.
#[derive(Debug, Clone, PartialEq)]
pub enum Request {
    /// Build an atlas.
    Pack(Box<pack::PackCommand>),
    /// Build one share of many.
    Share(Box<share::ShareRequest>),
    /// Split a build into shares.
    Plan(Box<plan::PlanRequest>),
    /// Inspect or clean a store.
    Store(store::StoreCommand),
    /// Pack again whenever something changes.
    Watch(Box<watch::WatchRequest>),
    /// Prove an atlas.
    Verify(verify::VerifyRequest),
    /// Write the demo and run the job on it.
    Demo(demo::DemoRequest),
    /// Write a project file for the images in a folder.
    New(new::NewRequest),
    /// Look at images before packing.
    Scan(Box<scan::ScanCommand>),
    /// Compute texture coordinates.
    Uv(uv::UvRequest),
    /// Compute vertices.
    Quad(Box<quad::QuadRequest>),
    /// The cells of a regular sheet.
    Grid(grid::GridRequest),
    /// Turn a sheet back into sprites.
    Cut(cut::CutRequest),
    /// A test texture.
    Pattern(pattern::PatternRequest),
    /// The sprites and clips of a descriptor.
    List(list::ListRequest),
    /// Clips: which step is shown when, and what they look like.
    Clip(clip::ClipRequest),
    /// All values of a sprite.
    Describe(describe::DescribeRequest),
    /// Draw an atlas.
    View(view::ViewRequest),
    /// Sample an atlas at its mip levels.
    Mips(mips::MipsRequest),
    /// Write an atlas in another form.
    Export(export::ExportRequest),
    /// Compare two atlases.
    Diff(diff::DiffRequest),
    /// Play a scenario against the cache.
    Rehearse(rehearse::RehearseRequest),
    /// Install completions and manual pages.
    Setup(setup::SetupRequest),
    /// Print a reader of descriptors.
    Reader(reader::ReaderRequest),
    /// Print a JSON Schema.
    Schema(schema::SchemaRequest),
}

/// Answers a request. The demo uses the runner to run whole command lines.
///
/// # Errors
/// The command failed, and why.
pub fn run(request: Request, console: &Console, runner: demo::Runner<'_>) -> Result<Box<dyn Report>, Failure> {
    Ok(match request {
        Request::Pack(request) => Box::new(pack::run(&request, console)?),
        Request::Share(request) => Box::new(share::run(&request, console)?),
        Request::Plan(request) => Box::new(plan::run(&request, console)?),
        Request::Store(request) => store::run(&request, console)?,
        Request::Watch(request) => Box::new(watch::run(&request, console)?),
        Request::Verify(request) => Box::new(verify::run(&request, console)?),
        Request::Demo(request) => Box::new(demo::run(&request, console.output.verbose, runner)?),
        Request::New(request) => Box::new(new::run(&request, console)?),
        Request::Scan(request) => Box::new(scan::run(&request, console)?),
        Request::Uv(uv::UvRequest { points: Some(list), subject, sampling, .. }) => {
            Box::new(uv_points::run(&subject, &list, sampling.v, console)?)
        }
        Request::Uv(request) => Box::new(uv::run(&request, console)?),
        Request::Quad(request) => Box::new(quad::run(&request, console)?),
        Request::Grid(request) => Box::new(grid::run(&request)?),
        Request::Cut(request) => Box::new(cut::run(&request, console)?),
        Request::Pattern(request) => Box::new(pattern::run(&request)?),
        Request::List(request) => Box::new(list::run(&request, console)?),
        Request::Clip(request) => clip::run(&request, console)?,
        Request::Describe(request) => Box::new(describe::run(&request, console)?),
        Request::View(request) => Box::new(view::run(&request, console)?),
        Request::Mips(request) => Box::new(mips::run(&request, console)?),
        Request::Export(request) => Box::new(export::run(&request, console)?),
        Request::Diff(request) => Box::new(diff::run(&request, console)?),
        Request::Rehearse(request) => Box::new(rehearse::run(&request, console)?),
        Request::Setup(request) => Box::new(setup::run(request)?),
        Request::Reader(request) => Box::new(reader::run(&request)),
        Request::Schema(request) => Box::new(schema::run(&request)),
    })
}
