//! Random sequences on one thread against a model that knows nothing but lists: every count must agree after every step.

use crate::world::{PAGE, PAGE_LEN, SPRITES, Witness, World, check, colour, sprite_name};
use proptest::prelude::*;
use zemtak_runtime::{Cache, FrameLine, Lease, PerFrame, Pump, RAW_PAGE, Settings, Status, Views};

#[derive(Debug, Clone)]
enum Step {
    Lease { page: usize, sprite: u32 },
    Clone(usize),
    Drop(usize),
    Pump,
    Trim,
    Budget(u64),
    Break(usize),
    Mend(usize),
    Retry,
    Lose(u32),
    Memory(Option<u64>),
}

/// Pages 0 to 2 are of atlas `a`, 3 and 4 of `b`.
const PAGES: [(&str, usize); 5] = [("a", 0), ("a", 1), ("a", 2), ("b", 0), ("b", 1)];

fn steps() -> impl Strategy<Value = Vec<Step>> {
    let page = 0..PAGES.len();
    let step = prop_oneof![
        8 => (page.clone(), 0..SPRITES).prop_map(|(page, sprite)| Step::Lease { page, sprite }),
        2 => (0..100_usize).prop_map(Step::Clone),
        8 => (0..100_usize).prop_map(Step::Drop),
        8 => Just(Step::Pump),
        1 => Just(Step::Trim),
        1 => (0..6_u64).prop_map(|pages| Step::Budget(pages * PAGE)),
        1 => page.clone().prop_map(Step::Break),
        1 => page.prop_map(Step::Mend),
        1 => Just(Step::Retry),
        1 => (1..3_u32).prop_map(Step::Lose),
        1 => prop::option::of(0..5_u64).prop_map(|pages| Step::Memory(pages.map(|p| p * PAGE))),
    ];
    prop::collection::vec(step, 1..60)
}

#[derive(Debug, Clone, Copy, PartialEq)]
enum State {
    Absent,
    Wanted,
    There,
    Failed,
}

/// The cache as a person would keep it on paper.
struct Model {
    pages: [State; 5],
    /// The page and sprite of each lease that lives.
    leases: Vec<(usize, u32)>,
    /// Sprites in the order in which each was first asked for.
    asked: Vec<(usize, u32)>,
    opened: [bool; 2],
    /// Atlases to be opened, in the order in which they were first asked for.
    opening: Vec<usize>,
    /// Pages to be loaded, and textures that nobody holds, the longest unused first.
    queue: Vec<usize>,
    idle: Vec<usize>,
    broken: [bool; 5],
    budget: u64,
    memory: Option<u64>,
    lose: u32,
    loads: u64,
    failures: u64,
    cancelled: u64,
    evictions: [u64; 3],
    trim: bool,
    misses: u64,
}

impl Model {
    fn new() -> Self {
        Self {
            pages: [State::Absent; 5],
            leases: vec![],
            asked: vec![],
            opened: [false; 2],
            opening: vec![],
            queue: vec![],
            idle: vec![],
            broken: [false; 5],
            budget: 3 * PAGE,
            memory: None,
            lose: 0,
            loads: 0,
            failures: 0,
            cancelled: 0,
            evictions: [0; 3],
            trim: false,
            misses: 0,
        }
    }

    fn atlas(page: usize) -> usize {
        usize::from(page > 2)
    }

    fn resident(&self) -> u64 {
        self.pages.iter().filter(|s| **s == State::There).count() as u64 * PAGE
    }

    fn is_held(&self, page: usize) -> bool {
        self.leases.iter().any(|(own, _)| *own == page)
    }

    fn lease(&mut self, page: usize, sprite: u32) {
        if !self.asked.contains(&(page, sprite)) {
            self.asked.push((page, sprite));
        }
        self.leases.push((page, sprite));
        let atlas = Self::atlas(page);
        self.misses += u64::from(!self.opened[atlas] || self.pages[page] != State::There);
        if self.opened[atlas] {
            self.want(page);
        } else if !self.opening.contains(&atlas) {
            self.opening.push(atlas);
        }
    }

    fn want(&mut self, page: usize) {
        self.idle.retain(|own| *own != page);
        match self.pages[page] {
            State::Absent => {
                self.pages[page] = State::Wanted;
                self.queue.push(page);
            }
            State::There | State::Failed | State::Wanted => {}
        }
    }

    fn drop(&mut self, at: usize) {
        let (page, _) = self.leases.remove(at);
        if self.is_held(page) {
            return;
        }
        match self.pages[page] {
            State::Wanted => {
                self.pages[page] = State::Absent;
                self.queue.retain(|own| *own != page);
                self.cancelled += 1;
            }
            State::There => self.idle.push(page),
            State::Absent | State::Failed => {}
        }
    }

    fn pump(&mut self) {
        if std::mem::take(&mut self.trim) {
            self.evict_while(1, |_| true);
        }
        for atlas in std::mem::take(&mut self.opening) {
            self.opened[atlas] = true;
            for sprite in self.asked.clone() {
                if Self::atlas(sprite.0) == atlas && self.leases.contains(&sprite) {
                    self.want(sprite.0);
                }
            }
        }
        while !self.queue.is_empty() {
            let page = self.queue.remove(0);
            self.load(page);
        }
        let budget = self.budget;
        self.evict_while(0, |model| model.resident() > budget);
    }

    fn load(&mut self, page: usize) {
        if self.broken[page] {
            (self.pages[page], self.failures) = (State::Failed, self.failures + 1);
            return;
        }
        let budget = self.budget;
        self.evict_while(0, |model| model.resident() + PAGE > budget);
        if self.lose > 0 {
            self.lose -= 1;
            (self.pages[page], self.failures) = (State::Failed, self.failures + 1);
            return;
        }
        let memory = self.memory.unwrap_or(u64::MAX);
        self.evict_while(2, |model| model.resident() + PAGE > memory);
        let fits = self.resident() + PAGE <= memory;
        self.pages[page] = if fits { State::There } else { State::Failed };
        self.loads += u64::from(fits);
        self.failures += u64::from(!fits);
    }

    fn evict_while(&mut self, cause: usize, too_much: impl Fn(&Self) -> bool) {
        while !self.idle.is_empty() && too_much(self) {
            let page = self.idle.remove(0);
            self.pages[page] = State::Absent;
            self.evictions[cause] += 1;
        }
    }

    fn retry(&mut self) {
        for (page, _) in self.asked.clone() {
            if self.pages[page] == State::Failed {
                self.pages[page] = State::Absent;
                if self.is_held(page) {
                    self.pages[page] = State::Wanted;
                    self.queue.push(page);
                }
            }
        }
    }
}

/// The real thing beside its model.
struct Both {
    world: World,
    sink: Witness,
    cache: Cache,
    pump: Pump<Witness>,
    leases: Vec<(Lease, usize)>,
    views: Views,
    model: Model,
}

impl Both {
    fn new() -> Self {
        let (world, sink) = (World::new(&[("a", 3), ("b", 2)]), Witness::default());
        let settings = Settings { budget: 3 * PAGE, workers: Some(0), ..Settings::over(world.files.clone()) };
        let (cache, pump) = Cache::new(settings, sink.clone());
        Self { world, sink, cache, pump, leases: vec![], views: Views::new(), model: Model::new() }
    }

    fn file(page: usize) -> String {
        format!("{}-{}.{RAW_PAGE}", PAGES[page].0, PAGES[page].1)
    }

    fn step(&mut self, step: &Step) {
        match step {
            Step::Lease { page, sprite } => {
                let (atlas, index) = PAGES[*page];
                let name = sprite_name(atlas, index, *sprite);
                self.leases.push((self.cache.lease(&name), *page));
                self.model.lease(*page, *sprite);
            }
            Step::Clone(_) | Step::Drop(_) if self.leases.is_empty() => {}
            Step::Clone(i) => {
                let (lease, page) = &self.leases[i % self.leases.len()];
                self.leases.push((lease.clone(), *page));
                self.model.leases.push(self.model.leases[i % self.model.leases.len()]);
            }
            Step::Drop(i) => {
                let at = i % self.leases.len();
                drop(self.leases.remove(at));
                self.model.drop(at);
            }
            Step::Pump => {
                self.pump.pump(PerFrame::UNLIMITED);
                self.model.pump();
            }
            Step::Trim => {
                self.cache.trim();
                self.model.trim = true;
            }
            Step::Budget(bytes) => {
                self.cache.set_budget(*bytes);
                self.model.budget = *bytes;
            }
            Step::Break(page) => {
                self.world.files.remove(&Self::file(*page));
                self.model.broken[*page] = true;
            }
            Step::Mend(page) => {
                let (atlas, index) = PAGES[*page];
                let pixels = colour(atlas, index, 0).repeat(PAGE_LEN / 4);
                self.world.files.put(&Self::file(*page), pixels);
                self.model.broken[*page] = false;
            }
            Step::Retry => {
                self.cache.retry_all();
                self.model.retry();
            }
            Step::Lose(times) => {
                self.sink.seen().lost = *times;
                self.model.lose = *times;
            }
            Step::Memory(bytes) => {
                self.sink.seen().memory = *bytes;
                self.model.memory = *bytes;
            }
        }
    }

    /// The account over time comes to the same as the account, after a pump.
    fn compare_frames(&self) {
        let (mut frames, ledger) = (Vec::new(), self.cache.ledger());
        self.cache.frames(&mut frames);
        let sum = |what: fn(&FrameLine) -> u64| frames.iter().map(what).sum::<u64>();
        assert_eq!(sum(|f| f.requests), ledger.requests);
        assert_eq!(sum(|f| f.misses), self.model.misses);
        assert_eq!((sum(|f| f.made), sum(|f| f.made_bytes)), (ledger.loads, ledger.loaded_bytes));
        assert_eq!(sum(|f| f.dropped), ledger.evictions.all());
        assert_eq!((sum(|f| f.uploading_ns), sum(|f| f.decoding_ns)), (ledger.uploading_ns, ledger.decoding_ns));
        let last = frames.last().unwrap();
        assert_eq!((last.resident_bytes, last.ready), (ledger.resident_bytes, 0));
    }

    fn compare(&mut self) {
        Lease::views(self.leases.iter().map(|(lease, _)| lease), &mut self.views);
        let (ledger, model) = (self.cache.ledger(), &self.model);
        check(&ledger, &self.sink);
        assert_eq!(ledger.leases, self.leases.len() as u64);
        assert_eq!(ledger.resident_bytes, model.resident());
        assert_eq!((ledger.loads, ledger.page_failures), (model.loads, model.failures));
        assert_eq!(ledger.cancelled, model.cancelled);
        let evictions = ledger.evictions;
        assert_eq!([evictions.budget, evictions.trim, evictions.device], model.evictions);
        for ((lease, page), view) in self.leases.iter().zip(&*self.views) {
            let expected = if model.opened[Model::atlas(*page)] { model.pages[*page] } else { State::Wanted };
            match lease.status() {
                Status::Ready => assert_eq!(expected, State::There),
                Status::Loading => assert_eq!(expected, State::Wanted),
                Status::Failed(_) => assert_eq!(expected, State::Failed),
                other => panic!("{other:?}"),
            }
            let (atlas, index) = PAGES[*page];
            assert_eq!(lease.view(), *view);
            let shown = view.map(|view| self.sink.colour(&view));
            assert_eq!(shown, (expected == State::There).then(|| colour(atlas, index, 0)));
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(600))]

    #[test]
    fn every_count_agrees_with_a_model_on_paper(steps in steps()) {
        let mut both = Both::new();
        for step in &steps {
            both.step(step);
            both.compare();
        }
        both.step(&Step::Pump);
        both.compare_frames();
        let (sink, ledger) = (both.sink.clone(), both.cache.ledger());
        prop_assert_eq!(ledger.held.iter().map(|h| u64::from(h.leases)).sum::<u64>(), both.leases.len() as u64);
        let last = both.pump.finish();
        prop_assert_eq!(last.resident_bytes, 0);
        prop_assert_eq!(sink.used(), 0);
        prop_assert_eq!(last.leases, both.leases.len() as u64);
        both.leases.clear();
        prop_assert_eq!(both.cache.ledger().leases, 0);
    }
}
