//! A whole build: all atlases of a request, each as far as it is out of date.

use crate::allowance::Allowance;
use crate::asked::Asked;
use crate::build_atlas::{BuiltAtlas, Options, Output, TextPlace, begin, finish};
use crate::content::Files;
use crate::context::Context;
use crate::failure::{Cause, Failure};
use crate::inputs::Inputs;
use crate::inventory::Written;
use crate::journal::Journal;
use crate::load::NotDrawn;
use crate::observer::Observer;
use crate::ownership::Ownership;
use crate::request::{OutputFile, PackRequest, Packed};
use crate::store::{FileStore, Hash, Key, SharedStore, SharedTally, Store};
use crate::targets::{Joint, Target};
use crate::timings::{Stage, Timings};
use crate::warning::Warning;
use crate::work::Account;
use crate::write::Writer;
use crate::{format, joint, lock, place};
use rayon::prelude::*;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Instant;
use zemtak_files::{Disk, SystemDisk};

impl PackRequest {
    /// Builds what is out of date. Files are put in place only when everything has succeeded.
    ///
    /// # Errors
    /// Anything wrong with project, sources, keys or files, all at once; what was there before stays.
    pub fn run(&self, observer: &dyn Observer) -> Result<Packed, Failure> {
        self.run_on(Arc::new(SystemDisk), observer)
    }

    /// The same with the files of another disk than the machine's.
    ///
    /// # Errors
    /// See [`run`](Self::run).
    pub fn run_on(&self, disk: Arc<dyn Disk>, observer: &dyn Observer) -> Result<Packed, Failure> {
        run(self, &Writer { disk, sync: !self.unsynced }, &Journal::default(), observer)
    }

    /// The same for a watcher that knows which images have not changed.
    #[cfg(any(test, feature = "watch"))]
    pub(crate) fn run_again(&self, journal: &Journal, observer: &dyn Observer) -> Result<Packed, Failure> {
        run(self, &Writer { disk: Arc::new(SystemDisk), sync: !self.unsynced }, journal, observer)
    }
}

fn run(request: &PackRequest, writer: &Writer, journal: &Journal, observer: &dyn Observer) -> Result<Packed, Failure> {
    let started = Instant::now();
    let timings = Timings::default();
    let Asked { inputs, targets, limits, shared } =
        timings.time(Stage::Find, || Asked::of(request, &*writer.disk, journal))?;
    let shared = SharedStore::open(shared.as_ref(), writer, &limits)?;
    let allowance = Allowance::new(limits);
    let out = inputs.out.as_path();
    let mut lock = if request.check { None } else { Some(lock::take(out, &*writer.disk, observer)?) };
    let run = Run {
        targets: &targets.targets,
        joint: &targets.joint,
        inputs: &inputs,
        force: request.force,
        options: Options {
            out,
            check: request.check,
            keep: request.keep,
            explain: request.explain,
            tell_changes: request.tell_changes,
        },
        timings: &timings,
        allowance: &allowance,
        writer,
        journal,
        observer,
        shared: &shared,
        any_built: AtomicBool::new(false),
    };
    let built = run.build_and_place(request.fresh);
    let shared = shared.finish(|| observer.cancelled());
    if built.is_err() {
        lock.iter_mut().for_each(lock::Lock::give_up);
    }
    let (built, left) = built?;
    let (atlases, joint) = built.split_at(targets.targets.len());
    let (files, joint) = (files_of(atlases, out), files_of(joint, out));
    let mut account = Account::default();
    atlases.iter().for_each(|atlas| account += atlas.account);
    let trouble = shared.as_ref().and_then(SharedTally::warning);
    // All threads share freeing a million names and paths.
    targets.targets.into_par_iter().for_each(drop);
    Ok(Packed {
        atlases: built.into_iter().flat_map(|atlas| atlas.summaries).collect(),
        warnings: targets.warnings.into_iter().chain(left).chain(trouble).collect(),
        files,
        joint,
        inputs,
        account,
        shared,
        seconds: started.elapsed().as_secs_f64(),
        spent: timings.spent(),
    })
}

/// The files of these, for the caller.
fn files_of(built: &[BuiltAtlas], out: &Path) -> Vec<OutputFile> {
    let file = |of: &Output| OutputFile { path: out.join(&of.file), hash: of.hash, changed: of.changed };
    built.iter().flat_map(|atlas| &atlas.outputs).map(file).collect()
}

/// Changes whenever the record of what builds ask for does.
const ASKED_VERSION: u32 = 1;

/// A running build.
struct Run<'a> {
    targets: &'a [Target],
    joint: &'a Joint,
    inputs: &'a Inputs,
    /// Whether files that are not ours may be replaced.
    force: bool,
    options: Options<'a>,
    timings: &'a Timings,
    allowance: &'a Allowance,
    writer: &'a Writer,
    journal: &'a Journal,
    observer: &'a dyn Observer,
    shared: &'a SharedStore,
    /// Whether any atlas could be built.
    any_built: AtomicBool,
}

impl Run<'_> {
    /// Builds, and puts the files in place unless this is only a check.
    fn build_and_place(&self, fresh: bool) -> Result<(Vec<BuiltAtlas>, Option<Warning>), Failure> {
        let out = self.options.out;
        let store = if fresh { FileStore::empty(out, self.writer) } else { FileStore::open(out, self.writer) };
        // A build that knows nothing yet asks for everything.
        let asks_for_all = self.shared.is_open() && store.is_empty();
        if asks_for_all {
            self.shared.read_ahead(&self.asked_key(), self.allowance.of_ahead(), &|| self.observer.cancelled());
        }
        let (store, built) = match self.build(&store) {
            // Something changed while it was read, or the store was wrong: once more, with nothing remembered.
            Err(NotDrawn::Stale) => {
                self.shared.distrust();
                self.journal.forget();
                let store = FileStore::empty(out, self.writer);
                let built = self.build(&store);
                (store, built)
            }
            built => (store, built),
        };
        if built.is_err() && self.any_built.load(Ordering::Relaxed) && !self.options.check {
            // What was learnt about the other atlases is still right. If it cannot be saved, it is learnt again.
            let _ = store.save();
        }
        let mut built = built.map_err(|error| failed(error, out))?;
        if asks_for_all && self.shared.takes_values() {
            self.shared.note_asked(&self.asked_key(), &|| self.observer.cancelled());
        }
        let texts = TextPlace {
            out,
            limits: self.allowance.limits(),
            writer: self.writer,
            store: &store,
            check: self.options.check,
        };
        built.push(joint::build(self.joint, &built, texts)?);
        let ours = place::ours(out, &built, Files::of(self.writer, &store));
        if let Some(ours) = &ours {
            self.check_ownership(&built, ours)?;
        }
        if self.options.check {
            return Ok((built, None));
        }
        self.timings.time(Stage::Write, || place::place(out, built, ours, &store, self.writer, self.observer))
    }

    /// The key under which is recorded what a build of these atlases asks a shared store for.
    fn asked_key(&self) -> Hash {
        let atlases: Vec<_> = self.targets.iter().map(|target| (&target.name, &target.settings)).collect();
        Key::new("asked", &[ASKED_VERSION]).value(&atlases).finish()
    }

    /// Refuses to overwrite files that are not ours.
    fn check_ownership(&self, built: &[BuiltAtlas], ours: &Written) -> Result<(), Failure> {
        let sources =
            self.targets.iter().flat_map(|target| target.sources.files.iter().flat_map(|s| s.paths().cloned()));
        let templates = self.targets.iter().flat_map(Target::templates).chain(self.joint.templates.iter().cloned());
        let inputs: Vec<PathBuf> = sources.chain(templates).chain(self.inputs.files.iter().cloned()).collect();
        let ownership = Ownership { out: self.options.out, ours, inputs: &inputs, force: self.force };
        let changed = built.iter().flat_map(|atlas| &atlas.outputs).filter(|output| output.changed);
        ownership.check(changed.map(|output| (output.file.as_str(), output.kind.result())))
    }

    /// Builds all atlases as far as they are out of date, and loads the sprites of each while the one before it is laid
    /// out and drawn. Reports the problems of all.
    fn build(&self, store: &dyn Store) -> Result<Vec<BuiltAtlas>, NotDrawn> {
        let context = Context {
            store,
            shared: self.shared,
            writer: self.writer,
            timings: self.timings,
            allowance: self.allowance,
            journal: self.journal,
            observer: self.observer,
        };
        let (mut built, mut problems) = (Vec::new(), Vec::new());
        let mut rest = self.targets.iter();
        let mut next = rest.next().map(|target| begin(target, self.options, context));
        while let Some(begun) = next {
            let following = rest.next();
            let load = || following.map(|target| begin(target, self.options, context));
            let build = || begun.map_err(NotDrawn::from).and_then(|begun| finish(begun, self.options, context));
            let (atlas, loaded) = rayon::join(build, load);
            match atlas {
                Ok(mut atlas) => {
                    self.any_built.store(true, Ordering::Relaxed);
                    // A million sprites take half a gigabyte, and only templates of all atlases need them.
                    atlas.atlas = atlas.atlas.filter(|_| !self.joint.templates.is_empty());
                    built.push(atlas);
                }
                Err(NotDrawn::Failed(failure)) if failure.cause() == Cause::Interrupted => return Err(failure.into()),
                Err(NotDrawn::Failed(failure)) => problems.extend(failure.problems().iter().cloned()),
                Err(NotDrawn::Stale) => return Err(NotDrawn::Stale),
            }
            next = loaded;
        }
        Ok(Failure::unless(problems, built)?)
    }
}

fn failed(error: NotDrawn, out: &Path) -> Failure {
    match error {
        NotDrawn::Failed(failure) => failure,
        NotDrawn::Stale => Failure::unstable(&format::path(out)),
    }
}
