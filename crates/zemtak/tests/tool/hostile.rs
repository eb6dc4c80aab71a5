//! Files that are broken, misnamed, of another format, or have names that clash: all told at once.

use crate::fixtures::{Folder, blob, encode, png};
use image::ImageFormat;
use std::io::Cursor;
use std::process::Stdio;
use zemtak_core::geometry::Size;

/// A picture in another format, without alpha where the format has none.
fn other(format: ImageFormat) -> Vec<u8> {
    let picture = blob(24, 18, [220, 120, 60]);
    let buffer = image::RgbaImage::from_raw(24, 18, picture.as_bytes().to_vec()).unwrap();
    let mut out = Cursor::new(Vec::new());
    buffer.write_to(&mut out, format).unwrap();
    out.into_inner()
}

fn jpeg() -> Vec<u8> {
    let mut out = Vec::new();
    let rgb: Vec<u8> = (0..24 * 18 * 3).map(|i| (i % 251) as u8).collect();
    let encoder = jpeg_encoder::Encoder::new(&mut out, 90);
    encoder.encode(&rgb, 24, 18, jpeg_encoder::ColorType::Rgb).unwrap();
    out
}

#[test]
fn formats_are_told_by_content_whatever_the_extension() {
    let folder = Folder::new();
    for (name, bytes) in [
        ("webp.png", other(ImageFormat::WebP)),
        ("bmp.jpg", other(ImageFormat::Bmp)),
        ("tga.tga", other(ImageFormat::Tga)),
        ("qoi.gif", other(ImageFormat::Qoi)),
        ("gif.webp", other(ImageFormat::Gif)),
        ("jpeg", jpeg()),
        ("png.qoi", png(&blob(24, 18, [220, 120, 60]))),
    ] {
        folder.write(&format!("art/{name}"), bytes);
    }
    folder.write("art/readme.md", "# no image");
    let summary = folder.zemtak("pack art --json").exits(0).json();
    let summary = &summary["atlases"][0];
    // Lossless formats all hold the same pixels: one box for BMP, TGA, QOI, WebP and PNG.
    assert_eq!((summary["sprites"].clone(), summary["skipped_files"].clone()), (7.into(), 1.into()));
    assert!(summary["twins"].as_u64().unwrap() >= 4, "{summary}");
    folder.zemtak("verify build/art.zemtak.json --against art").exits(0);
}

/// The codec once gave CMYK pictures back with alpha 0: a sprite lost without a word.
#[test]
fn every_kind_of_jpeg_is_opaque_and_of_its_colour() {
    use jpeg_encoder::ColorType::{Cmyk, CmykAsYcck, Luma, Rgb, Ycbcr};
    let folder = Folder::new();
    // An orange in each colour space; JPEG stores CMYK as Adobe does, upside down, and the encoder sees to that.
    let kinds: [(_, &[u8]); 5] = [
        (Rgb, &[200, 120, 40]),
        (Ycbcr, &[135, 74, 174]),
        (Luma, &[120]),
        (Cmyk, &[55, 135, 215, 0]),
        (CmykAsYcck, &[55, 135, 215, 0]),
    ];
    for (i, (kind, pixel)) in kinds.into_iter().enumerate() {
        let mut out = Vec::new();
        jpeg_encoder::Encoder::new(&mut out, 100).encode(&pixel.repeat(16 * 16), 16, 16, kind).unwrap();
        folder.write(&format!("art/{}.jpg", ["rgb", "ycbcr", "grey", "cmyk", "ycck"][i]), out);
    }
    folder.zemtak("pack art --no-share-twins --extrude 0").exits(0);
    let atlas: serde_json::Value = serde_json::from_slice(&folder.read("build/art.zemtak.json")).unwrap();
    let page = lodepng::decode32(folder.read("build/art-0.png")).unwrap();
    for (name, sprite) in atlas["sprites"].as_object().unwrap() {
        let [x, y, w, h]: [usize; 4] = serde_json::from_value(sprite["box"].clone()).unwrap();
        let p = page.buffer[(y + h / 2) * page.width + x + w / 2];
        let expected = if name == "grey" { [120, 120, 120] } else { [200, 120, 40] };
        let near = [p.r, p.g, p.b].iter().zip(expected).all(|(a, b): (&u8, u8)| a.abs_diff(b) <= 6);
        assert!(near && p.a == 255 && (w, h) == (16, 16), "{name}: {p:?}");
    }
}

#[test]
fn every_unusable_image_is_named_with_its_reason_and_nothing_is_written() {
    let folder = Folder::new();
    let good = png(&blob(40, 40, [7, 7, 7]));
    let mut bad_sum = good.clone();
    let end = bad_sum.len() - 20;
    bad_sum[end] ^= 0x55;
    let bomb = {
        let mut file = good.clone();
        file[16..24].copy_from_slice(&[0, 0, 0x7f, 0, 0, 0, 0x7f, 0]);
        file
    };
    let files: Vec<(&str, Vec<u8>)> = vec![
        ("empty.png", vec![]),
        ("text.png", b"hello".to_vec()),
        ("html.jpg", b"<!DOCTYPE html>".to_vec()),
        ("cut.png", good[..good.len() / 2].to_vec()),
        ("sum.png", bad_sum),
        ("huge.png", bomb),
        ("wide.png", encode(Size::new(70_000, 1), png::ColorType::Grayscale, png::BitDepth::One, &[0; 8750], |_| {})),
        ("cut-1.webp", other(ImageFormat::WebP)[..60].to_vec()),
        ("cut-2.qoi", other(ImageFormat::Qoi)[..40].to_vec()),
        ("cut-3.jpeg", jpeg()[..300].to_vec()),
        ("head.tga", vec![0; 18]),
        ("head-1.bmp", b"BM".to_vec()),
        ("cut-4.gif", other(ImageFormat::Gif)[..30].to_vec()),
    ];
    folder.write("art/good.png", &good);
    for (name, bytes) in &files {
        folder.write(&format!("art/deep/{}", name.replace('.', "_here.")), bytes);
    }
    let run = folder.zemtak("pack art").exits(3);
    assert!(run.err().starts_with(&format!("error: unusable image ({})\n", files.len())), "{}", run.err());
    for (name, _) in &files {
        assert!(
            run.err().contains(&format!("  art/deep/{}: ", name.replace('.', "_here."))),
            "{name} in {}",
            run.err()
        );
    }
    assert!(run.err().contains("named like PNG, but not an image") && run.out().is_empty());
    // What helps one does not help the others.
    assert!(
        run.err().contains("  do: repair or replace the file")
            && run.err().contains("  do: if that is meant, raise image_side")
    );
    assert!(!folder.exists("build"));
    let json = folder.zemtak("pack art --json").exits(3).json();
    assert_eq!((json["errors"].as_array().unwrap().len(), json["exit"].clone()), (files.len(), 3.into()));
}

/// The system ended the process, with half of a file left behind.
#[cfg(unix)]
#[test]
fn a_file_that_may_not_grow_is_an_error_and_leaves_nothing() {
    let folder = Folder::new();
    for n in 0..40 {
        folder.write(&format!("art/{n}.png"), png(&blob(64, 64, [n, 80, 20])));
    }
    let limited = |command: &str| {
        let line = format!("ulimit -f 8; exec '{}' {command}", env!("CARGO_BIN_EXE_zemtak"));
        std::process::Command::new("sh").args(["-c", &line]).current_dir(folder.path("")).output().unwrap()
    };
    let run = limited("pack art --pages-as raw");
    let said = String::from_utf8_lossy(&run.stderr).into_owned();
    assert_eq!(run.status.code(), Some(4), "{said}");
    assert!(said.contains("art-0.rgba: the file would be larger than the system allows"), "{said}");
    let left = |folder: &std::path::Path| {
        std::fs::read_dir(folder).into_iter().flatten().map(|entry| entry.unwrap().file_name()).collect::<Vec<_>>()
    };
    assert_eq!(left(&folder.path("build")), Vec::<std::ffi::OsString>::new());
    folder.zemtak("pack art --pages-as raw").exits(0);
}

/// Whatever file another command writes, what a killed one left there an hour ago goes.
#[test]
fn what_killed_commands_left_is_swept_by_the_next() {
    let folder = Folder::new();
    let old = std::time::SystemTime::now() - std::time::Duration::from_secs(4000);
    for (name, time) in [(".zemtak-1-0.part", Some(old)), (".zemtak-2-0.part", None), ("mine.part", Some(old))] {
        folder.write(name, "half");
        let file = std::fs::File::options().write(true).open(folder.path(name)).unwrap();
        time.into_iter().for_each(|time| file.set_modified(time).unwrap());
    }
    folder.zemtak("pattern 64x64 --kind checker -o pattern.png").exits(0);
    let there = [".zemtak-1-0.part", ".zemtak-2-0.part", "mine.part", "pattern.png"].map(|name| folder.exists(name));
    assert_eq!(there, [false, true, true, true]);
}

/// What does not touch the pixels is told, and an error for those who want no warning.
#[test]
fn damage_beside_the_pixels_is_a_warning() {
    let folder = Folder::new();
    let mut file = png(&blob(9, 9, [7, 7, 7]));
    let end = file.len() - 1;
    file[end] ^= 1;
    folder.write("art/moth.png", &file);
    let run = folder.zemtak("pack art").exits(0);
    assert!(run.err().contains("1 image has a chunk whose checksum is wrong: moth.png"), "{}", run.err());
    folder.zemtak("pack art --strict").exits(1);
    let scanned = folder.zemtak("scan art --json").exits(0).json();
    assert!(scanned["findings"].as_array().unwrap().iter().any(|found| found["code"] == "damaged_images"));
}

#[test]
fn names_that_clash_are_all_told() {
    let folder = Folder::new();
    let good = png(&blob(9, 9, [7, 7, 7]));
    for name in [
        "moth.png",
        "moth.qoi",
        "Lamp.png",
        "lamp.png",
        "fl\u{fc}gel.png",
        "flu\u{308}gel.png",
        "stalwart.png",
        "stalwart/1.png",
    ] {
        folder.write(&format!("art/{name}"), &good);
    }
    #[cfg(target_os = "linux")]
    {
        use std::os::unix::ffi::OsStrExt;
        std::fs::write(folder.path("art").join(std::ffi::OsStr::from_bytes(b"b\xff.png")), &good).unwrap();
        std::fs::write(folder.path("art").join(std::ffi::OsStr::from_bytes(b"n\xff.txt")), "no image").unwrap();
    }
    let run = folder.zemtak("pack art").exits(3);
    let err = run.err();
    assert!(err.contains("moth: moth.png, moth.qoi"), "{err}");
    assert!(err.contains("  Lamp, lamp: ") && err.contains("  flu\\u{308}gel, fl\u{fc}gel: "), "{err}");
    assert!(!err.contains("stalwart"), "{err}");
    if cfg!(target_os = "linux") {
        assert!(err.contains("name that is not UTF-8\n  art/b\\xff.png"), "{err}");
    }
}

#[test]
fn links_version_control_and_what_macos_leaves_behind() {
    let folder = Folder::new();
    let good = png(&blob(9, 9, [7, 7, 7]));
    folder.write("art/moth.png", &good);
    folder.write("art/.svn/pristine/moth.svn-base", &good);
    folder.write("art/._moth.png", [0, 5, 0x16, 7, 0, 2, 0, 0]);
    #[cfg(unix)]
    {
        std::os::unix::fs::symlink("..", folder.path("art/round")).unwrap();
        std::os::unix::fs::symlink("moth.png", folder.path("art/linked.png")).unwrap();
    }
    folder.zemtak("pack art").exits(0);
    let atlas: serde_json::Value = serde_json::from_slice(&folder.read("build/art.zemtak.json")).unwrap();
    let names: Vec<&String> = atlas["sprites"].as_object().unwrap().keys().collect();
    assert_eq!(names, if cfg!(unix) { vec!["linked", "moth"] } else { vec!["moth"] });
    // A link that leads nowhere cannot be read: exit 4, also beside a bad image.
    #[cfg(unix)]
    {
        std::os::unix::fs::symlink("gone.png", folder.path("art/broken.png")).unwrap();
        folder.write("art/bad.png", "bad");
        let run = folder.zemtak("pack art").exits(4);
        assert!(run.err().contains("art/broken.png"), "{}", run.err());
    }
}

#[test]
fn what_is_ignored_is_told_with_its_files() {
    let folder = Folder::new();
    let data = blob(9, 9, [7, 7, 7]);
    let gamma = |e: &mut png::Encoder<'_, &mut Vec<u8>>| e.set_source_gamma(png::ScaledFloat::new(1.0));
    let of = |more| encode(Size::new(9, 9), png::ColorType::Rgba, png::BitDepth::Eight, data.as_bytes(), more);
    folder.write("art/plain.png", png(&data));
    folder.write("art/dark.png", of(gamma));
    let run = folder.zemtak("pack art").exits(0);
    assert!(run.out().contains("ignored  gamma in 1 file: dark.png\n"), "{}", run.out());
    // The pixels are taken as they are: both files hold one picture.
    assert!(run.out().contains("twins    1 sprite"), "{}", run.out());
}

/// A chunk as PNG has it; decoders do not mind the check sum of chunks that they skip.
fn with_chunk(file: &[u8], kind: &[u8; 4], data: &[u8]) -> Vec<u8> {
    let mut crc = flate2::Crc::new();
    crc.update(kind);
    crc.update(data);
    let length = u32::try_from(data.len()).unwrap().to_be_bytes();
    // Behind the signature and the header, whose length is fixed.
    [&file[..33], &length, kind, data, &crc.sum().to_be_bytes(), &file[33..]].concat()
}

/// An Exif block with one entry, the orientation, in either byte order.
fn exif(big: bool, orientation: u16) -> Vec<u8> {
    let short = |v: u16| if big { v.to_be_bytes() } else { v.to_le_bytes() };
    let long = |v: u32| if big { v.to_be_bytes() } else { v.to_le_bytes() };
    let head = [if big { *b"MM" } else { *b"II" }, short(42)].concat();
    [
        head,
        long(8).into(),
        short(1).into(),
        short(274).into(),
        short(3).into(),
        long(1).into(),
        short(orientation).into(),
        vec![0; 6],
    ]
    .concat()
}

/// Once, a name that clashed kept broken images from being told: they were found a step later.
#[test]
fn clashing_names_and_broken_images_are_told_in_one_run() {
    let folder = Folder::new();
    let good = png(&blob(4, 4, [7, 7, 7]));
    folder.write("art/lamp.png", &good);
    folder.write("art/Lamp.png", &good);
    folder.write("art/moth.png", &good);
    folder.write("art/moth.qoi", &good);
    folder.write("art/torn.png", &good[..40]);
    let errors = folder.zemtak("pack art --json").exits(3).json()["errors"].clone();
    let places: Vec<&str> = errors.as_array().unwrap().iter().map(|e| e["where"].as_str().unwrap()).collect();
    assert_eq!(places, ["moth", "Lamp, lamp", "art/torn.png"]);
}

#[test]
fn profiles_and_orientations_are_told_whatever_the_format() {
    let folder = Folder::new();
    let plain = png(&blob(9, 9, [7, 7, 7]));
    folder.write("art/profile.png", with_chunk(&plain, b"iCCP", b"x\0\0nothing"));
    folder.write("art/lying.png", with_chunk(&plain, b"eXIf", &exif(true, 6)));
    folder.write("art/upright.png", with_chunk(&plain, b"eXIf", &exif(false, 1)));
    let mut file = Vec::new();
    let mut encoder = jpeg_encoder::Encoder::new(&mut file, 90);
    encoder.add_icc_profile(&[1, 2, 3]).unwrap();
    encoder.add_exif_metadata(&exif(false, 8)).unwrap();
    encoder.encode(&[200; 9 * 9 * 3], 9, 9, jpeg_encoder::ColorType::Rgb).unwrap();
    folder.write("art/photo.jpg", file);
    let json = folder.zemtak("pack art --json").exits(0).json();
    let expected = serde_json::json!({
        "colour profile": ["photo.jpg", "profile.png"],
        "orientation": ["lying.png", "photo.jpg"],
    });
    assert_eq!(json["atlases"][0]["ignored"], expected);
}

/// The system says "File exists", and the advice was to check that it does.
#[test]
fn a_file_in_the_place_of_a_folder_is_told_as_one() {
    let folder = Folder::new();
    folder.write("art/moth.png", png(&blob(20, 20, [200, 90, 60])));
    folder.write("notes", "mine");
    for (out, why) in
        [("notes", "notes: there is a file of this name already"), ("notes/x", "notes/x: a part of the path is a file")]
    {
        let told = folder.zemtak(&format!("pack art -o {out}")).exits(4).err();
        assert!(told.contains(why) && told.contains("give another path, or move that file away"), "{told}");
    }
    assert_eq!(folder.read("notes"), b"mine");
}

/// Found by a folder in which somebody had put a named pipe: it was opened, and waited for until for ever.
#[cfg(unix)]
#[test]
fn what_is_no_regular_file_is_told_and_not_waited_for() {
    let folder = Folder::new();
    folder.write("art/moth.png", png(&blob(20, 20, [200, 90, 60])));
    folder.zemtak("pack art -o good --name n").exits(0);
    let pipe = |path: &str| {
        let mode = 0o600.into();
        rustix::fs::mknodat(rustix::fs::CWD, folder.path(path), rustix::fs::FileType::Fifo, mode, 0).unwrap();
    };
    for path in ["pipe", "pipe.zemtak.json", "pipe.csv", "pipe.jinja"] {
        pipe(path);
    }
    folder.write(
        "project/zemtak.toml",
        "format = 1\n[atlas.n]\nroot = \"../art\"\nalso = [\"template:../pipe.jinja\"]\n",
    );
    let reads = [
        "list pipe",
        "list /dev/zero",
        "pack --project pipe",
        "pack --project /dev/zero",
        "pack --project project/zemtak.toml",
        "cache rehearse pipe",
        "cache rehearse /dev/zero",
        "diff good/n.zemtak.json pipe.zemtak.json",
        "export good/n.zemtak.json --as template:pipe -o made",
        "uv good/n.zemtak.json moth --points pipe.csv",
        "quad good/n.zemtak.json --list pipe.csv",
        "cut pipe -o made --cell 8x8",
    ];
    for line in reads {
        let run = folder.zemtak(line).exits(4);
        let told = run.err();
        assert!(told.contains("a named pipe, not") || told.contains("a device, not"), "{line}: {told}");
    }
    assert!(!folder.path("made").exists());
    // In the place of a page, of a descriptor that is to be written, of a store, of a lock.
    std::fs::remove_file(folder.path("good/n-0.png")).unwrap();
    pipe("good/n-0.png");
    for line in ["verify good/n.zemtak.json", "view good/n.zemtak.json --png made.png", "mips good/n.zemtak.json"] {
        let run = folder.zemtak(line).exits(4);
        assert!((run.out() + &run.err()).contains("n-0.png: a named pipe, not"), "{line}");
    }
    // Nor is anything put in the place of one, though the descriptor says that a page of ours lay there.
    let taken = folder.zemtak("pack art -o good --name n --gutter 3").exits(4).err();
    assert!(taken.contains("n-0.png: a named pipe, not"), "{taken}");
    std::fs::create_dir(folder.path("cut")).unwrap();
    pipe("cut/sheet_0.png");
    folder.write("sheet.png", png(&blob(16, 8, [9, 9, 9])));
    folder.zemtak("cut sheet.png -o cut --cell 8x8").exits(2);
    std::fs::create_dir(folder.path("moths")).unwrap();
    pipe("moths/zemtak.toml");
    folder.zemtak("demo moths").exits(2);
    for path in ["good/n-0.png", "cut/sheet_0.png", "moths/zemtak.toml"] {
        assert!(!std::fs::metadata(folder.path(path)).unwrap().is_file(), "{path}");
    }
    std::fs::create_dir(folder.path("out")).unwrap();
    pipe("out/n.zemtak.json");
    folder.zemtak("pack art -o out --name n").exits(4);
    pipe("out/.zemtak-store");
    folder.zemtak("pack art -o out --name m").exits(0);
}

/// Found by a full disk behind a redirection: the command failed without a word.
#[cfg(target_os = "linux")]
#[test]
fn an_answer_that_cannot_be_printed_is_told() {
    let folder = Folder::new();
    folder.write("art/moth.png", png(&blob(20, 20, [200, 90, 60])));
    folder.zemtak("pack art --name n").exits(0);
    for line in ["list build/n.zemtak.json", "list build/n.zemtak.json --json"] {
        let full = std::fs::File::options().write(true).open("/dev/full").unwrap();
        let run = folder.command(line).stdout(full).output().unwrap();
        let told = String::from_utf8(run.stderr).unwrap();
        assert_eq!(run.status.code(), Some(4), "{told}");
        assert!(told.contains("standard output: the disk is full"), "{told}");
    }
    // What is told beside an answer is lost then, and nothing else: it was a panic.
    let full = std::fs::File::options().write(true).open("/dev/full").unwrap();
    let run = folder.command("pack art --name n --fresh --progress json").stderr(full).output().unwrap();
    assert_eq!((run.status.code(), run.stdout.starts_with(b"n: unchanged, 1 sprite")), (Some(0), true), "{run:?}");
}

/// Found by commands that read, searched or filled in templates on after Ctrl-C, one of them for ever: the second signal was needed.
#[cfg(target_os = "linux")]
#[test]
fn one_signal_ends_a_command_that_waits_or_works_on() {
    use rustix::process::{Pid, Signal, kill_process};
    let folder = Folder::new();
    folder.write("art/moth.png", png(&blob(20, 20, [200, 90, 60])));
    folder.zemtak("pack art --name n").exits(0);
    let before = folder.everything("build");
    let wild = "{% for a in range(9999) %}{% for b in range(9999) %}{% endfor %}{% endfor %}";
    folder.write("wild.jinja", wild);
    let (waits, works) = ("uv build/n.zemtak.json -", "pack art --name n --also template:wild.jinja");
    for (line, signal) in [(waits, Signal::TERM), (waits, Signal::INT), (works, Signal::INT)] {
        let mut child = folder.command(line).stdin(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap();
        let listens = || {
            let status = std::fs::read_to_string(format!("/proc/{}/status", child.id())).unwrap();
            let caught = status.lines().find_map(|line| line.strip_prefix("SigCgt:")).unwrap().trim().to_owned();
            u64::from_str_radix(&caught, 16).unwrap() & (1 << (signal.as_raw() - 1)) != 0
        };
        while !listens() {
            std::thread::yield_now();
        }
        kill_process(Pid::from_child(&child), signal).unwrap();
        // Its input stays open, so that it would wait on.
        let input = child.stdin.take();
        let run = child.wait_with_output().unwrap();
        drop(input);
        assert_eq!(run.status.code(), Some(130), "{line:?}");
        let told = String::from_utf8(run.stderr).unwrap();
        assert!(told.contains("error: interrupted"), "{told}");
        assert_eq!(folder.everything("build"), before);
    }
}
