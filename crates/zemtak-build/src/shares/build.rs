//! One share of a build: its pieces are made and shared, and nothing is written here.

use super::{Share, Unit, Workplace, by_name, cut, estimate};
use crate::asked::{Asked, Outline};
use crate::build_atlas::{BegunPiece, Piece};
use crate::context::Context;
use crate::failure::{Failure, Problem, ProblemKind};
use crate::format;
use crate::load::NotDrawn;
use crate::observer::Observer;
use crate::request::PackRequest;
use crate::store::{Access, FileStore, SharedTally};
use crate::targets::Target;
use crate::work::{Account, AtlasWork};
use crate::write::Writer;
use std::collections::BTreeSet;
use std::time::{Duration, Instant};

/// The result of building a share.
#[derive(Debug, Clone)]
#[non_exhaustive]
pub struct ShareBuilt {
    /// Which share it was.
    pub share: Share,
    /// The atlases that it is concerned with, by name.
    pub atlases: Vec<String>,
    /// How many atlases there are in all.
    pub all_atlases: usize,
    /// Roughly how long one thread works on the share if nothing is in the store, and on the whole build.
    pub estimate: Duration,
    /// The same for all shares together, without what several of them repeat.
    pub estimate_of_all: Duration,
    /// Where its parts came from. Pages that were in the store already count as fetched, although nobody fetched them.
    pub account: Account,
    /// Traffic with the store.
    pub shared: SharedTally,
    /// How long it took.
    pub seconds: f64,
}

impl PackRequest {
    /// Builds one share of the atlases into the shared store. Writes nothing else; a build on another machine finds it
    /// there.
    ///
    /// # Errors
    /// Anything wrong with project, sources or keys; or there is no shared store to write to, or not everything could
    /// be put there.
    pub fn run_share(&self, share: Share, observer: &dyn Observer) -> Result<ShareBuilt, Failure> {
        let started = Instant::now();
        let outline = Outline::of(self)?;
        let settings = outline.shared.clone().filter(|shared| shared.access == Access::Write).ok_or_else(no_store)?;
        // What only this machine knows is of no use to others.
        let store = FileStore::empty(&outline.out, &Writer::default());
        let work = Workplace::open(store, Some(&settings), outline.limits)?;
        let context = work.context(observer);
        let works = estimate::of_all(self, &outline, context)?;
        let units = cut(&works, share.of).swap_remove(share.number as usize - 1);
        let names: BTreeSet<String> = units.iter().map(|unit| outline.atlases[unit.target].0.clone()).collect();
        let built = build_units(self, &units, &outline, &names, context);
        let tally = work.shared.finish(|| observer.cancelled()).unwrap_or_default();
        let account = built?;
        if tally.lost > 0 {
            let lost = format::count(usize::try_from(tally.lost).unwrap_or(usize::MAX), "value", "values");
            let why = tally.trouble.unwrap_or_default();
            return Err(Problem::of_store(&tally.store, format!("{lost} could not be put there: {why}")).into());
        }
        Ok(ShareBuilt {
            share,
            atlases: names.into_iter().collect(),
            all_atlases: outline.atlases.len(),
            estimate: Duration::from_micros(units.iter().map(|unit| unit.work).sum()),
            estimate_of_all: Duration::from_micros(works.iter().map(AtlasWork::total).sum()),
            account,
            shared: tally,
            seconds: started.elapsed().as_secs_f64(),
        })
    }
}

/// Builds the units of a share, of atlases with these names.
fn build_units(
    request: &PackRequest,
    units: &[Unit],
    outline: &Outline,
    names: &BTreeSet<String>,
    context: Context<'_>,
) -> Result<Account, Failure> {
    let targets = if names.is_empty() { Vec::new() } else { Asked::these(request, names)?.targets.targets };
    let targets = by_name(&targets);
    let target = |unit: &Unit| targets.get(&*outline.atlases[unit.target].0).copied();
    let pieces: Vec<(&Target, Unit)> = units.iter().filter_map(|unit| Some((target(unit)?, *unit))).collect();
    build(&pieces, context)
}

fn no_store() -> Failure {
    let why = "a share goes into a shared store, and there is none that may be written to";
    let help = "set ZEMTAK_STORE, or [store] in the project file, with access = \"write\"";
    Problem::usage(ProblemKind::NoStore, "", why, help).into()
}

/// Builds the pieces one after another, and loads each while the one before it is laid out and drawn.
fn build(pieces: &[(&Target, Unit)], context: Context<'_>) -> Result<Account, Failure> {
    let (mut account, mut problems) = (Account::default(), Vec::new());
    let load = |&(target, unit): &(_, Unit)| -> Result<BegunPiece<'_>, Failure> {
        let pages = unit.pages;
        Piece { target, size: unit.size, has_page: Box::new(move |page| pages.has(page)) }.look(context)?.begin(context)
    };
    let mut rest = pieces.iter();
    let mut next = rest.next().map(load);
    while let Some(begun) = next {
        context.check()?;
        let following = rest.next();
        let make = || begun.map_err(NotDrawn::from).and_then(|begun| begun.finish(context));
        let (made, loaded) = rayon::join(make, || following.map(load));
        match made {
            Ok(made) => account += made,
            Err(NotDrawn::Failed(failure)) => problems.extend(failure.problems().iter().cloned()),
            Err(NotDrawn::Stale) => return Err(Failure::unstable(&format::path(&pieces[0].0.folder))),
        }
        next = loaded;
    }
    context.check()?;
    Failure::unless(problems, account)
}
