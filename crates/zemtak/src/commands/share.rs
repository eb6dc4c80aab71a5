//! `zemtak pack --share`: one share of a build into the shared store.

use crate::console::Console;
use crate::notice::Notice;
use crate::origins;
use crate::report::Report;
use serde_json::{Value, json};
use std::time::Duration;
use zemtak_build::{Failure, PackRequest, Share, ShareBuilt, format};

/// Which share of which build.
#[derive(Debug, Clone, PartialEq)]
pub struct ShareRequest {
    /// The build.
    pub pack: PackRequest,
    /// The share.
    pub share: Share,
}

/// Builds a share.
///
/// # Errors
/// Anything wrong with project, sources or options; there is no writable shared store, or some values could not be
/// stored.
pub fn run(request: &ShareRequest, console: &Console) -> Result<ShareReport, Failure> {
    let pack = request.pack.clone().limits(console.limits);
    pack.run_share(request.share, &console.watcher()).map(ShareReport)
}

/// A finished share.
#[derive(Debug)]
pub struct ShareReport(ShareBuilt);

impl Report for ShareReport {
    fn text(&self, verbose: bool) -> String {
        let ShareBuilt { share, atlases, all_atlases, estimate, estimate_of_all, account, shared, seconds, .. } =
            &self.0;
        let part = format::percent(micros(*estimate), micros(*estimate_of_all).max(1));
        let (has, made, there) = (atlases.len(), account.pages.made, account.pages.fetched);
        let all = format::count(*all_atlases, "atlas", "atlases");
        let mut out = format!("share {share}: {has} of {all}, about {part} of the work; {seconds:.2} s\n");
        let pages = |count: u64| format::count(usize::try_from(count).unwrap_or(usize::MAX), "page", "pages");
        out.push_str(&format!(
            "  {} made, {} there already; put {} into {}\n",
            pages(made),
            format::number(there),
            format::bytes(shared.shared_bytes),
            format::name(&shared.store)
        ));
        if verbose {
            out.push_str(&format!("  {}\n", atlases.join(" ")));
            out.push_str(&origins::text(account));
        }
        out
    }

    fn json(&self) -> Value {
        let ShareBuilt { share, atlases, all_atlases, estimate, estimate_of_all, account, shared, seconds, .. } =
            &self.0;
        json!({
            "share": share.number, "of": share.of, "atlases": atlases, "all_atlases": all_atlases,
            "work_seconds": estimate.as_secs_f64(), "all_work_seconds": estimate_of_all.as_secs_f64(),
            "origins": origins::json(account), "shared_store": origins::shared_json(shared), "seconds": seconds,
        })
    }

    fn kind(&self) -> &'static str {
        "share"
    }

    fn warnings(&self) -> Vec<Notice> {
        self.0.shared.warning().iter().map(Notice::from).collect()
    }
}

fn micros(time: Duration) -> u64 {
    u64::try_from(time.as_micros()).unwrap_or(u64::MAX)
}
