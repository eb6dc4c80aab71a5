//! Images of a project that no atlas takes, and images that several take.

use super::{Roots, Target};
use crate::format;
use crate::sources::{self, Source};
use crate::warning::Warning;
use std::borrow::Cow;
use std::collections::{BTreeMap, HashMap, HashSet};
use std::ffi::OsStr;
use std::path::{Component, Path};
use zemtak_core::glob;

/// Where an image is, to be compared.
type Place<'s> = Cow<'s, OsStr>;

/// The images of targets that no atlas takes, and those that several take. `folder` is that of the project file; an
/// image whose own name is among `named`, the globs of `leave`, was left out on purpose.
pub(super) fn find(targets: &[Target], folder: &Path, roots: &Roots, named: &HashSet<&str>) -> Vec<Warning> {
    let alike = are_spelled_alike(folder, roots);
    let place = |path| place(path, alike);
    let mut taken: HashMap<Place<'_>, (&Path, Vec<&str>)> = HashMap::new();
    for target in targets {
        for path in target.sources.files.iter().flat_map(Source::paths) {
            taken.entry(place(path)).or_insert_with(|| (path, Vec::new())).1.push(&target.name);
        }
    }
    let on_purpose = |source: &Source| {
        [source.shown.as_str(), source.name.as_str()].iter().any(|name| named.contains(&*glob::escape(name)))
    };
    // One root may lie in another.
    let mut seen = HashSet::new();
    let mut left: Vec<&Source> = roots.values().flatten().flat_map(|found| &found.files).collect();
    left.retain(|source| {
        let place = place(&source.path);
        !taken.contains_key(&place) && !on_purpose(source) && seen.insert(place)
    });
    left.sort_by(|a, b| a.name.cmp(&b.name));
    let mut warnings = Vec::new();
    if !left.is_empty() {
        warnings.push(Warning::InNoAtlas { images: left.iter().map(|s| format::path(&s.path)).collect() });
    }
    let mut several: BTreeMap<Vec<&str>, Vec<String>> = BTreeMap::new();
    for (path, who) in taken.into_values().filter(|(_, who)| who.len() > 1) {
        several.entry(who).or_default().push(format::path(path));
    }
    for (who, mut images) in several {
        images.sort_unstable();
        warnings.push(Warning::InSeveralAtlases { atlases: who.into_iter().map(str::to_owned).collect(), images });
    }
    warnings
}

/// Whether paths below these roots can be compared as they are: each root is the project's folder or one below it,
/// without detours. Resolving a million paths takes a second.
fn are_spelled_alike(folder: &Path, roots: &Roots) -> bool {
    let is_plain = |root: &Path| {
        let below = root.strip_prefix(folder);
        below.is_ok_and(|below| below.components().all(|part| matches!(part, Component::Normal(_))))
    };
    roots.len() <= 1 || roots.keys().all(|root| is_plain(root))
}

fn place(path: &Path, as_it_is: bool) -> Place<'_> {
    let resolved = if as_it_is { None } else { sources::clean(path).ok() };
    resolved.map_or(Cow::Borrowed(path.as_os_str()), |path| Cow::Owned(path.into_os_string()))
}
