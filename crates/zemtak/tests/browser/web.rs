//! The npm package, as it was unpacked from its file: the example's frames held to the loose images, and what a game meets.
//! `scripts/web` makes it and names its folder in `ZEMTAK_WEB`.

use crate::cdp::Tab;
use crate::fixtures::{Folder, blob, demo_art, png};
use crate::scene::{Picture, SIZE, difference, frame};
use base64::Engine;
use serde_json::{Value, json};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use zemtak_core::pixels::Pixels;

/// A folder on a port of this machine, until it is dropped.
struct Served {
    server: Arc<tiny_http::Server>,
    port: u16,
}

impl Served {
    fn new(root: PathBuf) -> Self {
        let server = Arc::new(tiny_http::Server::http("127.0.0.1:0").unwrap());
        let port = server.server_addr().to_ip().unwrap().port();
        let own = server.clone();
        std::thread::spawn(move || own.incoming_requests().for_each(|request| answer(request, &root)));
        Self { server, port }
    }
}

impl Drop for Served {
    fn drop(&mut self) {
        self.server.unblock();
    }
}

fn answer(request: tiny_http::Request, root: &Path) {
    let path = request.url().split('?').next().unwrap().trim_start_matches('/').to_owned();
    let kind = match path.rsplit('.').next().unwrap() {
        "html" => "text/html",
        "js" => "text/javascript",
        "wasm" => "application/wasm",
        "png" => "image/png",
        _ => "application/json",
    };
    let header = |name: &str, value: &str| tiny_http::Header::from_bytes(name, value).unwrap();
    match std::fs::read(root.join(path)) {
        Ok(bytes) => {
            let answer = tiny_http::Response::from_data(bytes);
            drop(request.respond(
                answer.with_header(header("content-type", kind)).with_header(header("cache-control", "no-store")),
            ));
        }
        Err(_) => drop(request.respond(tiny_http::Response::empty(404))),
    }
}

/// A folder with the package as npm has put it there.
fn installed() -> Folder {
    let folder = Folder::new();
    let package = PathBuf::from(std::env::var_os("ZEMTAK_WEB").unwrap());
    for file in std::fs::read_dir(package).unwrap() {
        let file = file.unwrap();
        let name = file.file_name().into_string().unwrap();
        folder.write(&format!("node_modules/zemtak-web/{name}"), std::fs::read(file.path()).unwrap());
    }
    folder
}

fn loose(name: &str) -> Picture {
    let pixels = crate::pixels(&demo_art().join(format!("{name}.png")));
    Picture { size: [pixels.size().w, pixels.size().h].map(|side| side as usize), rgba: pixels.into_bytes() }
}

const READ: &str = "(() => { const gl = document.querySelector('canvas').getContext('webgl2'), all = new Uint8Array(640 * 360 * 4); \
                    gl.readPixels(0, 0, 640, 360, gl.RGBA, gl.UNSIGNED_BYTE, all); let text = ''; \
                    for (let i = 0; i < all.length; i += 4096) text += String.fromCharCode(...all.subarray(i, i + 4096)); return btoa(text); })()";

#[test]
#[ignore = "needs Chromium and a package that scripts/web has made"]
fn the_example_draws_what_the_loose_images_show() {
    let folder = installed();
    let example = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../examples/moth-courier-web");
    for file in ["index.html", "game.js"] {
        folder.write(file, std::fs::read(example.join(file)).unwrap());
    }
    let project = std::fs::read_to_string(demo_art().join("../zemtak.toml")).unwrap();
    let art = json!(demo_art().to_str().unwrap()).to_string();
    folder.write("zemtak.toml", project.replace("root = \"art\"", &format!("root = {art}")));
    folder.zemtak("pack").exits(0);
    let served = Served::new(folder.path("."));
    for number in [0, 1, 47, 100, 333] {
        let address = format!("http://127.0.0.1:{}/index.html?frames={number}", served.port);
        let mut tab = Tab::open_until(&address, "window.drawn || !document.querySelector('#why').hidden");
        assert_eq!(tab.eval("document.querySelector('#why').textContent"), "");
        let told = tab.eval(READ);
        // The first row that WebGL gives is the lowest.
        let rows = base64::engine::general_purpose::STANDARD.decode(told.as_str().unwrap()).unwrap();
        let seen: Vec<u8> = rows.chunks(SIZE[0] * 4).rev().flatten().copied().collect();
        assert_eq!(difference(&seen, &frame(number, loose), 2), None, "frame {number}");
        assert_eq!(tab.eval("drawn.cache.ledger.textures.map((line) => line.state)"), json!(["resident"]));
    }
}

fn lamp(colour: [u8; 3]) -> Vec<u8> {
    png(&Pixels::from_rgba(blob(30, 20, colour).size(), [colour[0], colour[1], colour[2], 255].repeat(600)).unwrap())
}

#[test]
#[ignore = "needs Chromium and a package that scripts/web has made"]
fn a_game_in_a_browser_meets_what_it_expects() {
    let folder = installed();
    folder.write("web.html", include_str!("web.html"));
    folder.write("art/lamp.png", lamp([200, 100, 40]));
    folder.write("art/lamp_n.png", lamp([128, 128, 255]));
    folder.write("art/late.png", lamp([9, 9, 9]));
    folder.write("art/loose.png", lamp([1, 2, 3]));
    folder.write("build/art/loose.png", lamp([1, 2, 3]));
    folder.write("build/broken.png", b"no picture");
    folder.write(
        "zemtak.toml",
        "format = 1\n[atlas.hall]\nroot = \"art\"\n[[atlas.hall.rule]]\nmatch = \"lamp\"\nlayers = { normal = \"{name}_n\" }\n\
         stretch = [4, 4, 4, 4]\npoints = { light = [7, 5] }\n",
    );
    folder.zemtak("pack").exits(0);
    let served = Served::new(folder.path("."));
    let mut tab = Tab::open_until(&format!("http://127.0.0.1:{}/web.html", served.port), "told.version || told.done");
    assert_eq!(tab.eval("told.error ?? null"), Value::Null);
    folder.write("art/lamp.png", lamp([20, 210, 90]));
    folder.zemtak("pack").exits(0);
    tab.eval("go()");
    tab.wait("told.done");
    let mut told = tab.eval("told");
    let wrong = told["wrong"].take();
    let wrong: Vec<&str> = wrong.as_array().unwrap().iter().map(|text| text.as_str().unwrap()).collect();
    let parts = [
        "hall:lamb: the atlas has no sprite of that name; the nearest is lamp",
        "cellar: no root has it; looked for build/cellar.zemtak.json",
        "none.png: no root has it; looked for build/none.png",
        "broken.png: build/broken.png: it cannot be read: The source image could not be decoded.",
        "large.zemtak.json: no root has it; looked for build/large.zemtak.json",
        "no name:: not a name: give 'atlas:sprite'",
    ];
    for (wrong, part) in wrong.iter().zip(parts) {
        assert!(wrong.starts_with(part), "{wrong}");
    }
    let half = [200, 100, 50, 128];
    assert_eq!(
        told,
        json!({
            "standIn": [255, 0, 255, 255], "before": [0, null], "lamp": "ready", "colour": [200, 100, 40, 255], "tinted": [100, 100, 0, 255],
            "view": [15, 10, 30, 20, 0, 0, 30, 20, 0], "details": [true, null, [7, 5], null], "stretched": [9, [200, 100, 40, 255]],
            "holder": [["hall:lamp", "hall", 1]], "clips": [], "wrong": null,
            "clip": "hall:none: the atlas has no clip of that name",
            "glob": "*.png: build/: it cannot be read: a web server does not list its files: name them, or pack them",
            "gone": "it was given back before it was ready", "image": ["ready", [1, 2, 3, 255]],
            "both": [[200, 100, 40, 255], [0, 0, 0, 255], [1, 2, 3, 255]],
            "textures": [
                [["LINEAR", "LINEAR_MIPMAP_LINEAR", "MIRRORED_REPEAT", "MIRRORED_REPEAT"], [half, half, half], null],
                [["NEAREST", "NEAREST_MIPMAP_LINEAR", "REPEAT", "REPEAT"], [[0, 0, 0, 255], [1, 0, 0, 255], [2, 0, 0, 255]], null],
            ],
            "version": 1, "reloaded": [20, 210, 90, 255],
            "lost": 0, "found": "ready", "restored": [20, 210, 90, 255], "resident": [],
            "events": ["evicted", "failed", "loaded", "opened", "replaced"], "closed": ["the cache was closed", "the cache was closed"], "done": true,
        })
    );
}

/// What was asked of nobody: what a device is told of a page, and what half of the calls give.
#[test]
#[ignore = "needs Chromium and a package that scripts/web has made"]
fn a_device_of_the_games_own_is_told_everything() {
    let folder = installed();
    folder.write("device.html", include_str!("device.html"));
    for name in ["art/lamp", "pond/lily/1", "pond/lily/2", "pond/reed/1", "pond/reed/2", "pond/reed/3", "stone/slab"] {
        folder.write(&format!("{name}.png"), lamp([200, 100, 40]));
    }
    folder.write("art/lamp_n.png", lamp([128, 128, 255]));
    folder.write("pond/lily/2.png", lamp([1, 2, 3]));
    folder.write("pond/water.png", lamp([40, 80, 120]));
    folder.write("sky/cloud.png", png(&blob(90, 20, [255, 255, 255])));
    folder.write("zemtak.toml", include_str!("device.toml"));
    folder.zemtak("pack").exits(0);
    folder.write("build/loose.png", lamp([5, 6, 7]));
    let served = Served::new(folder.path("."));
    let mut tab = Tab::open_until(&format!("http://127.0.0.1:{}/device.html", served.port), "told.done");
    assert_eq!(tab.eval("told.error ?? null"), Value::Null);
    let plain = |path: &str, side: u32| {
        json!([path, null, [side, side], 1, format!("picture of {side} x {side}"), false, "clamp", false, false])
    };
    let pond = json!(["pond-0.png", null, [64, 64], 3, "picture of 64 x 64", true, "clamp", true, false]);
    let stone = json!(["stone-0.rgba", null, [32, 32], 1, [[200, 100, 40, 255, 4096]], false, "clamp", false, false]);
    let white = |x: u32, y: u32| json!([x, y, 255, 255, 255, 255]);
    let (low, [first, second, flying]) = (json!([110, 35, 1, 2, 3, 4]), [white(15, 10), white(25, 60), white(75, 40)]);
    assert_eq!(
        tab.eval("told"),
        json!({
            "made": [
                pond, ["pond-1.png", null, [30, 20], 3, "picture of 30 x 20", true, "mirror", true, false], stone,
                plain("hall-0.png", 32),
                ["hall-0.normal.png", "normal", [32, 32], 1, "picture of 32 x 32", false, "clamp", false, true],
                pond, stone, ["loose.png", null, [30, 20], 1, "picture of 30 x 20", false, "clamp", false, false],
            ],
            // Again after it was refused, dropped or given up, never without need: what is too large is not fetched.
            "fetched": [
                "build/pond.zemtak.json", "build/pond-0.png", "build/pond-1.png", "build/stone.zemtak.json", "build/stone-0.rgba",
                "build/sky.zemtak.json", "build/busy.png", "build/cut.png", "build/hall.zemtak.json", "build/hall-0.png",
                "build/hall-0.normal.png", "build/busy.png", "build/cut.png", "build/hall-0.png", "build/hall-0.normal.png",
                "build/pond-0.png", "build/stone-0.rgba", "build/loose.png", "build/loose.png",
            ],
            "large": "sky-0.png: build/sky-0.png: its 128 x 64 pixels are more than the device or the settings allow",
            "busy": "busy.png: build/busy.png: it cannot be read: the server says 503 busy",
            "cut": "cut.png: build/cut.png: it cannot be read: the line is cut",
            "refused": "hall-0.png: no room is left", "again": true,
            "lease": ["hall:lamp", ["warm", "two words"], "{\"speed\":3}", [20, 4, 10, 8, 0], null, "hall:lamp"], "alias": true,
            "early": [1], "set": [["pond:lily/1", "pond:lily/2", "hall:lamp"], [3, 0, 3, 29696, 29696, 1], 3],
            "lily": [2, 200, ["pond:lily", "pond:reed"]],
            // From 50 ms to 110, 460, back to 350, to 190; then the same part of a clip that plays once, and its end.
            "playing": [
                [1, 0, false, ["open", "ring"]], [0, 2, false, ["open", "ring"]], [1, 1, false, ["open", "ring"]],
                [1, 0, false, []], [2, 0, false, []], [2, 1, true, []],
            ],
            "speed": "a speed has a denominator above 0",
            // The lowest layer first, then by texture or as added; one lies outside.
            "batch": [[4, 1, 2, [low, first, second, flying]], [4, 1, 3, [low, first, flying, second]]],
            // Nine, and the middle twice in each of three rows.
            "tiled": 9 + 12, "dropped": true, "givenUp": 1, "kept": [true, ["hall-0.png", "pond-0.png", "stone-0.rgba"]], "done": true,
        })
    );
}
