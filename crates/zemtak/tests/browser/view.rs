//! The page of `zemtak view`, used as a person uses it.

use crate::cdp::{Tab, ask, wait_for};
use crate::fixtures::{Folder, blob, corpus, decoded, demo_art, png};
use serde_json::{Value, json};
use std::io::{BufRead, BufReader};
use std::process::{Child, ChildStdout, Command, Stdio};
use zemtak_core::atlas::Alpha;
use zemtak_core::mips::{Light, smaller_levels};

const DRIVE: &str = include_str!("drive.js");

const PROJECT: &str = "format = 1\n\n[atlas.night]\nroot = \"art\"\nturn = true\npage = { max = [256, 256] }\n\n\
    [[atlas.night.rule]]\nmatch = \"moth/**\"\npivot = \"bottom\"\npoints = { lamp = [24, 20] }\n";

/// A project with the demo's art.
fn project() -> Folder {
    let folder = Folder::new();
    for entry in walkdir::WalkDir::new(demo_art()).into_iter().map(Result::unwrap).filter(|e| e.file_type().is_file()) {
        let below = entry.path().strip_prefix(demo_art()).unwrap();
        folder.write(&format!("art/{}", below.display()), std::fs::read(entry.path()).unwrap());
    }
    folder.write("zemtak.toml", PROJECT);
    folder
}

fn file(folder: &Folder, name: &str) -> String {
    format!("file://{}", folder.path(name).display())
}

/// By pointer, wheel, touch and keys; names that look like code are names.
#[test]
#[ignore = "needs Chromium"]
fn the_page_of_an_atlas_does_what_a_person_asks_of_it() {
    let folder = project();
    let art = std::fs::read(demo_art().join("stamp/moon.png")).unwrap();
    for name in ["</script><script>ran=1<", "<img src=x onerror=ran=1>", "a \"quoted\" & 'one'", "moth \u{1f98b}"] {
        folder.write(&format!("art/odd/{name}.png"), &art);
    }
    folder.zemtak("pack").exits(0);
    folder.zemtak("view night --html view.html").exits(0);
    let descriptor: Value = serde_json::from_slice(&folder.read("build/night.zemtak.json")).unwrap();
    let names = |key: &str| descriptor[key].as_object().unwrap().keys().cloned().collect::<Vec<_>>();
    let turned = descriptor["sprites"].as_object().unwrap().values().filter(|s| s["turned"] == true).count();
    assert!(turned > 3 && descriptor["pages"].as_array().unwrap().len() > 1);
    let data = json!({
        "sprites": names("sprites"), "clips": names("clips"), "descriptor": descriptor, "search": "moth/f",
        "clip": "moth/fly", "ms": 1000.0 / descriptor["clips"]["moth/fly"]["fps"].as_f64().unwrap(),
    });
    let mut tab = Tab::open(&file(&folder, "view.html"));
    assert_eq!(tab.eval(&format!("{DRIVE}({data})")), "all as expected");
    // The levels that are drawn are those that a game gets.
    let page = decoded(&folder.read("build/night-0.png"));
    for (level, ours) in (1..).zip(smaller_levels(&page, 3, Alpha::Straight, Light::Linear)) {
        let line = format!(
            "toSide('now'), [...levelOf(0, {level}).getContext('2d').getImageData(0, 0, {}, {}).data]",
            ours.size().w,
            ours.size().h
        );
        let theirs: Vec<u8> = serde_json::from_value(tab.eval(&line)).unwrap();
        let drawn = |pixel: &[u8]| [0, 1, 2].map(|c| u32::from(pixel[c]) * u32::from(pixel[3]) / 255);
        for (one, other) in theirs.chunks(4).zip(ours.as_bytes().chunks(4)) {
            let near =
                drawn(one).iter().zip(drawn(other)).all(|(a, b)| a.abs_diff(b) <= 3) && one[3].abs_diff(other[3]) <= 1;
            assert!(near, "level {level}: {one:?} instead of {other:?}");
        }
    }
}

/// Without a mouse: from control to control by Tab, into a list by arrows, a sprite chosen by Enter.
#[test]
#[ignore = "needs Chromium"]
fn the_page_is_usable_by_keyboard_alone() {
    let folder = project();
    folder.zemtak("pack").exits(0);
    folder.zemtak("view night --html view.html").exits(0);
    let mut tab = Tab::open(&file(&folder, "view.html"));
    let mut reached = Vec::new();
    for _ in 0..60 {
        tab.press("Tab");
        let at = tab.eval("document.activeElement.id || document.activeElement.dataset.layer || document.activeElement.dataset.name || ''");
        reached.push(at.as_str().unwrap().to_owned());
        if reached.last().is_some_and(|at| at == "cloud/drift/00" || at.contains('/')) {
            break;
        }
    }
    for control in ["page", "level", "in", "fit", "ground", "hard", "theme", "search"] {
        assert!(reached.iter().any(|at| at == control), "{control} is not among {reached:?}");
    }
    tab.press("ArrowDown");
    tab.press("Enter");
    let second = tab.eval("atlas.names[1]");
    assert_eq!(
        tab.eval("[state.selected, $('name').textContent, document.activeElement.dataset.name]"),
        json!([second, second, second])
    );
    assert_eq!(tab.eval("$('said').textContent"), json!(format!("{} selected", second.as_str().unwrap())));
}

#[test]
#[ignore = "needs Chromium and axe-core"]
fn an_accessibility_checker_finds_nothing() {
    let folder = project();
    folder.zemtak("pack -o old").exits(0);
    folder.write("art/moth/fly/03.png", png(&blob(40, 40, [250, 120, 20])));
    folder.zemtak("pack").exits(0);
    folder.zemtak("diff old/night.zemtak.json night --html both.html").exits(1);
    let mut tab = Tab::open(&file(&folder, "both.html"));
    tab.eval("select('moth/fly/03'); put([3, 4]); $('errors').hidden = $('lost').hidden = false; $('errors-list').append(make('li', [make('strong', 'an error'), make('span', 'what to do')])); point('moth/fly/03'); 0");
    assert_eq!(tab.violations(), "");
    tab.eval("$('theme').click()");
    assert_eq!(tab.violations(), "");
}

#[test]
#[ignore = "needs Chromium"]
fn two_atlases_are_compared_in_place() {
    let folder = project();
    folder.zemtak("pack -o old").exits(0);
    folder.write("art/moth/fly/03.png", png(&blob(64, 64, [250, 120, 20])));
    folder.write("art/new/thing.png", png(&blob(50, 30, [20, 120, 250])));
    std::fs::remove_file(folder.path("art/letter/spin/00.png")).unwrap();
    folder.zemtak("pack").exits(0);
    let told = folder.zemtak("diff old/night.zemtak.json night --html both.html --json").exits(1).json();
    assert!(folder.zemtak("diff night night --html same.html").exits(0).out().contains("the same"));
    let mut tab = Tab::open(&file(&folder, "both.html"));
    let count = |key: &str| told["changed"].as_array().unwrap().iter().filter(|c| !c[key].is_null()).count();
    let kinds = tab.eval("changes.reduce((all, { kind }) => ({ ...all, [kind]: (all[kind] || 0) + 1 }), {})");
    assert_eq!(kinds, json!({ "added": 1, "removed": 1, "repainted": count("repainted"), "moved": count("moved") }));
    assert!(count("moved") > 3 && count("repainted") == 1);
    // What was removed is shown where it was, on the atlas before; the rest on the current one, at the same zoom.
    tab.eval("zoomAt(1.7, 100, 100)");
    tab.click("#changes button[data-name='letter/spin/00']");
    assert_eq!(
        tab.eval("[state.side, state.selected, isPressed('before'), $('place-panel').hidden]"),
        json!(["before", "letter/spin/00", true, true])
    );
    let scale = tab.eval("state.scale");
    tab.click("#changes button[data-name='moth/fly/03']");
    assert_eq!(tab.eval("[state.side, state.selected, state.scale]"), json!(["now", "moth/fly/03", scale]));
    let words = tab.eval("$('change-words').textContent");
    let pixels = told["changed"].as_array().unwrap().iter().find(|c| c["sprite"] == "moth/fly/03").unwrap()["repainted"]["pixels"].clone();
    assert!(words.as_str().unwrap().starts_with(&format!("repainted: {pixels} pixels")), "{words}");
    let halves = "(() => { const c = $('both'), p = c.getContext('2d'); const half = x => p.getImageData(x, 0, c.width >> 1, c.height).data.join(); return half(0) !== half(c.width >> 1); })()";
    assert_eq!(tab.eval(halves), true);
    tab.press("b");
    assert_eq!(tab.eval("[state.side, $('name').textContent]"), json!(["before", "moth/fly/03"]));
}

/// A command that goes on until it is killed.
struct Running {
    child: Child,
    lines: BufReader<ChildStdout>,
}

impl Running {
    fn start(folder: &Folder, line: &str) -> Self {
        let mut command = Command::new(env!("CARGO_BIN_EXE_zemtak"));
        let mut child = command
            .args(line.split(' '))
            .current_dir(folder.path(""))
            .stdout(Stdio::piped())
            .stderr(Stdio::null())
            .spawn()
            .unwrap();
        let lines = BufReader::new(child.stdout.take().unwrap());
        Self { child, lines }
    }

    /// A watch that shows the project, once it has built it, and the address of the page.
    fn view(folder: &Folder) -> (Self, String) {
        let mut watch = Self::start(folder, "watch --view --json --settle 50");
        let address = watch.next("serving")["address"].as_str().unwrap().to_owned();
        watch.next("pack");
        (watch, address)
    }

    /// The next document of a kind.
    fn next(&mut self, kind: &str) -> Value {
        loop {
            let mut line = String::new();
            assert!(self.lines.read_line(&mut line).unwrap() > 0, "ended before {kind}");
            let document: Value = serde_json::from_str(&line).unwrap();
            if document["kind"] == kind {
                return document;
            }
        }
    }
}

impl Drop for Running {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

#[test]
#[ignore = "needs Chromium"]
fn a_watched_project_is_shown_live_and_pivots_are_written_into_it() {
    let folder = project();
    let (watch, address) = Running::view(&folder);
    let mut tab = Tab::open(&address);
    assert!(tab.eval("location.href").as_str().unwrap().ends_with("/night/"));
    // A sprite is painted anew: place, zoom, selection and search stay, and it is marked for a while.
    tab.eval("select('moth/fly/03'); zoomAt(1.7, 100, 80); $('search').value = 'moth'; lists()");
    let kept = "[state.page, state.x, state.y, state.scale, state.selected, state.clip, $('search').value]";
    let before = tab.eval(kept);
    let canvas = tab.eval("atlas.sprites['moth/fly/03'].canvas");
    assert_eq!(canvas, json!([64, 64]));
    folder.write("art/moth/fly/03.png", png(&blob(64, 64, [250, 120, 20])));
    tab.wait("now.build === 2");
    assert_eq!(tab.eval(kept), before);
    assert_eq!(tab.eval("state.fresh.get('moth/fly/03')"), "lantern");
    let middle = "(() => { const [x, y, w, h] = atlas.sprites['moth/fly/03'].box, p = levelOf(atlas.sprites['moth/fly/03'].page, 0), c = document.createElement('canvas'); c.width = p.naturalWidth; c.height = p.naturalHeight; const q = c.getContext('2d'); q.drawImage(p, 0, 0); return [...q.getImageData(x + (w >> 1), y + (h >> 1), 1, 1).data].slice(0, 3); })()";
    assert_eq!(tab.eval(middle), json!([250, 120, 20]));
    tab.wait("state.fresh.size === 0");
    // A broken file is told above the last good build, until it is mended.
    folder.write("art/moth/fly/04.png", b"no picture");
    tab.wait("!$('errors').hidden");
    let errors = tab.eval("$('errors').innerText");
    assert!(errors.as_str().unwrap().contains("moth/fly/04.png"), "{errors}");
    assert_eq!(tab.eval(kept), before);
    tab.eval("$('whole').checked = true; put([20, 40.5])");
    folder.write("art/moth/fly/04.png", png(&blob(64, 64, [0, 120, 20])));
    tab.wait("$('errors').hidden && now.build === 3");
    // A pivot by eye, which no build takes away: its difference is shown, then written, then built.
    tab.click("#write-lines");
    tab.wait("$('write').open");
    let shown = tab.eval("$('difference').textContent");
    assert!(shown.as_str().unwrap().contains("+match = \"moth/fly/*\"\n+pivot = { px = [20, 40.5] }\n"), "{shown}");
    assert_eq!(String::from_utf8(folder.read("zemtak.toml")).unwrap(), PROJECT);
    tab.click("#write-now");
    tab.wait("now.build === 4 && atlas.sprites['moth/fly/03'].pivot.join() === '20,40.5'");
    assert_eq!(tab.eval("[draft, $('lines').textContent.startsWith('Click')]"), json!([null, true]));
    let rule = "\n[[atlas.night.rule]]\nmatch = \"moth/fly/*\"\npivot = { px = [20, 40.5] }\n";
    assert_eq!(String::from_utf8(folder.read("zemtak.toml")).unwrap(), format!("{PROJECT}{rule}"));
    // Once it is ended the page says so.
    drop(watch);
    tab.wait("!$('lost').hidden");
}

/// An atlas that was renamed stayed in the list of the page, as it was when it was last built. If it comes back, a page
/// that has shown it all along goes on.
#[test]
#[ignore = "needs Chromium"]
fn an_atlas_that_the_project_no_longer_has_is_not_shown() {
    let folder = project();
    let (_watch, address) = Running::view(&folder);
    let (port, path) = address.strip_prefix("http://127.0.0.1:").unwrap().split_once('/').unwrap();
    let page = |name: &str| ask(port.parse().unwrap(), "GET", &format!("/{path}{name}/"));
    let is_shown = |name: &str| page(name).contains(&format!("<title>{name}</title>"));
    assert_eq!([is_shown("night"), is_shown("dusk")], [true, false]);
    let mut tab = Tab::open(&address);
    for [from, to] in [["night", "dusk"], ["dusk", "night"]] {
        folder.write("zemtak.toml", PROJECT.replace("night", to));
        // Nothing is told when the first one comes back, because its files are still as they were.
        wait_for(to, || is_shown(to).then_some(()));
        assert!(!is_shown(from), "{from}");
    }
    tab.wait("now.build === 2");
}

#[test]
#[ignore = "needs Chromium"]
fn a_live_view_follows_builds_by_whoever_makes_them() {
    let folder = project();
    folder.zemtak("pack").exits(0);
    let mut view = Running::start(&folder, "view night --live --json");
    let mut tab = Tab::open(view.next("serving")["address"].as_str().unwrap());
    assert_eq!(tab.eval("[now.build, $('write-lines').hidden]"), json!([1, false]));
    folder.write("art/new/thing.png", png(&blob(50, 30, [20, 120, 250])));
    folder.zemtak("pack").exits(0);
    tab.wait("now.build === 2 && atlas.sprites['new/thing']");
    let descriptor = folder.read("build/night.zemtak.json");
    folder.write("build/night.zemtak.json", b"{");
    tab.wait("!$('errors').hidden");
    folder.write("build/night.zemtak.json", descriptor);
    tab.wait("$('errors').hidden");
    assert_eq!(tab.eval("now.build"), 2);
}

/// What a program on this machine or a page of the network may not do without the secret.
#[test]
#[ignore = "goes with those that need Chromium"]
fn a_live_page_answers_only_who_knows_its_address() {
    let folder = project();
    folder.zemtak("pack").exits(0);
    let mut view = Running::start(&folder, "view night --live --json");
    let address = view.next("serving")["address"].as_str().unwrap().to_owned();
    let (port, path) = address.strip_prefix("http://127.0.0.1:").unwrap().split_once('/').unwrap();
    let (port, path) = (port.parse::<u16>().unwrap(), format!("/{path}"));
    assert!(
        wait_for("the page", || Some(ask(port, "GET", &path)).filter(|body| !body.is_empty()))
            .contains("<title>night</title>")
    );
    // Another secret for any: a change of certain digits only would leave those alone that have none of them.
    let other = if path.as_bytes()[1] == b'0' { "1" } else { "0" };
    let wrong = format!("/{other}{}", &path[2..]);
    for path in ["/", "/night/", &wrong, &format!("{}x/night/", path.trim_end_matches("/night/"))] {
        assert_eq!(ask(port, "GET", path), "", "{path}");
    }
    let with = |header: &str| {
        use std::io::{Read, Write};
        let mut stream = std::net::TcpStream::connect(("127.0.0.1", port)).unwrap();
        write!(stream, "GET {path} HTTP/1.1\r\n{header}\r\nConnection: close\r\n\r\n").unwrap();
        let mut answer = [0; 12];
        stream.read_exact(&mut answer).unwrap();
        String::from_utf8(answer.to_vec()).unwrap()
    };
    let host = format!("Host: 127.0.0.1:{port}");
    assert_eq!(with(&host), "HTTP/1.1 200");
    assert_eq!(with("Host: atlas.example"), "HTTP/1.1 404");
    assert_eq!(with(&format!("{host}\r\nOrigin: http://atlas.example")), "HTTP/1.1 404");
}

/// Thousands of sprites: no list row and no drawing that a frame would have to wait for. The times are told, not judged.
#[test]
#[ignore = "needs Chromium"]
fn an_atlas_of_five_thousand_sprites_pans_without_drawing_anew() {
    let folder = Folder::new();
    for (name, bytes) in corpus(5000, 16) {
        folder.write(&format!("art/{name}"), bytes);
    }
    folder.zemtak("pack art --name big --page-max 8192x8192 --png fast").exits(0);
    folder.zemtak("view build/big.zemtak.json --html view.html").exits(0);
    let started = std::time::Instant::now();
    let mut tab = Tab::open(&file(&folder, "view.html"));
    let shown = started.elapsed();
    tab.wait("atlas.images.every(image => image.complete) && sheet");
    let measured = tab.eval(
        "(async () => {
            fit();
            await new Promise(requestAnimationFrame);
            let drawn = 0, last = 0;
            const plain = drawSheet, times = [];
            drawSheet = () => { drawn++; plain(); };
            for (let i = 0; i < 120; i++) {
                const now = await new Promise(requestAnimationFrame);
                if (last) times.push(now - last);
                last = now;
                state.x += i < 60 ? 3 : -3;
                draw();
            }
            times.sort((a, b) => a - b);
            return { sprites: atlas.onPage[state.page].length, drawn, rows: $('sprites').children.length, median: times[60], most: times[113] };
        })()",
    );
    eprintln!(
        "{} sprites in sight: shown after {shown:?} with the browser's own start, frames of {:.1} ms, 19 of 20 within {:.1} ms",
        measured["sprites"],
        measured["median"].as_f64().unwrap(),
        measured["most"].as_f64().unwrap()
    );
    assert_eq!(measured["drawn"], 0);
    assert!(measured["rows"].as_u64().unwrap() < 200, "{measured}");
    // A name far down is found, revealed and selected.
    let name = tab.eval("atlas.names[4321]");
    tab.eval("select(atlas.names[4321], true)");
    assert_eq!(tab.eval("$('sprites').querySelector('[aria-current]').textContent"), name);
    tab.eval("$('search').value = atlas.names[77]; $('search').oninput()");
    assert_eq!(tab.eval("$('sprites-count').textContent"), "1");
}
