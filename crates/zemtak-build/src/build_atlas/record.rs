//! What is remembered of a build: which results came from which inputs, and how much work it was.

use super::{BuiltAtlas, Options, Output, OutputKind};
use crate::content::{self, Files};
use crate::context::Context;
use crate::store::{Hash, Key, Kind};
use crate::summary::{State, Summary};
use crate::targets::Target;
use crate::work::{self, Account, AtlasWork, ImagesWork, SizeParts};
use serde::{Deserialize, Serialize};
use std::time::Duration;

/// Changes whenever what is remembered of a build does.
const RECORD_VERSION: u32 = 3;

#[derive(Debug, Serialize, Deserialize)]
struct Record {
    from: Hash,
    files: Vec<(String, Hash, OutputKind)>,
    summaries: Vec<Summary>,
}

/// The key under which the build of a target is remembered.
pub(super) fn key(target: &Target, options: Options<'_>) -> Hash {
    Key::new("built", &[RECORD_VERSION])
        .bytes(target.name.as_bytes())
        .bytes(options.out.as_os_str().as_encoded_bytes())
        .finish()
}

/// What to remember of a build from `from`; `None` for one that was cut short.
pub(super) fn record(from: Hash, built: &BuiltAtlas) -> Option<Vec<u8>> {
    let files = built.outputs.iter().map(|o| (o.file.clone(), o.hash, o.kind)).collect();
    let cut_short = built.summaries.iter().any(|s| s.cut_short);
    let record = Record { from, files, summaries: built.summaries.clone() };
    serde_json::to_vec(&record).ok().filter(|_| !cut_short)
}

/// The previous build, if it came from the same inputs and all of it is in place.
pub(super) fn unchanged(from: &Hash, key: &Hash, options: Options<'_>, files: Files<'_>) -> Option<BuiltAtlas> {
    let record: Record = serde_json::from_slice(&files.store.get(key)?).ok()?;
    let in_place = |(file, hash, _): &(String, Hash, OutputKind)| {
        content::hash(&options.out.join(file), files).is_ok_and(|there| there == *hash)
    };
    if record.from != *from || !record.files.iter().all(in_place) {
        return None;
    }
    let summaries = record.summaries.into_iter().map(|mut summary| {
        (summary.state, summary.seconds) = (State::Unchanged, 0.0);
        summary
    });
    let output = |(file, hash, kind)| Output { file, hash, kind, waiting: None, changed: false };
    Some(BuiltAtlas {
        summaries: summaries.collect(),
        outputs: record.files.into_iter().map(output).collect(),
        ..BuiltAtlas::default()
    })
}

/// How much work an atlas was when this machine last built it.
pub(super) fn noted_work(target: &Target, context: Context<'_>) -> Option<AtlasWork> {
    AtlasWork::of_bytes(&context.store.get(&work::key(&target.name, &target.settings))?)
}

/// Records how much work an atlas is, and returns the account of the build. Other machines are told if they know
/// nothing of it, or of another number of images and pages.
pub(super) fn note_work(target: &Target, images: ImagesWork, parts: &[SizeParts], context: Context<'_>) -> Account {
    let key = work::key(&target.name, &target.settings);
    let (work, account) = AtlasWork::after(images, parts, noted_work(target, context).as_ref());
    let bytes = work.to_bytes();
    let is_told = || context.fetch(Kind::Work, &key).and_then(|value| AtlasWork::of_bytes(&value.bytes));
    if context.shared.takes_values() && is_told().is_none_or(|told| !told.is_like(&work)) {
        context.share(Kind::Work, &key, &bytes, Duration::ZERO);
    }
    context.store.put(key, bytes);
    account
}
