//! The options of `zemtak store`.

use crate::commands::store::{StoreAction, StoreCommand};
use clap::{Args, Subcommand};
use std::path::PathBuf;
use std::time::Duration;
use zemtak_build::store::TrimBounds;
use zemtak_build::{StoreRequest, format};

#[derive(Debug, Args)]
pub(super) struct StoreArgs {
    #[command(subcommand)]
    what: StoreSubcommand,
}

#[derive(Debug, Subcommand)]
enum StoreSubcommand {
    /// Show what each store holds
    #[command(after_help = "Examples:\n  zemtak store info\n  zemtak store info --url /mnt/art/store")]
    Info(WhichArgs),
    /// Make stores smaller: least recently used values go first
    ///
    /// Everything in a store can be rebuilt, so this is safe even while builds are running.
    #[command(after_help = "Examples:\n  zemtak store trim --max-size 20GiB\n  \
        zemtak store trim --url /mnt/art/store --max-age 30 --dry-run")]
    Trim(TrimArgs),
    /// Check every value against its hash
    ///
    /// Exits with 1 if any is damaged, or was written with another ZEMTAK_STORE_KEY. Builds never use such values.
    /// Reading a value counts as using it, so trim first.
    #[command(after_help = "Examples:\n  zemtak store check\n  zemtak store check --url /mnt/art/store --remove")]
    Check(CheckArgs),
}

#[derive(Debug, Args)]
struct WhichArgs {
    /// Only this shared store [default: the project's or that of ZEMTAK_STORE, and the local one]
    #[arg(long, value_name = "URL")]
    url: Option<String>,
    /// Output folder, where the local store is [default: the project file's, else build]
    #[arg(short, long, value_name = "DIR", conflicts_with = "url")]
    out: Option<PathBuf>,
}

#[derive(Debug, Args)]
#[command(group(clap::ArgGroup::new("bounds").required(true).multiple(true)))]
struct TrimArgs {
    /// Largest size of each store, such as 20GiB
    #[arg(long, value_name = "SIZE", value_parser = size, group = "bounds")]
    max_size: Option<u64>,
    /// Remove values from the shared store that nobody has used for this many days
    #[arg(long, value_name = "DAYS", group = "bounds")]
    max_age: Option<u16>,
    /// Remove nothing; show what would be removed
    #[arg(long)]
    dry_run: bool,
    #[command(flatten)]
    which: WhichArgs,
}

#[derive(Debug, Args)]
struct CheckArgs {
    /// Remove damaged values
    #[arg(long)]
    remove: bool,
    #[command(flatten)]
    which: WhichArgs,
}

impl StoreArgs {
    pub(super) fn into_request(self, project: Option<PathBuf>) -> StoreCommand {
        let (which, action) = match self.what {
            StoreSubcommand::Info(which) => (which, StoreAction::Info),
            StoreSubcommand::Trim(TrimArgs { max_size, max_age, dry_run, which }) => {
                let age = max_age.map(|days| Duration::from_secs(u64::from(days) * 86_400));
                (which, StoreAction::Trim { bounds: TrimBounds { bytes: max_size, age }, dry_run })
            }
            StoreSubcommand::Check(CheckArgs { remove, which }) => (which, StoreAction::Check { remove }),
        };
        let mut stores = StoreRequest::default();
        (stores.url, stores.out, stores.project, stores.store_from_environment) = (which.url, which.out, project, true);
        StoreCommand { stores, action }
    }
}

fn size(text: &str) -> Result<u64, String> {
    format::parse_bytes(text).ok_or_else(|| "a size is such as '512 MiB', '2 GiB' or a number of bytes".into())
}
