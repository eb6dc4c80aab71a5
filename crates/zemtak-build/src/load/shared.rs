//! What other machines know of images, by the hundred: without it each would have to be decoded to find out its size.

use super::{Known, Looked, Recipe, image_key};
use crate::context::Context;
use crate::sources::Source;
use crate::store::{Hash, Key};
use rayon::prelude::*;

/// Changes with how what is known of images is put together.
const GROUP_VERSION: u32 = 1;

/// How many images go together at most: few enough that a changed one spoils little, many enough that few are asked for.
const TOGETHER: usize = 128;

/// Images whose facts are shared together.
pub(super) struct Group {
    key: Hash,
    images: Vec<Hash>,
}

impl Group {
    fn new(images: Vec<Hash>) -> Self {
        Self { key: Key::new("images", &[GROUP_VERSION]).value(&images).finish(), images }
    }
}

/// Fetches what this machine does not know and another one does; gives the groups that nobody knows.
pub(super) fn fetch(
    sources: &[&Source],
    contents: &[Looked],
    recipes: &[Recipe<'_>],
    context: Context<'_>,
) -> Vec<Group> {
    if !context.shared.is_open() {
        return Vec::new();
    }
    let key = |(source, content): (&&Source, &Looked)| {
        recipes
            .iter()
            .map(|recipe| image_key(source, &content.hash, recipe.for_image(&source.name)))
            .collect::<Vec<_>>()
    };
    let all: Vec<Vec<Hash>> = sources.iter().zip(contents).map(key).collect();
    let is_known = |group: &Group| group.images.iter().all(|image| context.store.get(image).is_some());
    let groups = all.chunks(TOGETHER).map(|images| Group::new(images.concat()));
    let unknown: Vec<Group> = groups.filter(|group| !is_known(group)).collect();
    unknown.into_par_iter().filter(|group| fetched(group, context).is_none()).collect()
}

/// Keeps what another machine knows of a group.
fn fetched(group: &Group, context: Context<'_>) -> Option<()> {
    let values: Vec<Vec<u8>> = postcard::from_bytes(&context.fetch(&group.key)?).ok()?;
    let is_fact = |value: &Vec<u8>| serde_json::from_slice::<Known>(value).is_ok_and(|known| !known.frames.is_empty());
    if values.len() != group.images.len() || !values.iter().all(is_fact) {
        return None;
    }
    group.images.iter().zip(values).for_each(|(image, value)| context.store.put(*image, value));
    Some(())
}

/// Shares groups that were found out here, all of their images well.
pub(super) fn share(unknown: &[Group], context: Context<'_>) {
    for group in unknown {
        let values: Option<Vec<Vec<u8>>> = group.images.iter().map(|image| context.store.get(image)).collect();
        if let Some(value) = values.and_then(|values| postcard::to_stdvec(&values).ok()) {
            context.share(&group.key, &value);
        }
    }
}
