//! Where the parts of a build came from, and what that saved.

use crate::columns::Columns;
use serde_json::{Value, json};
use std::time::Duration;
use zemtak_build::store::SharedTally;
use zemtak_build::{Account, Origins, format};

/// A table: found locally, fetched, made.
#[must_use]
pub fn text(account: &Account) -> String {
    let Account { images, layouts, pages, made, saved_here, saved_fetched, .. } = account;
    let mut table = Columns::new(["", "here", "fetched", "made"]);
    for (what, Origins { here, fetched, made, .. }) in [("images", images), ("layouts", layouts), ("pages", pages)] {
        let [here, fetched, made] = [here, fetched, made].map(|count| format::number(*count));
        table.row([&what, &here, &fetched, &made]);
    }
    let [here, fetched, made] = [saved_here, saved_fetched, made].map(|time| seconds(*time));
    table.row([&"work", &here, &fetched, &made]);
    table.lines(&[1, 2, 3])
}

/// As JSON.
#[must_use]
pub fn json(account: &Account) -> Value {
    let Account { images, layouts, pages, made, saved_here, saved_fetched, .. } = account;
    let of = |Origins { here, fetched, made, .. }: &Origins| json!({ "here": here, "fetched": fetched, "made": made });
    let [here, fetched, made] = [saved_here, saved_fetched, made].map(Duration::as_secs_f64);
    json!({
        "images": of(images), "layouts": of(layouts), "pages": of(pages),
        "work_seconds": { "here": here, "fetched": fetched, "made": made },
    })
}

/// What came from the shared store and what was uploaded; `None` if nothing.
#[must_use]
pub fn shared_text(shared: &SharedTally, account: &Account) -> String {
    let Account { images, layouts, pages, saved_fetched, .. } = account;
    let fetched = (images.fetched + layouts.fetched + pages.fetched > 0).then(|| {
        let pages = match usize::try_from(pages.fetched).unwrap_or(usize::MAX) {
            0 => String::new(),
            count => format!(" with {}", format::count(count, "page", "pages")),
        };
        let (bytes, saved) = (format::bytes(shared.found_bytes), seconds(*saved_fetched));
        format!("fetched {bytes}{pages}, which saved {saved} of work")
    });
    let stored = (shared.shared > 0).then(|| format!("stored {}", format::bytes(shared.shared_bytes)));
    match fetched.into_iter().chain(stored).collect::<Vec<_>>() {
        parts if parts.is_empty() => String::new(),
        parts => format!("shared store {}: {}\n", format::name(&shared.store), parts.join("; ")),
    }
}

/// As JSON.
#[must_use]
pub fn shared_json(shared: &SharedTally) -> Value {
    json!({
        "store": shared.store, "found": shared.found, "found_bytes": shared.found_bytes,
        "missed": shared.missed, "shared": shared.shared, "shared_bytes": shared.shared_bytes, "lost": shared.lost,
    })
}

/// A duration of work in words.
#[must_use]
pub fn seconds(time: Duration) -> String {
    match time.as_secs_f64() {
        0.0 => "0 s".to_owned(),
        short if short < 1.0 => format!("{:.0} ms", (short * 1000.0).max(1.0)),
        long if long < 100.0 => format!("{long:.1} s"),
        long => format!("{:.0} min", long / 60.0),
    }
}
