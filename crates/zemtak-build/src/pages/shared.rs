//! Pages made by another machine, from the shared store.

use super::PageBytes;
use crate::context::Context;
use crate::former::DrawnBand;
use crate::store::{Hash, Key, Kind, Value};
use crate::texture::DrawnTexture;
use crate::work::{Origin, Part};
use serde::{Deserialize, Serialize};
use std::time::Duration;

/// Changes whenever what is shared of a page does; what its bytes depend on is in its key.
const SHARED_VERSION: u32 = 1;

#[derive(Serialize, Deserialize)]
struct SharedPage {
    bands: Vec<DrawnBand>,
    texture: Option<DrawnTexture>,
    bytes: Vec<u8>,
}

fn key(page: &Hash) -> Hash {
    Key::new("shared page", &[SHARED_VERSION]).bytes(page).finish()
}

/// The page with a key, if somebody has shared it.
pub(super) fn fetch(page: &Hash, context: Context<'_>) -> Option<(PageBytes, Part)> {
    let Value { bytes, made_in } = context.fetch(Kind::Pages, &key(page))?;
    let SharedPage { bands, texture, bytes } = postcard::from_bytes(&bytes).ok()?;
    Some((PageBytes { bytes, bands, texture }, Part { origin: Origin::Fetched, made_in }))
}

/// Which of the pages with these keys somebody has shared.
pub(crate) fn there(pages: &[Hash], context: Context<'_>) -> Vec<bool> {
    let keys: Vec<Hash> = pages.iter().map(key).collect();
    context.shared.has_each(Kind::Pages, &keys, &|| context.cancelled())
}

/// Shares a page that was drawn, encoded and proved here.
pub(super) fn share(page: &Hash, made: PageBytes, made_in: Duration, context: Context<'_>) -> PageBytes {
    if !context.shared.is_open() {
        return made;
    }
    let PageBytes { bytes, bands, texture } = made;
    let shared = SharedPage { bands, texture, bytes };
    if let Ok(value) = postcard::to_stdvec(&shared) {
        context.share(Kind::Pages, &key(page), &value, made_in);
    }
    PageBytes { bytes: shared.bytes, bands: shared.bands, texture: shared.texture }
}
