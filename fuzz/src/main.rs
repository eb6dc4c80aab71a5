//! One program for all targets: `ZEMTAK_FUZZ=images zemtak-fuzz corpus/images`.

#![no_main]

mod targets;

use libfuzzer_sys::fuzz_target;
use std::sync::OnceLock;

type Target = fn(&[u8]);

const TARGETS: [(&str, Target); 10] = [
    ("images", targets::images),
    ("textures", targets::textures),
    ("descriptors", targets::descriptors),
    ("projects", targets::projects),
    ("scenarios", targets::scenarios),
    ("templates", targets::templates),
    ("names", targets::names),
    ("lists", targets::lists),
    ("command-lines", targets::command_lines),
    ("cache", targets::cache),
];

/// The target that the environment names.
fn target() -> Target {
    let name = std::env::var("ZEMTAK_FUZZ").unwrap_or_default();
    let found = TARGETS.iter().find(|(known, _)| *known == name).map(|(_, target)| *target);
    found.unwrap_or_else(|| panic!("ZEMTAK_FUZZ must be one of {:?}", TARGETS.map(|(known, _)| known)))
}

fuzz_target!(|data: &[u8]| {
    static TARGET: OnceLock<Target> = OnceLock::new();
    TARGET.get_or_init(target)(data);
});
