//! What is held and drawn in each scene: from the packed atlases, from loose images, or with separate images for each
//! thing.

use super::catalog::loose_images;
use super::faulty_files::copy;
use super::scenario::{Draw, Order, Scenario, Scene};
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::Duration;
use zemtak_core::clip::{Player, Ratio, Timeline};
use zemtak_runtime::{Cache, ClipLease, Lease, Playing, Status, Texture};

/// The offset in milliseconds between two things with the same clip, so that a crowd does not move in step.
const APART_MS: u64 = 137;

/// The scenes of a scenario for one way of loading.
pub struct LoadPlan<'s> {
    pub roots: Vec<PathBuf>,
    pub aliases: &'s BTreeMap<String, String>,
    /// By scene.
    pub roles: Vec<Role<'s>>,
    /// Whether to record who holds what in each frame.
    pub detailed: bool,
    /// Whether what nobody holds is dropped at once: without sharing, nothing is kept for others.
    pub keeps_nothing: bool,
}

/// What a scene holds and draws.
pub struct Role<'s> {
    pub holds: Vec<Vec<String>>,
    pub forgets: Vec<String>,
    way: Loading,
    scene: &'s Scene,
}

/// How things are loaded.
#[derive(Clone)]
enum Loading {
    Packed,
    /// The image of each sprite by the sprite's full name.
    Loose(Arc<BTreeMap<String, String>>),
    /// The same, with separate copies for each thing.
    Copies(Arc<BTreeMap<String, String>>),
}

/// A thing that is drawn.
pub enum Actor {
    Still { lease: Lease, name: Arc<str> },
    Moving { playing: Playing, names: Arc<[Arc<str>]> },
    Loose { leases: Arc<[Lease]>, names: Arc<[Arc<str>]>, timeline: Arc<Timeline>, player: Player },
}

impl<'s> LoadPlan<'s> {
    /// As the game will load: from packed atlases.
    pub fn packed(scenario: &'s Scenario) -> Self {
        let roles = scenario.scenes.iter().map(|scene| Role {
            holds: scene.hold.iter().map(|(name, _)| vec![name.clone()]).collect(),
            forgets: scene.forgets.clone(),
            way: Loading::Packed,
            scene,
        });
        Self {
            roots: scenario.roots.clone(),
            aliases: &scenario.aliases,
            roles: roles.collect(),
            detailed: true,
            keeps_nothing: false,
        }
    }

    /// The same scenes from loose images: shared, and with separate copies for each thing.
    ///
    /// # Errors
    /// The names of sprites that have no image of their own.
    pub fn loose(scenario: &'s Scenario, folder: &Path) -> Result<[Self; 2], Vec<String>> {
        let images = Arc::new(images(scenario, &loose_images(folder))?);
        let role = |scene: &'s Scene, way: Loading| {
            let path = |name: &String| images.get(name).cloned();
            let holds = match way {
                // What each thing loads itself is all there is.
                Loading::Copies(_) => Vec::new(),
                _ => scene.hold.iter().map(|(_, meant)| meant.iter().filter_map(path).collect()).collect(),
            };
            let meant = |name: &String| scenario.catalog.sprites(name).unwrap_or_default();
            let forgets = match way {
                Loading::Copies(_) => Vec::new(),
                _ => scene.forgets.iter().flat_map(meant).filter_map(|name| path(&name)).collect(),
            };
            Role { holds, forgets, way, scene }
        };
        let load_plan = |roles: Vec<Role<'s>>, keeps_nothing| {
            let roots = std::iter::once(folder.to_owned()).chain(scenario.roots.iter().cloned()).collect();
            Self { roots, aliases: no_aliases(), roles, detailed: false, keeps_nothing }
        };
        let shared = scenario.scenes.iter().map(|scene| role(scene, Loading::Loose(images.clone())));
        let copies = scenario.scenes.iter().map(|scene| role(scene, Loading::Copies(images.clone())));
        Ok([load_plan(shared.collect(), false), load_plan(copies.collect(), true)])
    }
}

fn no_aliases() -> &'static BTreeMap<String, String> {
    static NONE: BTreeMap<String, String> = BTreeMap::new();
    &NONE
}

/// The image of each sprite that is held or drawn, by its full name.
fn images(scenario: &Scenario, files: &BTreeMap<String, String>) -> Result<BTreeMap<String, String>, Vec<String>> {
    let held = scenario.scenes.iter().flat_map(|scene| scene.hold.iter().flat_map(|(_, meant)| meant.clone()));
    let draws = scenario.scenes.iter().flat_map(|scene| &scene.draw);
    let drawn = draws.flat_map(|draw| match &draw.steps {
        Some(steps) => steps.names.clone(),
        None => scenario.catalog.sprites(&draw.name).unwrap_or_default(),
    });
    let forgotten = scenario.scenes.iter().flat_map(|scene| &scene.forgets);
    let forgotten = forgotten.flat_map(|name| scenario.catalog.sprites(name).unwrap_or_default());
    let (mut images, mut missing) = (BTreeMap::new(), Vec::new());
    for name in held.chain(drawn).chain(forgotten) {
        let image = match name.split_once(':') {
            Some((_, local)) => files.get(local).cloned(),
            // A loose image is loose in every mode.
            None => Some(name.clone()),
        };
        match image {
            Some(image) => drop(images.insert(name, image)),
            None => missing.push(name),
        }
    }
    missing.sort();
    missing.dedup();
    if missing.is_empty() { Ok(images) } else { Err(missing) }
}

impl Role<'_> {
    /// All things that the scene draws, in order, each requesting what it needs.
    pub fn actors(&self, cache: &Cache) -> Vec<Actor> {
        let mut number = 0;
        let kinds = self.scene.draw.iter().map(|draw| {
            let kind = ActorKind::new(draw, self, cache);
            (0..draw.count)
                .map(|i| {
                    number += 1;
                    kind.actor(self, cache, i, number)
                })
                .collect::<Vec<Actor>>()
        });
        let kinds: Vec<Vec<Actor>> = kinds.collect();
        if self.scene.order == Order::Listed {
            return kinds.into_iter().flatten().collect();
        }
        let mut turns: Vec<_> = kinds.into_iter().map(Vec::into_iter).collect();
        let mut mixed = Vec::new();
        loop {
            let before = mixed.len();
            mixed.extend(turns.iter_mut().filter_map(Iterator::next));
            if mixed.len() == before {
                return mixed;
            }
        }
    }
}

/// What all things of one entry share.
struct ActorKind {
    names: Arc<[Arc<str>]>,
    timeline: Option<Arc<Timeline>>,
    clip: Option<ClipLease>,
}

impl ActorKind {
    fn new(draw: &Draw, role: &Role<'_>, cache: &Cache) -> Self {
        let names: Arc<[Arc<str>]> = match &draw.steps {
            Some(steps) => steps.names.iter().map(|name| name.as_str().into()).collect(),
            None => [draw.name.as_str().into()].into(),
        };
        let timeline = draw.steps.as_ref().map(|steps| Arc::new(steps.timeline.clone()));
        let clip = (matches!(role.way, Loading::Packed) && draw.steps.is_some()).then(|| cache.lease_clip(&draw.name));
        Self { names, timeline, clip }
    }

    fn actor(&self, role: &Role<'_>, cache: &Cache, index: u32, number: u64) -> Actor {
        let place = Duration::from_millis(APART_MS * u64::from(index));
        if let Some(clip) = &self.clip {
            return Actor::Moving { playing: clip.play_from(Ratio::ONE, place), names: self.names.clone() };
        }
        let path = |name: &Arc<str>| match &role.way {
            Loading::Packed => name.to_string(),
            Loading::Loose(images) => images.get(&**name).cloned().unwrap_or_else(|| name.to_string()),
            Loading::Copies(images) => copy(number, images.get(&**name).map_or(&**name, String::as_str)),
        };
        let name = self.names[0].clone();
        let Some(timeline) = &self.timeline else { return Actor::Still { lease: cache.lease(&path(&name)), name } };
        Actor::Loose {
            leases: self.names.iter().map(|name| cache.lease(&path(name))).collect(),
            names: self.names.clone(),
            timeline: timeline.clone(),
            player: Player::starting_at(Ratio::ONE, timeline, i64::try_from(place.as_nanos()).unwrap_or(0)),
        }
    }
}

impl Actor {
    /// Advances by a time, and returns what is drawn: the texture, and the sprite's name.
    pub fn show(&mut self, nanoseconds: i64) -> Option<(Texture, Arc<str>)> {
        let (view, name) = match self {
            Self::Still { lease, name } => (lease.view(), name.clone()),
            Self::Moving { playing, names } => {
                let now = playing.advance_by(nanoseconds);
                (now.view, names.get(now.step)?.clone())
            }
            Self::Loose { leases, names, timeline, player } => {
                let _ = player.advance(timeline, nanoseconds);
                let step = player.step(timeline);
                (leases.get(step)?.view(), names.get(step)?.clone())
            }
        };
        Some((view?.texture, name))
    }

    /// The elapsed time.
    pub fn status(&self) -> Status {
        match self {
            Self::Still { lease, .. } => lease.status(),
            Self::Moving { playing, .. } => playing.clip().sprites().status(),
            Self::Loose { leases, .. } => {
                let other = leases.iter().map(Lease::status).find(|s| !matches!(s, Status::Ready));
                other.unwrap_or(Status::Ready)
            }
        }
    }
}
