//! What waits for a worker, pages apart, and the workers that wait for it.

use super::lookup::PendingLookup;
use std::collections::VecDeque;

/// Something for a worker to do besides reading pages.
#[derive(Debug)]
pub(super) enum WorkItem {
    /// Read an atlas' descriptor, or an image.
    Open(u32),
    /// List all files for a lookup.
    List(PendingLookup),
    /// Look for files that have changed.
    Look,
}

/// What is done once more when files have come that are on their way.
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
    /// How often some have come.
    pub came: u64,
    /// Whether a look for changed files waits or is under way.
    looking: bool,
    /// Workers that wait for something to do, and jobs that workers are at.
    pub sleeping: usize,
    pub running: usize,
}

impl WorkQueue {
    pub fn push(&mut self, item: WorkItem) {
        self.items.push_back(item);
    }

    /// Has a worker look for changed files, unless that is on its way already. Tells whether it was not.
    pub fn look(&mut self) -> bool {
        let new = !std::mem::replace(&mut self.looking, true);
        if new {
            self.push(WorkItem::Look);
        }
        new
    }

    /// Ends a look for changed files.
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
