//! What scripts and build servers lean on: names instead of paths, lists on standard input, checks with their reasons.

use crate::fixtures::{Folder, blob, png};
use std::io::Write;
use std::process::{Command, Stdio};

/// A project of two atlases, one with another size.
fn project() -> Folder {
    let folder = Folder::new();
    for n in 0..3 {
        folder.write(&format!("game/art/moth/{n}.png"), png(&blob(9, 9 + n, [n as u8, 2, 3])));
    }
    folder.write("game/art/lamp.png", png(&blob(5, 5, [9, 9, 9])));
    configure(&folder, "");
    folder
}

fn configure(folder: &Folder, keys: &str) {
    folder.write(
        "game/zemtak.toml",
        format!(
            "format = 1\n[atlas.night]\nroot = \"art\"\ntake = [\"moth/*\"]\nsizes = [{{ suffix = \"-half\", factor = 0.5 }}]\n\
             {keys}\n[atlas.things]\nroot = \"art\"\nleave = [\"moth/*\"]\n"
        ),
    );
}

/// Standard output of a command that is given something on standard input.
fn fed(folder: &Folder, line: &str, input: &str) -> String {
    let mut command = Command::new(env!("CARGO_BIN_EXE_zemtak"));
    command.args(line.split(' ')).current_dir(folder.path("."));
    let mut child = command.stdin(Stdio::piped()).stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap();
    child.stdin.take().unwrap().write_all(input.as_bytes()).unwrap();
    let output = child.wait_with_output().unwrap();
    format!("{}{}", String::from_utf8(output.stdout).unwrap(), String::from_utf8(output.stderr).unwrap())
}

#[test]
fn an_atlas_of_the_project_is_named_in_place_of_its_descriptor() {
    let folder = project();
    let not_yet = folder.zemtak("-C game list night").exits(2).err();
    assert!(
        not_yet.contains("error: atlas not built yet\n  night: there is no build/night.zemtak.json\n"),
        "{not_yet}"
    );
    folder.zemtak("-C game pack -q").exits(0);
    let by_path = folder.zemtak("describe game/build/night-half.zemtak.json moth/1").exits(0).out();
    assert_eq!(folder.zemtak("describe night-half moth/1 -C game").exits(0).out(), by_path);
    assert_eq!(folder.zemtak("describe night-half moth/1 --project game").exits(0).out(), by_path);
    for line in
        ["verify night --against art", "uv night moth/0", "quad things lamp", "clip table night moth", "cut things"]
    {
        folder.zemtak(&format!("{line} -C game")).exits(0);
    }
    let unknown = folder.zemtak("-C game list nigth").exits(2).err();
    assert!(unknown.contains("the project has night, night-half, things; did you mean night?"), "{unknown}");
    // A folder of that name is not a descriptor; an invalid project file is reported, not ignored.
    folder.write("game/night/readme.txt", "");
    assert_eq!(
        folder.zemtak("-C game describe night moth/1").exits(0).out(),
        folder.zemtak("describe game/build/night.zemtak.json moth/1").exits(0).out()
    );
    folder.write("game/wrong/zemtak.toml", "format = 1\n[atlas.night]\ngutre = 2\n");
    assert!(folder.zemtak("-C game/wrong list night").exits(2).err().contains("did you mean 'gutter'?"));
    // Outside of a project a name is a path that is not there, and a folder that is not there is told.
    let outside = folder.zemtak("list night").exits(4).err();
    assert!(outside.contains("  night: no such file or folder"), "{outside}");
    folder.zemtak("-C nowhere pack").exits(4);
}

#[test]
fn lists_come_from_standard_input() {
    let folder = project();
    folder.zemtak("-C game pack -q").exits(0);
    let listed = fed(&folder, "-C game uv night moth/2 - --json", "moth/0\n\nmoth/1\n");
    let listed: serde_json::Value = serde_json::from_str(&listed).unwrap();
    let names: Vec<&str> = listed["uv"].as_array().unwrap().iter().map(|uv| uv["sprite"].as_str().unwrap()).collect();
    assert_eq!(names, ["moth/2", "moth/0", "moth/1"]);
    let packed = fed(&folder, "pack - -o out --name some", "game/art/moth/0.png\ngame/art/lamp.png\n");
    assert!(packed.starts_with("some: 2 sprites on 1 page"), "{packed}");
    assert!(fed(&folder, "pack - -o out", "").contains("error: nothing in a list\n  standard input: "));
    for placements in [
        "sprite,x,y\nmoth/0,3,4\nmoth/1,5,6\n",
        "\n [{\"sprite\": \"moth/0\", \"x\": 3, \"y\": 4}, {\"sprite\": \"moth/1\", \"x\": 5, \"y\": 6}]",
    ] {
        let quads: serde_json::Value =
            serde_json::from_str(&fed(&folder, "-C game quad night --list - --json", placements)).unwrap();
        assert_eq!(quads["quads"].as_array().unwrap().len(), 2);
    }
}

#[test]
fn a_check_says_what_differs_and_a_dry_run_what_would_come() {
    let folder = project();
    let fresh = folder.zemtak("-C game pack --dry-run").exits(0).out();
    assert!(fresh.contains("night: out of date, would be 3 sprites on 1 page -> build/night.zemtak.json\n  changes  not built yet\n  night-0.png "), "{fresh}");
    assert!(fresh.ends_with("nothing was written\n") && !folder.exists("game/build"), "{fresh}");
    folder.zemtak("-C game pack -q").exits(0);
    let before = folder.everything("game/build");
    let why = |line: &str| {
        let out = folder.zemtak(&format!("-C game {line}")).exits(1).out();
        out.lines().filter_map(|line| line.strip_prefix("  changes  ")).map(str::to_owned).collect::<Vec<_>>()
    };
    folder.zemtak("-C game pack --check").exits(0);
    folder.write("game/art/moth/1.png", png(&blob(9, 10, [7, 7, 7])));
    folder.write("game/art/moth/3.png", png(&blob(9, 10, [8, 7, 7])));
    std::fs::remove_file(folder.path("game/art/moth/0.png")).unwrap();
    configure(&folder, "gutter = 4\nmargin = 1");
    let told = "gutter 2 -> 4; margin 0 -> 1; 1 sprite added (moth/3), 1 changed (moth/1), 1 removed (moth/0); \
                1 clip changed (moth)";
    assert_eq!(why("pack --check"), [told, told]);
    assert_eq!(folder.everything("game/build"), before);
    let json = folder.zemtak("-C game pack --check --json").exits(1).json();
    assert_eq!(json["atlases"][2]["changes"], serde_json::Value::Null);
    folder.zemtak("-C game pack -q").exits(0);
    // A pivot, and a file that somebody lost.
    configure(&folder, "gutter = 4\nmargin = 1\n[[atlas.night.rule]]\nmatch = \"moth/2\"\npivot = \"top\"");
    assert_eq!(why("pack --check")[0], "1 sprite changed (moth/2)");
    folder.zemtak("-C game pack -q").exits(0);
    std::fs::remove_file(folder.path("game/build/night-0.png")).unwrap();
    assert_eq!(why("pack --check"), ["night-0.png is missing"]);
    folder.write("game/build/night-0.png", "broken");
    assert_eq!(why("pack --check"), ["night-0.png is not as this build writes it"]);
    folder.zemtak("-C game pack -q").exits(0);
    assert_eq!(why("pack --check --name things --also c"), ["things.h is missing"]);
    assert_eq!(why("pack --check --name night --page-max 24x24")[0], "1 page -> 3");
    let larger = "night-0.png 32 x 32 -> 256 x 256";
    assert_eq!(why("pack --check --name night --page-size 256x256")[0], larger);
}

#[test]
fn warnings_fail_a_strict_build_that_is_done_all_the_same() {
    let folder = project();
    folder.zemtak("-C game pack --strict -q").exits(0);
    configure(&folder, "[[atlas.night.rule]]\nmatch = \"nix\"\nfps = 3");
    let run = folder.zemtak("-C game pack --strict").exits(1);
    assert!(run.err().contains("warning: atlas night: the rule for 'nix'"), "{}", run.err());
    folder.zemtak("-C game pack --check").exits(0);
    folder.zemtak("-C game pack").exits(0);
}
