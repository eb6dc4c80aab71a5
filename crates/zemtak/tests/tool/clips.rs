//! Clips, asked of the built binary: times, findings, and moving pictures read back frame by frame.

use crate::fixtures::{Folder, blob, png};
use image::AnimationDecoder;
use std::io::Cursor;
use zemtak_core::codec::{Limits, decode};
use zemtak_core::geometry::Size;
use zemtak_core::pixels::Pixels;

/// Walking: four steps of one colour each on canvases of two sizes, their pivots at the feet. Blinking: uneven durations.
fn packed() -> Folder {
    let folder = Folder::new();
    for (i, (w, h)) in [(20, 30), (20, 30), (26, 34), (20, 30)].into_iter().enumerate() {
        folder.write(&format!("art/walk/{i}.png"), png(&shade(w, h, i as u8)));
    }
    for i in [0, 1, 3] {
        folder.write(&format!("art/blink/{i}.png"), png(&shade(12, 12, i.min(1))));
    }
    folder.write(
        "zemtak.toml",
        "format = 1\n[atlas.night]\nroot = \"art\"\n\
         [[atlas.night.rule]]\nmatch = \"walk/*\"\npivot = \"bottom\"\nfps = \"60000/1001\"\nmode = \"bounce\"\n\
         [[atlas.night.rule]]\nmatch = \"blink/*\"\nms = [240, 0, 16.6]\nmode = \"once\"\n",
    );
    folder.zemtak("pack").exits(0);
    folder
}

fn shade(w: u32, h: u32, i: u8) -> Pixels {
    let mut picture = blob(w, h, [10 + i * 60, 90, 200 - i * 50]);
    // With hard edges, so that a GIF can hold it as it is.
    for pixel in picture.as_bytes_mut().chunks_exact_mut(4) {
        let drawn = pixel[3] >= 128;
        pixel[3] = if drawn { 255 } else { 0 };
        if !drawn {
            pixel.fill(0);
        }
    }
    picture
}

/// The step `i` of walking on the common canvas, each pixel `zoom` times as large: feet on the lower edge, in the middle.
fn expected(i: u8, w: u32, h: u32, zoom: u32) -> Pixels {
    let own = shade(w, h, i);
    let mut out = Pixels::transparent(Size::new(26 * zoom, 34 * zoom)).unwrap();
    let (left, top) = ((26 - w) / 2, 34 - h);
    for y in 0..34 * zoom {
        for x in 0..26 * zoom {
            let from = own.get((x / zoom).wrapping_sub(left), (y / zoom).wrapping_sub(top)).unwrap_or_default();
            out.row_mut(y)[x as usize * 4..][..4].copy_from_slice(&from);
        }
    }
    out
}

fn frames(bytes: &[u8], gif: bool) -> Vec<(Vec<u8>, f64)> {
    let frames = if gif {
        image::codecs::gif::GifDecoder::new(Cursor::new(bytes)).unwrap().into_frames()
    } else {
        image::codecs::png::PngDecoder::new(Cursor::new(bytes)).unwrap().apng().unwrap().into_frames()
    };
    let read = |frame: image::Frame| {
        let (num, den) = frame.delay().numer_denom_ms();
        (frame.into_buffer().into_raw(), f64::from(num) / f64::from(den))
    };
    frames.map(Result::unwrap).map(read).collect()
}

#[test]
fn rendered_clips_have_their_frames_durations_and_pixels() {
    let folder = packed();
    let turns = [(0, 20, 30), (1, 20, 30), (2, 26, 34), (3, 20, 30), (2, 26, 34), (1, 20, 30)];
    let walk = "clip render build/night.zemtak.json walk";
    folder.zemtak(&format!("{walk} -o walk.png --zoom 2")).exits(0);
    let apng = frames(&folder.read("walk.png"), false);
    let pictures: Vec<Vec<u8>> = turns.iter().map(|&(i, w, h)| expected(i, w, h, 2).as_bytes().to_vec()).collect();
    assert_eq!(apng.iter().map(|f| f.0.clone()).collect::<Vec<_>>(), pictures);
    // The reader gives milliseconds; the file holds the rate exactly.
    assert!(
        apng.iter().all(|(_, ms)| (ms - 1001.0 / 60.0).abs() < 0.7),
        "{:?}",
        apng.iter().map(|f| f.1).collect::<Vec<_>>()
    );
    assert!(
        folder
            .read("walk.png")
            .windows(8)
            .any(|w| w == [0x03, 0xe9, 0xea, 0x60, 0, 0, 0, 0] || w[..4] == [0x03, 0xe9, 0xea, 0x60])
    );
    // A GIF at an eighth of the speed: 133.47 ms a frame, in steps of ten that do not drift; backwards.
    let told = folder.zemtak(&format!("{walk} -o walk.gif --speed -1/8 --json")).exits(0).json();
    let gif = frames(&folder.read("walk.gif"), true);
    assert_eq!(gif.iter().map(|f| f.1).collect::<Vec<_>>(), [130.0, 140.0, 130.0, 130.0, 140.0, 130.0]);
    assert_eq!((told["frames"].as_u64(), told["length_ns"].as_i64()), (Some(6), Some(800_800_000)));
    let backwards: Vec<Vec<u8>> =
        turns.iter().rev().map(|&(i, w, h)| expected(i, w, h, 1).as_bytes().to_vec()).collect();
    assert_eq!(gif.into_iter().map(|f| f.0).collect::<Vec<_>>(), backwards);
    // A strip holds each step once, on what is asked for.
    folder.zemtak(&format!("{walk} -o strip.png --as strip --behind #203040")).exits(0);
    let strip = decode(&folder.read("strip.png"), None, &Limits::default()).unwrap().pixels;
    assert_eq!((strip.size(), strip.get(0, 0)), (Size::new(4 * 26, 34), Some([0x20, 0x30, 0x40, 255])));
    assert_eq!(strip.get(26 + 13, 20), expected(1, 20, 30, 1).get(13, 20));
    // What takes no time is not drawn; a clip that plays once does not repeat.
    folder.zemtak("clip render build/night.zemtak.json blink -o blink.png").exits(0);
    assert_eq!(frames(&folder.read("blink.png"), false).iter().map(|f| f.1.round()).collect::<Vec<_>>(), [240.0, 17.0]);
    folder.zemtak("clip render build/night.zemtak.json blink -o blinks.png --as strip").exits(0);
    let strip = decode(&folder.read("blinks.png"), None, &Limits::default()).unwrap().pixels;
    assert_eq!(strip.size(), Size::new(3 * 12, 12), "a strip holds that too");
    // At another speed, still exactly; and in a GIF, which players do not show faster than 20 ms a frame.
    folder.zemtak(&format!("{walk} -o quick.png --speed 7/4")).exits(0);
    assert!(frames(&folder.read("quick.png"), false).iter().all(|(_, ms)| (ms - 143.0 / 15.0).abs() < 0.7));
    for (speed, warned) in [("5/6", 0), ("1", 1)] {
        let told = folder.zemtak(&format!("{walk} -o fast.gif --force --speed {speed} --json")).exits(0).json();
        assert_eq!(told["warnings"].as_array().unwrap().len(), warned, "{told}");
    }
    // Frames that are left out are not counted: they were.
    let told = folder.zemtak(&format!("{walk} -o faster.gif --speed 3 --json")).exits(0).json();
    assert_eq!((&told["frames"], frames(&folder.read("faster.gif"), true).len()), (&3.into(), 3));
    let text = "a GIF counts in steps of 10 ms: 3 frames shorter than 10 ms are left out, 3 frames of 10 ms are shown longer by many players";
    assert_eq!(told["warnings"][0]["text"], text);
    // Slow enough that a fraction cannot hold it exactly, and milliseconds not at all: it was shown for half as long.
    folder.zemtak(&format!("{walk} -o slow.png --speed 1/7919")).exits(0);
    let slow = frames(&folder.read("slow.png"), false);
    assert!(slow.iter().all(|(_, ms)| (ms - 1001.0 / 60.0 * 7919.0).abs() < 10.0), "{:?}", slow[0].1);
    let told = folder.zemtak(&format!("{walk} -o slow.gif --speed 1/50000 --json")).exits(0).json();
    let text = "6 frames longer than 655.35 s are cut: a GIF counts no further";
    assert_eq!((&told["warnings"][0]["code"], &told["warnings"][0]["text"]), (&"long_frames".into(), &text.into()));
    folder.write("zemtak.toml", "format = 1\n[atlas.still]\nroot = \"art\"\ntake = [\"walk/*\"]\n[[atlas.still.rule]]\nmatch = \"*/*\"\nfps = 0\n");
    folder.zemtak("pack -o still").exits(0);
    let told = folder.zemtak("clip render still/still.zemtak.json walk -o still.gif --json").exits(0).json();
    assert_eq!((&told["frames"], &told["warnings"]), (&1.into(), &serde_json::json!([])), "a still picture is not cut");
    (0..4).for_each(|i| folder.write(&format!("large/fog/{i}.png"), png(&shade(260, 260, i))));
    folder.zemtak("pack large -o out").exits(0);
    let told = folder.zemtak("clip render out/large.zemtak.json fog -o fog.png --zoom 32").exits(3).err();
    assert!(told.contains("fog: 276,889,600 pixels in all are more than 268,435,456"), "{told}");
    let plays = |file: &str| {
        let bytes = folder.read(file);
        let at = bytes.windows(4).position(|w| w == b"acTL").unwrap();
        u32::from_be_bytes(bytes[at + 8..at + 12].try_into().unwrap())
    };
    assert_eq!((plays("blink.png"), plays("walk.png")), (1, 0));
}

#[test]
fn times_findings_and_errors_are_told() {
    let folder = packed();
    let list = folder.zemtak("clip list build/night.zemtak.json").exits(0);
    for finding in [
        "blink: a gap: after frame 1 comes frame 3",
        "blink: step 2 shows the same as step 1; a longer duration would do",
        "blink: step 1 takes no time",
        "walk: canvases of 2 sizes: 20 x 30, 26 x 34",
    ] {
        assert!(list.err().contains(finding), "no {finding:?} in {}", list.err());
    }
    assert_eq!(list.err().lines().count(), 4, "{}", list.err());
    let at = "clip at build/night.zemtak.json";
    let steps = |line: &str| -> Vec<(u64, i64)> {
        let json = folder.zemtak(&format!("{line} --json")).exits(0).json();
        let shown = |s: &serde_json::Value| (s["step"].as_u64().unwrap(), s["played"].as_i64().unwrap());
        json["at"].as_array().unwrap().iter().map(shown).collect()
    };
    assert_eq!(
        steps(&format!("{at} walk 0 16.683333ms 16.683334ms 100.1ms 36000s")),
        [(0, 0), (0, 0), (1, 0), (0, 1), (2, 359_640)]
    );
    assert_eq!(steps(&format!("{at} blink 239.999999 240 256.6 1h --speed 1")), [(0, 0), (2, 0), (2, 1), (2, 1)]);
    assert_eq!(steps(&format!("{at} walk 1s --speed 0 --start 20ms")), [(1, 0)]);
    let table = folder.zemtak("clip table build/night.zemtak.json walk --json").exits(0).json();
    let turns = table["turns"].as_array().unwrap();
    assert_eq!((turns.len(), turns[5]["step"].as_u64(), turns[5]["to_ns"].as_u64()), (6, Some(1), Some(100_100_000)));
    for (line, code, told) in [
        ("clip at build/night.zemtak.json wlak 1s", 2, "the nearest is walk"),
        ("clip at build/night.zemtak.json walk 1x", 2, "not a time such as 1.5s"),
        ("clip at build/night.zemtak.json walk 1s --speed 1/0", 2, "nor a ratio such as 60000/1001"),
        ("clip render build/night.zemtak.json walk -o x.png --speed 0", 2, "--speed: at a speed of 0 it stands still"),
        (
            "clip render build/night.zemtak.json walk -o x.png --zoom 99",
            2,
            "--zoom <N>: 99 is out of range: expected 1 to 32",
        ),
        ("clip render build/night.zemtak.json walk -o none/x.png", 4, "none/x.png"),
    ] {
        let run = folder.zemtak(line).exits(code);
        assert!(run.err().contains(told), "{line}\n{}", run.err());
    }
    let short = folder.zemtak("clip render build/night.zemtak.json walk -o x.gif --speed 2").exits(0);
    assert!(short.err().contains("shown longer by many players"), "{}", short.err());
}

/// A number that stood for "never" was told as an end in nanoseconds.
#[test]
fn a_step_that_is_shown_for_ever_has_no_end() {
    let folder = Folder::new();
    (0..3).for_each(|i| folder.write(&format!("art/walk{i}.png"), png(&blob(9 + i, 9, [1, 2, 3]))));
    folder.write(
        "zemtak.toml",
        "format = 1\n[atlas.night]\nroot = \"art\"\n[[atlas.night.rule]]\nmatch = \"*\"\nfps = 0\n",
    );
    folder.zemtak("pack").exits(0);
    let table = folder.zemtak("clip table build/night.zemtak.json walk --json").exits(0).json();
    assert_eq!(
        table["turns"],
        serde_json::json!([{"step": 0, "sprite": "walk0", "from_ns": 0, "to_ns": null, "events": []}])
    );
    let text = folder.zemtak("clip table build/night.zemtak.json walk").exits(0).out();
    assert!(text.contains("0 ms  for ever  walk0"), "{text}");
}

/// What the format could hold and no project could write: events, and steps of other atlases.
#[test]
fn events_and_steps_of_other_atlases_are_written_and_played() {
    let folder = Folder::new();
    for n in 0..4 {
        folder.write(&format!("art/moth/{n}.png"), png(&blob(9 + n, 9, [n as u8, 2, 3])));
    }
    folder.write("art/lamp.png", png(&blob(5, 5, [9, 9, 9])));
    let project = |steps: &str| {
        format!(
            r#"format = 1
            [defaults]
            root = "art"
            sizes = [{{ suffix = "-half", factor = 0.5 }}]
            [atlas.night]
            take = ["moth/*"]
            [[atlas.night.rule]]
            match = "moth/*"
            events = {{ 3 = ["step", "dust"] }}
            [[atlas.night.clip]]
            name = "journey"
            steps = {steps}
            ms = [100, 200, 50]
            mode = "once"
            events = {{ 1 = ["arrive"] }}
            [atlas.things]
            leave = ["moth/*"]"#
        )
    };
    folder.write("zemtak.toml", project(r#"["moth/1", "things:lamp", "night:moth/0"]"#));
    folder.zemtak("pack").exits(0);
    for (atlas, suffix) in [("night", ""), ("night-half", "-half")] {
        let text: serde_json::Value =
            serde_json::from_slice(&folder.read(&format!("build/{atlas}.zemtak.json"))).unwrap();
        let expected = serde_json::json!({ "mode": "once", "steps": [
            { "sprite": "moth/1", "ms": 100 },
            { "sprite": format!("things{suffix}:lamp"), "ms": 200, "events": ["arrive"] },
            { "sprite": "moth/0", "ms": 50 },
        ]});
        assert_eq!(text["clips"]["journey"], expected);
        assert_eq!(text["clips"]["moth"]["steps"][3]["events"], serde_json::json!(["step", "dust"]));
    }
    folder.zemtak("verify build/night.zemtak.json").exits(0);
    let at = folder.zemtak("clip at build/night.zemtak.json journey 150ms --json").exits(0).json();
    assert_eq!(at["at"][0]["sprite"], "things:lamp");
    folder.write(
        "scenes.toml",
        "format = 1\nroots = [\"build\"]\n[[scene]]\nname = \"a\"\nseconds = 1\n[[scene.draw]]\nclip = \"night:journey\"\n",
    );
    let rehearsed = folder.zemtak("cache rehearse scenes.toml --json").exits(0).json();
    assert_eq!(rehearsed["all"]["loads"], 2, "{rehearsed}");
    // All that cannot be is told at once, with the clip's line.
    folder
        .write("zemtak.toml", project(r#"["things:lump", "menu:lamp", "things:lamp/00"]"#).replace("-half\"", "-h\""));
    let run = folder.zemtak("pack").exits(2);
    for why in [
        "clip journey: things:lump: atlas things has no such sprite; did you mean lamp?",
        "menu:lamp: there is no atlas menu",
    ] {
        assert!(run.err().contains(why), "{}", run.err());
    }
    folder.write("zemtak.toml", project(r#"["moth/9"]"#));
    let run = folder.zemtak("pack").exits(2);
    assert!(
        run.err().contains("clip journey: moth/9: the atlas has no such sprite; did you mean moth/"),
        "{}",
        run.err()
    );
    // A clip that is written out takes the place of one that names make; events beyond its end are told.
    folder.write(
        "zemtak.toml",
        project(r#"["moth/1", "moth/0", "moth/1"]"#).replace("journey", "moth").replace("1 = [", "9 = ["),
    );
    let run = folder.zemtak("pack").exits(0);
    let told = "clip moth: there are events for step 9, but it has 3 steps, counted from 0";
    assert!(run.err().contains(told), "{}", run.err());
    let table = folder.zemtak("clip table build/night.zemtak.json moth --json").exits(0).json();
    assert_eq!(table["turns"].as_array().unwrap().len(), 3);
    // A clip that is written out takes the place of one by names, whose numbers repeat; only one can have its name.
    folder.write("art/lamp2.png", png(&blob(6, 5, [9, 9, 9])));
    folder.write("art/lamp02.png", png(&blob(7, 5, [9, 9, 9])));
    let clips = |steps: &str| {
        let clip = "[[atlas.things.clip]]\nname = \"lamp\"\nsteps = ";
        folder.write(
            "zemtak.toml",
            format!("{}\n{}", project("[\"moth/0\"]").replace("100, 200, 50", "50"), steps.replace('@', clip)),
        );
        folder.zemtak("pack --name things")
    };
    let repeated = |steps: &str| clips(steps).exits(0).err().contains("occur more than once");
    assert_eq!(["", "@[\"lamp2\"]"].map(repeated), [true, false]);
    let twice = clips("@[\"lamp2\"]\n@[\"lamp02\"]").exits(2).err();
    assert!(twice.contains("zemtak.toml:21:1: an earlier clip is called lamp too"), "{twice}");
}

/// A terminal that is asked and answers: with yes it gets pixels, with no or nothing half blocks; a clip that ends plays once.
#[cfg(unix)]
#[test]
fn a_clip_plays_in_the_terminal_as_that_can_show_it() {
    use rustix::pty::{OpenptFlags, grantpt, openpt, ptsname, unlockpt};
    use std::io::{Read, Write};
    use std::process::{Command, Stdio};
    let folder = Folder::new();
    for n in 0..3 {
        folder.write(&format!("art/blink/{n}.png"), png(&blob(12, 10, [80 * n, 200, 60])));
    }
    let project =
        "format = 1\n[atlas.a]\nroot = \"art\"\n[[atlas.a.rule]]\nmatch = \"blink/*\"\nfps = 20\nmode = \"once\"\n";
    folder.write("zemtak.toml", project);
    folder.zemtak("pack").exits(0);
    let play = |answer: &[u8]| {
        let ours = openpt(OpenptFlags::RDWR | OpenptFlags::NOCTTY).unwrap();
        grantpt(&ours).unwrap();
        unlockpt(&ours).unwrap();
        let theirs = ptsname(&ours, Vec::new()).unwrap().into_string().unwrap();
        let theirs = || std::fs::OpenOptions::new().read(true).write(true).open(&theirs).unwrap();
        let mut command = Command::new(env!("CARGO_BIN_EXE_zemtak"));
        command.args(["clip", "render", "a", "blink", "--terminal"]).current_dir(folder.path("")).env("TERM", "xterm");
        let mut child = command.stdin(theirs()).stdout(theirs()).stderr(Stdio::null()).spawn().unwrap();
        drop(command);
        let mut terminal = std::fs::File::from(ours);
        let (mut seen, mut piece, mut asked) = (Vec::new(), [0; 4096], false);
        // Reading fails once nobody has the other end open.
        while let Ok(n) = terminal.read(&mut piece) {
            seen.extend_from_slice(&piece[..n]);
            if !asked && seen.windows(3).any(|part| part == b"\x1b[c") {
                terminal.write_all(answer).unwrap();
                asked = true;
            }
        }
        assert!(child.wait().unwrap().success() && asked);
        String::from_utf8(seen).unwrap()
    };
    let known = play(b"\x1b_Gi=31;OK\x1b\\\x1b[?62;4c");
    assert_eq!((known.matches(",a=T,").count(), known.matches('\u{2580}').count()), (3, 0), "{known:?}");
    for answer in [b"\x1b[?64;1c".as_slice(), b""] {
        let blocks = play(answer);
        assert!(
            !blocks.contains("a=T") && blocks.matches("\x1b7").count() == 3 && blocks.contains("38;2;160;200;60"),
            "{blocks:?}"
        );
        assert!(blocks.ends_with("\x1b[?25h"), "{blocks:?}");
    }
    // Into a file or a pipe each step is drawn below the one before.
    let drawn = folder.zemtak("clip render a blink --terminal --color always").exits(0).out();
    assert_eq!(drawn.lines().count(), 3 * 5);
    assert_eq!(folder.zemtak("clip render a blink --terminal").exits(0).out().lines().count(), 1);
    assert!(
        folder
            .zemtak("clip render a blink")
            .exits(2)
            .err()
            .contains("--out FILE or --terminal: one of them is required")
    );
}

#[test]
fn an_enlarged_clip_keeps_hard_edges_unless_it_is_smooth() {
    let folder = packed();
    let partly = |more: &str| {
        folder.zemtak(&format!("clip render night blink -o blink.png --as strip --zoom 4 --force{more}")).exits(0);
        let strip = decode(&folder.read("blink.png"), None, &Limits::default()).unwrap().pixels;
        strip.as_bytes().chunks(4).filter(|pixel| !matches!(pixel[3], 0 | 255)).count()
    };
    assert_eq!(partly(""), 0);
    assert!(partly(" --smooth") > 100);
}

/// Each pixel is computed here once more, with fractions.
#[test]
fn soft_edges_are_blended_over_the_background() {
    let folder = Folder::new();
    let glow = |shade: u8| {
        let pixel = |i: u32| [shade, (i * 5) as u8, 255 - shade, (i * 7 % 256) as u8];
        let mut glow = Pixels::from_rgba(Size::new(20, 12), (0..240).flat_map(pixel).collect()).unwrap();
        glow.clear_hidden_colour();
        glow
    };
    let steps = [glow(30), glow(201)];
    for (n, step) in steps.iter().enumerate() {
        folder.write(&format!("art/glow/{n}.png"), png(step));
    }
    folder.zemtak("pack art -o build --name night").exits(0);
    for behind in ["#20c040", "checker"] {
        let line = format!("clip render build/night.zemtak.json glow -o {behind}.png --as strip --behind {behind}");
        folder.zemtak(&line).exits(0);
        let strip = decode(&folder.read(&format!("{behind}.png")), None, &Limits::default()).unwrap().pixels;
        assert_eq!(strip.size(), Size::new(40, 12));
        for (x, y) in (0..12).flat_map(|y| (0..40).map(move |x| (x, y))) {
            let [r, g, b, a] = steps[x as usize / 20].get(x % 20, y).unwrap();
            let under = match (behind, (x % 20 / 8 + y / 8) % 2) {
                ("checker", 0) => [200, 200, 204],
                ("checker", _) => [160, 160, 166],
                _ => [0x20, 0xc0, 0x40],
            };
            let part = f64::from(a) / 255.0;
            let over =
                |top: u8, under: u8| (f64::from(top) * part + f64::from(under) * (1.0 - part) + 0.5).floor() as u8;
            let expected = [over(r, under[0]), over(g, under[1]), over(b, under[2]), 255];
            assert_eq!(strip.get(x, y), Some(expected), "{behind} {x} {y}");
        }
    }
}
