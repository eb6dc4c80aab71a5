//! Plays a scenario: a real cache, a simulated device, and scenes frame by frame.

use super::faulty_files::{Faults, FaultyFiles};
use super::load_plan::{Actor, LoadPlan, Role};
use super::scenario::{Between, FaultKind, Scenario, Scene};
use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::sync::Arc;
use zemtak_core::atlas::PixelKind;
use zemtak_core::clip::SECOND;
use zemtak_core::codec::Limits;
use zemtak_runtime::{
    Cache, DeviceFault, Event, Failure, Lease, LeaseSet, Ledger, NewTexture, PerFrame, Pump, Settings, SimulatedDevice,
    Sink, SinkError, Status, Texture, Work,
};

/// The figures of a scene or of the whole.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Figures {
    /// Frames played.
    pub frames: u64,
    /// Leases requested, and how many of these were loaded or loading already.
    pub requests: u64,
    pub reuses: u64,
    pub joined: u64,
    /// Textures created, and their bytes.
    pub loads: u64,
    pub loaded_bytes: u64,
    pub failures: u64,
    pub evictions: u64,
    /// Bytes of textures at the end, and their maximum.
    pub resident_bytes: u64,
    pub peak_bytes: u64,
    /// Sprites drawn, and those that were not loaded in time.
    pub draws: u64,
    pub absent: u64,
    pub binds: u64,
    pub batches: u64,
    /// The frame from which everything requested was loaded.
    pub ready: Option<u64>,
    /// Nanoseconds spent reading and decoding on this machine.
    pub decoding_ns: u64,
}

/// A scene after it was played.
#[derive(Debug, Clone)]
pub struct PlayedScene {
    /// Its index in the scenario.
    pub scene: usize,
    /// Its first frame, counted from the start of the rehearsal.
    pub begin: u64,
    pub figures: Figures,
    /// Sprites and bytes that it still held after its end.
    pub left: Vec<String>,
    /// The sprites that it drew from each page.
    pub pages: BTreeMap<String, BTreeSet<String>>,
}

/// The history of a texture.
#[derive(Debug, Clone, Default)]
pub struct TextureHistory {
    pub bytes: u64,
    /// The frames in which it was created and dropped.
    pub made: Vec<u64>,
    pub dropped: Vec<u64>,
    /// The frames in which somebody held it, as ranges: the first frame, and the first one after.
    pub held: Vec<(u64, u64)>,
    pub drawn: bool,
}

/// A whole run.
#[derive(Debug, Clone)]
pub struct Run {
    pub scenes: Vec<PlayedScene>,
    pub all: Figures,
    pub histories: BTreeMap<String, TextureHistory>,
    /// The most bytes of textures in each frame.
    pub resident: Vec<u64>,
    /// What could not be loaded.
    pub failures: Vec<Failure>,
    /// New versions that were broken, so that the old ones stayed.
    pub kept_old: Vec<Failure>,
    /// The bytes that were needed each time that they came to exceed the budget.
    pub over: Vec<u64>,
    pub replaced: u64,
    pub ledger: Ledger,
    pub misuses: u64,
}

/// A device that remembers which texture is which.
#[derive(Debug, Default)]
struct Labelled {
    device: SimulatedDevice,
    labels: HashMap<Texture, Arc<str>>,
}

impl Sink for Labelled {
    fn make_texture(&mut self, new: &NewTexture<'_>) -> Result<Texture, SinkError> {
        let texture = self.device.make_texture(new)?;
        self.labels.insert(texture, new.label.into());
        Ok(texture)
    }

    fn drop_texture(&mut self, texture: Texture) {
        self.device.drop_texture(texture);
        self.labels.remove(&texture);
    }

    fn largest_side(&self) -> u32 {
        self.device.largest_side()
    }

    fn takes(&self, kind: PixelKind) -> bool {
        self.device.takes(kind)
    }
}

/// Everything that exists while scenes are played.
struct Stage<'s> {
    scenario: &'s Scenario,
    cache: Cache,
    pump: Pump<Labelled>,
    faults: Faults,
    frame: u64,
    run: Run,
    /// Whether to record who holds what in each frame.
    detailed: bool,
}

/// What a scene holds while it is playing.
struct OnStage {
    sets: Vec<LeaseSet>,
    actors: Vec<Actor>,
}

/// Plays the scenario according to a load plan.
pub fn play(scenario: &Scenario, load_plan: &LoadPlan<'_>) -> Run {
    let mut stage = Stage::new(scenario, load_plan);
    let mut before: Option<(OnStage, usize)> = None;
    // What is forgotten stays until the end.
    let mut forgotten: Vec<Lease> = Vec::new();
    for index in &scenario.play {
        let scene = &scenario.scenes[*index];
        let at_begin = stage.now();
        if scenario.between == Between::GiveBackFirst {
            stage.end_scene(before.take());
        }
        // Each time a scene is played it holds under a new name, so that its holds are not mistaken for those of the
        // next time.
        let holder = stage.holder(stage.run.scenes.len(), scene);
        let cache = stage.cache.named(&holder);
        let on = OnStage::new(&cache, &load_plan.roles[*index]);
        forgotten.extend(load_plan.roles[*index].forgets.iter().map(|name| cache.lease(name)));
        stage.end_scene(before.take());
        stage.run.scenes.push(PlayedScene {
            scene: *index,
            begin: stage.frame,
            figures: Figures::default(),
            left: Vec::new(),
            pages: BTreeMap::new(),
        });
        let on = stage.play_scene(scene, on, &at_begin);
        before = Some((on, stage.run.scenes.len() - 1));
    }
    stage.end_scene(before.take());
    drop(forgotten);
    stage.finish()
}

/// Counts at one moment.
struct Moment {
    ledger: Ledger,
    work: Work,
}

impl<'s> Stage<'s> {
    fn new(scenario: &'s Scenario, load_plan: &LoadPlan<'_>) -> Self {
        let faults = Faults::default();
        let roots =
            load_plan.roots.iter().map(|root| Arc::new(FaultyFiles::new(root, faults.clone())) as Arc<_>).collect();
        let mut device = SimulatedDevice::new().with_largest_side(scenario.largest);
        device = match scenario.memory {
            Some(memory) => device.with_memory(memory),
            None => device,
        };
        // The pump decodes at most as much per frame as the frame may create: so the figures do not depend on the
        // machine.
        let budget = if load_plan.keeps_nothing { 0 } else { scenario.budget };
        let settings = Settings { roots, budget, workers: Some(0), limits: Limits::default(), ..Settings::default() };
        let (cache, pump) = Cache::new(settings, Labelled { device, ..Labelled::default() });
        for (alias, name) in load_plan.aliases {
            // An alias that leads back to itself was reported when the scenario was read, because nothing has its name.
            let _ = cache.alias(alias, name);
        }
        let ledger = cache.ledger();
        let run = Run {
            scenes: Vec::new(),
            all: Figures::default(),
            histories: BTreeMap::new(),
            resident: Vec::new(),
            failures: Vec::new(),
            kept_old: Vec::new(),
            over: Vec::new(),
            replaced: 0,
            ledger,
            misuses: 0,
        };
        Self { scenario, cache, pump, faults, frame: 0, run, detailed: load_plan.detailed }
    }

    /// The name under which a scene holds when it is played as the `index`th.
    fn holder(&self, index: usize, scene: &Scene) -> String {
        format!("{} (scene {} of {})", scene.name, index + 1, self.scenario.play.len())
    }

    fn now(&self) -> Moment {
        Moment { ledger: self.cache.ledger(), work: self.pump.sink().device.work() }
    }

    fn play_scene(&mut self, scene: &Scene, mut on: OnStage, at_begin: &Moment) -> OnStage {
        let (mut ready, mut absent, mut peak) = (None, 0, 0);
        for frame in 0..scene.frames {
            self.make_trouble(scene, frame);
            // The limits are counts, not times: the same scenario gives the same figures on every machine.
            let (uploads, bytes) = (self.scenario.uploads as usize, self.scenario.upload_bytes);
            self.pump.pump(PerFrame { uploads, bytes, ..PerFrame::UNLIMITED });
            peak = peak.max(self.note());
            if ready.is_none() && on.is_ready() {
                ready = Some(frame);
            }
            absent += self.draw(&mut on);
            self.frame += 1;
        }
        let figures = Figures { ready, absent, frames: scene.frames, peak_bytes: peak, ..self.since(at_begin) };
        if let Some(played) = self.run.scenes.last_mut() {
            played.figures = figures;
        }
        on
    }

    /// The counts since a moment.
    fn since(&self, begin: &Moment) -> Figures {
        let now = self.now();
        let (l, b, work) = (&now.ledger, &begin.ledger, &now.work);
        Figures {
            requests: l.requests - b.requests,
            reuses: l.reuses - b.reuses,
            joined: l.coalesced - b.coalesced,
            loads: l.loads - b.loads,
            loaded_bytes: l.loaded_bytes - b.loaded_bytes,
            failures: l.page_failures + l.other_failures - b.page_failures - b.other_failures,
            evictions: l.evictions.all() - b.evictions.all(),
            resident_bytes: l.resident_bytes,
            draws: work.draws - begin.work.draws,
            binds: work.binds - begin.work.binds,
            batches: work.batches - begin.work.batches,
            decoding_ns: l.decoding_ns - b.decoding_ns,
            ..Figures::default()
        }
    }

    fn make_trouble(&mut self, scene: &Scene, frame: u64) {
        for fault in scene.faults.iter().filter(|fault| fault.at == frame) {
            match &fault.what {
                FaultKind::Missing(file) => self.faults.lose(file),
                FaultKind::Over => {
                    self.faults.bring_back();
                    self.cache.retry_all();
                }
                FaultKind::OutOfMemory(times) => {
                    self.pump.sink_mut().device.fail_next(DeviceFault::OutOfMemory, *times);
                }
                FaultKind::Lost(times) => self.pump.sink_mut().device.fail_next(DeviceFault::Lost, *times),
                FaultKind::Reload(atlas) => {
                    self.faults.repack(atlas);
                    // Any name in the atlas stands for the atlas.
                    self.cache.reload(&format!("{atlas}:*"));
                }
            }
        }
    }

    /// Records the frame; returns the most bytes that were loaded in it.
    fn note(&mut self) -> u64 {
        for event in self.cache.events() {
            match event {
                Event::Loaded { path, bytes } => {
                    let history = self.run.histories.entry(path).or_default();
                    (history.bytes, _) = (bytes, history.made.push(self.frame));
                }
                Event::Evicted { path, .. } => self.run.histories.entry(path).or_default().dropped.push(self.frame),
                Event::Failed(failure) => self.run.failures.push(failure),
                Event::KeptOld(failure) => self.run.kept_old.push(failure),
                Event::OverBudget { resident, .. } => self.run.over.push(resident),
                Event::Replaced { .. } => self.run.replaced += 1,
                _ => {}
            }
        }
        let most = self.pump.sink_mut().device.take_peak();
        self.run.resident.push(most);
        if self.detailed {
            for line in self.cache.ledger().textures.iter().filter(|line| line.leases > 0) {
                let history = self.run.histories.entry(line.path.clone()).or_default();
                match history.held.last_mut().filter(|(_, end)| *end == self.frame) {
                    Some((_, end)) => *end += 1,
                    None => history.held.push((self.frame, self.frame + 1)),
                }
            }
        }
        most
    }

    /// Draws all things once; returns how many were not loaded.
    fn draw(&mut self, on: &mut OnStage) -> u64 {
        let step = SECOND / i64::from(self.scenario.fps);
        self.pump.sink_mut().device.begin_frame();
        let mut absent = 0;
        for actor in &mut on.actors {
            let Some((texture, name)) = actor.show(step) else {
                absent += 1;
                continue;
            };
            self.pump.sink_mut().device.draw(texture);
            let Some(label) = self.pump.sink().labels.get(&texture).cloned() else { continue };
            if let Some(history) = self.run.histories.get_mut(&*label) {
                history.drawn = true;
            }
            if self.detailed
                && let Some(played) = self.run.scenes.last_mut()
            {
                let names = match played.pages.get_mut(&*label) {
                    Some(names) => names,
                    None => played.pages.entry(label.to_string()).or_default(),
                };
                if !names.contains(&*name) {
                    names.insert(name.to_string());
                }
            }
        }
        absent
    }

    /// A scene gives back what it holds; whatever it keeps is recorded.
    fn end_scene(&mut self, ended: Option<(OnStage, usize)>) {
        let Some((on, index)) = ended else { return };
        drop(on);
        let holder = self.holder(index, &self.scenario.scenes[self.run.scenes[index].scene]);
        let ledger = self.cache.ledger();
        let left = ledger.held.into_iter().filter(|held| held.holder == holder).map(|held| held.sprite);
        self.run.scenes[index].left = left.collect();
    }

    fn finish(mut self) -> Run {
        let begin = Moment { ledger: self.run.ledger.clone(), work: Work::default() };
        self.pump.pump(PerFrame::UNLIMITED);
        let ready = self.run.scenes.iter().map(|scene| scene.figures.ready).sum::<Option<u64>>();
        let absent = self.run.scenes.iter().map(|scene| scene.figures.absent).sum();
        let peak_bytes = self.run.resident.iter().copied().max().unwrap_or(0);
        self.run.all = Figures { ready, absent, peak_bytes, frames: self.frame, ..self.since(&begin) };
        self.run.misuses = self.pump.sink().device.work().misuses;
        self.run.ledger = self.pump.finish();
        self.run
    }
}

impl OnStage {
    fn new(cache: &Cache, role: &Role<'_>) -> Self {
        let sets = role.holds.iter().map(|names| cache.lease_all(names.iter().map(String::as_str))).collect();
        Self { sets, actors: role.actors(cache) }
    }

    fn is_ready(&self) -> bool {
        let ready = |status| matches!(status, Status::Ready);
        self.sets.iter().all(|set| ready(set.status())) && self.actors.iter().all(|actor| ready(actor.status()))
    }
}
