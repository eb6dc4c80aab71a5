//! What other machines know about images, in groups of about a hundred: otherwise each image would have to be decoded
//! to find out its size.

use super::{Known, Looked, Recipe, image_key};
use crate::context::Context;
use crate::sources::Source;
use crate::store::{Hash, Key, Kind, Value};
use std::ops::Range;
use std::time::Duration;

/// Changes whenever the composition of these groups does.
const GROUP_VERSION: u32 = 2;

/// After how many images a group ends on average: few enough that a changed image spoils little, many enough that there
/// are few requests.
const TOGETHER: u8 = 128;

/// The most images of a group.
const MOST: usize = 512;

/// Images whose facts are shared together, for one way of treating them.
pub(super) struct Group {
    key: Hash,
    images: Vec<Hash>,
    /// Which of the sources they are.
    sources: Range<usize>,
}

impl Group {
    fn new(images: &[Hash], first: usize) -> Self {
        let key = Key::new("images", &[GROUP_VERSION]).value(&images).finish();
        Self { key, images: images.to_vec(), sources: first..first + images.len() }
    }
}

/// Divides images into groups. Where a group ends depends on the image there, so an added or removed image spoils only
/// its own group.
fn groups(images: &[Hash]) -> Vec<Group> {
    let (mut groups, mut first) = (Vec::new(), 0);
    for (at, image) in images.iter().enumerate() {
        let length = at + 1 - first;
        if image[0].is_multiple_of(TOGETHER) || length == MOST || at + 1 == images.len() {
            groups.push(Group::new(&images[first..=at], first));
            first = at + 1;
        }
    }
    groups
}

/// What a shared store knows about images.
#[derive(Default)]
pub(super) struct Asked {
    /// The groups that it does not know.
    unknown: Vec<Group>,
    /// How long it took others to find out what it delivered.
    pub made_in: Duration,
    /// How many images that was.
    pub fetched: u64,
}

/// Fetches what this machine does not know and another one does.
pub(super) fn fetch(sources: &[&Source], contents: &[Looked], recipes: &[Recipe<'_>], context: Context<'_>) -> Asked {
    if !context.shared.is_open() {
        return Asked::default();
    }
    let of_recipe = |recipe: &Recipe<'_>| {
        let key =
            |(source, content): (&&Source, &Looked)| image_key(source, &content.hash, recipe.for_image(&source.name));
        groups(&sources.iter().zip(contents).map(key).collect::<Vec<_>>())
    };
    let is_known = |group: &Group| group.images.iter().all(|image| context.store.get(image).is_some());
    let unknown: Vec<Group> = recipes.iter().flat_map(of_recipe).filter(|group| !is_known(group)).collect();
    let keys: Vec<Hash> = unknown.iter().map(|group| group.key).collect();
    let mut asked = Asked::default();
    for (group, value) in unknown.into_iter().zip(context.fetch_all(Kind::Images, &keys)) {
        match value.and_then(|value| keep(&group, value, context)) {
            Some(made_in) => {
                asked.made_in += made_in;
                asked.fetched += group.images.len() as u64;
            }
            None => asked.unknown.push(group),
        }
    }
    // An image counts once, in however many ways it is treated.
    asked.fetched /= recipes.len().max(1) as u64;
    asked
}

/// Keeps what another machine knows about a group; returns how long it took there.
fn keep(group: &Group, Value { bytes, made_in }: Value, context: Context<'_>) -> Option<Duration> {
    let values: Vec<Vec<u8>> = postcard::from_bytes(&bytes).ok()?;
    if values.len() != group.images.len() || values.iter().any(|value| Known::of_bytes(value).is_none()) {
        return None;
    }
    group.images.iter().zip(values).for_each(|(image, value)| context.store.put(*image, value));
    Some(made_in)
}

impl Asked {
    /// Shares the groups that were worked out here, if all of their images were fine. `made_in` is how long each source
    /// took for one treatment.
    pub fn share(&self, made_in: &[Duration], context: Context<'_>) {
        for Group { key, images, sources } in &self.unknown {
            let values: Option<Vec<Vec<u8>>> = images.iter().map(|image| context.store.get(image)).collect();
            if let Some(value) = values.and_then(|values| postcard::to_stdvec(&values).ok()) {
                context.share(Kind::Images, key, &value, made_in[sources.clone()].iter().sum());
            }
        }
    }
}
