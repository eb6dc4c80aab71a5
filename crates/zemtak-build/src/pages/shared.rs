//! Pages that another machine has made, from the shared store.

use super::PageBytes;
use crate::context::Context;
use crate::former::DrawnBand;
use crate::store::{Hash, Key};
use crate::texture::DrawnTexture;
use serde::{Deserialize, Serialize};

/// Changes with what is shared of a page; what its bytes follow from is in its key.
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

/// The page that follows from a key, if somebody has shared it.
pub(super) fn fetch(page: &Hash, context: Context<'_>) -> Option<PageBytes> {
    let value = context.fetch(&key(page))?;
    let SharedPage { bands, texture, bytes } = postcard::from_bytes(&value).ok()?;
    context.shared.count_page();
    Some(PageBytes { bytes, bands, texture })
}

/// Shares a page that was drawn, encoded and proved here.
pub(super) fn share(page: &Hash, made: PageBytes, context: Context<'_>) -> PageBytes {
    if !context.shared.is_open() {
        return made;
    }
    let PageBytes { bytes, bands, texture } = made;
    let shared = SharedPage { bands, texture, bytes };
    if let Ok(value) = postcard::to_stdvec(&shared) {
        context.share(&key(page), &value);
    }
    PageBytes { bytes: shared.bytes, bands: shared.bands, texture: shared.texture }
}
