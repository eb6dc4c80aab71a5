use super::*;
use crate::settings::rule::Pivot;
use crate::settings::{Also, Together};
use zemtak_core::geometry::Size;
use zemtak_core::layout::{Effort, Shape};

fn read_text(source: &str) -> Result<Project, Failure> {
    read(Path::new("game/zemtak.toml"), source)
}

/// The project file of the design, with every key, and everything in it that is not a default.
#[test]
fn every_key_is_read() {
    let source = r#"
        format = 1
        out = "built"
        [defaults]
        gutter = 7
        page = { max = [512, 256], step = 4 }
        also = ["csv"]
        [atlas.night]
        root = "art"
        take = ["moth/**", "lantern/**"]
        leave = ["**/draft-*"]
        layout = "grid"
        effort = "high"
        page = { shape = "free", aspect = 3, prefer = "bytes", count = 1 }
        margin = 1
        extrude = 2
        turn = true
        trim = false
        visible_alpha = 8
        share_twins = false
        together = "clip"
        alpha = "premultiplied"
        fringe = false
        mip_levels = 2
        filter = "linear"
        pages_as = "webp"
        png = "small"
        names = "hashed"
        also = ["rust", "c", "template:engine.txt.jinja"]
        sizes = [{ suffix = "-half", factor = 0.5, resample = "smooth" }]
        [[atlas.night.rule]]
        match = "moth/**"
        pivot = "bottom"
        points = { lamp = [20, 8] }
        stretch = [4, 4, 4, 4]
        tags = ["flying"]
        user = { speed = 3 }
        fps = "60000/1001"
        mode = "bounce"
        turn = false
        wrap = "repeat"
        frame = '(?<clip>.*)-(?<frame>\d+)'
        [[atlas.night.rule]]
        match = "lantern/*"
        pivot = { px = [16, 31.5] }
        ms = [80, 80, 240]
        clip = "glow"
        [atlas.day]
    "#;
    let project = read_text(source).unwrap();
    assert_eq!(project.out, Path::new("game/built"));
    let names: Vec<&str> = project.atlases.iter().map(|(name, _)| name.as_str()).collect();
    assert_eq!(names, ["night", "day"], "in the order of the file");
    let day = project.atlases[1].1.clone().settle();
    assert_eq!((day.spacing.gutter, day.page.max, day.page.step), (7, Size::new(512, 256), 4));
    assert_eq!(day.also, [Also::Csv]);
    let keys = project.atlases[0].1.clone();
    assert!(keys.take.unwrap()[0].matches("moth/fly/03") && keys.leave.unwrap()[0].matches("moth/draft-1"));
    let night = project.atlases[0].1.clone().settle();
    assert_eq!((night.page.max, night.page.shape, night.page.count), (Size::new(512, 256), Shape::Free, Some(1)));
    assert_eq!((night.effort, night.together, night.turn), (Effort::High, Together::Clip, true));
    assert_eq!((night.spacing.extrude, night.spacing.align), (4, 4), "two mip levels need rings of four");
    assert_eq!(night.also.len(), 3, "lists take the place of lists");
    assert!(!night.treatment.trim && night.treatment.premultiply && night.treatment.fringe == 0);
    let [moth, lantern] = night.rules.as_slice() else { panic!("two rules") };
    assert_eq!(moth.overrides.pivot.unwrap().on(Size::new(32, 30), None), [16.0, 30.0]);
    assert_eq!(lantern.overrides.pivot, Some(Pivot::Pixels([16.0, 31.5])));
    assert_eq!(moth.place, "game/zemtak.toml:31:9");
}

#[test]
fn all_errors_are_told_at_once_each_with_its_place_and_the_nearest_word() {
    let source = "format = 1\n[atlas.night]\ngutre = 2\nlayout = \"gird\"\nmargin = -1\npage = { shape = 3, sizes = [1] }\n\
                  [[atlas.night.rule]]\npivot = [0.5]\nfsp = 1\nms = []\n[atlas.Nacht]\n";
    let failure = read_text(source).unwrap_err();
    let told: Vec<(&str, &str)> =
        failure.problems().iter().map(|p| (p.place.as_str(), p.why.lines().next().unwrap())).collect();
    let expected = [
        ("game/zemtak.toml:3:1", "'gutre' is not a key of an atlas; did you mean 'gutter'?"),
        ("game/zemtak.toml:4:10", "did you mean \"grid\"? expected one of \"dense\", \"grid\", \"row\", \"column\""),
        ("game/zemtak.toml:5:10", "expected a whole number from 0 to 4096"),
        ("game/zemtak.toml:6:18", "expected one of \"free\", \"pow2\", \"square\", \"pow2-square\", found a number"),
        (
            "game/zemtak.toml:6:21",
            "'sizes' is not a key of page; did you mean 'size'? 'sizes' belongs in an atlas, [atlas.NAME], or in [defaults]",
        ),
        ("game/zemtak.toml:7:1", "a rule has a glob 'match' that says for which sprites"),
        ("game/zemtak.toml:8:9", "expected a list of 2, found 1"),
        ("game/zemtak.toml:9:1", "'fsp' is not a key of a rule; did you mean 'fps'?"),
        ("game/zemtak.toml:10:6", "a list of durations cannot be empty"),
        ("game/zemtak.toml:11:8", "an atlas name may only contain a-z, 0-9, _ and -"),
    ];
    assert_eq!(told, expected);
    let marked = failure.problems()[1].why.lines().skip(1).collect::<Vec<_>>();
    assert_eq!(marked, ["4 | layout = \"gird\"", "  |          ^^^^^^"]);
}

/// A value that could not be read was told to be missing as well, or escaped a check.
#[test]
fn an_error_is_told_once_and_hides_no_other() {
    let told = |source: &str| {
        let failure = read_text(&format!("format = 1\n{source}")).unwrap_err();
        let of = |problem: &Problem| problem.why.lines().next().unwrap().split([',', ';']).next().unwrap().to_owned();
        failure.problems().iter().map(of).collect::<Vec<_>>()
    };
    let text = "expected a text";
    for (source, expected) in [
        ("atlas = 1", &["expected a table"][..]),
        ("[atlas]", &["there is no [atlas.NAME] in it"]),
        ("[store]\nurl = 1\n[atlas.a]", &[text]),
        ("[atlas.a]\nsizes = [{ suffix = 1, factor = 2 }]", &[text]),
        ("[[atlas.a.clip]]\nname = 1\nsteps = [\"a\"]", &[text]),
        ("[[atlas.a.clip]]\nname = \"\"\nsteps = 1", &["expected a list", "a clip has a 'name' and a list of 'steps'"]),
        ("[[atlas.a.rule]]\nmatch = 1", &["expected a glob"]),
        ("[[atlas.a.rule]]\nmatch = \"a\"\nlayers = { n = { image = 1 } }", &[text]),
        (
            "[[atlas.a.rule]]\nmatch = \"a\"\nframe = \"a\"",
            &["expected a regular expression with the groups (?<clip>...)"],
        ),
        (
            "[[atlas.a.rule]]\nmatch = \"a\"\nclip = 1\nframe = \"(?<clip>a)(?<frame>1)\"",
            &[text, "a rule has 'clip' or 'frame'"],
        ),
        ("[[atlas.a.rule]]\nmatch = \"a\"\nfps = 5\nms = \"a\"", &["expected a number", "clips have 'fps' or 'ms'"]),
    ] {
        let told = told(source);
        assert!(told.len() == expected.len(), "{source}: {told:?}");
        for expected in expected {
            assert!(told.iter().any(|told| told.starts_with(expected)), "{source}: {told:?}");
        }
    }
}

/// For each place of a value, one that is just right and what is told of one that is not.
#[test]
fn values_are_read_up_to_their_bounds_and_no_further() {
    let rule = "[[atlas.a.rule]]\nmatch = \"a\"\n";
    let clip = "[[atlas.a.clip]]\nname = \"c\"\n";
    let side = "expected a whole number from 1 to 1048576";
    let space = "expected a whole number from 0 to 4096";
    let decibels = "expected a number of decibels from 1 to 100";
    let by_step = "events are written by step, from 0: { 3 = [\"step\"] }";
    let point = "expected a number up to a million";
    let plain = "a layer's name may only contain a-z, 0-9, _ and -";
    let once = "the name of a layer's image has {name} in it once, and more, as \"{name}_n\"";
    let suffix = "'' is not a suffix: those consist of a-z, 0-9, _ and -";
    let ident = "expected a name in capitals such as \"MOTH_2\": A-Z, 0-9 and _, a letter first";
    let alone = "csv is a form of one atlas: name it in [atlas.NAME] or [defaults]; here only template:FILE can stand";
    let size = "expected a number of bytes, or a text such as \"2 MiB\"";
    let ms = "expected a number of milliseconds, 0 or more";
    let password = "a password does not belong in a project file: set ZEMTAK_STORE to the whole address instead";
    for (start, good, bad, message) in [
        ("[atlas.a]\n", "gutter = 4096", "gutter = 4097", space),
        ("[atlas.a]\n", "margin = 0x1000", "margin = -1", space),
        ("[atlas.a]\n", "extrude = 4096", "extrude = 4_097", space),
        ("[atlas.a]\n", "visible_alpha = 255", "visible_alpha = 256", "expected a whole number from 1 to 255"),
        ("[atlas.a]\n", "mip_levels = 8", "mip_levels = 9", "expected a whole number from 0 to 8"),
        ("[atlas.a]\n", "least_psnr = 1.0", "least_psnr = 0.99", decibels),
        ("[atlas.a]\n", "least_psnr = 100", "least_psnr = nan", decibels),
        ("[atlas.a]\n", "root = \"b\"", "root = \"\"", "a path cannot be empty"),
        ("[atlas.a]\n", "turn = true", "turn = 1", "expected true or false, found a number"),
        ("[atlas.a]\n", "zstd = true", "zstd = 1", "expected true or false, found a number"),
        ("[atlas.a]\n", "unorm = true", "unorm = 1", "expected true or false, found a number"),
        ("[atlas.a.page]\n", "same_size = true", "same_size = 1", "expected true or false, found a number"),
        ("[atlas.a]\n", "also = [\"csv\"]", "also = \"csv\"", "expected a list, found a text"),
        ("[atlas.a.page]\n", "max = [1048576, 1]", "max = [1048577, 1]", side),
        ("[atlas.a.page]\n", "size = [1, 1]", "size = [1, 0]", side),
        ("[atlas.a.page]\n", "step = 1048576", "step = 1048577", side),
        ("[atlas.a.page]\n", "aspect = 1048576", "aspect = 0.9", "expected a number from 1 to 1048576"),
        ("[atlas.a.page]\n", "count = 65535", "count = 65536", "expected a whole number from 1 to 65535"),
        ("[atlas.a]\n", "sizes = [{ suffix = \"-b\", factor = 2 }]", "sizes = [{ suffix = \"\", factor = 2 }]", suffix),
        ("[atlas.a]\n", "sizes = []", "sizes = [{ factor = 2 }]", "a size has a suffix and a factor"),
        (rule, "stretch = [0, 0, 65534, 0]", "stretch = [0, 0, 65535, 0]", "expected a whole number from 0 to 65534"),
        (rule, "pivot = [1e6, -1e6]", "pivot = [1e6, 1_000_001]", point),
        (rule, "pivot = { px = [0, 0] }", "pivot = { px = [0, -1e7] }", point),
        (rule, "points = { b = [0, 0] }", "points = { b = [0, inf] }", point),
        (rule, "ident = \"MOTH_2\"", "ident = \"2_MOTH\"", ident),
        (rule, "layers = { normal = \"{name}_n\" }", "layers = { Normal = \"{name}_n\" }", plain),
        (rule, "layers = { n = { image = \"{name}_n\" } }", "layers = { n = { image = \"{name}\" } }", once),
        (rule, "layers = {}", "layers = { n = {} }", "a layer has an image, as \"{name}_n\""),
        (rule, "events = { 65535 = [\"b\"] }", "events = { 65536 = [\"b\"] }", by_step),
        (rule, "events = { 0 = [] }", "events = { 00 = [] }", by_step),
        (rule, "ms = 0", "ms = -0.5", ms),
        (rule, "ms = [0]", "ms = [-1]", ms),
        (rule, "clip = \"b\"", "clip = 1", "expected a text, found a number"),
        (clip, "steps = [\"b\"]", "steps = []", "a clip has a 'name' and a list of 'steps', neither empty"),
        ("[atlas.a]\n[limits]\n", "memory = \"2 MiB\"", "memory = \"2 moths\"", size),
        ("[atlas.a]\n[limits]\n", "memory = 4096", "memory = 0x1000", size),
        ("[atlas.a]\n[store]\n", "url = \"http://b/c\"", "url = \"http://moth:lamp@b/c\"", password),
        ("[atlas.a]\n[store]\n", "url = \"b\"", "", "the shared store has no url"),
        (
            "also = [\"template:b\"]\n[atlas.a]\n",
            "",
            "[[atlas.a.rule]]",
            "a rule has a glob 'match' that says for which sprites",
        ),
        ("[atlas.a]\n", "", "[atlas.\"\"]", "an atlas name may only contain a-z, 0-9, _ and -"),
        ("", "also = []\n[atlas.a]", "also = [\"csv\"]\n[atlas.a]", alone),
    ] {
        if let Err(failure) = read_text(&format!("format = 1\n{start}{good}\n")) {
            panic!("{start}{good}: {failure}");
        }
        let told = match read_text(&format!("format = 1\n{start}{bad}\n")) {
            Ok(_) => String::new(),
            Err(failure) => failure.problems()[0].why.lines().next().unwrap().to_owned(),
        };
        assert_eq!(told, message, "{start}{bad}");
    }
}

#[test]
fn what_is_no_toml_or_no_project_is_told() {
    let place = |source: &str| read_text(source).unwrap_err().problems()[0].place.clone();
    assert_eq!(place("format = 1\n[atlas.night\n"), "game/zemtak.toml:2:13");
    assert_eq!(place("[atlas.night]\n"), "game/zemtak.toml:1:1");
    assert_eq!(place("format = 2\n[atlas.night]\n"), "game/zemtak.toml:1:10");
    assert!(read_text("format = 1\n").is_err());
}

/// A rate with more digits than a player can count was packed, and then could not be played.
#[test]
fn a_rate_that_cannot_be_played_is_told_where_it_is_written() {
    let with = |fps: &str| read_text(&format!("format = 1\n[atlas.a]\n[[atlas.a.rule]]\nmatch = \"a\"\nfps = {fps}\n"));
    for fps in ["59.94", "24", "\"60000/1001\"", "0"] {
        with(fps).unwrap();
    }
    for fps in ["59.9400000001", "\"60000000000/1001\"", "\"60000 / 1001\"", "-1", "\"1/0\""] {
        let failure = with(fps).unwrap_err();
        assert_eq!(failure.problems()[0].place, "game/zemtak.toml:5:7", "{fps}");
    }
}

/// The guide's example is read without an error and has every key there is.
#[test]
fn the_guide_shows_every_key() {
    let guide = include_str!("../../../../docs/project.md");
    let example = guide.split("```toml\n").nth(1).unwrap().split("```").next().unwrap();
    let project = read_text(example).unwrap();
    for (name, of, most) in LIMITS {
        let mut set = project.limits;
        set.set(name, *most);
        assert!(set == project.limits && example.contains(&format!("# {of}\n")), "{name} is {most}: {of}");
    }
    let known = |source: &str| {
        let failure = read_text(&format!("format = 1\n{source}")).unwrap_err();
        let why = failure.problems().iter().find_map(|p| p.why.split_once("it can be ")).unwrap().1.to_owned();
        why.lines().next().unwrap().split(", ").map(str::to_owned).collect::<Vec<_>>()
    };
    let keys = [
        known("zzzzzz = 1\n[atlas.a]"),
        known("[atlas.a]\nzzzzzz = 1"),
        known("[[atlas.a.rule]]\nmatch = \"a\"\nzzzzzz = 1"),
        known("[atlas.a]\n[limits]\nzzzzzz = 1"),
    ];
    assert!(keys.iter().map(Vec::len).sum::<usize>() > 35);
    for key in keys.iter().flatten() {
        let shown = [format!("\n{key} = "), format!("[{key}"), format!(".{key}]]")];
        assert!(shown.iter().any(|text| example.contains(text)) || example.starts_with(&format!("{key} = ")), "{key}");
    }
}

/// For each key that a table can have, the message in another table says where it belongs.
#[test]
fn a_key_in_the_wrong_table_says_where_it_belongs() {
    let wrong = |source: &str| read(Path::new("zemtak.toml"), source).unwrap_err().to_string();
    let told = |text: &str, key: &str, home: &str| {
        assert!(
            text.contains(&format!("'{key}' is not a key of "))
                && (text.contains(&format!("it belongs {home}\n"))
                    || text.contains(&format!("'{key}' belongs {home}\n"))),
            "{key}: {text}"
        );
    };
    for (home, keys) in KIND.tables {
        for key in *keys {
            let elsewhere = match *home {
                "in an entry of sizes = [{ ... }]" => format!("[[atlas.a.rule]]\nmatch = \"*\"\n{key} = 1\n"),
                _ => format!("[atlas.a]\nsizes = [{{ suffix = \"-b\", factor = 2, {key} = 1 }}]\n"),
            };
            let homes = KIND.tables.iter().filter(|(_, keys)| keys.contains(key)).map(|(home, _)| *home);
            told(&wrong(&format!("format = 1\n{elsewhere}")), key, &homes.collect::<Vec<_>>().join(" or "));
            // And there it is a key, even if its value is wrong.
            let at_home = match *home {
                "at the top of the file" => format!("{key} = false\n[atlas.a]\n"),
                "in [limits]" => format!("[limits]\n{key} = false\n"),
                "in [store]" => format!("[store]\n{key} = false\n"),
                "in an atlas, [atlas.NAME], or in [defaults]" => format!("[atlas.a]\n{key} = 1979-05-27\n"),
                "in an atlas's page = { ... }" => format!("[atlas.a]\npage = {{ {key} = false }}\n"),
                "in an entry of sizes = [{ ... }]" => format!("[atlas.a]\nsizes = [{{ {key} = false }}]\n"),
                "in a rule, [[atlas.NAME.rule]]" => format!("[[atlas.a.rule]]\n{key} = 1979-05-27\n"),
                "in a clip, [[atlas.NAME.clip]]" => format!("[[atlas.a.clip]]\n{key} = false\n"),
                "in a layer of layers = { ... }" => {
                    format!("[[atlas.a.rule]]\nmatch = \"*\"\nlayers = {{ normal = {{ {key} = false }} }}\n")
                }
                _ => format!("[[atlas.a.rule]]\nmatch = \"*\"\npivot = {{ {key} = false }}\n"),
            };
            let text = wrong(&format!("format = 1\n{at_home}").replacen("format = 1\nformat", "format", 1));
            assert!(!text.contains("is not a key"), "{key}: {text}");
        }
    }
}
