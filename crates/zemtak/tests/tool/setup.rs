//! `zemtak setup`: manual pages of every command, and completions that know the project.

use crate::fixtures::{Folder, blob, png};
use std::process::Command;

/// What a shell is offered for the last word of a command line.
fn offered(folder: &Folder, words: &[&str]) -> Vec<String> {
    let output = Command::new(env!("CARGO_BIN_EXE_zemtak"))
        .current_dir(folder.path(""))
        .env("ZEMTAK_COMPLETE", "bash")
        .env("_CLAP_IFS", "\n")
        .env("_CLAP_COMPLETE_INDEX", (words.len() - 1).to_string())
        .args(["--"])
        .args(words)
        .output()
        .unwrap();
    String::from_utf8(output.stdout).unwrap().lines().map(str::to_owned).collect()
}

#[test]
fn names_of_atlases_sprites_and_clips_are_completed() {
    let folder = Folder::new();
    for name in ["moth/fly/0", "moth/fly/1", "moth/rest", "lamp"] {
        folder.write(&format!("art/{name}.png"), png(&blob(9 + name.len() as u32, 9, [7, 8, 9])));
    }
    folder.write("zemtak.toml", "format = 1\n[atlas.night]\nroot = \"art\"\n[atlas.noon]\nroot = \"art\"\n");
    folder.zemtak("pack").exits(0);
    assert_eq!(offered(&folder, &["zemtak", "list", "ni"]), ["night"]);
    assert_eq!(offered(&folder, &["zemtak", "diff", "night", "noo"]), ["noon"]);
    assert_eq!(offered(&folder, &["zemtak", "describe", "night", "moth/"]), ["moth/fly/0", "moth/fly/1", "moth/rest"]);
    assert_eq!(offered(&folder, &["zemtak", "list", "build/noon.zemtak.json", "la"]), ["lamp"]);
    assert_eq!(offered(&folder, &["zemtak", "clip", "at", "night", "mo"]), ["moth/fly"]);
    assert_eq!(offered(&folder, &["zemtak", "uv", "night", "--clip", "m"]), ["moth/fly"]);
    assert!(offered(&folder, &["zemtak", "verify", "build/n"]).contains(&"build/night.zemtak.json".to_owned()));
    assert_eq!(offered(&folder, &["zemtak", "pack", "--effort", ""]), ["quick", "normal", "high"]);
}

#[test]
fn what_is_installed_is_whole_and_replaces_nobody_elses_files() {
    let folder = Folder::new();
    let first = folder.zemtak("setup --prefix local --json").exits(0).json();
    let files: Vec<&str> = first["files"].as_array().unwrap().iter().filter_map(|file| file.as_str()).collect();
    assert_eq!(first["written"], files.len());
    assert_eq!(folder.zemtak("setup --prefix local --json").exits(0).json()["written"], 0);
    // Every command has a page, which shows its examples and all of its options.
    let help = folder.zemtak("--help").exits(0).out();
    let commands = help.split("Commands:\n").nth(1).unwrap().split("\n\n").next().unwrap();
    for command in commands.lines().filter_map(|line| line.split_whitespace().next()).filter(|name| *name != "help") {
        let path = format!("local/share/man/man1/zemtak-{command}.1");
        let page = String::from_utf8(folder.read(&path)).unwrap();
        assert!(page.contains(&format!("zemtak {command}")) && page.contains("Examples"), "{path}\n{page}");
    }
    let script = folder.path("local/share/bash-completion/completions/zemtak");
    assert!(Command::new("bash").arg("-n").arg(&script).status().unwrap().success());
    // A page of an older version may be replaced, a stranger's file not, though it speaks of the tool.
    let older = [&folder.read("local/share/man/man1/zemtak.1")[..200], b"and so on"].concat();
    folder.write("local/share/man/man1/zemtak.1", older);
    assert_eq!(folder.zemtak("setup --prefix local --json").exits(0).json()["written"], 1);
    folder.write("local/share/man/man1/zemtak-pack.1", "my notes on zemtak pack");
    let told = folder.zemtak("setup --prefix local").exits(2).err();
    assert!(told.contains("local/share/man/man1/zemtak-pack.1: it already exists"), "{told}");
    folder.zemtak("setup --prefix local --force").exits(0);
}
