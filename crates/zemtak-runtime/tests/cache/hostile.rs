//! Nothing that a file or a name says is believed.

use crate::world::{PAGE_LEN, Witness, World};
use std::fs;
use zemtak_core::codec::{PngEffort, encode_png};
use zemtak_runtime::geometry::Size;
use zemtak_runtime::{Cache, Files, Folder, MemoryFiles, MemorySink, Pixels, RAW_PAGE, Settings, SimulatedDevice};

fn failure(settings: Settings, name: &str) -> String {
    let (cache, mut pump) = Cache::new(Settings { workers: Some(0), ..settings }, Witness::default());
    pump.wait(&cache.lease(name)).unwrap_err().to_string()
}

#[test]
fn names_that_lead_out_of_a_root_are_no_names() {
    for name in
        ["", ":", "a:", ":x", "../secret.png", "/etc/passwd", "a/../../b:c", "C:\\x.png", "A:x", "a//b.png", "./a.png"]
    {
        let failure = failure(Settings::over(MemoryFiles::new()), name);
        assert!(failure.contains("not a name"), "{name}: {failure}");
    }
}

#[test]
fn descriptors_and_pages_that_lie_are_told_and_not_drawn() {
    let world = World::new(&[("a", 1)]);
    let text = String::from_utf8(zemtak_runtime::Files::read(&world.files, "a.zemtak.json", 1 << 20).unwrap()).unwrap();
    let cases = [
        ("a-0.rgba", "../a-0.rgba", "is not a plain relative path"),
        ("\"width\": 12", "\"width\": 4294967295", "out of range"),
        ("\"width\": 12", "\"width\": 30000", "sprite p0/00: its uv"),
        ("\"box\": [0, 0, 4, 4]", "\"box\": [4294967295, 0, 4, 4]", "does not lie on its page"),
        ("\"zemtak\": 1", "\"zemtak\": 2", "format version 2"),
        ("blake3:", "blake3:", "another hash"),
        ("{", "", "is not a descriptor that can be read"),
    ];
    for (what, with, expected) in cases {
        let files = MemoryFiles::new();
        files.put("a.zemtak.json", text.replacen(what, with, 1).into_bytes());
        files.put(&format!("a-0.{RAW_PAGE}"), vec![0; PAGE_LEN]);
        let failure = failure(Settings::over(files), "a:p0/00");
        assert!(failure.contains(expected), "{what} -> {with}: {failure}");
    }
}

#[test]
fn images_are_measured_before_memory_is_taken() {
    let files = MemoryFiles::new();
    let wide = Pixels::transparent(Size::new(600, 2)).unwrap();
    files.put("wide.png", encode_png(&wide, PngEffort::Fast).unwrap());
    files.put("text.png", b"not an image at all".to_vec());
    let device = SimulatedDevice::new().with_largest_side(512);
    let (cache, mut pump) = Cache::new(Settings::over(files.clone()), device);
    let failure = pump.wait(&cache.lease("wide.png")).unwrap_err().to_string();
    assert!(failure.contains("600 x 2 pixels are more than the limit of 512"), "{failure}");
    let failure = pump.wait(&cache.lease("text.png")).unwrap_err().to_string();
    assert!(failure.contains("not an image"), "{failure}");
    // A file that grew past every limit.
    let error = zemtak_runtime::Files::read(&files, "text.png", 4).unwrap_err();
    assert_eq!(error.kind(), std::io::ErrorKind::FileTooLarge);
}

#[cfg(unix)]
#[test]
fn a_link_that_leads_out_of_its_root_is_refused() {
    let folder = tempfile::tempdir().unwrap();
    let root = folder.path().join("assets");
    fs::create_dir(&root).unwrap();
    let picture = encode_png(&Pixels::transparent(Size::new(2, 2)).unwrap(), PngEffort::Fast).unwrap();
    fs::write(folder.path().join("secret.png"), &picture).unwrap();
    fs::write(root.join("open.png"), &picture).unwrap();
    std::os::unix::fs::symlink("../secret.png", root.join("out.png")).unwrap();
    std::os::unix::fs::symlink("open.png", root.join("within.png")).unwrap();
    let (cache, mut pump) = Cache::new(Settings::over(Folder::new(&root)), MemorySink::new());
    let failure = pump.wait(&cache.lease("out.png")).unwrap_err().to_string();
    assert!(failure.contains("a link leads out of its root"), "{failure}");
    pump.wait(&cache.lease("within.png")).unwrap();
    let missing = pump.wait(&cache.lease("none.png")).unwrap_err().to_string();
    assert!(missing.contains("no root has it") && missing.contains("none.png"), "{missing}");
    let all = cache.lease_all(["*.png"]);
    let _ = pump.wait(&all);
    assert_eq!((all.progress().done, all.progress().failed), (2, 1));
}

/// Found by a named pipe in the place of a page: every worker waited at it, and nothing was loaded any more.
#[cfg(unix)]
#[test]
fn a_named_pipe_stops_no_worker() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    let world = World::new(&[("a", 2)]);
    for file in ["a.zemtak.json", "a-0.rgba", "a-1.rgba"] {
        fs::write(at(file), world.files.read(file, u64::MAX).unwrap()).unwrap();
    }
    fs::remove_file(at("a-0.rgba")).unwrap();
    for pipe in ["a-0.rgba", "b.zemtak.json", "c.png"] {
        rustix::fs::mknodat(rustix::fs::CWD, at(pipe), rustix::fs::FileType::Fifo, 0o600.into(), 0).unwrap();
    }
    let settings = Settings { workers: Some(1), ..Settings::over(Folder::new(folder.path())) };
    let (cache, mut pump) = Cache::new(settings, Witness::default());
    for name in ["a:p0/00", "b:moth", "c.png"] {
        let told = pump.wait(&cache.lease(name)).unwrap_err().to_string();
        assert!(told.contains("a named pipe, not a regular file"), "{told}");
    }
    pump.wait(&cache.lease("a:p1/00")).unwrap();
}
