//! The cache and its pump.

use crate::files::{Fetched, WebFiles};
use crate::leases::{ClipLease, Lease, LeaseSet};
use crate::sink::{JsDevice, WebSink};
use std::time::Duration;
use wasm_bindgen::prelude::*;
use zemtak_runtime::geometry::Size;
use zemtak_runtime::{Cache, Event, PerFrame, Pixels, Pump, Settings};

/// A cache, its pump and the files it waits for: `Cache` of `ts/index.ts` is built on it.
#[wasm_bindgen]
pub struct Core {
    cache: Cache,
    pump: Pump<WebSink>,
    files: WebFiles,
}

#[wasm_bindgen]
impl Core {
    /// A cache over a base URL. `stand_in` is 0xRRGGBBAA, with alpha 0 for none; `budget` in bytes, 0 for 256 MiB.
    #[wasm_bindgen(constructor)]
    #[must_use]
    #[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "a whole number of bytes")]
    pub fn new(device: JsDevice, base: String, budget: f64, stand_in: u32) -> Self {
        let files = WebFiles::below(base);
        let mut settings = Settings { workers: Some(0), ..Settings::over(files.clone()) };
        if budget > 0.0 {
            settings.budget = budget as u64;
        }
        let stand_in = stand_in.to_be_bytes();
        if stand_in[3] > 0 {
            settings.stand_in = Pixels::from_rgba(Size::new(1, 1), stand_in.to_vec());
        }
        let (cache, pump) = Cache::new(settings, WebSink::new(device, files.clone()));
        Self { cache, pump, files }
    }

    /// Makes and drops textures; returns how many were made, were dropped, and are waiting.
    #[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "a whole number of bytes")]
    pub fn pump(&mut self, uploads: u32, bytes: f64) -> Vec<usize> {
        let frame = PerFrame { uploads: uploads as usize, bytes: bytes as u64, time: Duration::from_millis(4) };
        let pumped = self.pump.pump(frame);
        vec![pumped.made, pumped.dropped, pumped.ready]
    }

    /// The paths of files to fetch since the last call.
    #[wasm_bindgen(js_name = takeWanted)]
    #[must_use]
    pub fn take_wanted(&self) -> Vec<String> {
        self.files.take_wanted()
    }

    /// The bytes of a file have arrived.
    #[wasm_bindgen(js_name = putBytes)]
    pub fn put_bytes(&self, path: String, bytes: Vec<u8>) {
        self.came(path, Fetched::Bytes(bytes));
    }

    /// A picture has arrived and was decoded; the device has it.
    #[wasm_bindgen(js_name = putPicture)]
    pub fn put_picture(&self, path: String, width: u32, height: u32) {
        self.came(path, Fetched::Picture(Size::new(width, height)));
    }

    /// There is no such file.
    #[wasm_bindgen(js_name = putMissing)]
    pub fn put_missing(&self, path: String) {
        self.came(path, Fetched::Missing);
    }

    /// A file cannot be fetched.
    #[wasm_bindgen(js_name = putBroken)]
    pub fn put_broken(&self, path: String, why: String) {
        self.came(path, Fetched::Broken(why));
    }

    /// A picture is not wanted any more; the device has released it.
    pub fn forget(&self, path: &str) {
        self.files.forget(path);
    }

    /// Forgets files that have arrived after their lease was given back: when nothing is in progress, nobody will take
    /// them. Returns whether there were any; the device has to release such pictures.
    #[wasm_bindgen(js_name = forgetUnwanted)]
    #[must_use]
    pub fn forget_unwanted(&self) -> bool {
        let unwanted = self.files.has_arrived() && self.cache.is_idle();
        if unwanted {
            self.files.forget_arrived();
        }
        unwanted
    }

    fn came(&self, path: String, fetched: Fetched) {
        self.files.put(path, fetched);
        self.cache.files_came();
    }

    fn held_by(&self, holder: Option<&str>) -> Cache {
        holder.map_or_else(|| self.cache.clone(), |holder| self.cache.named(holder))
    }

    /// Leases a sprite, `atlas:name`, or a loose image by its path.
    #[must_use]
    pub fn lease(&self, name: &str, holder: Option<String>) -> Lease {
        Lease(self.held_by(holder.as_deref()).lease(name))
    }

    /// Leases many: names, and globs within an atlas.
    #[wasm_bindgen(js_name = leaseAll)]
    #[must_use]
    pub fn lease_all(&self, names: Vec<String>, holder: Option<String>) -> LeaseSet {
        LeaseSet(self.held_by(holder.as_deref()).lease_all(names.iter().map(String::as_str)))
    }

    /// Leases all sprites of a clip.
    #[wasm_bindgen(js_name = leaseClip)]
    #[must_use]
    pub fn lease_clip(&self, name: &str, holder: Option<String>) -> ClipLease {
        ClipLease(self.held_by(holder.as_deref()).lease_clip(name))
    }

    /// The full names of an atlas's clips; `undefined` until its descriptor has arrived.
    ///
    /// # Errors
    /// The descriptor cannot be loaded.
    pub fn clips(&self, atlas: &str) -> Result<Option<Vec<String>>, JsError> {
        Ok(self.cache.clips(atlas)?.map(|clips| clips.into_keys().collect()))
    }

    /// Makes a name of the game's own stand for another name from now on.
    ///
    /// # Errors
    /// The name leads back to the alias.
    pub fn alias(&self, alias: &str, name: &str) -> Result<(), JsError> {
        Ok(self.cache.alias(alias, name)?)
    }

    /// Fetches the atlas or image of a name again; a new version replaces the old one behind all leases at once.
    pub fn reload(&self, name: &str) {
        self.cache.reload(name);
    }

    /// Tries again to load what could not be loaded.
    #[wasm_bindgen(js_name = retryAll)]
    pub fn retry_all(&self) {
        self.cache.retry_all();
    }

    /// Makes the next pump drop all textures that nobody holds.
    pub fn trim(&self) {
        self.cache.trim();
    }

    /// Changes the budget, in bytes.
    #[wasm_bindgen(js_name = setBudget)]
    #[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "a whole number of bytes")]
    pub fn set_budget(&self, bytes: f64) {
        self.cache.set_budget(bytes as u64);
    }

    /// Whether nothing is in progress.
    #[wasm_bindgen(js_name = isIdle)]
    #[must_use]
    pub fn is_idle(&self) -> bool {
        self.cache.is_idle()
    }

    /// The account, as JSON.
    #[must_use]
    pub fn ledger(&self) -> String {
        self.cache.ledger().to_json()
    }

    /// All textures were lost with the device.
    #[wasm_bindgen(js_name = deviceLost)]
    pub fn device_lost(&mut self) {
        self.pump.device_lost();
    }

    /// What happened since the last call: the kind of each event, and its name or path, one after the other.
    #[must_use]
    pub fn events(&self) -> Vec<String> {
        let told = |event: Event| match event {
            Event::Opened { atlas } => ["opened".to_owned(), atlas],
            Event::Loaded { path, .. } => ["loaded".to_owned(), path],
            Event::Failed(failure) => ["failed".to_owned(), failure.to_string()],
            Event::Replaced { name } => ["replaced".to_owned(), name],
            Event::Repainted { path } => ["repainted".to_owned(), path],
            Event::KeptOld(failure) => ["keptOld".to_owned(), failure.to_string()],
            Event::Evicted { path, .. } => ["evicted".to_owned(), path],
            Event::Cancelled { path } => ["cancelled".to_owned(), path],
            Event::OverBudget { .. } => ["overBudget".to_owned(), String::new()],
            _ => ["other".to_owned(), String::new()],
        };
        self.cache.events().into_iter().flat_map(told).collect()
    }
}
