//! The options of `zemtak cache`.

use crate::commands::rehearse::RehearseRequest;
use crate::output;
use clap::{Args, Subcommand};
use std::path::PathBuf;

#[derive(Debug, Args)]
pub(super) struct CacheArgs {
    #[command(subcommand)]
    what: CacheCommand,
}

#[derive(Debug, Subcommand)]
enum CacheCommand {
    /// Play a written scenario of scenes against the real cache and a simulated device
    ///
    /// Reports what each scene loads, reuses, evicts and binds, and how long it waits; then the same for loose images,
    /// and for a game that shares nothing. Warns of textures that are never drawn, evicted too early, or held by scenes
    /// that have ended, and of scenes whose sprites are scattered over pages. docs/rehearsal.md lists the keys of a
    /// scenario.
    #[command(after_help = "Examples:\n  zemtak cache rehearse scenes.toml\n  \
        zemtak cache rehearse scenes.toml --png scenes.png --strict")]
    Rehearse(RehearseArgs),
}

#[derive(Debug, Args)]
struct RehearseArgs {
    /// The scenario, a TOML file
    scenario: PathBuf,
    /// Chart which textures are loaded over time, as a PNG
    #[arg(long, value_name = "FILE")]
    png: Option<PathBuf>,
    /// Exit 1 if there are warnings
    #[arg(long)]
    strict: bool,
    #[arg(long, requires = "png", help = output::FORCE)]
    force: bool,
}

impl CacheArgs {
    pub(super) fn into_request(self) -> RehearseRequest {
        let CacheCommand::Rehearse(RehearseArgs { scenario, png, strict, force }) = self.what;
        RehearseRequest { scenario, png, strict, force }
    }
}
