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
    assert_eq!(
        told,
        json!({
            "standIn": [255, 0, 255, 255], "before": [0, null], "lamp": "ready", "colour": [200, 100, 40, 255], "tinted": [100, 100, 0, 255],
            "view": [15, 10, 30, 20, 0, 0, 30, 20, 0], "details": [true, null, [7, 5], null], "stretched": [9, [200, 100, 40, 255]],
            "holder": [["hall:lamp", "hall", 1]], "clips": [], "wrong": null,
            "clip": "hall:none: the atlas has no clip of that name",
            "glob": "*.png: build/: it cannot be read: a web server does not list its files: name them, or pack them",
            "gone": "it was given back before it was ready", "image": ["ready", [1, 2, 3, 255]], "version": 1, "reloaded": [20, 210, 90, 255],
            "lost": 0, "found": "ready", "restored": [20, 210, 90, 255], "resident": [],
            "events": ["evicted", "failed", "loaded", "opened", "replaced"], "closed": ["the cache was closed", "the cache was closed"], "done": true,
        })
    );
}
