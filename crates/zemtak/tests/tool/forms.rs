//! Descriptors in other forms: compiled by the real compilers, and held against the descriptor and against the tool's answers.

use crate::fixtures::{Folder, blob, demo_art, png};
use serde_json::{Value, json};
use std::process::Command;

/// A project with the demo's images: what comes after the defaults, the first keys of which may come with it.
fn project(rest: &str) -> Folder {
    let folder = Folder::new();
    for entry in walkdir::WalkDir::new(demo_art()).into_iter().map(Result::unwrap).filter(|e| e.file_type().is_file()) {
        let below = entry.path().strip_prefix(demo_art()).unwrap();
        folder.write(&format!("art/{}", below.display()), std::fs::read(entry.path()).unwrap());
    }
    folder.write("zemtak.toml", format!("format = 1\n[defaults]\nroot = \"art\"\n{rest}"));
    folder
}

fn descriptor(folder: &Folder, name: &str) -> Value {
    serde_json::from_slice(&folder.read(&format!("build/{name}.zemtak.json"))).unwrap()
}

/// The forms for other languages are compiled by the real compilers, and their tables read back.
#[test]
fn other_forms_compile_and_say_the_same_as_the_descriptor() {
    let folder =
        project("also = [\"csv\", \"rust\", \"c\", \"template:names.txt.jinja\"]\n[atlas.night]\nturn = true\n");
    folder.write("art/od\"d */ na\\me.png", png(&blob(9, 9, [1, 2, 3])));
    folder.write(
        "names.txt.jinja",
        "{% for name, s in sprites | items %}{{ name | quoted }} {{ s.pivot[0] }}\n{% endfor %}",
    );
    folder.zemtak("pack").exits(0);
    let atlas = descriptor(&folder, "night");
    let sprites = atlas["sprites"].as_object().unwrap();
    let mut csv = csv::Reader::from_reader(std::io::Cursor::new(folder.read("build/night.csv")));
    let mut rows = 0;
    for row in csv.records().map(Result::unwrap) {
        let sprite = &sprites[&row[0]];
        let whole = |n: usize| row[n].parse::<u64>().unwrap();
        assert_eq!(serde_json::json!([whole(2), whole(3), whole(4), whole(5)]), sprite["box"]);
        assert_eq!(
            (whole(6) == 1, row[13].parse::<f64>().unwrap()),
            (sprite["turned"] == true, sprite["uv"][0].as_f64().unwrap())
        );
        rows += 1;
    }
    assert_eq!(
        (rows, folder.read("build/night.names.txt").split(|b| *b == b'\n').count() - 1),
        (sprites.len(), sprites.len())
    );
    let moth = &sprites["moth/fly/03"];
    let (x, turned) = (moth["box"][0].as_u64().unwrap(), u8::from(moth["turned"] == true));
    folder.write(
        "use.rs",
        "#[path = \"build/night.rs\"] #[allow(dead_code)] mod night;\nfn main() { let s = night::sprite(\"moth/fly/03\").unwrap();\n\
         assert_eq!(night::SPRITES[night::id::MOTH_FLY_03], *s);\nprintln!(\"{} {} {}\", night::SPRITES.len(), s.rect[0], s.turned as u8); }",
    );
    run(Command::new("rustc").args(["--edition", "2021", "use.rs", "-o", "use-rs"]).current_dir(folder.path(".")));
    folder.write(
        "use.c",
        "#define night_TABLES\n#include \"build/night.h\"\n#include <stdio.h>\nint main(void) { const zemtak_sprite *s = &night_sprites[night_MOTH_FLY_03];\n\
         printf(\"%d %u %d\\n\", (int)night_sprite_count, s->x, s->turned); return night_pages[0].width == 0; }",
    );
    let expected = format!("{} {x} {turned}\n", sprites.len());
    assert_eq!(run(&mut Command::new(folder.path("use-rs"))), expected);
    // Rust needs a linker, which on Unix is that of the C compiler.
    if cfg!(unix) {
        run(Command::new("cc")
            .args(["-std=c99", "-Wall", "-Wextra", "-Werror", "use.c", "-o", "use-c"])
            .current_dir(folder.path(".")));
        assert_eq!(run(&mut Command::new(folder.path("use-c"))), expected);
    }
    // The guide's template makes of the demo's project what the guide shows.
    let guide = include_str!("../../../../docs/forms.md");
    let block =
        |kind: &str| guide.split(&format!("```{kind}\n")).nth(1).unwrap().split("```").next().unwrap().to_owned();
    folder.write("duskline.txt.jinja", block("jinja"));
    folder.write("demo.toml", include_str!("../../demo/zemtak.toml"));
    folder.zemtak("pack --project demo.toml --name scene --also template:duskline.txt.jinja").exits(0);
    let made = String::from_utf8(folder.read("build/scene.duskline.txt")).unwrap();
    assert!(made.starts_with(&block("text")) && made.contains("\nmove \"moth/land\" once \"moth/land/00\" "), "{made}");
    folder.write("names.txt.jinja", "fine\n{{ sprites.nobody.box }}\n");
    let error = folder.zemtak("pack").exits(2).err();
    let told = "names.txt.jinja:2:4: sprites.nobody.box is not there\n    2 | {{ sprites.nobody.box }}\n      |    ^^^^^^^^^^^^^^^^^^\n";
    assert!(error.contains(told), "{error}");
}

/// A sprite called `sprites` got the number of the count in C and did not compile in Rust, and headers of two atlases defined
/// one constant.
#[test]
fn constants_of_any_names_and_of_two_atlases_stand_side_by_side() {
    let folder = Folder::new();
    for (i, name) in ["pages", "sprites", "one/x", "03", "self", "Fl\u{fc}gel"].into_iter().enumerate() {
        folder.write(&format!("night/{name}.png"), png(&blob(9, 9 + u32::try_from(i).unwrap(), [1, 2, 3])));
    }
    folder.write("one/x.png", png(&blob(30, 9, [1, 2, 3])));
    let project = "format = 1\n[defaults]\nalso = [\"c\", \"rust\"]\n[atlas.night]\nroot = \"night\"\n[atlas.night-one]\nroot = \"one\"\n";
    folder.write("zemtak.toml", project);
    folder.zemtak("pack").exits(0);
    folder.write(
        "use.c",
        "#define night_TABLES\n#define night_one_TABLES\n#include \"build/night.h\"\n#include \"build/night-one.h\"\n#include <stdio.h>\nint main(void) {\n\
         printf(\"%u %u %d\\n\", night_sprites[night_ONE_X].h, night_one_sprites[night_one_X].w,\n\
         night_sprite_count == 6 && night_page_count == 1 && night_SPRITES < 6 && night_PAGES < 6);\n\
         return night_sprites[0].x == night_one_sprites[0].h + night_pages[0].width + night_one_pages[0].width; }",
    );
    folder.write(
        "use.rs",
        "#[path = \"build/night.rs\"] #[allow(dead_code)] mod night;\nfn main() { use night::{SPRITES, id};\n\
         for (at, name) in [(id::PAGES, \"pages\"), (id::SPRITES, \"sprites\"), (id::N03, \"03\"), (id::FLU00FCGEL, \"Fl\u{fc}gel\")] \n\
         { assert_eq!(SPRITES[at].name, name); } }",
    );
    run(Command::new("rustc").args(["--edition", "2021", "use.rs", "-o", "use-rs"]).current_dir(folder.path(".")));
    run(&mut Command::new(folder.path("use-rs")));
    if cfg!(unix) {
        run(Command::new("cc")
            .args(["-std=c99", "-Wall", "-Wextra", "-Werror", "use.c", "-o", "use-c"])
            .current_dir(folder.path(".")));
        assert!(run(&mut Command::new(folder.path("use-c"))).ends_with(" 1\n"));
    }
    // What would move when another sprite comes is refused, until the project says what it is to be.
    for name in ["a+b", "a-b"] {
        folder.write(&format!("one/{name}.png"), png(&blob(30, 9, [1, 2, 3])));
    }
    let clash = folder.zemtak("pack").exits(2).err();
    assert!(clash.contains("atlas night-one: a+b, a-b: in Rust and C each would be the constant A_B"), "{clash}");
    let rule = "[[atlas.night-one.rule]]\nmatch = \"a+b\"\nident = \"A_PLUS_B\"\n";
    folder.write("zemtak.toml", format!("{project}{rule}"));
    folder.zemtak("pack").exits(0);
    let header = String::from_utf8(folder.read("build/night-one.h")).unwrap();
    assert!(header.contains("#define night_one_A_PLUS_B 0 /* a+b */\n#define night_one_A_B 1 /* a-b */"), "{header}");
}

fn run(command: &mut Command) -> String {
    let output = command.output().unwrap();
    assert!(output.status.success(), "{command:?}\n{}", String::from_utf8_lossy(&output.stderr));
    String::from_utf8(output.stdout).unwrap()
}

/// A project whose rules say everything that the forms carry.
fn rich() -> Folder {
    project(
        r#"also = ["c", "c-source", "rust", "csv", "template:all.json.jinja", "template:all.xml.jinja"]
        filter = "linear"
        alpha = "premultiplied"
        [atlas.night]
        take = ["moth/**", "lantern/teal/*", "letter/*"]
        [[atlas.night.rule]]
        match = "moth/**"
        points = { lamp = [24, 20.5], "the eye" = [1, 2] }
        tags = ["flying", "a \"quoted\" one"]
        fps = "60000/1001"
        mode = "bounce"
        events = { 1 = ["flap"], 3 = ["flap", "dust"] }
        [[atlas.night.rule]]
        match = "moth/land/*"
        mode = "once"
        ms = [240, 80, 16.6]
        [[atlas.night.rule]]
        match = "letter/*"
        stretch = [4, 5, 6, 7]
        wrap = "repeat"
        [[atlas.night.clip]]
        name = "journey"
        steps = ["moth/fly/00", "rest:emblem"]
        fps = 3
        [atlas.rest]
        take = ["emblem"]
        [[atlas.rest.rule]]
        match = "*"
        ident = "THE_ONE"
        "#,
    )
}

/// What a program in another language prints of an atlas: every value that a game draws with, a thing a line.
fn expected(folder: &Folder) -> String {
    let atlas = descriptor(folder, "night");
    let mut out = format!("{} {}\n", atlas["build_id"].as_str().unwrap(), atlas["scale"]);
    for page in atlas["pages"].as_array().unwrap() {
        let wrap = page["sampling"]["wrap"].as_str().unwrap();
        out += &format!(
            "{} {} {} 1 1 {}\n",
            page["file"].as_str().unwrap(),
            page["width"],
            page["height"],
            usize::from(wrap == "repeat")
        );
    }
    let sorted = |map: &Value| {
        let mut all: Vec<(String, Value)> = map.as_object().unwrap().clone().into_iter().collect();
        all.sort_by(|a, b| a.0.as_bytes().cmp(b.0.as_bytes()));
        all
    };
    for (name, sprite) in sorted(&atlas["sprites"]) {
        let numbers = |key: &str| {
            sprite[key].as_array().unwrap().iter().map(|n| format!("{} ", n.as_f64().unwrap())).collect::<String>()
        };
        let stretch =
            if sprite["stretch"].is_null() { "0 0 0 0".into() } else { numbers("stretch").trim_end().to_owned() };
        out += &format!(
            "{name} {} {}{}{}{}|{stretch}",
            sprite["page"],
            numbers("box"),
            numbers("canvas"),
            numbers("inset"),
            numbers("pivot")
        );
        for (point, at) in sprite["points"].as_object().into_iter().flatten() {
            out += &format!("|{point} {} {}", at[0].as_f64().unwrap(), at[1].as_f64().unwrap());
        }
        sprite["tags"].as_array().into_iter().flatten().for_each(|tag| out += &format!("#{}", tag.as_str().unwrap()));
        out.push('\n');
    }
    for (name, clip) in sorted(&atlas["clips"]) {
        out += &name;
        for step in clip["steps"].as_array().unwrap() {
            out += &format!("|{}", step["sprite"].as_str().unwrap());
            step["events"]
                .as_array()
                .into_iter()
                .flatten()
                .for_each(|event| out += &format!("#{}", event.as_str().unwrap()));
        }
        out.push('\n');
    }
    out
}

/// Times in nanoseconds at which programs tell the steps of all clips: the boundaries of steps and those beside them.
const TIMES: [i64; 13] = [
    -1,
    0,
    1,
    16_683_333,
    16_683_334,
    239_999_999,
    240_000_000,
    320_000_000,
    333_333_334,
    1_000_000_000,
    36_000_000_000_007,
    -36_000_000_000_007,
    86_400_000_000_000,
];

/// The steps that `clip at` tells for these times.
fn steps_told(folder: &Folder) -> String {
    let clips = folder.zemtak("clip list build/night.zemtak.json --json").exits(0).json();
    let mut names: Vec<String> =
        clips["clips"].as_array().unwrap().iter().map(|c| c["clip"].as_str().unwrap().to_owned()).collect();
    names.sort();
    let times: Vec<String> = TIMES
        .iter()
        .map(|ns| {
            format!(
                "{}{}.{:06}ms",
                if *ns < 0 { "-" } else { "" },
                ns.unsigned_abs() / 1_000_000,
                ns.unsigned_abs() % 1_000_000
            )
        })
        .collect();
    let mut out = String::new();
    for name in names {
        let at = folder
            .zemtak(&format!("clip at build/night.zemtak.json {name} {} --json", times.join(" ")))
            .exits(0)
            .json();
        let steps = at["at"].as_array().unwrap().iter().map(|at| at["step"].to_string()).collect::<Vec<_>>();
        out += &format!("{name}: {}\n", steps.join(" "));
    }
    out
}

#[test]
fn rust_and_c_carry_all_that_a_game_draws_with() {
    let folder = rich();
    for template in ["all.json.jinja", "all.xml.jinja"] {
        folder.write(template, "");
    }
    folder.zemtak("pack").exits(0);
    let expected = expected(&folder) + &steps_told(&folder);
    let times = TIMES.map(|ns| ns.to_string()).join(", ");
    folder.write(
        "use.rs",
        format!(
            r##"#[path = "build/night.rs"] #[allow(dead_code)] mod night;
            use night::*;
            fn main() {{
                println!("{{}} {{}}", BUILD_ID, SCALE);
                for p in &PAGES {{ println!("{{}} {{}} {{}} {{}} {{}} {{}}", p.file, p.size[0], p.size[1], p.alpha as u8, p.filter as u8, p.wrap as u8); }}
                for s in &SPRITES {{
                    assert_eq!(sprite(s.name), Some(s));
                    let n = |all: &[f64]| all.iter().map(|n| format!("{{n}} ")).collect::<String>();
                    let u = |all: &[u32]| all.iter().map(|n| format!("{{n}} ")).collect::<String>();
                    print!("{{}} {{}} {{}}{{}}{{}}{{}}|{{}}", s.name, s.page, u(&s.rect), u(&s.canvas), u(&s.inset), n(&s.pivot), u(&s.stretch.unwrap_or_default()).trim_end());
                    for (name, at) in s.points {{ print!("|{{name}} {{}} {{}}", at[0], at[1]); }}
                    for tag in s.tags {{ print!("#{{tag}}"); }}
                    println!();
                }}
                assert!(sprite("nobody").is_none() && clip("nobody").is_none());
                for c in &CLIPS {{
                    assert_eq!(clip(c.name), Some(c));
                    print!("{{}}", c.name);
                    for step in c.steps {{ print!("|{{}}", step.name); for event in step.events {{ print!("#{{event}}"); }} assert_eq!(step.sprite.map(|at| SPRITES[at].name), Some(step.name).filter(|n| !n.contains(':'))); }}
                    println!();
                }}
                for c in &CLIPS {{ println!("{{}}: {{}}", c.name, [{times}].map(|ns: i64| c.step_at(ns).to_string()).join(" ")); }}
                let _ = (id::MOTH_FLY_03, clip_id::MOTH_FLY);
            }}"##
        ),
    );
    run(Command::new("rustc").args(["--edition", "2021", "use.rs", "-o", "use-rs"]).current_dir(folder.path(".")));
    assert_eq!(run(&mut Command::new(folder.path("use-rs"))), expected);
    if !cfg!(unix) {
        return;
    }
    folder.write(
        "use.c",
        format!(
            r##"#include "build/night.h"
            #include "build/rest.h"
            #include <stdio.h>
            int main(void) {{
                static const long long times[] = {{ {} }};
                unsigned i, j, k;
                printf("%s %g\n", night_build_id, night_scale);
                for (i = 0; i < night_page_count; i++) {{ const zemtak_page *p = &night_pages[i]; printf("%s %u %u %d %d %d\n", p->file, p->width, p->height, p->alpha, p->filter, p->wrap); }}
                for (i = 0; i < night_sprite_count; i++) {{
                    const zemtak_sprite *s = &night_sprites[i];
                    if (night_sprite(s->name) != s) return 1;
                    printf("%s %u %u %u %u %u %u %u %u %u %.9g %.9g |%u %u %u %u", s->name, s->page, s->x, s->y, s->w, s->h, s->canvas_w, s->canvas_h, s->inset_x, s->inset_y, s->pivot_x, s->pivot_y, s->stretch_left, s->stretch_top, s->stretch_right, s->stretch_bottom);
                    for (j = 0; j < s->point_count; j++) printf("|%s %.9g %.9g", s->points[j].name, s->points[j].x, s->points[j].y);
                    for (j = 0; j < s->tag_count; j++) printf("#%s", s->tags[j]);
                    printf("\n");
                }}
                for (i = 0; i < night_clip_count; i++) {{
                    const zemtak_clip *c = &night_clips[i];
                    if (night_clip(c->name) != c) return 2;
                    printf("%s", c->name);
                    for (j = 0; j < c->step_count; j++) {{ printf("|%s", c->steps[j].name); for (k = 0; k < c->steps[j].event_count; k++) printf("#%s", c->steps[j].events[k]); if (c->steps[j].sprite && strcmp(c->steps[j].sprite->name, c->steps[j].name)) return 3; }}
                    printf("\n");
                }}
                for (i = 0; i < night_clip_count; i++) {{
                    printf("%s:", night_clips[i].name);
                    for (j = 0; j < sizeof times / sizeof *times; j++) printf(" %u", zemtak_step_at(&night_clips[i], times[j]));
                    printf("\n");
                }}
                return night_sprite("nobody") || night_clip("nobody") || rest_sprite("emblem") != &rest_sprites[rest_THE_ONE] || night_clips[night_clip_JOURNEY].steps[1].sprite;
            }}"##,
            TIMES.map(|ns| format!("{ns}LL")).join(", ")
        ),
    );
    // The tables stand in units of their own; C++ takes the same header.
    for [compiler, standard, language] in [["cc", "-std=c99", "c"], ["c++", "-std=c++11", "c++"]] {
        let strict = ["-Wall", "-Wextra", "-Wpedantic", "-Werror", "-x", language, standard];
        let sources = ["use.c", "build/night.c", "build/rest.c", "-o", "use-c"];
        run(Command::new(compiler).args(strict).args(sources).current_dir(folder.path(".")));
        assert_eq!(run(&mut Command::new(folder.path("use-c"))), expected, "{language}");
    }
}

#[test]
fn templates_know_times_and_corners_and_write_json_and_xml() {
    let folder = rich();
    folder.write("art/letter/=1+1 & <co>.png", png(&blob(8, 8, [1, 2, 3])));
    folder.write("all.json.jinja", "{{ { \"clips\": clips, \"sprites\": sprites, \"none\": none, \"scale\": scale } | tojson }}\n{{ [none, true, scale, 0.5] }}\n");
    folder.write(
        "all.xml.jinja",
        "{% for name, s in sprites | items %}<s n=\"{{ name | xml }}\"/>\n{% endfor %}\
         {{ \"a\\u0001\\ufffe\\uffff\\ufffd\\tb'\" | xml }} {{ \"a/b.tar.gz\" | file_stem }}{{ \"\" | file_stem }}",
    );
    // By number 9 comes first, by bytes 10.
    (9..11).for_each(|i| folder.write(&format!("art/moth/count/{i}.png"), png(&blob(i, i, [1, 2, 3]))));
    folder.zemtak("pack").exits(0);
    let text = String::from_utf8(folder.read("build/night.all.json")).unwrap();
    let (first, second) = text.split_once('\n').unwrap();
    let all: Value = serde_json::from_str(first).unwrap();
    assert_eq!(second, "[null, true, 1, 0.5]\n");
    let fly = &all["clips"]["moth/fly"];
    assert_eq!(fly["ticks_per_ns"], 60_000);
    assert_eq!(
        fly["steps"][1],
        json!({ "index": 1, "sprite": "moth/fly/01", "at": fly["steps"][1]["at"], "ms": 16.683_333_333_333_334, "ns": 16_683_333, "ticks": 1_001_000_000_000_i64, "events": ["flap"] })
    );
    assert_eq!(all["clips"]["moth/land"]["steps"][2]["ms"], 16.6);
    let uv = folder.zemtak("uv build/night.zemtak.json moth/fly/03 --as corners --json").exits(0).json();
    assert_eq!(all["sprites"]["moth/fly/03"]["corners"], uv["uv"][0]["corners"]);
    let xml = String::from_utf8(folder.read("build/night.all.xml")).unwrap();
    assert!(xml.contains("<s n=\"letter/=1+1 &amp; &lt;co&gt;\"/>\n"), "{xml}");
    assert!(xml.ends_with("\na\u{fffd}\u{fffd}\u{fffd}\u{fffd}&#9;b&apos; b.tar"), "{xml}");
    let mut by_bytes: Vec<&String> = all["sprites"].as_object().unwrap().keys().collect();
    by_bytes.sort();
    for step in all["clips"].as_object().unwrap().values().flat_map(|clip| clip["steps"].as_array().unwrap()) {
        if let Some(at) = step["at"].as_u64() {
            assert_eq!(step["sprite"], *by_bytes[at as usize], "{step}");
        }
    }
    assert!(
        all["clips"]["moth/count"]["steps"][0]["at"].as_u64() > all["clips"]["moth/count"]["steps"][1]["at"].as_u64()
    );
}

/// Spreadsheets run what begins with `=`, `+`, `-` or `@`.
#[test]
fn no_cell_of_a_table_begins_a_formula() {
    let folder = Folder::new();
    for name in ["=SUM(A1)", "@x", "-y", "'z", "plain"] {
        for n in 0..2 {
            folder.write(&format!("art/{name}{n}.png"), png(&blob(8 + n, 8, [1, 2, 3])));
        }
    }
    folder.zemtak("pack art --also csv").exits(0);
    let first_cells = |file: &str| {
        let mut table = csv::Reader::from_reader(std::io::Cursor::new(folder.read(file)));
        let mut cells: Vec<String> = table.records().map(|row| row.unwrap()[0].to_owned()).collect();
        cells.sort();
        cells.dedup();
        cells
    };
    assert_eq!(first_cells("build/art.clips.csv"), ["''z", "'-y", "'=SUM(A1)", "'@x", "plain"]);
    assert_eq!(first_cells("build/art.csv").len(), 10);
    assert!(first_cells("build/art.csv").iter().all(|cell| !cell.starts_with(['=', '@', '-', '+'])));
}

/// Games keep one list of all sprites: no two atlases' files need be joined by hand.
#[test]
fn one_template_makes_a_file_of_all_atlases() {
    let also = "also = [\"template:index.json.jinja\"]\n";
    let atlases = "[atlas.moth]\ntake = [\"moth/**\"]\n[atlas.rest]\nleave = [\"moth/**\"]\n";
    let folder = project(atlases);
    folder.write("zemtak.toml", format!("format = 1\n{also}[defaults]\nroot = \"art\"\n{atlases}"));
    let each = "{% for atlas in atlases %}{% for name, s in atlas.sprites | items %}\
                {{ name | tojson }}: [{{ atlas.name | tojson }}, {{ s.page }}, {{ s.box }}, {{ atlas.build_id | tojson }}],\n\
                {% endfor %}{% endfor %}";
    folder.write("index.json.jinja", format!("{{\n{each}\"\": null }}\n"));
    let index = || serde_json::from_slice::<Value>(&folder.read("build/index.json")).unwrap();
    let expected = || {
        let mut all = json!({ "": null });
        for name in ["moth", "rest"] {
            let atlas = descriptor(&folder, name);
            for (sprite, of) in atlas["sprites"].as_object().unwrap() {
                all[sprite] = json!([name, of["page"], of["box"], atlas["build_id"]]);
            }
        }
        all
    };
    folder.write("build/index.json", "mine");
    assert!(folder.zemtak("pack").exits(2).err().contains("build/index.json: it was not written by zemtak"));
    std::fs::remove_file(folder.path("build/index.json")).unwrap();
    assert!(folder.zemtak("pack").exits(0).out().contains("build/index.json of all atlases: built"));
    assert_eq!(index(), expected());
    folder.zemtak("pack --check").exits(0);
    folder.write("art/moth/new.png", png(&blob(30, 20, [9, 90, 200])));
    assert!(folder.zemtak("pack --check").exits(1).out().contains("build/index.json of all atlases: out of date"));
    // Also where only one atlas is built.
    assert!(folder.zemtak("pack moth").exits(2).err().contains("write --name before it"));
    folder.zemtak("pack --name moth").exits(0);
    assert_eq!(index(), expected());
    assert!(index().get("moth/new").is_some());
    std::fs::remove_file(folder.path("build/index.json")).unwrap();
    assert_eq!(folder.zemtak("pack --check --json").exits(1).json()["of_all_atlases"][0]["changed"], true);
    folder.zemtak("pack").exits(0);
    // What the project file no longer asks for goes; a file that somebody changed stays.
    folder.write("zemtak.toml", format!("format = 1\n[defaults]\nroot = \"art\"\n{atlases}"));
    folder.zemtak("pack").exits(0);
    assert!(!folder.path("build/index.json").exists());
    folder.write("zemtak.toml", format!("format = 1\nalso = [\"csv\"]\n[defaults]\nroot = \"art\"\n{atlases}"));
    assert!(folder.zemtak("pack").exits(2).err().contains("csv is a form of one atlas"));
}
