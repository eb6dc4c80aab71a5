//! Several passes at once that keep only the most promising beginnings: a beam search over the choices of a pass.
//!
//! All states have placed the same number of cells. A state is better, the fewer pixels it has lost for each pixel
//! placed, with a small charge for each segment of its skyline and for each choice that was not the score's first. A
//! state that has lost more than the room can spare is dropped, and so is one that equals another.

use super::fill::{Orientation, Placed, Weights};
use super::rng::scatter;
use super::skyline::Skyline;
use super::stock::{Stock, Word};
use crate::geometry::Size;
use std::collections::HashSet;
use std::hash::{BuildHasherDefault, Hasher};

/// How a beam continues and judges its states; charges are in pixels.
#[derive(Debug, Clone, Copy)]
pub(super) struct BeamParams {
    /// How many states are kept.
    pub(super) states: usize,
    /// The charge for a segment of the skyline.
    pub(super) segment: u64,
    /// The charge for each better score that was skipped.
    pub(super) rank: u64,
    /// Lost from the start: the larger this is, the more a large cell counts early.
    pub(super) head: u64,
    /// A gap may be given up although something fits, if that loses at most this fraction of what can be spared.
    pub(super) skip: u64,
    /// How many choices for a gap are followed.
    pub(super) choices: usize,
}

/// What a search must place, where, and how.
#[derive(Debug, Clone, Copy)]
pub(super) struct Task<'a> {
    pub(super) orientations: &'a [Orientation],
    pub(super) left: &'a [u32],
    pub(super) room: Size,
    /// The pixels of the room that may be lost.
    pub(super) spare: u64,
    pub(super) weights: Weights,
    pub(super) params: BeamParams,
}

/// The result, and how much work it took.
#[derive(Debug)]
pub(super) struct Outcome {
    pub(super) puts: Option<Vec<Placed>>,
    pub(super) work: u64,
}

#[derive(Debug, Default)]
struct BeamState {
    skyline: Skyline,
    there: Vec<Word>,
    placed: u64,
    lost: u64,
    /// A sum that identifies the set of placed cells.
    set: u64,
    /// The last step that led here.
    step: usize,
    judged: u64,
    skipped: bool,
}

impl BeamState {
    /// Like `clone_from`, which reuses memory.
    fn become_like(&mut self, other: &Self) {
        self.skyline.become_like(&other.skyline);
        self.there.clone_from(&other.there);
        let Self { placed, lost, set, step, judged, skipped, .. } = *other;
        (self.placed, self.lost, self.set) = (placed, lost, set);
        (self.step, self.judged, self.skipped) = (step, judged, skipped);
    }
}

/// States with the same number of cells. Those beyond `used` only keep their memory.
#[derive(Debug, Default)]
struct Layer {
    states: Vec<BeamState>,
    used: usize,
}

impl Layer {
    /// The next state that is not used.
    fn spare(&mut self) -> &mut BeamState {
        if self.used == self.states.len() {
            self.states.push(BeamState::default());
        }
        &mut self.states[self.used]
    }
}

/// A state that could come next.
#[derive(Debug, Clone, Copy)]
struct Child {
    judged: u64,
    parent: usize,
    place: usize,
}

/// A placed cell, and the step before it.
#[derive(Debug, Clone, Copy)]
struct BeamStep {
    before: usize,
    place: usize,
    x: u32,
    y: u32,
}

/// Numbers that are already scattered are their own hashes.
#[derive(Debug, Default)]
struct AsItIs(u64);

impl Hasher for AsItIs {
    fn finish(&self) -> u64 {
        self.0
    }

    fn write(&mut self, bytes: &[u8]) {
        bytes.iter().for_each(|&byte| self.0 = scatter(self.0 ^ u64::from(byte)));
    }

    fn write_u64(&mut self, number: u64) {
        self.0 = number;
    }
}

struct Beam<'a> {
    task: Task<'a>,
    stock: Stock,
    now: Layer,
    next: Layer,
    children: Vec<Child>,
    steps: Vec<BeamStep>,
    /// Identifies the states of the next layer, so that none occurs twice.
    known: HashSet<u64, BuildHasherDefault<AsItIs>>,
    work: u64,
}

/// Places all cells in the room, or finds no way to.
pub(super) fn fit_all(task: Task<'_>) -> Outcome {
    let stock = Stock::new(task.orientations, task.left, task.weights);
    let cells = stock.cells();
    let mut now = Layer::default();
    *now.spare() = BeamState { skyline: Skyline::new(task.room), there: stock.all(), ..BeamState::default() };
    now.used = 1;
    let steps = vec![BeamStep { before: 0, place: 0, x: 0, y: 0 }];
    let mut beam = Beam {
        task,
        stock,
        now,
        next: Layer::default(),
        children: Vec::new(),
        steps,
        known: HashSet::default(),
        work: 0,
    };
    let done = (0..cells).all(|_| beam.advance());
    Outcome { puts: done.then(|| beam.puts()), work: beam.work }
}

impl Beam<'_> {
    /// One more cell in every state; `false` if none is left.
    fn advance(&mut self) -> bool {
        self.children.clear();
        let mut at = 0;
        while at < self.now.used {
            self.skip(at);
            self.expand(at);
            at += 1;
        }
        let keep = self.task.params.states;
        let by_rank = |c: &Child| (c.judged, c.parent, c.place);
        // Some of the best will turn out to be equal, so twice as many are sorted.
        if self.children.len() > keep * 2 {
            self.children.select_nth_unstable_by_key(keep * 2, by_rank);
            self.children.truncate(keep * 2);
        }
        self.children.sort_unstable_by_key(by_rank);
        self.next.used = 0;
        self.known.clear();
        for child in std::mem::take(&mut self.children) {
            if self.next.used < keep {
                self.grow(child);
            }
        }
        std::mem::swap(&mut self.now, &mut self.next);
        self.now.used > 0
    }

    /// Adds the state that gives up the lowest gap, if that costs little.
    fn skip(&mut self, at: usize) {
        let state = &self.now.states[at];
        let Some(gap) = state.skyline.lowest().filter(|_| !state.skipped) else { return };
        let rise = gap.left.min(gap.right);
        let lost = u64::from(rise) * u64::from(gap.w);
        if rise == gap.room || lost * self.task.params.skip > self.task.spare || state.lost + lost > self.task.spare {
            return;
        }
        let mut other = std::mem::take(self.now.spare());
        other.become_like(&self.now.states[at]);
        other.lost += other.skyline.give_up(gap);
        other.skipped = true;
        let used = self.now.used;
        self.now.states[used] = other;
        self.now.used += 1;
    }

    /// Adds the children of a state. Gaps that nothing fits are given up on the way.
    fn expand(&mut self, at: usize) {
        let Task { spare, params, .. } = self.task;
        let state = &mut self.now.states[at];
        let Some(narrowest) = self.stock.narrowest(&state.there) else { return };
        while let Some(gap) = state.skyline.lowest() {
            self.work += self.stock.work();
            let mut any = false;
            for (rank, place) in (0..).zip(self.stock.choose(&state.there, gap, narrowest, params.choices).places()) {
                any = true;
                let size = self.stock.offer(place).orientation.size;
                let lost = state.lost + gap.sliver(size, narrowest);
                if lost > spare {
                    continue;
                }
                let segments = state.skyline.segments_with(gap, size);
                let cost = lost + params.head + params.segment * segments + params.rank * rank;
                let judged = (cost << 20) / (state.placed + size.area());
                self.children.push(Child { judged, parent: at, place });
            }
            if any {
                return;
            }
            state.lost += state.skyline.give_up(gap);
            if state.lost > spare {
                return;
            }
        }
    }

    /// Turns a child into a state, unless that state exists already.
    fn grow(&mut self, child: Child) {
        let parent = &self.now.states[child.parent];
        let Some(gap) = parent.skyline.lowest() else { return };
        let orientation = self.stock.offer(child.place).orientation;
        let used = self.next.used;
        let state = self.next.spare();
        state.become_like(parent);
        let x = state.skyline.put(gap, orientation.size);
        state.set = state.set.wrapping_add(scatter(orientation.class as u64));
        state.judged = child.judged;
        if !self.known.insert(state.skyline.scattered(state.set)) {
            return;
        }
        let state = &mut self.next.states[used];
        self.stock.take(&mut state.there, child.place);
        state.placed += orientation.size.area();
        state.skipped = false;
        let step = BeamStep { before: state.step, place: child.place, x, y: gap.y };
        state.step = self.steps.len();
        self.steps.push(step);
        self.next.used += 1;
    }

    /// The path to the best state.
    fn puts(&self) -> Vec<Placed> {
        let mut puts = Vec::with_capacity(self.stock.cells());
        let mut at = self.now.states[0].step;
        while at != 0 {
            let BeamStep { before, place, x, y } = self.steps[at];
            let Orientation { class, turned, .. } = self.stock.offer(place).orientation;
            puts.push(Placed { class, x, y, turned });
            at = before;
        }
        puts.reverse();
        puts
    }
}
