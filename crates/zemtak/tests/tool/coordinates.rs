//! Questions about coordinates, asked of the built binary: forms that real compilers read, buffers read byte by byte,
//! sheets cut and put together again.

use crate::fixtures::{Folder, Run, blob, decoded, demo_art, png};
use serde_json::{Value, json};
use std::collections::BTreeMap;
use std::fs;
use zemtak_core::codec::{Limits, decode};
use zemtak_core::geometry::Size;
use zemtak_core::pixels::Pixels;

/// A folder with the demo packed turned and on two pages.
fn packed() -> Folder {
    let folder = Folder::new();
    let art = demo_art();
    folder.zemtak(&format!("pack {} --name night --turn --page-max 512x256 --page-shape free", art.display())).exits(0);
    folder
}

fn picture(bytes: &[u8]) -> Pixels {
    decode(bytes, None, &Limits::default()).unwrap().pixels
}

/// Every image below a folder by its name, without colour that nobody sees.
fn pictures(root: &std::path::Path) -> BTreeMap<String, Pixels> {
    let files = walkdir::WalkDir::new(root).into_iter().map(Result::unwrap).filter(|e| e.file_type().is_file());
    let read = |entry: walkdir::DirEntry| {
        let name = entry.path().strip_prefix(root).unwrap().with_extension("").display().to_string();
        let mut pixels = picture(&fs::read(entry.path()).unwrap());
        pixels.clear_hidden_colour();
        (name, pixels)
    };
    files.map(read).collect()
}

fn floats(value: &Value) -> Vec<f64> {
    match value {
        Value::Array(list) => list.iter().flat_map(floats).collect(),
        other => vec![other.as_f64().unwrap()],
    }
}

#[test]
fn shader_text_is_read_by_real_compilers_and_holds_the_matrix() {
    let folder = packed();
    let names = "moth/** lantern/teal/0[0-3] emblem --v-up --flip y --shrink 0.5";
    let matrices = folder.zemtak(&format!("uv build/night.zemtak.json {names} --as matrix --json")).exits(0).json();
    let expected: Vec<f64> = matrices["uv"]
        .as_array()
        .unwrap()
        .iter()
        .flat_map(|uv| {
            let rows = floats(&uv["matrix"]);
            [0, 3, 1, 4, 2, 5].map(|i| rows[i])
        })
        .collect();
    let wgsl = folder.zemtak(&format!("uv build/night.zemtak.json {names} --as wgsl")).exits(0).out();
    let with_use = format!("{wgsl}\nfn at(t: vec2f) -> vec2f {{ return MOTH_FLY_03 * vec3f(t, 1.0) + EMBLEM[2]; }}");
    let module = naga::front::wgsl::parse_str(&with_use).unwrap_or_else(|e| panic!("{}", e.emit_to_string(&with_use)));
    let mut check =
        naga::valid::Validator::new(naga::valid::ValidationFlags::all(), naga::valid::Capabilities::empty());
    check.validate(&module).unwrap();
    let glsl = folder.zemtak(&format!("uv build/night.zemtak.json {names} --as glsl")).exits(0).out();
    let main = "out vec4 colour;\nvoid main() { colour = vec4(MOTH_FLY_03 * vec3(0.5, 0.5, 1.0), EMBLEM[2]); }";
    let shader = format!("#version 450\n{}\n{glsl}\n{main}", "layout(location = 0)");
    let shader = shader.replace("layout(location = 0)\n", "").replace("out vec4", "layout(location = 0) out vec4");
    let options = naga::front::glsl::Options::from(naga::ShaderStage::Fragment);
    let module =
        naga::front::glsl::Frontend::default().parse(&options, &shader).unwrap_or_else(|e| panic!("{e}\n{shader}"));
    check.validate(&module).unwrap();
    // The numbers, as they stand in the text.
    for text in [&wgsl, &glsl] {
        let lists = text.lines().filter(|l| l.starts_with("const")).map(|l| l.rsplit_once('(').unwrap().1);
        let numbers = lists.flat_map(|l| l.trim_end_matches([')', ';']).split(", ").map(|n| n.parse::<f32>().unwrap()));
        let numbers: Vec<f64> = numbers.map(f64::from).collect();
        assert_eq!(numbers.len(), expected.len());
        assert!(numbers.iter().zip(&expected).all(|(a, b)| (a - b).abs() < 1e-7), "{text}");
    }
}

/// What reads an instance of a batch is a shader that compiles, in both languages.
#[test]
fn shaders_that_read_instances_compile() {
    let wgsl = format!(
        "{}\n@vertex fn main(s: Sprite, @builtin(vertex_index) v: u32) -> @builtin(position) vec4f {{ let c = corner(v); return vec4f(sprite_position(s, c), sprite_uv(s, c)); }}",
        zemtak_runtime::INSTANCE_WGSL
    );
    let module = naga::front::wgsl::parse_str(&wgsl).unwrap_or_else(|e| panic!("{}", e.emit_to_string(&wgsl)));
    let mut check =
        naga::valid::Validator::new(naga::valid::ValidationFlags::all(), naga::valid::Capabilities::empty());
    check.validate(&module).unwrap();
    let glsl = format!(
        "#version 450\n{}\nvoid main() {{ vec2 c = corner(int(gl_VertexIndex)); gl_Position = vec4(sprite_position(c), sprite_uv(c)); }}",
        zemtak_runtime::INSTANCE_GLSL
    );
    let options = naga::front::glsl::Options::from(naga::ShaderStage::Vertex);
    let module =
        naga::front::glsl::Frontend::default().parse(&options, &glsl).unwrap_or_else(|e| panic!("{e}\n{glsl}"));
    check.validate(&module).unwrap();
}

#[test]
fn a_batch_comes_out_sorted_by_page_as_promised_byte_for_byte() {
    let folder = packed();
    let sprites = pictures(&demo_art());
    let mut list = String::from("x,y,sprite,angle,scale_x,flip,tint\n");
    let mut entries = Vec::new();
    for (i, name) in sprites.keys().cycle().take(300).enumerate() {
        let flip = ["", "x", "y", "xy"][i % 4];
        list.push_str(&format!("{i},{}.5,{name},{},{},{flip},#0102{:02x}80\n", i * 2, i * 7, 1 + i % 3, i % 256));
        entries.push(serde_json::json!({
            "sprite": name, "x": i, "y": i as f64 * 2.0 + 0.5, "angle": i * 7, "scale_x": 1 + i % 3,
            "flip": flip, "tint": format!("#0102{:02x}80", i % 256),
        }));
    }
    folder.write("list.csv", &list);
    folder.write("list.json", serde_json::to_string(&entries).unwrap());
    let descriptor = "quad build/night.zemtak.json --v-up";
    // A file that nothing would be written to was ignored without a word.
    let told = folder.zemtak(&format!("{descriptor} --list list.csv -o quads.bin")).exits(2).err();
    assert!(told.contains("quads.bin: only a vertex buffer is written to a file"), "{told}");
    let told = folder.zemtak(&format!("{descriptor} --list list.csv --as buffer -o quads.bin --json")).exits(0).json();
    let listed = folder.zemtak(&format!("{descriptor} --list list.json --json")).exits(0).json();
    let bytes = folder.read("quads.bin");
    let quads = listed["quads"].as_array().unwrap();
    let pages: Vec<u64> = quads.iter().map(|q| q["page"].as_u64().unwrap()).collect();
    assert!(pages.is_sorted() && pages[0] != pages[299]);
    assert_eq!((told["binds"]["as_drawn"].as_u64(), &told["draws"]), (Some(pages[299] + 1), &listed["draws"]));
    assert!(told["binds"]["as_asked_for"].as_u64() > told["binds"]["as_drawn"].as_u64());
    let single = |at: usize| f32::from_le_bytes(bytes[at..at + 4].try_into().unwrap());
    let (stride, first_index) =
        (told["buffer"]["stride"].as_u64().unwrap(), told["buffer"]["indices_byte"].as_u64().unwrap());
    assert_eq!((stride, first_index, bytes.len()), (20, 300 * 4 * 20, 300 * (4 * 20 + 6 * 4)));
    for (q, quad) in quads.iter().enumerate() {
        for corner in 0..4 {
            let at = (q * 4 + corner) * 20;
            let vertex = [0, 4, 8, 12].map(|offset| f64::from(single(at + offset)));
            let expected = [&quad["positions"][corner], &quad["uv"][corner]].map(floats).concat();
            assert!(vertex.iter().zip(&expected).all(|(a, b)| (a - b).abs() < 1e-6), "quad {q} corner {corner}");
            assert_eq!(
                bytes[at + 16..at + 20].iter().map(|&b| u64::from(b)).collect::<Vec<_>>(),
                serde_json::from_value::<Vec<u64>>(quad["tint"].clone()).unwrap()
            );
        }
        for (i, index) in quad["indices"].as_array().unwrap().iter().enumerate() {
            let at = first_index as usize + (q * 6 + i) * 4;
            let found = u32::from_le_bytes(bytes[at..at + 4].try_into().unwrap());
            assert_eq!(u64::from(found), q as u64 * 4 + index.as_u64().unwrap());
        }
    }
    // In the order of the list the same quads are there, with more binds.
    let in_order =
        folder.zemtak(&format!("{descriptor} --list list.csv --in-order --as buffer -o o.bin --json")).exits(0).json();
    assert_eq!(in_order["binds"]["as_drawn"], told["binds"]["as_asked_for"]);
    let vertices = |bytes: &[u8]| {
        let mut quads: Vec<Vec<u8>> = bytes[..24000].chunks_exact(80).map(<[u8]>::to_vec).collect();
        quads.sort();
        quads
    };
    assert_eq!(vertices(&folder.read("o.bin")), vertices(&bytes));
    let csv = folder.zemtak(&format!("{descriptor} --list list.csv --as csv")).exits(0).out();
    let mut reader = csv::Reader::from_reader(csv.as_bytes());
    assert_eq!(reader.records().map(|r| r.unwrap().len()).collect::<Vec<_>>(), [12; 1200]);
}

#[test]
fn a_packed_atlas_cut_by_its_descriptor_is_its_sources() {
    let sources = pictures(&demo_art());
    for options in ["--turn --page-max 256x256", "--no-trim --extrude 3", "--mip-levels 2 --pages-as webp"] {
        let folder = Folder::new();
        folder.zemtak(&format!("pack {} --name night {options}", demo_art().display())).exits(0);
        folder.zemtak("cut build/night.zemtak.json -o back").exits(0);
        assert_eq!(pictures(&folder.path("back")), sources, "{options}");
        // Again is no change; somebody's own file is not written over unless that is asked for.
        folder.zemtak("cut build/night.zemtak.json -o back").exits(0);
        folder.write("back/emblem.png", "mine");
        let run = folder.zemtak("cut build/night.zemtak.json -o back").exits(2);
        assert!(run.err().contains("emblem.png: it already exists and was not written by zemtak"), "{}", run.err());
        folder.zemtak("cut build/night.zemtak.json -o back --force").exits(0);
        assert_eq!(pictures(&folder.path("back")), sources, "{options}");
    }
    let folder = packed();
    let text = String::from_utf8(folder.read("build/night.zemtak.json")).unwrap();
    folder.write("build/evil.zemtak.json", text.replace("\"emblem\":", "\"../../emblem\":"));
    let run = folder.zemtak("cut build/evil.zemtak.json -o back").exits(3);
    assert!(run.err().contains("../../emblem: a file of that name might lie outside the folder"), "{}", run.err());
    assert!(!folder.exists("back"));
}

#[test]
fn sheets_come_apart_by_grid_and_by_islands() {
    let folder = Folder::new();
    let shape = |i: u32| {
        let mut shape = blob(14 + i, 20 - i, [90, 40 * i as u8, 7]);
        shape.clear_hidden_colour();
        shape
    };
    let shapes: Vec<Pixels> = (0..5).map(shape).collect();
    // A sheet of 3 x 2 cells of 24 x 24 with margins of 1 and gutters of 2; the last cell is empty.
    let mut sheet = Pixels::transparent(Size::new(80, 52)).unwrap();
    for (i, shape) in shapes.iter().enumerate() {
        let (x, y) = (1 + (i % 3) * 26 + 2, 1 + (i / 3) * 26 + 1);
        for row in 0..shape.size().h {
            let bytes = shape.row(row);
            sheet.row_mut(y as u32 + row)[x * 4..][..bytes.len()].copy_from_slice(bytes);
        }
    }
    folder.write("sheet.png", png(&sheet));
    let grid = "cut sheet.png --cell 24x24 --margin 1 --gutter 2 --names cell_{row}_{column}";
    let dry = folder.zemtak(&format!("{grid} --dry-run --json")).exits(0).json();
    assert_eq!((dry["sprites"].as_array().unwrap().len(), &dry["empty_left_out"]), (5, &1.into()));
    assert_eq!(dry["sprites"][4]["box"], serde_json::json!([27, 27, 24, 24]));
    assert!(!folder.exists("cut"));
    folder.zemtak(grid).exits(0);
    let cells = pictures(&folder.path("cut"));
    let visible = |pixels: &Pixels| pixels.crop(pixels.visible_box(1).unwrap()).unwrap();
    let names = ["cell_0_0", "cell_0_1", "cell_0_2", "cell_1_0", "cell_1_1"];
    for (name, shape) in names.iter().zip(&shapes) {
        assert_eq!((cells[*name].size(), visible(&cells[*name])), (Size::new(24, 24), visible(shape)), "{name}");
    }
    folder.zemtak("cut sheet.png -o loose --names walk_{index}").exits(0);
    let islands = pictures(&folder.path("loose"));
    for (i, shape) in shapes.iter().enumerate() {
        assert_eq!(islands[&format!("walk_{i}")], visible(shape), "{i}");
    }
    let sizes = shapes.iter().map(|shape| visible(shape).size());
    let canvas = Size::new(sizes.clone().map(|size| size.w).max().unwrap(), sizes.map(|size| size.h).max().unwrap());
    for place in ["centre", "bottom"] {
        folder.zemtak(&format!("cut sheet.png -o {place} --uniform {place}")).exits(0);
        let pieces = pictures(&folder.path(place));
        for (i, shape) in shapes.iter().map(visible).enumerate() {
            let below = canvas.h - shape.size().h;
            let (left, top) = ((canvas.w - shape.size().w) / 2, if place == "bottom" { below } else { below / 2 });
            let piece = &pieces[&format!("sheet_{i}")];
            assert_eq!(piece.size(), canvas, "{place} {i}");
            for (x, y) in (0..canvas.h).flat_map(|y| (0..canvas.w).map(move |x| (x, y))) {
                let expected = shape.get(x.wrapping_sub(left), y.wrapping_sub(top)).unwrap_or_default();
                assert_eq!(piece.get(x, y).unwrap(), expected, "{place} {i}: {x} {y}");
            }
        }
    }
    let joined = folder.zemtak("cut sheet.png --join 14 --dry-run --json").exits(0).json();
    assert_eq!(joined["sprites"].as_array().unwrap().len(), 1);
    for (pattern, told) in
        [("same", "5 sprites would have it"), ("a_{col}", "{col} is unknown"), ("{index", "unclosed '{'")]
    {
        let run = folder.zemtak(&format!("cut sheet.png --dry-run --names {pattern}")).exits(2);
        assert!(run.err().contains(told), "{}", run.err());
    }
    // What separates folders on one system is part of a name on another.
    for pattern in [r"a\{index}", "../{index}", "a//{index}", "c:{index}"] {
        let mut command = folder.command("cut sheet.png --names");
        let run = Run::of(pattern, command.arg(pattern).output().unwrap()).exits(3);
        assert!(run.err().contains("a file of that name might lie outside the folder"), "{}", run.err());
    }
}

#[test]
fn an_empty_cell_of_a_list_leaves_the_colour_to_the_command_line() {
    let folder = Folder::new();
    folder.zemtak(&format!("pack {} --name night", demo_art().display())).exits(0);
    folder.write("tints.csv", "sprite,x,y,tint\nemblem,1,2,\nemblem,1,2,#010203\n");
    let quads = folder.zemtak("quad build/night.zemtak.json --list tints.csv --tint #ff000080 --json").exits(0).json();
    assert_eq!([0, 1].map(|n| quads["quads"][n]["tint"].clone()), [json!([255, 0, 0, 128]), json!([1, 2, 3, 255])]);
}

#[test]
fn what_cannot_be_is_an_error_that_names_the_argument() {
    let folder = packed();
    folder.write("bad.csv", "sprite,x,y\nemblem,1,2\nemblem,1,NaN\nemblm,1,2\nemblem,1\n");
    folder.write("flat.csv", "sprite,x,y,scale\nemblem,1,2,1\nemblem,1,2,0\n");
    let flat = r#"[{"sprite":"emblem","x":1,"y":2},{"sprite":"emblem","x":1,"y":2,"scale_y":0}]"#;
    folder.write("flat.json", flat);
    folder.write("bad.json", "[{\"sprite\":\"emblem\",\"x\":1,\"y\":2,\"size\":3}]");
    // Values without their keys, in an order that nobody documents.
    folder.write("bare.json", "[[\"emblem\",1,2]]");
    for (line, code, told) in [
        ("uv --page 8x8 --box 0,0,9,1", 2, "--box: the box [0, 0, 9, 1] reaches beyond its page of 8 x 8"),
        ("uv --page 8x8 --box 0,0,0,1", 2, "--box: the box [0, 0, 0, 1] is empty"),
        ("uv --page 0x8 --box 0,0,1,1", 2, "--page <WxH>: expected width and height"),
        ("uv --page 8x8 --box 4294967295,0,4294967295,1", 2, "reaches beyond its page"),
        ("uv --page 8x8 --box 0,0,1,1 --shrink nan", 2, "--shrink <TEXELS>: "),
        ("uv --page 8x8 --box 0,0,1,1 --shrink -1", 2, "--shrink <TEXELS>: "),
        ("uv --page 8x8 --box 0,0,1,1 --part 0,0,0,1", 2, "--part <X,Y,W,H>: "),
        ("uv --page 8x8 --box 0,0,4,4 --part 4,0,1,1", 2, "all of it lies outside the canvas of 4 x 4"),
        ("uv build/night.zemtak.json moth/fly/3 'x/**'", 2, "the nearest is moth/fly/03"),
        ("uv build/night.zemtak.json moth/fly/0[", 2, "invalid glob"),
        ("uv build/night.zemtak.json ", 2, "'': atlas night has no sprite of that name"),
        ("uv build/night.zemtak.json --clip moth/fyl", 2, "the nearest is moth/fly"),
        ("uv build/night.zemtak.json --as offset-scale", 2, "ask for --as matrix"),
        ("quad build/night.zemtak.json emblem --at 1,inf", 2, "--at <X,Y>: "),
        ("quad build/night.zemtak.json emblem --scale 0", 2, "--scale <FACTOR>: "),
        ("quad build/night.zemtak.json emblem --scale 2,0", 2, "--scale <FACTOR>: "),
        ("quad build/night.zemtak.json emblem --scale inf", 2, "--scale <FACTOR>: "),
        ("quad build/night.zemtak.json emblem --angle x", 2, "--angle <DEGREES>: "),
        ("quad build/night.zemtak.json emblem --fit infx5", 2, "--fit <WxH>: "),
        ("quad build/night.zemtak.json --list flat.csv", 3, "flat.csv:3: scale is 0, so nothing would be seen"),
        ("quad build/night.zemtak.json --list flat.json", 3, "flat.json, entry 2: scale_y is 0"),
        (
            "quad build/night.zemtak.json --list bare.json",
            3,
            "bare.json:1:2: invalid type: sequence, expected an object",
        ),
        ("pack --least-psnr 0.9", 2, "--least-psnr <DB>: "),
        ("pack --least-psnr 100.5", 2, "--least-psnr <DB>: "),
        ("quad build/night.zemtak.json emblem --fit 0x5", 2, "--fit <WxH>: "),
        ("quad build/night.zemtak.json emblem --tile 4294967295x4294967295", 2, "--tile:"),
        ("quad build/night.zemtak.json --list bad.csv", 3, "bad.csv:3: y: 'NaN' is not a finite number"),
        (
            "quad build/night.zemtak.json --list bad.csv",
            3,
            "bad.csv:4: there is no sprite 'emblm'; the nearest is emblem",
        ),
        ("quad build/night.zemtak.json --list bad.csv", 3, "bad.csv:5: it has 2 values, the first line has 3"),
        ("quad build/night.zemtak.json --list bad.json", 3, "unknown field `size`"),
        ("quad build/night.zemtak.json --list none.csv", 4, "none.csv"),
        ("grid 8x8 --cell 9x1", 2, "no cell fits"),
        ("grid 8x8 --cell 4x4 --index 4", 2, "4 is out of range: cells are numbered from 0 to 3"),
        ("grid 8x8 --cell 4x4 --gutter 4294967295 --margin 4294967295", 2, "no cell fits"),
        ("pattern 99999x1 --kind uv", 2, "<WxH>: each side is at most 16384"),
        ("describe build/night.zemtak.json moth/**", 2, "sprites match"),
        ("cut bad.csv", 3, "unusable image"),
    ] {
        let run = folder.zemtak(&line.replace('\'', "")).exits(code);
        assert!(run.err().contains(told), "{line}\n{}", run.err());
    }
    // No more than 50 are told.
    folder.write("many.csv", format!("sprite,x,y\n{}", "nobody,1,2\n".repeat(60)));
    let told = folder.zemtak("quad build/night.zemtak.json --list many.csv --json").exits(3).json();
    assert_eq!(told["errors"].as_array().unwrap().len(), 50);
    let warned = folder.zemtak("grid 100x40 --cell 16x16 --margin 2 --gutter 2 --index 6").exits(0);
    assert!(
        warned.err().contains("8 columns of pixels on the right and 2 rows of pixels at the bottom are left over"),
        "{}",
        warned.err()
    );
    assert!(warned.out().contains("index 6: cell 6, column 1, row 1, box [20, 20, 16, 16]"), "{}", warned.out());
    let lower = folder.zemtak("grid 64x32 --cell 32x16 --uv 0.1,0.1 --v-up").exits(0);
    assert!(lower.out().contains("uv 0.1,0.1: cell 2, column 0, row 1"), "{}", lower.out());
    let cut = folder.zemtak("uv build/night.zemtak.json moth/fly/02 --part -4,4,20,40").exits(0);
    // Of the part, columns 0 to 15 and rows 4 to 43 lie on the canvas.
    let sprite = &folder.zemtak("describe build/night.zemtak.json moth/fly/02 --json").exits(0).json()["values"];
    let [left, top] = [0, 1].map(|n| sprite["inset"][n].as_u64().unwrap());
    let box_high = if sprite["turned"] == true { &sprite["box"][2] } else { &sprite["box"][3] };
    let below = 44_u64.saturating_sub(top + box_high.as_u64().unwrap());
    let border =
        [(left, "left"), (top.saturating_sub(4), "top"), (below, "bottom")].into_iter().filter(|(n, _)| *n > 0);
    let border: Vec<String> = border.map(|(n, side)| format!("{n} {side}")).collect();
    let told = format!(
        "moth/fly/02: cut off, as it is not stored: 4 left outside the canvas, {} in the transparent border",
        border.join(" and ")
    );
    assert!(left > 0 && cut.err().contains(&told), "{told}\n{}", cut.err());
}

#[test]
fn a_tiled_surface_is_covered_with_the_last_row_and_column_cut() {
    let folder = packed();
    let json = folder
        .zemtak("quad build/night.zemtak.json tile/water --tile 150x70 --at 10,20 --scale 2 --json")
        .exits(0)
        .json();
    let water = &pictures(&demo_art())["tile/water"];
    let (w, h) = (f64::from(water.size().w), f64::from(water.size().h));
    let quads = json["quads"].as_array().unwrap();
    assert_eq!(quads.len() as f64, (150.0 / w).ceil() * (70.0 / h).ceil());
    let area: f64 = quads
        .iter()
        .map(|q| {
            let p = floats(&q["positions"]);
            (p[4] - p[0]) * (p[5] - p[1])
        })
        .sum();
    assert!((area - 4.0 * 150.0 * 70.0).abs() < 1e-6, "{area}");
    assert_eq!(floats(&quads.last().unwrap()["positions"])[4..6], [10.0 + 300.0, 20.0 + 140.0]);
}

/// UVs that were made for a loose image, of every form: each pair on the page shows what it showed on the image, turned or not, with
/// V either way, and all else in the list stays.
#[test]
fn uvs_of_loose_images_are_mapped_onto_pages_in_the_form_that_they_came_in() {
    let folder = Folder::new();
    folder.zemtak(&format!("pack {} --name night --turn", demo_art().display())).exits(0);
    let descriptor: Value = serde_json::from_slice(&folder.read("build/night.zemtak.json")).unwrap();
    let page = decoded(&folder.read("build/night-0.png"));
    let mut turned = 0;
    for name in ["moth/fly/03", "emblem", "reed/sway/02", "letter/spin/01"] {
        let source = decoded(&std::fs::read(demo_art().join(format!("{name}.png"))).unwrap());
        turned += usize::from(descriptor["sprites"][name]["turned"] == true);
        // The centres of all pixels that are seen.
        let (w, h) = (source.size().w, source.size().h);
        let seen: Vec<[u32; 2]> = (0..h)
            .flat_map(|y| (0..w).map(move |x| [x, y]))
            .filter(|[x, y]| source.get(*x, *y).unwrap()[3] > 0)
            .collect();
        let uv = |[x, y]: [u32; 2]| [(f64::from(x) + 0.5) / f64::from(w), (f64::from(y) + 0.5) / f64::from(h)];
        for v_up in [false, true] {
            let pairs: Vec<[f64; 2]> =
                seen.iter().map(|at| uv(*at)).map(|[u, v]| [u, if v_up { 1.0 - v } else { v }]).collect();
            folder.write("list.json", serde_json::to_string(&pairs).unwrap());
            let up = if v_up { " --v-up" } else { "" };
            let told = folder
                .zemtak(&format!("uv build/night.zemtak.json {name} --points list.json{up} --json"))
                .exits(0)
                .json();
            assert_eq!(told["warnings"], serde_json::json!([]));
            let mapped: Vec<[f64; 2]> = serde_json::from_value(told["points"].clone()).unwrap();
            for ([x, y], [u, v]) in seen.iter().zip(mapped) {
                let v = if v_up { 1.0 - v } else { v };
                let at = [u * f64::from(page.size().w), v * f64::from(page.size().h)].map(|n| n.floor() as u32);
                assert_eq!(page.get(at[0], at[1]), source.get(*x, *y), "{name} {x},{y}");
            }
        }
    }
    assert!(turned > 0 && turned < 4, "{turned}");
    // The forms: what is no pair stays, byte for byte.
    let line = |file: &str| format!("uv build/night.zemtak.json emblem --points {file}");
    let json = |file: &str| folder.zemtak(&format!("{} --json", line(file))).exits(0).json();
    folder.write("mesh.obj", "o lamp\r\nv 1 2 3\r\nvt 0.25 0.75 0 # rim\r\n\tvt\t0.5  0.5\nf 1/1 2/2 3/2\n");
    let [rim, middle] = serde_json::from_value::<[[f32; 2]; 2]>(json("mesh.obj")["points"].clone()).unwrap();
    let expected = format!(
        "o lamp\r\nv 1 2 3\r\nvt {} {} 0 # rim\r\n\tvt {} {}\nf 1/1 2/2 3/2\n",
        rim[0], rim[1], middle[0], middle[1]
    );
    assert_eq!(folder.zemtak(&line("mesh.obj")).exits(0).out(), expected);
    // Where nothing could be mapped, nobody should believe that something was.
    folder.write("bare.obj", "o lamp\nv 1 2 3\nf 1 1 1\n");
    let bare = folder.zemtak(&line("bare.obj")).exits(0);
    assert_eq!(
        (bare.out(), bare.err()),
        ("o lamp\nv 1 2 3\nf 1 1 1\n".into(), "warning: bare.obj: it holds no UVs\n".into())
    );
    folder.write("table.csv", "id,V,u,note\n7,0.25,0.25,\"a, b\"\n8,0.5,0.5,\n");
    // V goes up in an OBJ file and down in a table, unless that is said.
    let [a, b] = [[rim[0], 1.0 - rim[1]], [middle[0], 1.0 - middle[1]]];
    let expected = format!("id,V,u,note\n7,{},{},\"a, b\"\n8,{},{},\n", a[1], a[0], b[1], b[0]);
    assert_eq!(folder.zemtak(&line("table.csv")).exits(0).out(), expected);
    // Each that shows nothing of the image is told; what is no pair is an error with its line.
    folder.write("odd.json", "[[0, 0], { \"u\": 1.5, \"v\": 0.5 }, [0.5, 0.5]]");
    let told = folder.zemtak("uv build/night.zemtak.json moth/fly/03 --points odd.json --json").exits(0).json();
    let codes: Vec<&Value> = told["warnings"].as_array().unwrap().iter().map(|w| &w["code"]).collect();
    assert_eq!(codes, ["uv_in_border", "uv_outside"]);
    folder.write("wrong.csv", "u,v\n0,0\nx,1\n2\n0,inf\n");
    let told = folder.zemtak(&line("wrong.csv")).exits(3).err();
    assert!([3, 4, 5].iter().all(|n| told.contains(&format!("wrong.csv:{n}"))) && !told.contains("csv:2"), "{told}");
    folder.zemtak("uv build/night.zemtak.json moth/** --points odd.json").exits(2);
}

/// A panel of any size: its bands keep theirs, its quads cover it without a gap, and without bands it is told what is missing.
#[test]
fn a_panel_is_stretched_by_its_bands() {
    let folder = Folder::new();
    folder.write("art/panel.png", png(&Pixels::from_rgba(Size::new(12, 10), [9; 480].to_vec()).unwrap()));
    folder.write("art/plain.png", png(&Pixels::from_rgba(Size::new(4, 4), [7; 64].to_vec()).unwrap()));
    folder.write(
        "zemtak.toml",
        "format = 1\n[atlas.menu]\nroot = \"art\"\n[[atlas.menu.rule]]\nmatch = \"panel\"\nstretch = [3, 2, 4, 1]\n",
    );
    folder.zemtak("pack").exits(0);
    let quads = |options: &str| {
        let told =
            folder.zemtak(&format!("quad menu panel --pivot 0,0 --stretch 100x50 --as json{options}")).exits(0).json();
        let quads = told["quads"].as_array().unwrap().iter().map(|quad| {
            let at = |k: usize, i: usize| quad["positions"][k][i].as_f64().unwrap();
            [at(0, 0), at(0, 1), at(2, 0), at(2, 1)]
        });
        quads.collect::<Vec<[f64; 4]>>()
    };
    let nine = quads("");
    assert_eq!((nine.len(), nine[0], nine[8]), (9, [0.0, 0.0, 3.0, 2.0], [96.0, 49.0, 100.0, 50.0]));
    // The middle is 5 x 7 pixels and fills 93 x 47: 19 times 7 whole copies.
    let tiled = quads(" --tiled");
    assert_eq!(tiled.len(), (2 + 19) * (2 + 7));
    for all in [nine, tiled] {
        let area: f64 = all.iter().map(|[l, t, r, b]| (r - l) * (b - t)).sum();
        assert!((area - 5000.0).abs() < 0.01, "{area}");
    }
    let told = folder.zemtak("quad menu plain --stretch 9x9").exits(2);
    assert!(told.err().contains("--bands"), "{}", told.err());
    assert_eq!(
        folder.zemtak("quad menu plain --stretch 9x9 --bands 1,1,1,1 --as json").exits(0).json()["quads"]
            .as_array()
            .unwrap()
            .len(),
        9
    );
}

/// A turned box given in numbers, a quad that fills its frame, cells that are kept although nothing is on them: no test
/// knew of these options.
#[test]
fn boxes_in_numbers_may_be_turned_fill_a_frame_and_be_empty() {
    let folder = Folder::new();
    let numbers = "--page 64x32 --box 10,20,8,6";
    assert_eq!(
        folder.zemtak(&format!("uv {numbers} --turned --as corners")).exits(0).out(),
        "box [10, 20, 8, 6] of a page of 64 x 32, stored turned\n  top left     (0.28125, 0.625)\n  top right    (0.28125, 0.8125)\n  \
         bottom right (0.15625, 0.8125)\n  bottom left  (0.15625, 0.625)\n"
    );
    let quad = |more: &str| {
        let told = folder.zemtak(&format!("quad {numbers} --at 100,50 --as json {more}")).exits(0).json();
        [0, 2].map(|corner| [0, 1].map(|axis| told["quads"][0]["positions"][corner][axis].as_f64().unwrap()))
    };
    assert_eq!(quad("--turned"), [[97.0, 46.0], [103.0, 54.0]]);
    assert_eq!(quad("--fit 40x40"), [[80.0, 35.0], [120.0, 65.0]]);
    assert_eq!(quad("--fit 40x40 --fill"), [[80.0, 30.0], [120.0, 70.0]]);
    let half = [[9, 9, 9, 255].repeat(2), [0; 8].to_vec()].concat();
    folder.write("sheet.png", png(&Pixels::from_rgba(Size::new(4, 1), half).unwrap()));
    folder.zemtak("cut sheet.png --cell 2x1 -o without").exits(0);
    folder.zemtak("cut sheet.png --cell 2x1 -o with --keep-empty").exits(0);
    assert_eq!(pictures(&folder.path("without")).into_keys().collect::<Vec<_>>(), ["sheet_0"]);
    let with = pictures(&folder.path("with"));
    assert_eq!(with["sheet_1"], Pixels::transparent(Size::new(2, 1)).unwrap());
}
