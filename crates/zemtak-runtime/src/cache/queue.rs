//! What waits for a worker, except pages, and the workers that wait for work.

use super::lookup::PendingLookup;
use std::collections::VecDeque;

/// Something for a worker to do besides reading pages.
#[derive(Debug)]
pub(super) enum WorkItem {
    /// Read the descriptor of an atlas, or an image.
    Open(u32),
    /// List all files for a lookup.
    List(PendingLookup),
    /// Look for files that have changed.
    Look,
}

/// What to repeat when files have arrived that were on their way.
#[derive(Debug)]
pub(super) enum Later {
    /// Read a page.
    Page(u32),
    Other(WorkItem),
}

/// Work in the order in which it was asked for.
#[derive(Debug, Default)]
pub(super) struct WorkQueue {
    items: VecDeque<WorkItem>,
    /// What waits for files.
    pub later: Vec<Later>,
    /// How often files have arrived.
    pub came: u64,
    /// Whether a check for changed files is waiting or running.
    looking: bool,
    /// Workers that wait for something to do, and jobs in progress.
    pub sleeping: usize,
    pub running: usize,
}

impl WorkQueue {
    pub fn push(&mut self, item: WorkItem) {
        self.items.push_back(item);
    }

    /// Requests a check for changed files, unless there is one already. Returns whether it did.
    pub fn look(&mut self) -> bool {
        let new = !std::mem::replace(&mut self.looking, true);
        if new {
            self.push(WorkItem::Look);
        }
        new
    }

    /// Ends a check for changed files.
    pub fn looked(&mut self) {
        self.looking = false;
    }

    pub fn pop(&mut self) -> Option<WorkItem> {
        self.items.pop_front()
    }

    pub fn is_empty(&self) -> bool {
        self.items.is_empty()
    }

    /// Whether nothing waits and nothing is being done.
    pub fn is_idle(&self) -> bool {
        self.running == 0 && self.items.is_empty() && self.later.is_empty()
    }
}
