//! Pages that are written while the rest of an atlas is built.

use crate::context::Context;
use crate::failure::Failure;
use crate::load::NotDrawn;
use crate::timings::Stage;
use crate::write::PendingFile;
use rayon::Scope;
use std::collections::BTreeMap;
use std::path::Path;
use std::sync::mpsc::{Sender, channel};

/// Takes pages that other threads write.
pub(super) struct Background<'s, 'scope> {
    scope: &'s Scope<'scope>,
    written: Sender<(String, Result<PendingFile, Failure>)>,
    out: &'scope Path,
    context: Context<'scope>,
}

impl Background<'_, '_> {
    /// Lets another thread write a file of this name.
    pub fn write(&self, file: &str, bytes: Vec<u8>) {
        let (path, file, written, context) = (self.out.join(file), file.to_owned(), self.written.clone(), self.context);
        self.scope.spawn(move |_| {
            let write = || context.writer.prepare(&path, &bytes);
            // The other end is there until all is written.
            let _ = written.send((file, context.timings.time(Stage::Write, write)));
        });
    }
}

/// Does some work, and returns its result with the files that it let others write, by name.
///
/// # Errors
/// The first file, by name, that could not be written; or else those of the work.
pub(super) fn writing<T>(
    out: &Path,
    context: Context<'_>,
    work: impl FnOnce(&Background<'_, '_>) -> Result<T, NotDrawn>,
) -> Result<(T, BTreeMap<String, PendingFile>), NotDrawn> {
    let (written, all) = channel();
    let done = rayon::in_place_scope(|scope| work(&Background { scope, written, out, context }));
    let all: BTreeMap<String, Result<PendingFile, Failure>> = all.into_iter().collect();
    let written: BTreeMap<String, PendingFile> =
        all.into_iter().map(|(file, written)| Ok((file, written?))).collect::<Result<_, Failure>>()?;
    Ok((done?, written))
}
