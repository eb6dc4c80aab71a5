//! How the tool speaks: what goes where, in which form, and how it ends.

use crate::fixtures::{Folder, blob, demo_art, png};
use serde_json::Value;

/// The summary with the parts that differ from run to run masked.
fn masked(text: &str) -> String {
    let mask =
        |line: &str| if line.trim_start().starts_with("time") { "  time     [time]".into() } else { line.to_owned() };
    text.lines().map(mask).collect::<Vec<_>>().join("\n")
}

#[test]
fn the_summary_of_the_demo_reads_like_this() {
    let folder = Folder::new();
    let run = folder.zemtak(&format!("pack {} --name night", demo_art().display())).exits(0);
    assert_eq!(run.err(), "");
    insta::assert_snapshot!(masked(&run.out()), @r"
    night: 97 sprites on 1 page -> build/night.zemtak.json
      night-0.png  512 x 512  82.3 % filled  204.60 KiB
      twins    2 sprites drawn from the box of another
      empty    1 sprite without a visible pixel
      clips    12
      textures 1.25 MiB loose -> 1.00 MiB packed
      binds    97 loose -> 1 packed
      time     [time]
    ");
}

#[test]
fn a_log_of_the_work_goes_to_standard_error_when_asked_for() {
    let folder = Folder::new();
    folder.write("art/moth.png", png(&blob(9, 9, [1, 2, 3])));
    let plain = folder.zemtak("pack art --json").exits(0);
    assert_eq!(plain.err(), "");
    let phases = folder.zemtak("pack art --json --fresh -vv").exits(0);
    let told = phases.err();
    assert!(told.contains("build{atlas=\"art\"}: drawn, encoded and proved page=\"art-0.png\""), "{told}");
    assert!(!told.contains("stage"), "{told}");
    assert_eq!(phases.json()["atlases"][0]["pages"], plain.json()["atlases"][0]["pages"]);
    let stages = folder.zemtak("pack art --json --fresh -vvv").exits(0);
    assert!(stages.err().contains("stage{name=\"decode\"}"), "{}", stages.err());
}

#[test]
fn what_is_wrong_with_a_command_line_is_told_like_everything_else() {
    let folder = Folder::new();
    folder.write("art/moth.png", png(&blob(9, 9, [1, 2, 3])));
    folder.zemtak("pack art -q").exits(0);
    for (line, told) in [
        (
            "pack --padding 2",
            "unknown option\n  --padding: here that is 'gutter' (empty pixels between cells) or 'extrude'",
        ),
        (
            "pack --page-shpae pow2",
            "unknown option\n  --page-shpae: there is no such option; did you mean --page-shape?",
        ),
        ("clip list build/art.zemtak.json moth", "unexpected argument\n  moth: the command takes no more arguments"),
        ("pak", "unknown command\n  pak: there is no such command; did you mean pack?"),
        (
            "pack --page-shape round",
            "--page-shape <SHAPE>: 'round' is not one of its values; expected one of free, pow2, ",
        ),
        ("pack --gutter x", "invalid value\n  --gutter <PIXELS>: 'x' is not a whole number"),
        ("pack --jobs 0", "invalid value\n  --jobs <N>: 0 is out of range: expected 1 to 1024"),
        ("pack --page-max 12", "--page-max <WxH>: expected width and height, such as 2048x1024"),
        ("pack --gutter -1", "--gutter <PIXELS>: -1 is out of range: expected 0 to 4096"),
        ("pack --page-aspect -1", "--page-aspect <RATIO>: expected a number from 1 to 1048576"),
        ("pack --name a/b", "--name <NAME>: expected a name of the characters a-z, 0-9, _ and -"),
        ("pack --sizes @x=2", "--sizes <SUFFIX=FACTOR>: '@x' is not a suffix: those consist of a-z, 0-9, _ and -"),
        ("pack --take [a", "--take <GLOB>: expected a glob: unclosed character class at byte 0"),
        ("uv", "missing argument\n  <DESCRIPTOR>: it is required"),
        ("pack --gutter", "missing value\n  --gutter <PIXELS>: expected a value"),
        ("pack --margin 1 --margin 2", "conflicting options\n  --margin <PIXELS>: it was given twice"),
        ("list build", "not a descriptor\n  build: this is a folder; in it art.zemtak.json"),
        ("list build/art-0.png", "build/art-0.png: this is a PNG picture; build/art.zemtak.json describes it"),
        ("list art/moth.png", "not a descriptor\n  art/moth.png: this is a PNG picture\n"),
    ] {
        let run = folder.zemtak(line).exits(2);
        assert!(run.err().starts_with("error: ") && run.err().contains(told), "{line}\n{}", run.err());
        assert!(run.err().contains("\n  do: "), "{}", run.err());
    }
    let json = folder.zemtak("pack --rotate --json").exits(2).json();
    assert_eq!(
        (&json["errors"][0]["what"], &json["errors"][0]["where"]),
        (&"unknown option".into(), &"--rotate".into())
    );
    assert!(folder.zemtak("cache").exits(2).err().contains("Usage: zemtak cache"), "what there is to choose from");
}

#[test]
fn errors_read_like_this() {
    let folder = Folder::new();
    folder.write("art/lamp.png", "no lamp");
    folder.write("art/moth.png", &png(&blob(9, 9, [1, 2, 3]))[..40]);
    let run = folder.zemtak("pack art --color never").exits(3);
    assert_eq!(run.out(), "");
    insta::assert_snapshot!(run.err(), @r#"
    error: unusable image (2)
      art/lamp.png: named like PNG, but not an image: it begins with "no lamp"
      art/moth.png: bad PNG file: it ends too early
      do: repair or replace the file, or take it out of the folder
    "#);
    let run = folder.zemtak("pack art --page-shap free").exits(2);
    assert!(run.err().contains("--page-shape"), "{}", run.err());
    let run = folder.zemtak("pack art --page-max 0x9 --json").exits(2);
    assert!(run.json()["errors"][0]["why"].as_str().unwrap().contains("width and height, such as 2048x1024"));
}

#[test]
fn quiet_says_only_what_was_asked_and_colour_only_comes_when_asked() {
    let folder = Folder::new();
    folder.write("art/lava2.png", png(&blob(9, 9, [1, 2, 3])));
    folder.write("art/lava02.png", png(&blob(8, 9, [1, 2, 3])));
    let run = folder.zemtak("pack art --quiet").exits(0);
    assert_eq!((run.out(), run.err()), (String::new(), String::new()));
    // What was asked for is no account of what was done: it goes to a file or another program.
    for asked in [
        "list build/art.zemtak.json",
        "describe build/art.zemtak.json lava2",
        "uv build/art.zemtak.json lava2",
        "quad build/art.zemtak.json lava2",
        "grid 64x64 --cell 8x8",
        "clip list build/art.zemtak.json",
        "clip table build/art.zemtak.json lava",
        "clip at build/art.zemtak.json lava 1s",
        "reader c",
        "schema uv",
        "plan art",
        "store info",
    ] {
        let [loud, quiet] = ["", " -q"].map(|quiet| folder.zemtak(&format!("{asked}{quiet}")).exits(0).out());
        assert!(!loud.is_empty() && loud == quiet, "{asked}: {quiet}");
    }
    assert_eq!(folder.zemtak("schema uv -q --json").exits(0).json()["type"], "object");
    let run = folder.zemtak("list build/art -q").exits(2);
    assert!(run.err().contains("there is no such file; there is build/art.zemtak.json"), "{}", run.err());
    // Once, although the other size has the same clip.
    let run = folder.zemtak("pack art --sizes=-half=0.5").exits(0);
    assert_eq!(
        run.err(),
        "warning: clip lava: some frame numbers occur more than once; each of these is a step of its own: lava2, lava02\n"
    );
    assert!(folder.zemtak("pack art --color always").exits(0).err().contains("\u{1b}["));
    let empty = Folder::new();
    empty.write("art/readme.txt", "no image");
    let run = empty.zemtak("pack art").exits(2);
    assert!(run.err().contains("there is no image; 1 other file was skipped"), "{}", run.err());
    let run = folder.zemtak("pack art --leave **").exits(2);
    assert!(run.err().contains("take and leave exclude every image there (2)"), "{}", run.err());
    let run = folder.zemtak("pack build --root . -o other").exits(2);
    assert!(run.err().contains("all its images are results of earlier builds: 1 in build"), "{}", run.err());
}

#[test]
fn what_all_sizes_of_an_atlas_share_is_told_once_and_for_each_atlas() {
    let folder = Folder::new();
    folder.write("art/lava2.png", png(&blob(9, 9, [1, 2, 3])));
    folder.write("art/lava02.png", png(&blob(8, 9, [1, 2, 3])));
    let half = "sizes = [{ suffix = \"-half\", factor = 0.5 }]";
    folder.write("zemtak.toml", format!("format = 1\n[defaults]\nroot = \"art\"\n{half}\n[atlas.a]\n[atlas.b]\n"));
    // The second time from the store.
    for _ in 0..2 {
        let told = folder.zemtak("pack --json").exits(0).json();
        let warnings = told["warnings"].as_array().unwrap().iter();
        let same = warnings.filter(|warning| warning["code"] == "same_frame_number");
        assert_eq!(same.count(), 2, "{told}");
        let bases: Vec<&Value> = told["atlases"].as_array().unwrap().iter().map(|atlas| &atlas["base"]).collect();
        assert_eq!(bases, [&Value::Null, &"a".into(), &Value::Null, &"b".into()]);
    }
}

#[test]
fn a_name_cannot_disturb_the_terminal() {
    let folder = Folder::new();
    folder.write("art/\u{1b}[31mred.png", "bad");
    let run = folder.zemtak("pack art --color never").exits(3);
    assert!(run.err().contains("\\u{1b}[31mred.png") && !run.err().contains('\u{1b}'), "{:?}", run.err());
}

#[test]
fn the_demo_runs_twice_and_leaves_changed_files_alone() {
    let folder = Folder::new();
    let first = folder.zemtak("demo").exits(0);
    assert!(
        first.out().contains("$ zemtak pack moth-courier/art -o moth-courier/build --name night\n"),
        "{}",
        first.out()
    );
    assert!(first.out().contains("equals its source"));
    folder.zemtak("demo --json").exits(0).json()["steps"][2]["answer"]["holds"].as_bool().filter(|h| *h).unwrap();
    assert_eq!(folder.everything("moth-courier/art"), {
        let here = Folder::new();
        here.zemtak("demo other").exits(0);
        here.everything("other/art")
    });
    folder.write("moth-courier/art/emblem.png", "mine");
    let run = folder.zemtak("demo").exits(2);
    assert!(run.err().contains("emblem.png: it already exists with different contents"), "{}", run.err());
    assert_eq!(folder.read("moth-courier/art/emblem.png"), b"mine");
}

#[test]
fn two_outputs_of_one_name_are_refused_before_anything_is_written() {
    let folder = Folder::new();
    folder.write("art/moth.png", png(&blob(9, 9, [1, 2, 3])));
    for template in ["t/csv.jinja", "t/zemtak.json.jinja"] {
        folder.write(template, "x");
    }
    for (options, told) in [
        ("--also template:t/csv.jinja --also csv", "art.csv: template:t/csv.jinja of atlas art and csv of atlas art"),
        (
            "--also template:t/zemtak.json.jinja",
            "art.zemtak.json: the descriptor of atlas art and template:t/zemtak.json.jinja of atlas art",
        ),
    ] {
        let run = folder.zemtak(&format!("pack art {options}")).exits(2);
        assert!(run.err().contains(&format!("two outputs share a name\n  {told}")), "{}", run.err());
        assert!(!folder.exists("build"));
    }
    // Another size that meets another atlas, and two headers that would define the same.
    let atlas = |name: &str| format!("[atlas.{name}]\nroot = \"art\"\n");
    let sizes = "sizes = [{ suffix = \"-half\", factor = 0.5 }]\n";
    folder.write("zemtak.toml", format!("format = 1\n{}{sizes}{}", atlas("night"), atlas("night-half")));
    let told = folder.zemtak("pack").exits(2).err();
    let who = "the descriptor of atlas night with the suffix -half and the descriptor of atlas night-half";
    assert!(told.contains(&format!("night-half.zemtak.json: {who}")), "{told}");
    let both = [atlas("a-b"), atlas("a_b")].concat();
    folder.write("zemtak.toml", format!("format = 1\n[defaults]\nalso = [\"c\"]\n{both}"));
    let told = folder.zemtak("pack").exits(2).err();
    assert!(told.contains("a_b_... in C: the header of atlas a-b and the header of atlas a_b"), "{told}");
}

/// `atlas:name` could not be told from the sprite `atlas:name` of another atlas.
#[cfg(unix)]
#[test]
fn a_sprite_name_has_no_colon() {
    let folder = Folder::new();
    folder.write("art/moth: fly.png", png(&blob(9, 9, [1, 2, 3])));
    let told = folder.zemtak("pack art").exits(3);
    assert!(told.err().contains("error: sprite name with a colon\n  art/moth: fly.png: "), "{}", told.err());
}

#[test]
fn names_are_told_once_with_those_that_are_near() {
    let folder = Folder::new();
    for name in ["moth/fly/00", "moth/fly/01", "lamp/glow"] {
        folder.write(&format!("art/{name}.png"), png(&blob(9, 9, [1, 2, 3])));
    }
    folder.zemtak("pack art -q").exits(0);
    let err = |line: &str, exit| folder.zemtak(line).exits(exit).err();
    let told = err("list build/art.zemtak.json moth/[", 2);
    assert!(told.starts_with("error: invalid glob\n") && told.matches("moth/[").count() == 1, "{told}");
    let told = err("list build/art.zemtak.json fly/01 glow", 2);
    assert!(told.contains("did you mean moth/fly/01?") && told.contains("did you mean lamp/glow?"), "{told}");
    // An ending that promises another format than is written.
    let told = err("clip render build/art.zemtak.json moth/fly -o walk.jpg", 2);
    assert!(told.contains("walk.jpg: a file of the form apng ends in .png or .apng"), "{told}");
    folder.zemtak("clip render build/art.zemtak.json moth/fly -o walk.GIF").exits(0);
    // A time below 0 is no option.
    let before = folder.zemtak("clip at build/art.zemtak.json moth/fly -5ms 5ms --speed 2 --json").exits(0).json();
    assert_eq!(before["at"].as_array().map(Vec::len), Some(2), "{before}");
    let told = err("clip at build/art.zemtak.json moth/fly 5ms --speed -5s", 2);
    assert!(told.contains("--speed <FACTOR>: '-5s' is neither a number"), "{told}");
    let told = err("quad build/art.zemtak.json lamp/glow --angle -5s", 2);
    assert!(told.contains("--angle <DEGREES>: '-5s' is not a finite number"), "{told}");
}
