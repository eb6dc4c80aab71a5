//! `zemtak store`: what is stored, locally and in the shared store.

use crate::columns::Columns;
use crate::console::Console;
use crate::exit::Exit;
use crate::report::Report;
use serde_json::{Value, json};
use std::time::Duration;
use zemtak_build::store::{Checked, StoreInfo, TrimBounds, Trimmed};
use zemtak_build::{Failure, StoreRequest, format};

/// What to do with which store.
#[derive(Debug, Clone, PartialEq)]
pub struct StoreCommand {
    /// The store.
    pub stores: StoreRequest,
    /// The action.
    pub action: StoreAction,
}

/// An action on a store.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum StoreAction {
    /// Report what it holds.
    Info,
    /// Shrink it, or report what that would remove.
    Trim {
        /// The limits of size and age.
        bounds: TrimBounds,
        /// Remove nothing.
        dry_run: bool,
    },
    /// Check its values against their hashes.
    Check {
        /// Remove those that are damaged.
        remove: bool,
    },
}

/// Carries the action out.
///
/// # Errors
/// The store does not exist, or cannot be read or written.
pub fn run(request: &StoreCommand, console: &Console) -> Result<Box<dyn Report>, Failure> {
    let (stores, watcher) = (&request.stores, console.watcher());
    Ok(match request.action {
        StoreAction::Info => Box::new(InfoReport(stores.info(&watcher)?)),
        StoreAction::Trim { bounds, dry_run } => {
            Box::new(TrimReport { stores: stores.trim(bounds, dry_run, &watcher)?, dry_run })
        }
        StoreAction::Check { remove } => Box::new(CheckReport(stores.check(remove, &watcher)?)),
    })
}

/// Local or shared, in words.
fn title(shared: bool, store: &str) -> String {
    format!("{} store {}", if shared { "shared" } else { "local" }, format::name(store))
}

fn values(count: u64) -> String {
    format!("{} {}", format::number(count), if count == 1 { "value" } else { "values" })
}

struct InfoReport(Vec<StoreInfo>);

impl Report for InfoReport {
    fn text(&self, _: bool) -> String {
        self.0.iter().map(info_text).collect()
    }

    fn json(&self) -> Value {
        let store = |info: &StoreInfo| {
            let kind = |(kind, count, bytes): &(zemtak_build::store::Kind, u64, u64)| json!({ "kind": kind.word(), "values": count, "bytes": bytes });
            json!({
                "store": info.store, "shared": info.shared, "values": info.values, "bytes": info.bytes,
                "kinds": info.kinds.iter().map(kind).collect::<Vec<_>>(),
                "least_recent_use_seconds": info.least_used.map(|age| age.as_secs()), "trouble": info.trouble,
            })
        };
        json!({ "stores": self.0.iter().map(store).collect::<Vec<_>>() })
    }

    fn kind(&self) -> &'static str {
        "store-info"
    }

    fn is_answer(&self) -> bool {
        true
    }

    fn exit(&self) -> Exit {
        if self.0.iter().all(|info| info.trouble.is_none()) { Exit::Done } else { Exit::Io }
    }
}

fn info_text(info: &StoreInfo) -> String {
    let title = title(info.shared, &info.store);
    if let Some(trouble) = &info.trouble {
        return format!("{title}: {trouble}\n");
    }
    let mut out = format!("{title}: {}, {}\n", values(info.values), format::bytes(info.bytes));
    if !info.kinds.is_empty() {
        let mut table = Columns::new(["", "values", "size"]);
        for (kind, count, bytes) in &info.kinds {
            table.row([&kind.word(), &format::number(*count), &format::bytes(*bytes)]);
        }
        out.push_str(&table.lines(&[1, 2]));
    }
    if let Some(age) = info.least_used {
        out.push_str(&format!("  the least recently used one was used {} ago\n", ago(age)));
    }
    out
}

/// A long duration in words.
fn ago(age: Duration) -> String {
    let seconds = age.as_secs();
    let (count, one, many) = match seconds {
        0..60 => (seconds, "second", "seconds"),
        60..3600 => (seconds / 60, "minute", "minutes"),
        3600..86_400 => (seconds / 3600, "hour", "hours"),
        _ => (seconds / 86_400, "day", "days"),
    };
    format::count(usize::try_from(count).unwrap_or(usize::MAX), one, many)
}

struct TrimReport {
    stores: Vec<Trimmed>,
    dry_run: bool,
}

impl Report for TrimReport {
    fn text(&self, _: bool) -> String {
        let removed = if self.dry_run { "would remove" } else { "removed" };
        let line = |trimmed: &Trimmed| {
            let left = format!("{}, {}", values(trimmed.left), format::bytes(trimmed.left_bytes));
            let title = title(trimmed.shared, &trimmed.store);
            match trimmed.removed {
                0 => format!("{title}: nothing to remove; it has {left}\n"),
                count => {
                    let bytes = format::bytes(trimmed.removed_bytes);
                    format!("{title}: {removed} {}, {bytes}; {left} left\n", values(count))
                }
            }
        };
        self.stores.iter().map(line).collect()
    }

    fn json(&self) -> Value {
        let store = |trimmed: &Trimmed| {
            json!({
                "store": trimmed.store, "shared": trimmed.shared, "removed": trimmed.removed,
                "removed_bytes": trimmed.removed_bytes, "left": trimmed.left, "left_bytes": trimmed.left_bytes,
            })
        };
        json!({ "stores": self.stores.iter().map(store).collect::<Vec<_>>(), "dry_run": self.dry_run })
    }

    fn kind(&self) -> &'static str {
        "store-trim"
    }
}

struct CheckReport(Vec<Checked>);

impl Report for CheckReport {
    fn text(&self, verbose: bool) -> String {
        self.0.iter().map(|checked| check_text(checked, verbose)).collect()
    }

    fn json(&self) -> Value {
        let store = |checked: &Checked| {
            json!({
                "store": checked.store, "shared": checked.shared, "values": checked.values, "damaged": checked.damaged,
                "removed": checked.removed && !checked.damaged.is_empty(),
            })
        };
        json!({ "stores": self.0.iter().map(store).collect::<Vec<_>>() })
    }

    fn kind(&self) -> &'static str {
        "store-check"
    }

    fn exit(&self) -> Exit {
        if self.0.iter().all(|checked| checked.damaged.is_empty()) { Exit::Done } else { Exit::Found }
    }
}

fn check_text(checked: &Checked, verbose: bool) -> String {
    let title = title(checked.shared, &checked.store);
    let (damaged, removed) = (&checked.damaged, if checked.removed { "; removed" } else { "" });
    match (damaged.len(), checked.shared) {
        (0, _) => format!("{title}: {}, all as they were written\n", values(checked.values)),
        (_, false) => format!("{title}: damaged{removed}; the next build makes a new one\n"),
        (count, true) => {
            let list = if verbose { damaged.clone() } else { damaged.iter().take(10).cloned().collect() };
            let more = count - list.len();
            let more = if more > 0 {
                format!("  and {} more: -v lists them\n", format::number(more as u64))
            } else {
                String::new()
            };
            let list: String = list.iter().map(|name| format!("  {}\n", format::name(name))).collect();
            format!(
                "{title}: {} of {} damaged, or of another ZEMTAK_STORE_KEY{removed}\n{list}{more}",
                format::number(count as u64),
                values(checked.values)
            )
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_duration_is_told_in_its_largest_unit() {
        let seconds = [0, 1, 59, 60, 119, 3599, 3600, 86_399, 86_400, 200_000];
        let expected =
            "0 seconds, 1 second, 59 seconds, 1 minute, 1 minute, 59 minutes, 1 hour, 23 hours, 1 day, 2 days";
        assert_eq!(seconds.map(|n| ago(Duration::from_secs(n))).join(", "), expected);
    }
}
