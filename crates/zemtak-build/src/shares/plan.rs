//! An overview of a build before it is made: its pieces, what they depend on, roughly how much work they are, and what
//! is in the store.

use super::{MOST_SHARES, Slice, Unit, Workplace, by_name, cut, estimate};
use crate::asked::{Asked, Outline};
use crate::build_atlas::{LookedPiece, Piece};
use crate::context::Context;
use crate::failure::{Failure, Problem, ProblemKind};
use crate::journal::Journal;
use crate::observer::Observer;
use crate::request::PackRequest;
use crate::store::{self, Access, FileStore, SharedSettings, SharedTally};
use crate::targets::Target;
use crate::work::AtlasWork;
use crate::write::Writer;
use rayon::prelude::*;
use std::path::PathBuf;
use std::time::Duration;
use zemtak_files::SystemDisk;

/// A build split into shares.
#[derive(Debug, Clone)]
#[non_exhaustive]
pub struct WorkPlan {
    /// The shares in their order.
    pub shares: Vec<PlannedShare>,
    /// Roughly how long one thread works on the whole build.
    pub total: Duration,
    /// The traffic with the shared store, if there is one.
    pub shared: Option<SharedTally>,
}

/// One share of a build.
#[derive(Debug, Clone, Default)]
#[non_exhaustive]
pub struct PlannedShare {
    /// Its pieces, the largest first.
    pub units: Vec<PlannedUnit>,
}

/// A piece of a build.
#[derive(Debug, Clone)]
#[non_exhaustive]
pub struct PlannedUnit {
    /// The atlas.
    pub atlas: String,
    /// One of its sizes, by name; `None` for all of them.
    pub size: Option<String>,
    /// Which part of its pages, from 1 on, and the number of parts; `None` for all pages.
    pub part: Option<(usize, usize)>,
    /// Roughly how long one thread works on it.
    pub work: Duration,
    /// A hash of everything that its pages depend on, as descriptors write hashes.
    pub key: String,
    /// The files that it depends on.
    pub inputs: Vec<PathBuf>,
    /// Whether all of it is in the shared store; `None` if there is no store.
    pub in_store: Option<bool>,
}

impl PlannedShare {
    /// Roughly how long one thread works on it.
    #[must_use]
    pub fn work(&self) -> Duration {
        self.units.iter().map(|unit| unit.work).sum()
    }
}

impl PackRequest {
    /// Splits the build into shares and reports for each piece what it depends on, how much work it is, and whether it
    /// is in the shared store. Writes nothing.
    ///
    /// # Errors
    /// Anything wrong with project, sources or keys, or an interruption.
    pub fn plan(&self, shares: u32, observer: &dyn Observer) -> Result<WorkPlan, Failure> {
        if !(1..=MOST_SHARES).contains(&shares) {
            let why = format!("{shares} shares; a build is cut into 1 to {MOST_SHARES}");
            return Err(Problem::usage(ProblemKind::InvalidValue, "shares", why, "ask for fewer").into());
        }
        let outline = Outline::of(self)?;
        let targets = Asked::of(self, &SystemDisk, &Journal::default())?.targets.targets;
        let shared = outline.shared.clone().map(|shared| SharedSettings { access: Access::Read, ..shared });
        let store = FileStore::open(&outline.out, &Writer::default());
        let work = Workplace::open(store, shared.as_ref(), outline.limits)?;
        let context = work.context(observer);
        let works = estimate::of_all(self, &outline, context)?;
        let planned = planned(&cut(&works, shares), &outline, &targets, context);
        let shared = work.shared.finish(|| observer.cancelled());
        Ok(WorkPlan {
            shares: planned?,
            total: Duration::from_micros(works.iter().map(AtlasWork::total).sum()),
            shared,
        })
    }
}

/// All pieces, with what is known about each.
fn planned(
    cut: &[Vec<Unit>],
    outline: &Outline,
    targets: &[Target],
    context: Context<'_>,
) -> Result<Vec<PlannedShare>, Failure> {
    let targets = by_name(targets);
    let target = |unit: &Unit| targets.get(&*outline.atlases[unit.target].0).copied();
    let units: Vec<(usize, Unit, &Target)> = (cut.iter().enumerate())
        .flat_map(|(share, units)| units.iter().filter_map(move |unit| Some((share, *unit, target(unit)?))))
        .collect();
    let looked: Vec<Result<LookedPiece<'_>, Failure>> = units
        .par_iter()
        .map(|(_, unit, target)| {
            context.check()?;
            let pages = unit.pages;
            Piece { target, size: unit.size, has_page: Box::new(move |page| pages.has(page)) }.look(context)
        })
        .collect();
    let (mut pieces, mut problems) = (Vec::new(), Vec::new());
    for looked in looked {
        match looked {
            Ok(piece) => pieces.push(piece),
            Err(failure) => problems.extend(failure.problems().iter().cloned()),
        }
    }
    Failure::unless(problems, ())?;
    let is_open = context.shared.is_open();
    let there = if is_open { LookedPiece::are_there(&pieces, context) } else { Vec::new() };
    let mut shares = vec![PlannedShare::default(); cut.len()];
    for (at, ((share, unit, target), piece)) in units.into_iter().zip(&pieces).enumerate() {
        shares[share].units.push(planned_unit(target, unit, piece, there.get(at).copied()));
    }
    Ok(shares)
}

fn planned_unit(target: &Target, unit: Unit, piece: &LookedPiece<'_>, in_store: Option<bool>) -> PlannedUnit {
    let Unit { size, pages, work, .. } = unit;
    let suffix = |size: usize| size.checked_sub(1).map_or("", |other| target.settings.sizes[other].suffix.as_str());
    PlannedUnit {
        atlas: target.name.clone(),
        size: size.map(|size| format!("{}{}", target.name, suffix(size))),
        part: (pages != Slice::ALL).then_some((pages.first + 1, pages.of)),
        work: Duration::from_micros(work),
        key: store::written(&piece.key()),
        inputs: piece.files(),
        in_store,
    }
}
