//! Whole answers, in words and as JSON, on the demo: of what the guide does not show.

use crate::guide::{demo_project, steady};

/// Run one after another in the demo's project. Work is estimated before anything is built: later on estimates depend
/// on how long it took.
const LINES: &[&str] = &[
    "plan",
    "plan --shares 3",
    "plan --shares 2 --verbose",
    "pack --dry-run",
    "pack --quiet",
    "pack --check",
    "list menu",
    "list scene moth/l* --verbose",
    "list menu stamp/moth --json",
    "describe menu emblem",
    "clip list scene",
    "clip at scene moth/land 10ms 0.5s 9s",
    "uv menu button/map/up button/map/down --as rect",
    "uv menu emblem --as matrix --flip x",
    "quad menu emblem --at 10,20 --flip x --tint #80ff00",
    "grid 64x36 --cell 8x8 --gutter 2 --pixel 12,12 --index 6",
    "cut art/button/map/up.png -o cut",
    "export menu --as qoi -o export",
    "store check",
    "pack --name menu --filter linear --quiet -o other",
    "diff build/menu.zemtak.json other/menu.zemtak.json",
    "verify other/menu.zemtak.json --against art/letter",
    "pack --name scene --gutter 4 --check",
    "scan art/moth art/lantern",
    "scan odd --all",
    "scan odd --png odd.png",
    "setup --prefix setup",
    "uv menu emblem --shrink 200",
    "uv menu emblem --points points.csv",
    "uv menu emblem --points wrong.csv",
    "quad scene moth/land/* --as buffer -o quads.bin",
    "cut menu -o back --verbose",
    "cut art/emblem.png --cells 4x4 --uniform centre --dry-run",
    "mips scene --levels 3 --png mips.png",
    "export menu --as webp --zstd",
    "pattern 32x32 --kind uv -o uv.png",
    "view menu --png menu.png",
    "clip table scene moth/land",
    "clip render scene spark/fade -o spark.gif --zoom 2",
    "pack --name scene --keep --gutter 4",
    "pack --name menu --least-psnr 60 --mip-levels 2 -o gpu",
    "describe gpu/menu.zemtak.json emblem",
    "cache rehearse faults.toml",
    "cache rehearse faults.toml --json",
    "uv menu emblem --v-up --json",
    "uv scene moth/fly/03 --as wgsl --json",
    "quad menu emblem stamp/moth --json",
    "scan odd --json",
    "scan odd",
    "uv menu emblem --as unorm16 --json",
    "verify menu --against art",
    "verify scene --against shuffled",
    "pack art -o many --name many --page-max 256x128 --quiet",
    "quad many/many.zemtak.json --as buffer -o many.bin",
    "quad many/many.zemtak.json moth/** lantern/** --as buffer -o ordered.bin --in-order",
    "list many/many.zemtak.json moth/* moth/?? moth/fly/8 lantern/*/0[45]",
    "describe many/many.zemtak.json moth/fly/00 --json",
    "clip render scene moth/fly -o fast.gif --speed 9",
    "clip render scene moth/land -o slow.gif --speed 1/3",
    "clip render scene moth/land -o strip.png --as strip --json",
    "pack art/letter -o pale --name pale --alpha premultiplied --quiet",
    "cut pale/pale.zemtak.json -o straight",
    "cut art/emblem.png --cells 4x4 -o cells",
    "mips many/many.zemtak.json --levels 8",
    "pack odd/run1.png odd/run2.png -o odd/pages --name run --quiet",
    "new odd",
    "store info",
    "uv menu emblem --as offset-scale --json",
    "store trim -o build --max-size 0 --dry-run",
    "clip render scene moth/land -o squares.png --as strip --behind checker",
    "pack --name menu --pixels bc1 --why -o blocks",
];

#[test]
fn every_command_answers_like_this() {
    let folder = demo_project();
    for (name, art) in
        [("run1", "moth/fly/00"), ("run2", "moth/fly/01"), ("run5", "moth/fly/02"), ("gust", "wind/gust/05")]
    {
        folder.write(&format!("odd/{name}.png"), folder.read(&format!("art/{art}.png")));
    }
    folder.write("odd/broken.png", "no image");
    folder.write("odd/notes.txt", "no image either");
    // Under each name the image of the next one.
    let art: Vec<(String, Vec<u8>)> = folder.everything("art");
    for (n, (file, _)) in art.iter().enumerate() {
        folder.write(&format!("shuffled/{file}"), &art[(n + 1) % art.len()].1);
    }
    folder.write("points.csv", "u,v\n0,0\n0.5,1\n");
    folder.write("wrong.csv", "x,y\n0,0\n");
    let mut all = String::new();
    for line in LINES {
        let run = folder.zemtak(line);
        all.push_str(&format!("$ zemtak {line}\n"));
        for said in (run.err() + &run.out()).lines() {
            all.push_str(&format!("{}\n", steady(said)));
        }
        if run.code() != Some(0) {
            all.push_str(&format!("(exit code {})\n", run.code().unwrap()));
        }
        all.push('\n');
    }
    insta::assert_snapshot!(all);
}
