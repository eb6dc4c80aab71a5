//! Where sprites come from: atlases and loose images.

use super::entries::Version;
use super::lookup::PendingLookup;
use super::queue::{WorkItem, WorkQueue};
use super::snapshot::Seen;
use crate::failure::Failure;
use std::collections::HashMap;
use std::sync::Arc;
use zemtak_core::atlas::{Atlas, page_path_is_safe};

/// An atlas or a loose image.
#[derive(Debug, Default)]
pub(super) struct Origin {
    /// The path of an atlas below its root and a colon, such as `night:`, or the path of an image.
    pub name: Arc<str>,
    /// What is currently drawn.
    pub version: Option<Arc<Version>>,
    /// What will be drawn once everything of it that is held has been loaded.
    pub coming: Option<Arc<Version>>,
    /// Why it cannot be read.
    pub failed: Option<Failure>,
    /// Whether it is being read, and whether it has to be read again afterwards.
    opening: bool,
    again: bool,
    /// When it was asked for.
    pub asked: u64,
    /// The names that belong to it.
    pub entries: Vec<u32>,
    /// What sets wait for, and what they cannot get because it cannot be read.
    pub lookups: Vec<PendingLookup>,
    pub failed_lookups: Vec<PendingLookup>,
    /// Its files as they were when it was last read.
    pub seen: Seen,
}

impl Origin {
    pub fn is_atlas(&self) -> bool {
        self.name.ends_with(':')
    }

    /// Its name for a person: without the colon.
    pub fn title(&self) -> &str {
        self.name.strip_suffix(':').unwrap_or(&self.name)
    }
}

/// All atlases and images that names were asked from.
#[derive(Debug, Default)]
pub(super) struct Origins {
    list: Vec<Origin>,
    by_name: HashMap<Arc<str>, u32>,
}

impl Origins {
    pub fn get(&self, index: u32) -> &Origin {
        &self.list[index as usize]
    }

    pub fn get_mut(&mut self, index: u32) -> &mut Origin {
        &mut self.list[index as usize]
    }

    pub fn iter(&self) -> impl Iterator<Item = (u32, &Origin)> {
        (0..).zip(&self.list)
    }

    pub fn indices(&self) -> impl Iterator<Item = u32> + use<> {
        (0..).take(self.list.len())
    }

    /// The index of an atlas (`night:`) or an image.
    pub fn intern(&mut self, name: &str) -> u32 {
        if let Some(origin) = self.by_name.get(name) {
            return *origin;
        }
        let shared: Arc<str> = name.into();
        let index = u32::try_from(self.list.len()).unwrap_or(0);
        self.list.push(Origin { name: shared.clone(), ..Origin::default() });
        self.by_name.insert(shared, index);
        index
    }

    /// Requests that an atlas or image be read, unless it has been read, is being read or is known to be broken.
    pub fn open(&mut self, index: u32, asked: u64, queue: &mut WorkQueue) {
        let origin = self.get_mut(index);
        if origin.version.is_none() && origin.failed.is_none() && !origin.opening {
            (origin.opening, origin.asked) = (true, asked);
            queue.push(WorkItem::Open(index));
        }
    }

    /// Requests that an atlas or image be read once more, even if it is being read right now.
    pub fn open_again(&mut self, index: u32, queue: &mut WorkQueue) {
        let origin = self.get_mut(index);
        if origin.opening {
            origin.again = true;
        } else if origin.version.is_some() {
            origin.opening = true;
            queue.push(WorkItem::Open(index));
        }
    }

    /// Notes that an atlas or image was read. Returns whether that counts: not if it was requested again meanwhile,
    /// since what was read may be old already.
    pub fn opened(&mut self, index: u32, seen: Seen, queue: &mut WorkQueue) -> bool {
        let origin = self.get_mut(index);
        origin.seen = seen;
        origin.opening = std::mem::take(&mut origin.again);
        if origin.opening {
            queue.push(WorkItem::Open(index));
        }
        !self.get(index).opening
    }

    /// Whether an atlas or image is being read.
    pub fn is_opening(&self, index: u32) -> bool {
        self.get(index).opening
    }

    /// Forgets everything that a set waits for or could not get.
    pub fn forget_lookups(&mut self, set: u32) {
        for origin in &mut self.list {
            origin.lookups.retain(|lookup| lookup.set != set);
            origin.failed_lookups.retain(|lookup| lookup.set != set);
        }
    }

    /// Whether no new version is waiting to take over.
    pub fn is_idle(&self) -> bool {
        self.list.iter().all(|origin| origin.coming.is_none())
    }
}

/// The atlas or image that a name belongs to; `None` if it is not a name.
pub(super) fn origin_of(name: &str) -> Option<&str> {
    let Some(colon) = name.find(':') else {
        return page_path_is_safe(name).then_some(name);
    };
    let (atlas, sprite) = (&name[..colon], &name[colon + 1..]);
    let last = atlas.rsplit('/').next().unwrap_or(atlas);
    (page_path_is_safe(atlas) && Atlas::is_name(last) && !sprite.is_empty()).then(|| &name[..=colon])
}
