//! The same input comes to the same bytes, whatever the machine is like: threads, memory, the order in which files were made,
//! language, time zone, mask of new files, folder, and what earlier builds learnt.

use crate::fixtures::art::real_art;
use crate::fixtures::{Dice, Folder, blob};
use std::time::{Duration, SystemTime};

/// A project of two or three atlases, with settings by lot.
fn project(dice: &mut Dice) -> String {
    let mut one_of = |words: &[&str]| words[dice.below(words.len() as u32) as usize].to_owned();
    let mut text = String::from("format = 1\n");
    for root in ["game-0", "game-1", "game-2"] {
        text += &format!("[atlas.{root}]\nroot = \"art/{root}\"\n");
        for line in [
            one_of(&["layout = \"dense\"", "layout = \"grid\"", "turn = true", "together = \"clip\""]),
            one_of(&[
                "page = { max = [512, 512] }",
                "page = { shape = \"free\", prefer = \"bytes\" }",
                "mip_levels = 2",
            ]),
            one_of(&[
                "png = \"balanced\"",
                "png = \"fast\"",
                "pages_as = \"qoi\"",
                "pages_as = \"webp\"",
                "pages_as = \"raw\"",
            ]),
            one_of(&["alpha = \"premultiplied\"", "filter = \"linear\"", "names = \"hashed\"", "share_twins = false"]),
            one_of(&[
                "sizes = [{ suffix = \"-half\", factor = 0.5 }]",
                "also = [\"csv\", \"rust\", \"c\"]",
                "margin = 3",
            ]),
        ] {
            text += &line;
            text.push('\n');
        }
    }
    text
}

/// A way to run the same build.
struct Machine {
    options: &'static str,
    /// The environment.
    set: &'static [(&'static str, &'static str)],
    /// Whether files are made in the opposite order, and the folder lies deeper.
    backwards: bool,
    mask: &'static str,
    /// Whether another state was built before, and this one again.
    built_before: bool,
}

const MACHINES: [Machine; 5] = [
    Machine { options: "--jobs 1", set: &[], backwards: false, mask: "022", built_before: false },
    Machine {
        options: "--jobs 2",
        set: &[("LC_ALL", "tr_TR.UTF-8")],
        backwards: true,
        mask: "077",
        built_before: false,
    },
    Machine { options: "--jobs 7", set: &[("TZ", "Pacific/Apia")], backwards: false, mask: "000", built_before: true },
    Machine {
        options: "--jobs 7 --memory 128MiB",
        set: &[("LANG", "ja_JP.UTF-8"), ("RUST_MIN_STACK", "4000000")],
        backwards: true,
        mask: "002",
        built_before: false,
    },
    Machine {
        options: "--jobs 3 --no-sync",
        set: &[("LC_ALL", "C")],
        backwards: true,
        mask: "027",
        built_before: true,
    },
];

/// The results of a build on a machine.
fn build(project: &str, art: &[(String, Vec<u8>)], machine: &Machine) -> Vec<(String, Vec<u8>)> {
    let folder = Folder::new();
    let game = if machine.backwards { "some where/else" } else { "game" };
    let mut files: Vec<_> = art.iter().collect();
    if machine.backwards {
        files.reverse();
    }
    for (name, bytes) in files {
        folder.write(&format!("{game}/art/{name}"), bytes);
    }
    folder.write(&format!("{game}/zemtak.toml"), project);
    let pack = || {
        let zemtak = env!("CARGO_BIN_EXE_zemtak");
        let line = format!("umask {}; exec '{zemtak}' pack {}", machine.mask, machine.options);
        let mut command = std::process::Command::new("sh");
        command.args(["-c", &line]).current_dir(folder.path(game)).envs(machine.set.iter().copied());
        let run = command.output().unwrap();
        assert!(run.status.success(), "{}", String::from_utf8_lossy(&run.stderr));
    };
    if machine.built_before {
        let (name, bytes) = &art[art.len() / 2];
        folder.write(&format!("{game}/art/{name}"), &art[0].1);
        pack();
        folder.write(&format!("{game}/art/{name}"), bytes);
    }
    pack();
    folder.everything(&format!("{game}/build"))
}

#[cfg(unix)]
#[test]
fn the_same_input_comes_to_the_same_bytes_on_any_machine() {
    for seed in 0..3 {
        let mut dice = Dice(seed);
        let art: Vec<_> = real_art(60, seed).into_iter().filter(|(name, _)| name < &"game-3".to_owned()).collect();
        let project = project(&mut dice);
        let first = build(&project, &art, &MACHINES[0]);
        assert!(first.len() >= 6, "{project}");
        for machine in &MACHINES[1..] {
            let other = build(&project, &art, machine);
            let names = |files: &[(String, Vec<u8>)]| files.iter().map(|(name, _)| name.clone()).collect::<Vec<_>>();
            assert_eq!(names(&first), names(&other), "{}\n{project}", machine.options);
            for ((name, one), (_, two)) in first.iter().zip(&other) {
                assert!(one == two, "{name} differs with {}\n{project}", machine.options);
            }
        }
    }
}

/// Clocks that stand, run backwards or are years ahead: a picture of the same length and time as before is another one all the
/// same.
#[test]
fn a_clock_that_is_wrong_hides_no_change() {
    let hour = Duration::from_secs(3600);
    let now = SystemTime::now();
    let times = [
        ("the beginning of all times", SystemTime::UNIX_EPOCH, SystemTime::UNIX_EPOCH),
        ("before it", SystemTime::UNIX_EPOCH - hour, SystemTime::UNIX_EPOCH - hour),
        ("years ahead", now + 90_000 * hour, now + 90_000 * hour),
        ("backwards", now + hour, now - hour),
    ];
    for (what, first, second) in times {
        let folder = Folder::new();
        let save = |colour: u8, time: SystemTime| {
            let picture = blob(9, 9, [colour, 7, 7]);
            let mut file = Vec::new();
            let buffer = image::RgbaImage::from_raw(9, 9, picture.as_bytes().to_vec()).unwrap();
            buffer.write_to(&mut std::io::Cursor::new(&mut file), image::ImageFormat::Bmp).unwrap();
            folder.write("art/moth.bmp", &file);
            let file = std::fs::File::options().write(true).open(folder.path("art/moth.bmp")).unwrap();
            file.set_modified(time).unwrap();
            folder.zemtak("pack art --pages-as raw").exits(0);
            folder.read("build/art-0.rgba")
        };
        let (before, after) = (save(10, first), save(200, second));
        assert_ne!(before, after, "{what}");
        folder.zemtak("verify build/art.zemtak.json --against art").exits(0);
    }
}
