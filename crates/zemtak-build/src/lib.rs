//! Packs loose sprites into texture pages and writes frame descriptors: what the command line does, without a command
//! line, for a game's build script or an editor.
//!
//! A [`PackRequest`] says what to pack and how; [`PackRequest::run`] builds what is out of date and returns a
//! [`Packed`] with all there is to report. It prints nothing: an [`Observer`] follows the progress and can stop the
//! build. Errors come all at once, as a [`Failure`] with [`Problem`]s that say what is wrong, where, why, and what to
//! do.
//!
//! A game's `build.rs` that packs the atlases of its project file, and runs again when the art changes (one of the
//! examples, and tested):
//!
//! ```no_run
//! use zemtak_build::PackRequest;
//!
//! fn main() -> Result<(), Box<dyn std::error::Error>> {
//!     let packed = PackRequest::of_project("zemtak.toml").out(std::env::var("OUT_DIR")?).run(&())?;
//!     for input in packed.inputs.paths() {
//!         println!("cargo::rerun-if-changed={}", input.display());
//!     }
//!     Ok(())
//! }
//! ```
//!
//! # Modules in the order of the work
//!
//! [`project`] reads the project file into [`settings`]; [`sources`] finds images; `load` turns them into treated
//! sprites; `plan` finds twins and lays out boxes; `pages` draws, encodes and proves; `describe` and [`forms`] write
//! the descriptor and its other forms; `place` puts files in place. Beside them, [`store`] keeps what builds learn, and
//! `verify` compares an atlas with its promises and its sources ([`Verify`]).

mod allowance;
mod asked;
mod build_atlas;
mod companions;
mod content;
mod context;
mod describe;
mod draft;
mod exact;
mod explain;
mod export;
mod failure;
pub mod format;
mod former;
pub mod forms;
mod inputs;
mod inventory;
mod joint;
#[cfg_attr(not(feature = "watch"), allow(dead_code, reason = "only a watcher tells it of changes"))]
mod journal;
pub mod limits;
mod load;
mod lock;
pub mod mip_check;
mod observer;
pub mod ownership;
mod pack;
mod pages;
mod place;
mod plan;
pub mod project;
mod request;
mod scan;
pub mod settings;
mod shares;
pub mod sources;
pub mod store;
mod summary;
mod targets;
mod template;
mod texture;
mod timings;
pub mod toml_text;
mod upkeep;
mod verify;
mod warning;
#[cfg(feature = "watch")]
mod watch;
mod work;
pub mod write;

pub use allowance::{Allowance, HeldPixels};
pub use companions::Stray;
pub use draft::{AtlasDraft, NewProject};
pub use explain::{Alternative, DecidedBy, Explained, LongSprite, Tried};
pub use export::{Export, ExportForm, Exported, ReadPart, SIDECAR_SUFFIX};
pub use failure::{Cause, Failure, Problem, ProblemKind, by_help};
pub use inputs::Inputs;
pub use limits::Limits;
pub use load::{decode_source, hush_codec_panics};
pub use observer::{Observer, Phase};
pub use request::{OutputFile, PackRequest, Packed};
pub use scan::{Finding, FindingItem, FindingKind, Forecast, Scan, ScanRequest, ScannedSprite, Severity};
pub use shares::{MOST_SHARES, PlannedShare, PlannedUnit, Share, ShareBuilt, WorkPlan};
pub use summary::{Binds, BlockLoss, Kept, LayerSummary, PageSummary, SpriteLoss, State, Summary, TextureSummary};
pub use timings::{Spent, Stage};
pub use upkeep::StoreRequest;
pub use verify::{AtlasDefect, Proof, ReadImage, Verify};
pub use warning::Warning;
#[cfg(feature = "watch")]
pub use watch::{WatchEvent, WatchOptions, watch};
pub use work::{Account, Origins};
