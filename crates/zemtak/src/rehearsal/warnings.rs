//! Warnings about a rehearsal, each with the names that it is about.

use super::scenario::Scenario;
use super::stage::{PlayedScene, Run};
use crate::notice::Notice;
use std::collections::{BTreeMap, BTreeSet};
use zemtak_build::format;
use zemtak_runtime::{Failure, Reason};

/// All warnings.
pub fn all(scenario: &Scenario, run: &Run) -> Vec<Notice> {
    let mut warnings: Vec<Notice> =
        run.failures.iter().map(|failure| Notice::of_all("failure", failure.to_string())).collect();
    let kept_old = |failure| format!("a new version is broken, the old one stays: {failure}");
    warnings.extend(run.kept_old.iter().map(|failure| Notice::of_all("failure", kept_old(failure))));
    if !run.over.is_empty() {
        // What is held may grow further than when it came to exceed the budget, or not even get there.
        let most = run.over.iter().chain(&run.resident).copied().max().unwrap_or_default();
        let [most, budget] = [most, scenario.budget].map(format::bytes);
        let times = format::count(run.over.len(), "time", "times");
        let text = format!("up to {most} are needed at once, more than the budget of {budget}, {times}");
        warnings.push(Notice::of_all("over_budget", text));
    }
    warnings.extend(never_drawn(run));
    warnings.extend(too_early(scenario, run));
    warnings.extend(run.scenes.iter().filter_map(|played| held_on(scenario, played)));
    warnings.extend(run.scenes.iter().filter_map(|played| scattered(scenario, played)));
    if run.misuses > 0 {
        let text = format!("{} draws of textures that are not there: a bug in zemtak, please report it", run.misuses);
        warnings.push(Notice::of_all("misuse", text));
    }
    // A scene that is played twice, or a file that fails twice, is reported once.
    let mut told = BTreeSet::new();
    warnings.retain(|warning| told.insert(warning.clone()));
    warnings
}

/// The images that the comparison with loose images lacks.
pub fn undecodable(loose: &Run) -> Option<Notice> {
    let undecodable = |failure: &&Failure| matches!(failure.reason(), Reason::Decode(_) | Reason::TooLarge(_));
    let images: BTreeSet<&str> = loose.failures.iter().filter(undecodable).map(Failure::name).collect();
    let images: Vec<String> = images.into_iter().map(str::to_owned).collect();
    let text =
        || format!("loose images that cannot be decoded are missing in the comparison: {}", format::first_of(&images));
    (!images.is_empty()).then(|| Notice::of_all("loose_failure", text()))
}

fn never_drawn(run: &Run) -> impl Iterator<Item = Notice> {
    let idle = run.histories.iter().filter(|(_, history)| !history.made.is_empty() && !history.drawn);
    idle.map(|(path, history)| {
        let text = format!("{path} is loaded and never drawn: {}", format::bytes(history.bytes));
        Notice::about("never_drawn", path, text)
    })
}

/// Pages that were evicted and soon loaded again.
fn too_early(scenario: &Scenario, run: &Run) -> impl Iterator<Item = Notice> {
    run.histories.iter().filter_map(|(path, history)| {
        let gap = |made: &u64| {
            let before = history.dropped.iter().filter(|dropped| *dropped <= made).max()?;
            Some(made - before).filter(|gap| *gap <= scenario.soon)
        };
        let gaps: Vec<u64> = history.made.iter().skip(1).filter_map(gap).collect();
        // A new version replaces the old one in the same frame.
        let gaps: Vec<u64> = gaps.into_iter().filter(|gap| *gap > 0).collect();
        let least = gaps.iter().min()?;
        let times = if gaps.len() == 1 { String::new() } else { format!(" {} times, once", gaps.len()) };
        let after = seconds(*least, scenario.fps);
        let text = format!(
            "{path} is evicted and loaded again{times} after {after}: a larger budget, or a pin, would keep it"
        );
        Some(Notice::about("evicted_early", path, text))
    })
}

fn held_on(scenario: &Scenario, played: &PlayedScene) -> Option<Notice> {
    let scene = &scenario.scenes[played.scene].name;
    let names = format::first_of(&played.left);
    let text = || format!("scene {scene} has ended and still holds {names}: its pages cannot go");
    (!played.left.is_empty()).then(|| Notice::about("held_after_end", scene, text()))
}

/// A scene that binds several pages for sprites that would fit on one.
fn scattered(scenario: &Scenario, played: &PlayedScene) -> Option<Notice> {
    let (mut pixels, mut largest, mut pages) = (0, 0, BTreeMap::new());
    for name in played.pages.values().flatten() {
        let (page, own, room) = scenario.catalog.page_of(name)?;
        pixels += own;
        largest = largest.max(room);
        *pages.entry(page).or_insert(0_usize) += 1;
    }
    // A densely packed page is at least nine tenths full.
    if pages.len() < 2 || pixels * 10 > largest * 8 {
        return None;
    }
    let scene = &scenario.scenes[played.scene].name;
    let each: Vec<String> = pages.iter().map(|(page, count)| format!("{count} on {page}")).collect();
    let text = format!(
        "scene {scene} draws sprites that lie scattered over {} pages, {}: packed together they would be one bind",
        pages.len(),
        each.join(", ")
    );
    Some(Notice::about("scattered", scene, text))
}

/// Frames as seconds: `0.5 s`.
pub fn seconds(frames: u64, fps: u32) -> String {
    let hundredths = (frames * 100 + u64::from(fps) / 2) / u64::from(fps);
    match hundredths % 100 {
        0 => format!("{} s", hundredths / 100),
        part if part % 10 == 0 => format!("{}.{} s", hundredths / 100, part / 10),
        part => format!("{}.{part:02} s", hundredths / 100),
    }
}
