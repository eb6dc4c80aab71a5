//! The account of what was loaded, reused, evicted and is still held.

use super::counters::Evictions;
use super::entries::{PINS, Target};
use super::page::PageState;
use super::state::State;
use serde::Serialize;
use std::fmt;

/// The cache's account, at one moment. As text it is a table.
///
/// # Guarantees
/// `requests = reuses + coalesced + started + refused + withdrawn + waiting`, and
/// `loads_begun = loads + page_failures + cancelled + in_flight`.
///
/// ```
/// # use zemtak_runtime::{Cache, MemoryFiles, MemorySink, Settings};
/// # let files = MemoryFiles::new();
/// # let pixels = zemtak_runtime::Pixels::transparent(zemtak_runtime::geometry::Size::new(32, 16)).unwrap();
/// # let png = zemtak_core::codec::encode_png(&pixels, zemtak_core::codec::PngEffort::Fast).unwrap();
/// # files.put("moth.png", png.clone());
/// # files.put("title.png", png);
/// # let (cache, mut pump) = Cache::new(Settings::over(files.clone()), MemorySink::new());
/// pump.wait(&cache.lease("moth.png"))?;
/// let ledger = cache.ledger();
/// assert_eq!(ledger.requests, ledger.started);
/// assert!(ledger.to_json().starts_with(r#"{"requests":1,"#));
/// # Ok::<(), zemtak_runtime::Failure>(())
/// ```
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Ledger {
    /// Leases asked for.
    pub requests: u64,
    /// Requests for what was resident.
    pub reuses: u64,
    /// Requests for what was loading already.
    pub coalesced: u64,
    /// Requests that started loading a page or image.
    pub started: u64,
    /// Requests for what is known to be unavailable.
    pub refused: u64,
    /// Requests given back before it was known what they mean.
    pub withdrawn: u64,
    /// Requests whose meaning is not known yet.
    pub waiting: u64,
    /// Loads of pages and images begun, by requests, retries and reloads.
    pub loads_begun: u64,
    /// Pages and images made into textures, each counted once with all its layers.
    pub loads: u64,
    /// Their bytes.
    pub loaded_bytes: u64,
    /// Loads that failed.
    pub page_failures: u64,
    /// Loads given up because nobody wanted them any more.
    pub cancelled: u64,
    /// Loads in progress.
    pub in_flight: u64,
    /// Names, descriptors and clips that could not be loaded.
    pub other_failures: u64,
    /// New versions that took over.
    pub replaced: u64,
    /// New versions that were broken, so that the old ones stayed.
    pub kept_old: u64,
    /// Pages and images whose textures were dropped, by cause.
    pub evictions: Evictions,
    /// Bytes of resident textures, including the stand-in.
    pub resident_bytes: u64,
    /// The highest value of that so far.
    pub peak_bytes: u64,
    /// How many of these bytes belong to textures that somebody holds.
    pub leased_bytes: u64,
    /// The budget.
    pub budget: u64,
    /// Whether what is held is more than the budget.
    pub over_budget: bool,
    /// Nanoseconds spent reading and decoding, on all threads together.
    pub decoding_ns: u64,
    /// Nanoseconds spent making textures.
    pub uploading_ns: u64,
    /// Events that were discarded because nobody fetched them.
    pub events_lost: u64,
    /// Live leases, without pins.
    pub leases: u64,
    /// Leases of pinned sets.
    pub pins: u64,
    /// Who holds what, without pins, in the order of sprite names.
    pub held: Vec<Held>,
    /// All pages and images that were asked for, in the order of their paths.
    pub textures: Vec<TextureLine>,
}

/// Who holds a sprite.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Serialize)]
pub struct Held {
    /// The sprite's name.
    pub sprite: String,
    /// The name given by [`Cache::named`](super::Cache::named); empty without one.
    pub holder: String,
    /// The line of the program that asked for it, such as `src/meadow.rs:40`; in debug builds.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub at: Option<String>,
    /// How many leases.
    pub leases: u32,
}

/// A page or image.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Serialize)]
pub struct TextureLine {
    /// Its path below its root.
    pub path: String,
    /// `absent`, `loading`, `resident` or `failed`.
    pub state: &'static str,
    /// Its bytes as a texture.
    pub bytes: u64,
    /// Leases on its sprites.
    pub leases: u32,
}

impl Ledger {
    pub(super) fn of(state: &State) -> Self {
        let counters = &state.account.counters;
        let pages = || state.pages.iter().map(|(_, page)| page);
        let leased = pages().filter(|p| p.leases > 0 && matches!(p.state, PageState::Resident(_)));
        let nanoseconds = |time: std::time::Duration| u64::try_from(time.as_nanos()).unwrap_or(u64::MAX);
        let (held, pins) = held(state);
        let asked = pages().filter(|page| !(page.retired && page.leases == 0));
        let mut textures: Vec<TextureLine> = asked.map(TextureLine::of).collect();
        textures.sort();
        Self {
            requests: counters.requests,
            reuses: counters.reuses,
            coalesced: counters.coalesced,
            started: counters.started,
            refused: counters.refused,
            withdrawn: counters.withdrawn,
            waiting: counters.waiting,
            loads_begun: counters.begun,
            loads: counters.loads,
            loaded_bytes: counters.loaded_bytes,
            page_failures: counters.page_failures,
            cancelled: counters.cancelled,
            in_flight: pages().filter(|p| p.state.is_loading()).count() as u64,
            other_failures: counters.other_failures,
            replaced: counters.replaced,
            kept_old: counters.kept_old,
            evictions: counters.evictions,
            resident_bytes: state.pages.resident,
            peak_bytes: state.pages.peak,
            leased_bytes: leased.map(|page| page.bytes).sum(),
            budget: state.pages.budget,
            over_budget: state.pages.resident > state.pages.budget,
            decoding_ns: nanoseconds(counters.decoding),
            uploading_ns: nanoseconds(counters.uploading),
            events_lost: state.account.events.lost,
            leases: held.iter().map(|held| u64::from(held.leases)).sum(),
            pins,
            held,
            textures,
        }
    }

    /// The same as JSON, on one line.
    #[must_use]
    pub fn to_json(&self) -> String {
        // Writing it cannot fail.
        serde_json::to_string(self).unwrap_or_default()
    }
}

fn held(state: &State) -> (Vec<Held>, u64) {
    let (mut held, mut pins) = (Vec::new(), 0);
    for entry in state.names.iter() {
        for (who, leases) in entry.holds() {
            if who.holder == PINS {
                pins += u64::from(*leases);
                continue;
            }
            let known = !matches!(entry.target(), Target::Bad(_));
            held.push(Held {
                sprite: if known { entry.name.to_string() } else { format!("{} (failed)", entry.name) },
                holder: state.holders[who.holder as usize].to_string(),
                at: who.at.map(|at| format!("{}:{}", at.file(), at.line())),
                leases: *leases,
            });
        }
    }
    held.sort();
    (held, pins)
}

impl TextureLine {
    fn of(page: &super::page::Page) -> Self {
        let state = match page.state {
            PageState::Absent | PageState::Free => "absent",
            PageState::Resident(_) => "resident",
            PageState::Failed(_) => "failed",
            _ => "loading",
        };
        Self { path: page.file.path.to_string(), state, bytes: page.bytes, leases: page.leases }
    }
}

impl fmt::Display for Ledger {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let Self { requests, reuses, coalesced, started, refused, withdrawn, waiting, .. } = self;
        writeln!(f, "requests {requests}: {reuses} reused, {coalesced} joined a load, {started} began one")?;
        if refused + withdrawn + waiting > 0 {
            writeln!(f, "    {refused} refused, {withdrawn} withdrawn, {waiting} waiting")?;
        }
        let Self { loads, loaded_bytes, page_failures, cancelled, in_flight, other_failures, .. } = self;
        writeln!(
            f,
            "loads {loads} ({}), {} failed, {cancelled} cancelled, {in_flight} under way",
            Bytes(*loaded_bytes),
            page_failures + other_failures
        )?;
        let Evictions { budget, trim, device, replaced, lost, closed } = self.evictions;
        let all = self.evictions.all();
        writeln!(
            f,
            "evictions {all}: {budget} for the budget, {trim} by trim, {device} for the device, {replaced} replaced, {lost} lost, {closed} at the end"
        )?;
        if self.replaced + self.kept_old > 0 {
            writeln!(f, "versions {} taken over, {} broken and not", self.replaced, self.kept_old)?;
        }
        let over = if self.over_budget { ", which is exceeded" } else { "" };
        let (now, peak, leased) = (Bytes(self.resident_bytes), Bytes(self.peak_bytes), Bytes(self.leased_bytes));
        writeln!(
            f,
            "memory {now} now, {leased} of it held, {peak} at most; the budget is {}{over}",
            Bytes(self.budget)
        )?;
        let milliseconds = |ns: u64| format!("{}.{} ms", ns / 1_000_000, ns / 100_000 % 10);
        writeln!(f, "time {} decoding, {} uploading", milliseconds(self.decoding_ns), milliseconds(self.uploading_ns))?;
        for line in &self.textures {
            let TextureLine { path, state, bytes, leases } = line;
            writeln!(f, "    {path}: {state}, {}, {leases} leases", Bytes(*bytes))?;
        }
        writeln!(f, "held: {} leases, {} pins", self.leases, self.pins)?;
        for Held { sprite, holder, at, leases } in &self.held {
            let by = if holder.is_empty() { String::new() } else { format!(" by {holder}") };
            let at = at.as_ref().map_or(String::new(), |at| format!(" at {at}"));
            writeln!(f, "    {sprite}: {leases}{by}{at}")?;
        }
        Ok(())
    }
}

/// A number of bytes for people.
struct Bytes(u64);

impl fmt::Display for Bytes {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let units = [(1 << 30, "GiB"), (1 << 20, "MiB"), (1 << 10, "KiB")];
        match units.into_iter().find(|(unit, _)| self.0 >= *unit) {
            // One decimal, rounded down.
            Some((unit, name)) => write!(f, "{}.{} {name}", self.0 / unit, self.0 % unit * 10 / unit),
            None => write!(f, "{} bytes", self.0),
        }
    }
}
