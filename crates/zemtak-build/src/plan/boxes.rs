//! The boxes of an atlas, and what the layout has to know about each.

use super::Task;
use crate::settings::rule::Overrides;
use crate::store;
use std::collections::{BTreeMap, BTreeSet, HashMap};
use zemtak_core::geometry::Size;
use zemtak_core::layout::{Arrangement, Family, Item};
use zemtak_core::name::SpriteName;

/// Which box each sprite lies in, and which sprite is drawn in each box.
///
/// Twins are recognised by the hash of their stored pixels. Trimmed empty sprites always share their one pixel; sprites
/// in rows and those that repeat have a box each.
pub fn find(task: Task<'_>, overrides: &[Overrides]) -> (Vec<usize>, Vec<usize>) {
    let Task { settings, sprites, .. } = task;
    let dense = settings.layout == Arrangement::Dense;
    let mut drawn: Vec<usize> = Vec::new();
    let mut alike: HashMap<(Size, store::Hash), usize> = HashMap::new();
    let box_of = (0..sprites.len())
        .map(|i| {
            let facts = &sprites[i].facts;
            let stands_in = facts.empty && facts.stored == Size::new(1, 1);
            let shares = dense && !overrides[i].repeats() && (settings.share_twins || stands_in);
            let twin = alike.get(&(facts.stored, facts.hash)).copied().filter(|_| shares);
            twin.unwrap_or_else(|| {
                if shares {
                    alike.insert((facts.stored, facts.hash), drawn.len());
                }
                drawn.push(i);
                drawn.len() - 1
            })
        })
        .collect();
    (box_of, drawn)
}

/// What is laid out for each box.
///
/// `drawn` and `groups` give for each box the sprite that is drawn there, and the number of its group.
pub fn items(task: Task<'_>, overrides: &[Overrides], drawn: &[usize], groups: &[Option<usize>]) -> Vec<Item> {
    let Task { settings, sprites, .. } = task;
    let dense = settings.layout == Arrangement::Dense;
    // Whatever lies in one folder looks alike.
    let folders: BTreeSet<&str> = drawn.iter().map(|&i| folder(&sprites[i].name)).collect();
    let families: BTreeMap<&str, usize> = folders.into_iter().zip(0..).collect();
    // In rows a cell is as large as the canvas, so that a frame's place in it does not depend on what is visible.
    let item = |(&i, &group): (&usize, &Option<usize>)| {
        let facts = &sprites[i].facts;
        let alone = overrides[i].repeats();
        let trimmed = dense || alone;
        Item {
            may_turn: overrides[i].turn.unwrap_or(settings.turn) && dense && !alone,
            group: group.filter(|_| !alone),
            alone,
            family: Some(Family {
                number: families[folder(&sprites[i].name)],
                canvas: facts.canvas,
                above: if trimmed { facts.inset[1] } else { 0 },
            }),
            ..Item::new(if trimmed { facts.stored } else { facts.canvas })
        }
    };
    drawn.iter().zip(groups).map(item).collect()
}

/// The folder part of a name.
fn folder(name: &SpriteName) -> &str {
    name.as_str().rsplit_once('/').map_or("", |(folder, _)| folder)
}
