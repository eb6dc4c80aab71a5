//! A build that is cut into shares over machines: what they put into the shared store is what a plain build makes, whichever of them ran.

use crate::fixtures::{Dice, Folder, Run, blob, png};
use serde_json::{Value, json};
use zemtak_core::geometry::Size;
use zemtak_core::pixels::Pixels;

/// A studio's project: small atlases, one of many pages, one with another size.
fn studio() -> Folder {
    let folder = Folder::new();
    let mut project = String::from("format = 1\n");
    let mut atlas = |name: &str, keys: &str, images: Vec<Pixels>| {
        project.push_str(&format!("[atlas.{name}]\nroot = \"art/{name}\"\n{keys}\n"));
        for (at, image) in images.iter().enumerate() {
            folder.write(&format!("art/{name}/{at:02}.png"), png(image));
        }
    };
    let blobs = |name: &str, count: u32| {
        let colour = |at: u32| [name.len() as u8 * 20, (at * 9 % 256) as u8, name.as_bytes()[0]];
        (0..count).map(|at| blob(9 + at % 14, name.len() as u32 + at % 9, colour(at))).collect::<Vec<_>>()
    };
    for name in ["bats", "cat", "moths", "rooftops", "windows"] {
        atlas(name, "", blobs(name, 7));
    }
    // Work enough for its pages to be shared out.
    let mut dice = Dice(5);
    let mut noise =
        |_| Pixels::from_rgba(Size::new(60, 60), (0..14_400).map(|_| dice.next() as u8 | 1).collect()).unwrap();
    atlas("sky", "page.max = [128, 128]\npng = \"small\"", (0..12).map(&mut noise).collect());
    atlas("menu", "sizes = [{ suffix = \"-half\", factor = 0.5 }]", blobs("menu", 20));
    folder.write("zemtak.toml", project);
    folder
}

fn run(folder: &Folder, store: &Folder, line: &str) -> Run {
    let mut command = folder.command(line);
    Run::of(line, command.env("ZEMTAK_STORE", store.path("")).output().unwrap())
}

fn results(folder: &Folder) -> Vec<(String, Vec<u8>)> {
    folder.everything("build").into_iter().filter(|(name, _)| !name.contains(".zemtak-")).collect()
}

/// A store with something in it that is not ours.
fn store() -> Folder {
    let store = Folder::new();
    store.write("notes.txt", "moths");
    store
}

fn made(told: &Value) -> [&Value; 3] {
    ["images", "layouts", "pages"].map(|part| &told["origins"][part]["made"])
}

#[test]
fn all_shares_together_make_just_what_a_build_makes() {
    let plain = studio();
    let alone = plain.zemtak("pack --json").exits(0).json();
    let expected = results(&plain);
    let [pages, layouts] = ["pages", "layouts"].map(|part| alone["origins"][part]["made"].as_u64().unwrap());
    // The sky has several, and the menu another size.
    assert!(pages > 9 && layouts == 8, "{alone}");
    for shares in [1_u32, 3, 16] {
        let (store, mut dice) = (store(), Dice(shares.into()));
        let mut order: Vec<u32> = (1..=shares).collect();
        order.sort_by_key(|_| dice.next());
        let mut all = 0;
        for share in order {
            let machine = studio();
            let told = run(&machine, &store, &format!("pack --share {share}/{shares} --json")).exits(0).json();
            all += told["origins"]["pages"]["made"].as_u64().unwrap();
            assert!(!machine.exists("build") && told["share"] == share && told["of"] == shares, "{told}");
        }
        assert_eq!(all, pages, "{shares} shares make each page once");
        let last = studio();
        let plan = run(&last, &store, &format!("plan --shares {shares} --json")).exits(0).json();
        let units = || plan["shares"].as_array().unwrap().iter().flat_map(|share| share["units"].as_array().unwrap());
        assert!(units().all(|unit| unit["in_store"] == true), "{plan}");
        let parts = || units().filter(|unit| !unit["part"].is_null()).map(|unit| (unit, &unit["part"]));
        assert!(shares < 16 || parts().any(|(_, part)| part["of"].as_u64() > Some(1)), "{plan}");
        for (unit, part) in parts() {
            let of_it =
                parts().filter(|(other, _)| (&other["atlas"], &other["size"]) == (&unit["atlas"], &unit["size"]));
            let mut numbers: Vec<u64> = of_it.map(|(_, part)| part["number"].as_u64().unwrap()).collect();
            numbers.sort_unstable();
            assert_eq!(numbers, (1..=part["of"].as_u64().unwrap()).collect::<Vec<_>>(), "each part once: {plan}");
        }
        let told = run(&last, &store, "pack --json").exits(0).json();
        assert_eq!(made(&told), [&json!(0); 3], "{told}");
        assert!(told["origins"]["work_seconds"]["fetched"].as_f64() > Some(0.0), "{told}");
        assert!(results(&last) == expected, "{shares} shares");
        // A share that ran twice has nothing to do.
        let told = run(&studio(), &store, &format!("pack --share 1/{shares} --json")).exits(0).json();
        assert_eq!((made(&told), &told["shared_store"]["shared"]), ([&json!(0); 3], &json!(0)));
        assert_eq!(store.everything("")[0], ("notes.txt".into(), b"moths".to_vec()));
    }
}

#[test]
fn what_a_share_did_not_make_is_made_by_whoever_needs_it() {
    let plain = studio();
    plain.zemtak("pack").exits(0);
    let (store, expected) = (store(), results(&plain));
    // The second of three machines died, and of what the third one made every fourth value is gone or damaged.
    for share in [1, 3] {
        run(&studio(), &store, &format!("pack --share {share}/3")).exits(0);
    }
    for (at, (name, bytes)) in store.everything("zemtak-2").into_iter().enumerate() {
        match at % 8 {
            0 => std::fs::remove_file(store.path(&format!("zemtak-2/{name}"))).unwrap(),
            4 => store.write(&format!("zemtak-2/{name}"), &bytes[..bytes.len() / 2]),
            _ => {}
        }
    }
    let plan = run(&studio(), &store, "plan --shares 3").exits(0).out();
    assert!(plan.contains("3 shares: together 1."), "{plan}");
    let last = studio();
    let told = run(&last, &store, "pack --json").exits(0).json();
    assert!(
        told["origins"]["pages"]["made"].as_u64() > Some(0) && told["origins"]["pages"]["fetched"].as_u64() > Some(0)
    );
    assert!(results(&last) == expected);
    // What was damaged is there again, and another image makes only its own atlas anew.
    let told = run(&studio(), &store, "pack --json").exits(0).json();
    assert_eq!((made(&told), told["warnings"].as_array().unwrap().len()), ([&json!(0); 3], 0), "{told}");
    let changed = studio();
    changed.write("art/cat/00.png", png(&blob(12, 30, [9, 9, 9])));
    let plan = run(&changed, &store, "plan --json").exits(0).json();
    let missing = plan["shares"][0]["units"].as_array().unwrap().iter().filter(|unit| unit["in_store"] == false);
    assert_eq!(missing.map(|unit| &unit["atlas"]).collect::<Vec<_>>(), [&json!("cat")]);
}

#[test]
fn a_damaged_value_is_a_warning_of_a_share_and_mended_by_it() {
    let store = store();
    run(&studio(), &store, "pack --share 1/1").exits(0);
    for (name, bytes) in store.everything("zemtak-2/atlases") {
        store.write(&format!("zemtak-2/atlases/{name}"), &bytes[..bytes.len() - 1]);
    }
    let warned = run(&studio(), &store, "pack --share 1/1").exits(0).err();
    assert!(warned.contains("it has a value that is not as it was shared"), "{warned}");
    assert_eq!(run(&studio(), &store, "pack --share 1/1").exits(0).err(), "");
}

#[test]
fn a_share_needs_a_store_that_takes_it() {
    let (folder, store) = (studio(), store());
    let refused = folder.zemtak("pack --share 1/2").exits(2).err();
    assert!(refused.contains("no shared store") || refused.contains("no store"), "{refused}");
    let mut command = folder.command("pack --share 1/2");
    let reads = command.env("ZEMTAK_STORE", store.path("")).env("ZEMTAK_STORE_ACCESS", "read").output().unwrap();
    Run::of("a share that may only read", reads).exits(2);
    let gone =
        Run::of("gone", folder.command("pack --share 1/2").env("ZEMTAK_STORE", store.path("none")).output().unwrap());
    let told = gone.exits(4).err();
    assert!(told.contains("could not be put there: there is no folder") && told.contains("docs/studio.md"), "{told}");
    for wrong in ["3/2", "0/2", "2"] {
        folder.zemtak(&format!("pack --share {wrong}")).exits(2);
    }
    // What is wrong with images is told as by a build, all at once, and in what it was to make alone.
    folder.write("art/cat/00.png", "no image");
    folder.write("art/bats/03.png", &png(&blob(9, 9, [1, 2, 3]))[..60]);
    let errors: Vec<String> = (1..=2)
        .map(|share| run(&folder, &store, &format!("pack --share {share}/2")))
        .filter(|run| run.code() != Some(0))
        .map(|run| run.exits(3).err())
        .collect();
    assert!(errors.concat().contains("art/bats/03.png"), "{errors:?}");
}

#[test]
fn stores_are_told_trimmed_and_checked() {
    let (folder, store) = (studio(), store());
    assert!(folder.zemtak("store info").exits(2).err().contains("nothing was built here yet"));
    run(&folder, &store, "pack").exits(0);
    let url = store.path("").display().to_string();
    let told = run(&folder, &store, "store info --json").exits(0).json();
    let [local, shared] = [&told["stores"][0], &told["stores"][1]];
    assert!(local["shared"] == false && local["values"].as_u64() > Some(100), "{told}");
    let kinds: Vec<&str> = shared["kinds"].as_array().unwrap().iter().map(|k| k["kind"].as_str().unwrap()).collect();
    assert_eq!(kinds, ["images", "layouts", "pages", "atlases", "work"]);
    let files = store.everything("zemtak-2");
    let bytes: usize = files.iter().map(|(_, bytes)| bytes.len()).sum();
    assert_eq!((shared["values"].as_u64(), shared["bytes"].as_u64()), (Some(files.len() as u64), Some(bytes as u64)));
    run(&folder, &store, "store check").exits(0);
    // A damaged value is found, and goes if it is to.
    let (name, _) = &files[0];
    store.write(&format!("zemtak-2/{name}"), "damaged");
    let text = folder.zemtak(&format!("store check --url {url}")).exits(1).out();
    assert!(text.contains("1 of ") && text.contains(name), "{text}");
    folder.zemtak(&format!("store check --url {url} --remove")).exits(1);
    folder.zemtak(&format!("store check --url {url}")).exits(0);
    // A value that is used says so once a day, but not where a build may only read.
    let page = &files.iter().find(|(name, _)| name.starts_with("pages/")).unwrap().0;
    let (name, old) =
        (format!("zemtak-2/{page}"), std::time::SystemTime::now() - std::time::Duration::from_secs(200_000));
    let age = || std::fs::metadata(store.path(&name)).unwrap().modified().unwrap().elapsed().unwrap().as_secs();
    std::fs::File::options().write(true).open(store.path(&name)).unwrap().set_modified(old).unwrap();
    let reader = studio();
    let mut command = reader.command("pack");
    command.env("ZEMTAK_STORE", store.path("")).env("ZEMTAK_STORE_ACCESS", "read");
    Run::of("a reader", command.output().unwrap()).exits(0);
    assert!(age() >= 200_000);
    run(&studio(), &store, "pack").exits(0);
    assert!(age() < 100_000);
    // Both are made smaller; what is left is whole, and what is gone is made again.
    folder.zemtak("store trim").exits(2);
    let everything = || (folder.everything("build"), store.everything("zemtak-2"));
    let whole = everything();
    let planned = run(&folder, &store, "store trim --max-size 8KiB --json --dry-run").exits(0).json();
    run(&folder, &store, "store check --remove").exits(0);
    assert!(everything() == whole, "nothing goes if it is only to be told, or is not damaged");
    let told = run(&folder, &store, "store trim --max-size 8KiB --json").exits(0).json();
    assert_eq!((&planned["stores"], &planned["dry_run"]), (&told["stores"], &json!(true)), "{planned}");
    for trimmed in told["stores"].as_array().unwrap() {
        assert!(trimmed["removed"].as_u64() > Some(0) && trimmed["left_bytes"].as_u64() <= Some(8192), "{told}");
    }
    assert!(std::fs::metadata(folder.path("build/.zemtak-store")).unwrap().len() <= 8192);
    let before = results(&folder);
    run(&folder, &store, "pack").exits(0);
    assert!(results(&folder) == before);
    run(&folder, &store, "store check").exits(0);
    // Values that were shared with a key are those of nobody without it.
    let (keyed, address) = (Folder::new(), |keyed: &Folder| keyed.path("").display().to_string());
    let with_key = |line: &str| {
        let mut command = folder.command(line);
        command.env("ZEMTAK_STORE_KEY", "lamp").env("ZEMTAK_STORE", keyed.path(""));
        Run::of(line, command.output().unwrap())
    };
    keyed.write("notes.txt", "moths");
    with_key("pack -o keyed").exits(0);
    let check = format!("store check --url {}", address(&keyed));
    with_key(&check).exits(0);
    folder.zemtak(&check).exits(1);
    // The one beside the results is one file: it goes as a whole, and is made again.
    let mut local = folder.read("build/.zemtak-store");
    let last = local.len() - 1;
    local[last] ^= 1;
    folder.write("build/.zemtak-store", local);
    let damaged = |line: &str| folder.zemtak(line).exits(1).json()["stores"][0]["removed"].clone();
    assert_eq!(damaged("store check --json"), false);
    assert!(folder.exists("build/.zemtak-store"));
    assert_eq!(damaged("store check --remove --json"), true);
    assert!(!folder.exists("build/.zemtak-store"));
    run(&folder, &store, "pack").exits(0);
    assert!(results(&folder) == before);
    // Nothing goes from one that may only be read.
    let reads = |line: &str| {
        let mut command = folder.command(line);
        command.env("ZEMTAK_STORE", store.path("")).env("ZEMTAK_STORE_ACCESS", "read");
        Run::of(line, command.output().unwrap())
    };
    for line in ["store trim --max-size 0", "store check --remove"] {
        let told = reads(line).exits(2).err();
        assert!(told.contains("nothing is removed from it"), "{told}");
    }
    reads("store trim --max-size 0 --dry-run").exits(0);
    run(&folder, &store, "store info").exits(0);
    assert!(!store.everything("zemtak-2").is_empty());
    // The local one too, which does not know the age of its values: that was said with no word, and exit 0.
    assert!(folder.zemtak("store trim --max-age 1").exits(2).err().contains("only a shared store knows"));
    folder.write("build/.zemtak-store", "damaged");
    assert!(folder.zemtak("store check").exits(1).out().contains("damaged; the next build makes a new one"));
    folder.zemtak("store check --remove").exits(1);
    assert!(!folder.exists("build/.zemtak-store"));
    let told = run(&folder, &store, "store trim --max-age 1 --json").exits(0).json();
    assert_eq!(told["stores"][0]["removed"], 0);
}

/// Shares, a build of what they made, and all that can be done with a store, against real servers: `scripts/stores` starts them.
#[test]
#[ignore = "needs servers: scripts/stores"]
fn real_servers_keep_what_shares_made() {
    let plain = studio();
    plain.zemtak("pack").exits(0);
    let expected = results(&plain);
    let stores = std::env::var("ZEMTAK_TEST_STORES").expect("the addresses of stores");
    for store in stores.split_whitespace() {
        let run = |folder: &Folder, line: &str| {
            let mut command = folder.command(line);
            command.env("ZEMTAK_STORE", store).env("ZEMTAK_STORE_KEY", "courier");
            Run::of(line, command.output().unwrap())
        };
        for share in 1..=3 {
            run(&studio(), &format!("pack --share {share}/3")).exits(0);
        }
        let last = studio();
        let told = run(&last, "pack --json").exits(0).json();
        assert_eq!((made(&told), told["warnings"].as_array().unwrap().len()), ([&json!(0); 3], 0), "{store}: {told}");
        assert!(results(&last) == expected, "{store}");
        // From now on it is read ahead.
        let again = studio();
        let told = run(&again, "pack --json").exits(0).json();
        assert_eq!((made(&told), &told["shared_store"]["shared"]), ([&json!(0); 3], &json!(0)), "{store}: {told}");
        assert!(results(&again) == expected, "{store}");
        if store.starts_with("http") {
            // It cannot be listed from here.
            run(&last, "store check").exits(4);
            continue;
        }
        run(&last, "store check").exits(0);
        let info = run(&last, "store info --json").exits(0).json();
        assert!(info["stores"][1]["values"].as_u64() > Some(30), "{store}: {info}");
        let told = run(&last, &format!("store trim --url {store} --max-size 6KiB --json")).exits(0).json();
        let trimmed = &told["stores"][0];
        assert!(
            trimmed["removed"].as_u64() > Some(0) && trimmed["left_bytes"].as_u64() <= Some(6144),
            "{store}: {told}"
        );
        // What is gone is made again.
        let mends = studio();
        let told = run(&mends, "pack --json").exits(0).json();
        assert!(told["origins"]["pages"]["made"].as_u64() > Some(0) && results(&mends) == expected, "{store}: {told}");
        run(&last, &format!("store trim --url {store} --max-size 0")).exits(0);
    }
}
