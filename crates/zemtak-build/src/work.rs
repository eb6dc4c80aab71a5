//! How much work the parts of a build are, and where they came from: made here, fetched from a shared store, or still there from an
//! earlier build.

use crate::store::{Hash, Key};
use serde::{Deserialize, Serialize};
use std::ops::AddAssign;
use std::time::Duration;

/// The origin of a part of a build.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Origin {
    /// An earlier build of this machine.
    Here,
    /// Another machine.
    Fetched,
    /// It was made.
    Made,
}

/// Something that a build needed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Part {
    /// Its origin.
    pub origin: Origin,
    /// How long one thread worked on it, here or where it was made. Zero for what was here: see [`AtlasWork`].
    pub made_in: Duration,
}

impl Part {
    /// Something that an earlier build of this machine knew.
    pub const HERE: Self = Self { origin: Origin::Here, made_in: Duration::ZERO };
}

/// How many parts of a build have which origin.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
#[non_exhaustive]
pub struct Origins {
    /// Still there from an earlier build.
    pub here: u64,
    /// From the shared store.
    pub fetched: u64,
    /// Made by this build.
    pub made: u64,
}

impl Origins {
    pub(crate) fn add(&mut self, origin: Origin, count: u64) {
        match origin {
            Origin::Here => self.here += count,
            Origin::Fetched => self.fetched += count,
            Origin::Made => self.made += count,
        }
    }
}

impl AddAssign for Origins {
    fn add_assign(&mut self, other: Self) {
        self.here += other.here;
        self.fetched += other.fetched;
        self.made += other.made;
    }
}

/// Where the parts of a build came from, and what that saved. Times are those of one thread, where the work was done.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
#[non_exhaustive]
pub struct Account {
    /// Images that were decoded and treated, or known already.
    pub images: Origins,
    /// Layouts.
    pub layouts: Origins,
    /// Pages and layers.
    pub pages: Origins,
    /// The work on everything that was made.
    pub made: Duration,
    /// The work saved by what was still there, as far as it is known how long that took.
    pub saved_here: Duration,
    /// The work saved by what was fetched.
    pub saved_fetched: Duration,
}

impl Account {
    fn time(&mut self, Part { origin, made_in }: Part) {
        match origin {
            Origin::Here => self.saved_here += made_in,
            Origin::Fetched => self.saved_fetched += made_in,
            Origin::Made => self.made += made_in,
        }
    }
}

impl AddAssign for Account {
    fn add_assign(&mut self, other: Self) {
        self.images += other.images;
        self.layouts += other.layouts;
        self.pages += other.pages;
        self.made += other.made;
        self.saved_here += other.saved_here;
        self.saved_fetched += other.saved_fetched;
    }
}

/// The work of loading the images of an atlas, for all its sizes together.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub(crate) struct ImagesWork {
    /// The origins of the images.
    pub images: Origins,
    /// The work on those that were made, and on those that were fetched.
    pub made_in: [Duration; 2],
}

/// The parts of an atlas at one of its sizes: the layout, and pages with their layers.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub(crate) struct SizeParts {
    pub layout: Option<Part>,
    pub pages: Vec<Part>,
}

/// Changes whenever what is recorded does.
const WORK_VERSION: u32 = 1;

/// How much work an atlas is, in microseconds of one thread: recorded by builds, so that the next one can tell what it
/// saved, and for splitting builds into shares.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct AtlasWork {
    /// How many images it has.
    pub images: u64,
    /// Decoding and treating all of them.
    pub loading: u64,
    /// Each of its sizes, its own first.
    pub sizes: Vec<SizeWork>,
}

/// How much work one of an atlas's sizes is once its images are loaded.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct SizeWork {
    pub layout: u64,
    /// Its pages and layers, in order.
    pub pages: Vec<u64>,
}

/// The key under which the work of an atlas with some settings is recorded.
pub(crate) fn key(atlas: &str, settings: &impl Serialize) -> Hash {
    Key::new("work", &[WORK_VERSION]).value(&atlas).value(settings).finish()
}

impl AtlasWork {
    pub fn of_bytes(bytes: &[u8]) -> Option<Self> {
        postcard::from_bytes(bytes).ok()
    }

    pub fn to_bytes(&self) -> Vec<u8> {
        postcard::to_stdvec(self).unwrap_or_default()
    }

    /// The total work.
    pub fn total(&self) -> u64 {
        self.loading + self.sizes.iter().map(SizeWork::total).sum::<u64>()
    }

    /// Whether it has the same number of images, sizes and pages.
    pub fn is_like(&self, other: &Self) -> bool {
        let shape = |work: &Self| (work.images, work.sizes.iter().map(|size| size.pages.len()).collect::<Vec<_>>());
        shape(self) == shape(other)
    }

    /// How much work an atlas is, given the parts that a build had, and the build's account. What was still there took
    /// as long as `former` says.
    pub fn after(images: ImagesWork, sizes: &[SizeParts], former: Option<&Self>) -> (Self, Account) {
        let mut account = Account { images: images.images, ..Account::default() };
        let [made, fetched] = images.made_in;
        let each = former.map_or(0, |former| former.loading / former.images.max(1));
        let here = Duration::from_micros(each * images.images.here);
        account.made += made;
        account.saved_fetched += fetched;
        account.saved_here += here;
        let count = images.images.here + images.images.fetched + images.images.made;
        let mut work = Self { images: count, loading: micros(made + fetched + here), sizes: Vec::new() };
        for (at, parts) in sizes.iter().enumerate() {
            let former = former.and_then(|former| former.sizes.get(at));
            work.sizes.push(SizeWork::after(parts, former, &mut account));
        }
        (work, account)
    }

    /// The account of a build in which all of it was still there.
    pub fn unchanged(&self) -> Account {
        let mut account = Account { saved_here: Duration::from_micros(self.total()), ..Account::default() };
        account.images.here = self.images;
        account.layouts.here = self.sizes.len() as u64;
        account.pages.here = self.sizes.iter().map(|size| size.pages.len() as u64).sum();
        account
    }
}

impl SizeWork {
    pub fn total(&self) -> u64 {
        self.layout + self.pages.iter().sum::<u64>()
    }

    fn after(parts: &SizeParts, former: Option<&Self>, account: &mut Account) -> Self {
        let of = |part: Part, former: Option<u64>| match part.origin {
            Origin::Here => Part { made_in: Duration::from_micros(former.unwrap_or_default()), ..part },
            _ => part,
        };
        let mut work = Self::default();
        if let Some(layout) = parts.layout {
            let layout = of(layout, former.map(|former| former.layout));
            account.layouts.add(layout.origin, 1);
            account.time(layout);
            work.layout = micros(layout.made_in);
        }
        for (at, &page) in parts.pages.iter().enumerate() {
            let before = former.and_then(|former| former.pages.get(at).copied());
            let page = of(page, before);
            account.pages.add(page.origin, 1);
            account.time(page);
            // Parts of a page that was made may have been there.
            work.pages.push(micros(page.made_in).max(before.unwrap_or_default()));
        }
        work
    }
}

fn micros(time: Duration) -> u64 {
    u64::try_from(time.as_micros()).unwrap_or(u64::MAX)
}
