//! Options of `zemtak pack` and the keys of a project are two ways to say the same.

use crate::fixtures::{Folder, blob, noisy, png};
use std::collections::{BTreeMap, BTreeSet};
use zemtak_core::geometry::Size;
use zemtak_core::pixels::Pixels;

/// An option, the key that says the same, and what is said otherwise.
type Row = (&'static str, &'static str, &'static str);

const SMALL: &str = r#"page = { max = [64, 64] }"#;
const SMALL_FREE: &str = r#"page = { max = [64, 64], shape = "free" }"#;
const SAME_SIZE: &str = r#"page = { max = [64, 64], shape = "free", same_size = true }"#;
const FREE: &str = r#"page = { shape = "free" }"#;
const KTX2: &str = r#"pages_as = "ktx2""#;

const OPTIONS: &[Row] = &[
    ("--layout grid", r#"layout = "grid""#, ""),
    ("--together clip", "page = { max = [64, 64] }\ntogether = \"clip\"", SMALL),
    ("--page-max 64x64", SMALL, ""),
    ("--page-shape free", FREE, ""),
    ("--page-step 12", r#"page = { shape = "free", step = 12 }"#, FREE),
    ("--page-aspect 1", r#"page = { shape = "free", aspect = 1 }"#, FREE),
    ("--page-size 512x256", "page = { size = [512, 256] }", ""),
    ("--same-size-pages", SAME_SIZE, SMALL_FREE),
    ("--no-same-size-pages", SMALL_FREE, SAME_SIZE),
    ("--page-count 2", "page = { count = 2 }", ""),
    ("--gutter 5", "gutter = 5", ""),
    ("--margin 3", "margin = 3", ""),
    ("--extrude 3", "extrude = 3", ""),
    ("--mip-levels 2", "mip_levels = 2", ""),
    ("--take moth/*", r#"take = ["moth/*"]"#, ""),
    ("--leave moth/*", r#"leave = ["moth/*"]"#, ""),
    ("--turn", "turn = true", ""),
    ("--no-turn", "", "turn = true"),
    ("--trim", "", "trim = false"),
    ("--no-trim", "trim = false", ""),
    ("--visible-alpha 9", "visible_alpha = 9", ""),
    ("--share-twins", "", "share_twins = false"),
    ("--no-share-twins", "share_twins = false", ""),
    ("--fringe", "fringe = true", ""),
    ("--no-fringe", "", "fringe = true"),
    ("--alpha premultiplied", r#"alpha = "premultiplied""#, ""),
    ("--filter linear", r#"filter = "linear""#, ""),
    ("--pages-as qoi", r#"pages_as = "qoi""#, ""),
    ("--png fast", r#"png = "fast""#, ""),
    ("--pixels bc1", r#"pixels = "bc1""#, ""),
    ("--least-psnr 30", "pages_as = \"ktx2\"\nleast_psnr = 30", KTX2),
    ("--zstd", "pages_as = \"ktx2\"\nzstd = true", KTX2),
    ("--no-zstd", KTX2, "pages_as = \"ktx2\"\nzstd = true"),
    ("--unorm", "pages_as = \"ktx2\"\nunorm = true", KTX2),
    ("--no-unorm", KTX2, "pages_as = \"ktx2\"\nunorm = true"),
    ("--names hashed", r#"names = "hashed""#, ""),
    ("--also csv", r#"also = ["csv"]"#, ""),
    ("--sizes -half=0.5", r#"sizes = [{ suffix = "-half", factor = 0.5 }]"#, ""),
];

/// These seek a better layout, of which a few sprites have none.
const SEARCHING: &[Row] =
    &[("--effort normal", r#"effort = "normal""#, ""), ("--page-prefer bytes", r#"page = { prefer = "bytes" }"#, "")];

/// Sprites on which each option shows: long and square ones, a clip, twins, a soft edge on a wide canvas.
fn art() -> Folder {
    let folder = Folder::new();
    for n in 0..4 {
        folder.write(&format!("art/moth/{n}.png"), png(&noisy(18 + n * 3, 29 - n, n)));
    }
    folder.write("art/reed.png", png(&noisy(7, 60, 40)));
    folder.write("art/rail.png", png(&noisy(58, 6, 41)));
    folder.write("art/lamp.png", png(&blob(24, 24, [200, 160, 40])));
    folder.write("art/twin.png", png(&blob(24, 24, [200, 160, 40])));
    let mut glow = Pixels::transparent(Size::new(40, 40)).unwrap();
    for y in 9..30 {
        for x in 9..30_u8 {
            glow.row_mut(y)[usize::from(x) * 4..][..4].copy_from_slice(&[200, x, 7, 5 * (x - 8)]);
        }
    }
    folder.write("art/glow.png", png(&glow));
    folder
}

/// What a pack of a project with these keys writes, with these options.
fn packed(folder: &Folder, keys: &str, options: &str) -> BTreeMap<String, Vec<u8>> {
    folder.write("zemtak.toml", format!("format = 1\n[atlas.night]\nroot = \"art\"\n{keys}\n"));
    let out = folder.path("build");
    if out.exists() {
        std::fs::remove_dir_all(out).unwrap();
    }
    folder.zemtak(&format!("pack --quiet --no-sync {options}").trim().replace("  ", " ")).exits(0);
    folder.everything("build").into_iter().filter(|(file, _)| !file.starts_with(".zemtak")).collect()
}

#[test]
fn an_option_says_what_the_key_of_its_name_says() {
    let folder = art();
    let mut otherwise = BTreeMap::new();
    for (number, (option, key, other)) in OPTIONS.iter().chain(SEARCHING).enumerate() {
        let by_option = packed(&folder, other, option);
        assert!(by_option == packed(&folder, key, ""), "{option} is not {key}");
        let without = otherwise.entry(*other).or_insert_with(|| packed(&folder, other, ""));
        assert!(number >= OPTIONS.len() || *without != by_option, "{option} changes nothing");
    }
}

/// A new option has a row above.
#[test]
fn every_option_about_an_atlas_is_tried() {
    let help = Folder::new().zemtak("pack --help").exits(0).out();
    let (from, to) = (help.find("\nLayout:\n").unwrap(), help.find("\nEverywhere:\n").unwrap());
    let options = help[from..to].lines().filter_map(|line| line.trim().split(' ').next());
    let told: BTreeSet<&str> = options.filter(|word| word.starts_with("--")).collect();
    let tried = OPTIONS.iter().chain(SEARCHING).map(|(option, ..)| option.split(' ').next().unwrap());
    assert_eq!(tried.collect::<BTreeSet<_>>(), told);
}
