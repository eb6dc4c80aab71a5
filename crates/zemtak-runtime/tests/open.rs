//! Descriptors and pages are not trusted: whatever is wrong with them comes back as an error that says what.

#![allow(missing_docs, clippy::unwrap_used, reason = "a test may fail loudly")]

use std::fs;
use std::path::PathBuf;
use tempfile::TempDir;
use zemtak_core::codec::{PngEffort, encode_png};
use zemtak_core::geometry::Size;
use zemtak_core::pixels::Pixels;
use zemtak_runtime::atlas::{Flaw, ParseError};
use zemtak_runtime::{AtlasFile, DESCRIPTOR_BYTES, HashCheck, OpenError, page_hash};

/// A folder with the smallest whole atlas: one page of 4 x 2, one sprite on it.
struct Fixture {
    folder: TempDir,
    page: Vec<u8>,
}

impl Fixture {
    fn new() -> Self {
        let picture = Pixels::from_rgba(Size::new(4, 2), (0..32).collect()).unwrap();
        let page = encode_png(&picture, PngEffort::Fast).unwrap();
        let fixture = Self { folder: tempfile::tempdir().unwrap(), page };
        fs::write(fixture.path("p-0.png"), &fixture.page).unwrap();
        fixture.describe(|text| text);
        fixture
    }

    fn path(&self, file: &str) -> PathBuf {
        self.folder.path().join(file)
    }

    /// Writes the descriptor after a change to its text.
    fn describe(&self, change: impl Fn(String) -> String) {
        let text = format!(
            r#"{{ "zemtak": 1, "needs": [], "name": "p", "scale": 1,
  "built": {{ "gutter": 0, "margin": 0, "extrude": 0, "trim": true, "visible_alpha": 1, "mip_levels": 0 }},
  "pages": [{{ "file": "p-0.png", "width": 4, "height": 2, "pixels": "rgba8", "alpha": "straight", "colour": "srgb", "sampling": {{ "filter": "nearest", "wrap": "clamp", "mips": 1, "safe_mips": null }}, "hash": "{}" }}],
  "sprites": {{ "a": {{ "page": 0, "box": [1, 0, 2, 2], "turned": false, "canvas": [2, 2], "inset": [0, 0], "pivot": [1, 1], "uv": [0.25, 0, 0.75, 1] }} }},
  "clips": {{}} }}"#,
            page_hash(&self.page)
        );
        fs::write(self.path("p.zemtak.json"), change(text)).unwrap();
    }

    fn open(&self) -> Result<AtlasFile, OpenError> {
        AtlasFile::open(&self.path("p.zemtak.json"))
    }

    fn read(&self, hash: HashCheck) -> Result<Pixels, OpenError> {
        self.open().unwrap().read_page(0, hash)
    }
}

#[test]
fn a_whole_atlas_is_read_and_later_keys_are_ignored() {
    let fixture = Fixture::new();
    fixture.describe(|text| text.replace("\"scale\": 1", "\"scale\": 1, \"weather\": \"mild\""));
    let file = fixture.open().unwrap();
    assert_eq!(file.unknown_keys(), ["weather"]);
    let page = file.read_page(0, HashCheck::Yes).unwrap();
    assert_eq!((page.size(), page.get(1, 1)), (Size::new(4, 2), Some([20, 21, 22, 23])));
    assert!(matches!(file.read_page(1, HashCheck::Yes), Err(OpenError::NoPage(1))));
}

#[test]
fn pages_of_another_build_size_or_kind() {
    let fixture = Fixture::new();
    let other = Pixels::transparent(Size::new(4, 2)).unwrap();
    fs::write(fixture.path("p-0.png"), encode_png(&other, PngEffort::Fast).unwrap()).unwrap();
    assert!(matches!(fixture.read(HashCheck::Yes), Err(OpenError::Hash { .. })));
    assert_eq!(fixture.read(HashCheck::No).unwrap(), other);
    // Larger than promised: refused by its header, before memory is taken for it.
    let large = Pixels::transparent(Size::new(5, 2)).unwrap();
    fs::write(fixture.path("p-0.png"), encode_png(&large, PngEffort::Fast).unwrap()).unwrap();
    let Err(OpenError::PageSize { found, expected, .. }) = fixture.read(HashCheck::No) else { unreachable!() };
    assert_eq!((found, expected), (Size::new(5, 2), Size::new(4, 2)));
    fs::write(fixture.path("p-0.png"), "no page").unwrap();
    assert!(matches!(fixture.read(HashCheck::No), Err(OpenError::Page { .. })));
    fs::remove_file(fixture.path("p-0.png")).unwrap();
    assert!(matches!(fixture.read(HashCheck::No), Err(OpenError::Io { .. })));
}

#[test]
fn descriptors_that_lie() {
    let fixture = Fixture::new();
    fixture.describe(|text| text.replace("p-0.png", "../p-0.png").replace("[1, 0, 2, 2]", "[3, 0, 2, 2]"));
    let Err(OpenError::Flawed { flaws, .. }) = fixture.open() else { unreachable!() };
    assert!(matches!(flaws.as_slice(), [Flaw::PagePath { .. }, Flaw::Box { .. }]), "{flaws:?}");
    fixture.describe(|text| text.replace("\"zemtak\": 1", "\"zemtak\": 7"));
    assert!(matches!(fixture.open(), Err(OpenError::Parse { source: ParseError::Version(7), .. })));
    fixture.describe(|text| text.replace("[1, 0, 2, 2]", "[-1, 0, 2, 2]"));
    let Err(OpenError::Parse { source: ParseError::Json { line, .. }, .. }) = fixture.open() else { unreachable!() };
    assert_eq!(line, 4);
    fixture.describe(|text| text[..text.len() / 2].to_owned());
    assert!(matches!(fixture.open(), Err(OpenError::Parse { .. })));
}

#[test]
fn a_file_of_a_size_that_no_descriptor_has_is_not_read() {
    let fixture = Fixture::new();
    let huge = fs::File::create(fixture.path("p.zemtak.json")).unwrap();
    // It takes no room on the disk: only its length is so large.
    huge.set_len(DESCRIPTOR_BYTES + 2).unwrap();
    let refused = fixture.open().unwrap_err();
    assert!(
        matches!(refused, OpenError::TooLarge { bytes, limit, .. } if (bytes, limit) == (DESCRIPTOR_BYTES + 2, DESCRIPTOR_BYTES))
    );
}
