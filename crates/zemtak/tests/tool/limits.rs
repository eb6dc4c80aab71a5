//! How much the tool takes on before it refuses.

use crate::fixtures::{Folder, blob, gif, png};

/// Commands that read pages held all of them, whatever memory they were allowed.
#[test]
fn pages_that_are_read_count_in_the_memory() {
    let folder = Folder::new();
    for n in 0..3 {
        folder.write(&format!("art/moth/fly/{n}.png"), png(&blob(500, 500, [n, 80, 20])));
    }
    folder.zemtak("pack art --page-size 512x512 --extrude 0 --margin 0 --no-share-twins").exits(0);
    let atlas = "build/art.zemtak.json";
    let commands = [
        format!("view {atlas} --png v.png"),
        format!("mips {atlas}"),
        format!("cut {atlas} -o cut"),
        format!("clip render {atlas} moth/fly -o fly.png"),
    ];
    let refused = |command: &str| {
        let why = folder.zemtak(command).exits(2).err();
        let says = ["MiB of memory are needed for", "pixels in all", "--memory SIZE"];
        assert!(says.iter().all(|part| why.contains(part)), "{why}");
    };
    for command in &commands {
        refused(&format!("{command} --memory 3MiB"));
        folder.zemtak(&format!("{command} --memory 16MiB")).exits(0);
    }
    // These take one page after another, but a page as a whole.
    for command in [format!("verify {atlas}"), format!("export {atlas} --as qoi -o export")] {
        refused(&format!("{command} --memory 1MiB"));
        folder.zemtak(&format!("{command} --memory 3MiB")).exits(0);
    }
    // Both sides of a comparison count.
    folder.zemtak(&format!("diff {atlas} {atlas} --memory 8MiB")).exits(2);
    folder.zemtak(&format!("diff {atlas} {atlas} --memory 16MiB")).exits(0);
    // So does what the project at hand says.
    folder.write("zemtak.toml", "format = 1\n[limits]\nmemory = \"3 MiB\"\n[atlas.art]\n");
    folder.zemtak(&commands[0]).exits(2);
    folder.zemtak(&format!("{} --memory 16MiB", commands[0])).exits(0);
}

#[test]
fn texts_and_templates_have_limits_that_a_key_moves() {
    let folder = Folder::new();
    folder.write("art/moth.png", png(&blob(9, 9, [7, 7, 7])));
    folder.write("long.jinja", "{% for n in range(10) %}{% for m in range(100) %}moth {% endfor %}{% endfor %}");
    let pack = "pack art --also template:long.jinja --fresh";
    folder.zemtak(pack).exits(0);
    for (limit, command) in [
        ("template_steps", pack),
        ("template_bytes", pack),
        ("text_bytes", pack),
        ("descriptor_bytes", "pack art --gutter 3"),
        ("descriptor_bytes", "list build/art.zemtak.json"),
        ("descriptor_bytes", "verify build/art.zemtak.json"),
        ("text_bytes", "export build/art.zemtak.json --as template:long.jinja -o export"),
    ] {
        let run = folder.zemtak(&format!("{command} --limit {limit}=60")).exits(2);
        assert!(run.err().contains(&format!("raise {limit} with --limit")), "{limit} {command}: {}", run.err());
    }
    folder.write(
        "zemtak.toml",
        "format = 1\n[limits]\ntemplate_bytes = 60\n[atlas.art]\nalso = [\"template:long.jinja\"]\n",
    );
    let run = folder.zemtak("pack").exits(2);
    assert!(run.err().contains("it makes more than 60 B of text"), "{}", run.err());
    folder.zemtak("pack --limit text_bytes=60").exits(2);
}

/// Each limit on what an atlas is made of lets through exactly as much as it says.
#[test]
fn an_atlas_may_have_just_as_much_as_each_limit_says() {
    let folder = Folder::new();
    (0..4).for_each(|n| folder.write(&format!("art/moth/{n}.png"), png(&blob(20, 9, [n, 80, 20]))));
    folder.write("art/board.png", png(&blob(40, 20, [9, 9, 9])));
    folder.write("art/flame.gif", gif(6, 4, [10, 90, 250].map(|red| ([red, 2, 3], 0))));
    let rules = "[[atlas.art.rule]]\nmatch = \"*\"\npivot = \"top\"\n".repeat(2);
    folder
        .write("zemtak.toml", format!("format = 1\n[atlas.art]\nroot = \"art\"\npage = {{ max = [64, 32] }}\n{rules}"));
    let built = folder.zemtak("pack --json").exits(0).json();
    let pages = built["atlases"][0]["pages"].as_array().unwrap().len();
    assert!(pages > 1, "{built}");
    for (limit, needed) in [
        ("sprites", 8),
        ("rules", 2),
        ("clip_steps", 4),
        ("pages", pages),
        ("frames", 3),
        ("image_side", 40),
        ("image_pixels", 800),
        ("animation_pixels", 72),
    ] {
        folder.zemtak(&format!("pack --fresh --limit {limit}={needed}")).exits(0);
        let refused = folder.zemtak(&format!("pack --fresh --limit {limit}={}", needed - 1));
        assert_ne!(refused.code(), Some(0), "{limit}");
        assert!(refused.err().contains("raise ") && refused.err().contains(limit), "{limit}: {}", refused.err());
    }
}

/// A template is a program: one that runs wild is stopped, and says so.
#[test]
fn a_template_that_runs_wild_is_stopped() {
    let folder = Folder::new();
    folder.write("art/moth.png", png(&blob(20, 20, [200, 90, 60])));
    let nested = "{% for a in range(9999) %}{% for b in range(9999) %}{% for c in range(9999) %}{% endfor %}{% endfor %}{% endfor %}";
    folder.write("wild.jinja", nested);
    let told = folder.zemtak("pack art --also template:wild.jinja --limit template_steps=1000000").exits(2).err();
    assert!(told.contains("wild.jinja:1") && told.contains("it takes more than 1,000,000 steps"), "{told}");
    assert!(!folder.path("build").exists() || folder.everything("build").is_empty());
}

/// Each sprite is held against each glob and expression, so that their length counts too.
#[test]
fn globs_and_expressions_have_a_longest_length_that_a_key_moves() {
    let folder = Folder::new();
    folder.write("art/moth/fly-1.png", png(&blob(9, 9, [7, 7, 7])));
    let glob = format!("{{{},moth/*}}", "x".repeat(50));
    let expression = format!("(?<clip>moth|{})/fly-(?<frame>[0-9]+)", "x".repeat(50));
    let project = |keys: &str| format!("format = 1\n[atlas.art]\nroot = \"art\"\n{keys}\n");
    for (keys, place) in [
        (format!("take = [\"{glob}.png\"]"), "a glob of atlas art"),
        (format!("leave = [\"{glob}\"]"), "a glob of atlas art"),
        (format!("[[atlas.art.rule]]\nmatch = \"{glob}\"\npivot = \"top\""), "zemtak.toml:4"),
        (format!("[[atlas.art.rule]]\nmatch = \"**\"\nframe = '{expression}'"), "zemtak.toml:4"),
    ] {
        folder.write("zemtak.toml", project(&keys));
        let run = folder.zemtak("pack --limit pattern_bytes=58").exits(2);
        let said = run.err();
        assert!(said.contains(place) && said.contains("raise pattern_bytes with --limit"), "{keys}: {said}");
    }
    folder.zemtak("pack --limit pattern_bytes=100").exits(0);
    folder.zemtak(&format!("pack art -o other --take {glob}.png --limit pattern_bytes=58")).exits(2);
    folder.zemtak(&format!("list build/art.zemtak.json {} --limit pattern_bytes=58", "x".repeat(60))).exits(2);
    // Longer than by default, with a key in the project file.
    let long = format!("{{{},moth/*}}", "x".repeat(5000));
    folder.write("zemtak.toml", project(&format!("take = [\"{long}.png\"]")));
    folder.zemtak("pack").exits(2);
    let moved = project(&format!("take = [\"{long}.png\"]"))
        .replace("[atlas.art]", "[limits]\npattern_bytes = 6_000\n[atlas.art]");
    folder.write("zemtak.toml", moved);
    folder.zemtak("pack").exits(0);
}
