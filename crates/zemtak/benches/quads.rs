//! A million placements from CSV to a vertex buffer, against the least work: reading the same lines as text, parsing
//! their numbers, and writing as many bytes. `cargo bench -p zemtak --bench quads`.

#![allow(missing_docs, clippy::unwrap_used, clippy::panic, reason = "a bench may fail loudly")]

use std::fmt::Write as _;
use std::fs;
use std::io::Write as _;
use std::path::{Path, PathBuf};
use std::time::Instant;
use zemtak::commands::quad;
use zemtak::console::Console;
use zemtak::report::OutputOptions;
use zemtak_build::Limits;
use zemtak_core::coords::{Placement, Sampling};

const COUNT: usize = 1_000_000;
const RUNS: usize = 5;

fn main() {
    let folder = tempfile::tempdir().unwrap();
    let art = Path::new(env!("CARGO_MANIFEST_DIR")).join("demo/art");
    let at = |name: &str| folder.path().join(name);
    zemtak_build::PackRequest::of_paths([art]).out(at("")).name("night").run(&()).unwrap();
    write_list(&at("list.csv"));
    let request = quad::QuadRequest {
        subject: quad::QuadRequest::all_of(at("night.zemtak.json")),
        parts: Vec::new(),
        list: Some(at("list.csv")),
        placement: Placement::default(),
        zoom: quad::Zoom::Scale([1.0; 2]),
        pivot: None,
        tint: [255; 4],
        tile: None,
        stretch: None,
        sampling: Sampling::default(),
        in_order: false,
        form: quad::Form::Buffer,
        out: Some(at("quads.bin")),
        force: true,
    };
    let console = Console::new(OutputOptions::default(), Limits::default(), None);
    let (mut floors, mut batches) = (Vec::new(), Vec::new());
    for _ in 0..RUNS {
        floors.push(timed(|| least_work(&at("list.csv"), at("floor.bin"))));
        batches.push(timed(|| drop(quad::run(&request, &console).unwrap())));
    }
    let bytes = fs::metadata(at("quads.bin")).unwrap().len();
    let (floor, batch) = (median(&mut floors), median(&mut batches));
    println!("{COUNT} placements, {bytes} bytes of vertices and indices, median of {RUNS} runs in turn");
    println!("  least work {floor:.3} s, quad {batch:.3} s, ratio {:.2}", batch / floor);
}

fn write_list(path: &Path) {
    let names = ["moth/fly/03", "lantern/teal/00", "emblem", "tile/water", "letter/spin/02"];
    let mut list = String::from("sprite,x,y,angle,scale\n");
    for i in 0..COUNT {
        let _ = writeln!(list, "{},{}.25,{},{},1.5", names[i % names.len()], i % 1920, i / 1920, i % 360);
    }
    fs::write(path, list).unwrap();
}

fn least_work(list: &Path, out: PathBuf) {
    let mut reader = csv::Reader::from_path(list).unwrap();
    let mut record = csv::StringRecord::new();
    let mut sum = 0.0;
    while reader.read_record(&mut record).unwrap() {
        sum += record.iter().skip(1).map(|field| field.parse::<f64>().unwrap()).sum::<f64>();
    }
    std::hint::black_box(sum);
    let mut file = fs::File::create(out).unwrap();
    (0..COUNT).step_by(1000).for_each(|_| file.write_all(&[7; 104 * 1000]).unwrap());
}

fn timed(work: impl FnOnce()) -> f64 {
    let started = Instant::now();
    work();
    started.elapsed().as_secs_f64()
}

fn median(times: &mut [f64]) -> f64 {
    times.sort_by(f64::total_cmp);
    times[times.len() / 2]
}
