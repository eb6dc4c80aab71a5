//! Textures, made by the web page.

use crate::files::WebFiles;
use js_sys::{Array, Uint8Array};
use wasm_bindgen::prelude::*;
use zemtak_runtime::atlas::{Alpha, Colour, Filter, Wrap};
use zemtak_runtime::{NewTexture, Sink, SinkError, Texture};

#[wasm_bindgen]
extern "C" {
    /// What makes and drops textures: the `Device` of `ts/device.ts`.
    pub type JsDevice;

    /// `levels` has the rows of each mip level; `undefined` if the web page has the picture itself.
    #[wasm_bindgen(method, catch, js_name = makeTexture)]
    fn make_texture(
        this: &JsDevice,
        path: &str,
        layer: Option<String>,
        width: u32,
        height: u32,
        mips: u32,
        levels: Option<Array>,
        linear_filter: bool,
        wrap: u32,
        premultiplied: bool,
        linear_colour: bool,
    ) -> Result<u32, JsValue>;

    #[wasm_bindgen(method, js_name = dropTexture)]
    fn drop_texture(this: &JsDevice, texture: u32);

    #[wasm_bindgen(method, getter, js_name = largestSide)]
    fn largest_side(this: &JsDevice) -> u32;
}

pub struct WebSink {
    device: JsDevice,
    files: WebFiles,
}

impl WebSink {
    pub fn new(device: JsDevice, files: WebFiles) -> Self {
        Self { device, files }
    }
}

impl Sink for WebSink {
    fn make_texture(&mut self, new: &NewTexture<'_>) -> Result<Texture, SinkError> {
        let there = new.levels.iter().all(|level| !level.bytes.is_empty());
        let levels = there.then(|| new.levels.iter().map(|level| Uint8Array::from(&*level.bytes)).collect::<Array>());
        let (size, sampler) = (new.size(), new.sampler);
        let wrap = match sampler.wrap {
            Wrap::Repeat => 1,
            Wrap::Mirror => 2,
            _ => 0,
        };
        let made = self.device.make_texture(
            new.label,
            new.layer.map(str::to_owned),
            size.w,
            size.h,
            new.mips(),
            levels,
            sampler.filter == Filter::Linear,
            wrap,
            sampler.alpha == Alpha::Premultiplied,
            sampler.colour == Colour::Linear,
        );
        // The web page has released the picture.
        self.files.forget(new.label);
        made.map(|number| Texture(number.into())).map_err(|error| {
            let said = error.dyn_ref::<js_sys::Error>().map(|error| String::from(error.message()));
            SinkError::Other(said.unwrap_or_else(|| "the device made no texture of it".into()))
        })
    }

    fn drop_texture(&mut self, texture: Texture) {
        self.device.drop_texture(number(texture));
    }

    fn largest_side(&self) -> u32 {
        self.device.largest_side()
    }
}

/// The number of a texture, as the device gave it.
pub fn number(texture: Texture) -> u32 {
    u32::try_from(texture.0).unwrap_or_default()
}
