//! `zemtak view`: what is drawn stands where the descriptor says.

use crate::fixtures::{Folder, blob, decoded, png};
use serde_json::Value;
use zemtak_core::geometry::Size;
use zemtak_core::pixels::Pixels;

const BOX: [u8; 4] = [0x6f, 0xc2, 0xc9, 255];
const TURNED: [u8; 4] = [0xb4, 0xa0, 0xf0, 255];
const PIVOT: [u8; 4] = [0xf2, 0xb4, 0x5a, 255];

/// Where the page begins on the picture.
const AT: [u32; 2] = [24, 64 + 46];

#[test]
fn boxes_pivots_and_pixels_are_where_the_descriptor_says() {
    let folder = Folder::new();
    let mut long = Pixels::transparent(Size::new(60, 24)).unwrap();
    (2..22).for_each(|y| long.row_mut(y)[8..56 * 4].copy_from_slice(&[200, 40, 90, 255].repeat(54)));
    folder.write("art/long.png", png(&long));
    folder.write("art/tall.png", png(&blob(26, 62, [60, 190, 80])));
    // Off the centre, so that they show which way a box was turned.
    let rule = |name: &str, at: &str| format!("[[atlas.a.rule]]\nmatch = \"{name}\"\npivot = {{ px = {at} }}\n");
    let rule = rule("long", "[12, 9]") + &rule("tall", "[9, 20]");
    let page = "page = { max = [64, 128], shape = \"free\", aspect = 8 }\nturn = true\n";
    folder.write("zemtak.toml", format!("format = 1\n[atlas.a]\nroot = \"art\"\n{page}{rule}"));
    folder.zemtak("pack").exits(0);
    folder.zemtak("view a --png view.png").exits(0);
    let picture = decoded(&folder.read("view.png"));
    let atlas: Value = serde_json::from_slice(&folder.read("build/a.zemtak.json")).unwrap();
    let page = decoded(&folder.read("build/a-0.png"));
    let zoom = (1232 / page.size().w).min(1232 / page.size().h).min(4);
    let on = |x: u32, y: u32| picture.get(AT[0] + x, AT[1] + y).unwrap();
    let mut turned = 0;
    for (name, sprite) in atlas["sprites"].as_object().unwrap() {
        let [x, y, w, h] = [0, 1, 2, 3].map(|n| u32::try_from(sprite["box"][n].as_u64().unwrap()).unwrap());
        let lies = sprite["turned"].as_bool().unwrap();
        turned += u32::from(lies);
        let frame = if lies { TURNED } else { BOX };
        let (right, bottom) = ((x + w) * zoom - 1, (y + h) * zoom - 1);
        for corner in [[right, y * zoom], [right, bottom], [x * zoom, bottom]] {
            assert_eq!(on(corner[0], corner[1]), frame, "{name} at {corner:?}");
        }
        // Pixels of the page, inside the frame, away from names and pivots.
        for (i, j) in [(w / 4, h - 3), (w - 3, h / 3), (w - 4, h - 5)] {
            let pixel = page.get(x + i, y + j).unwrap();
            if pixel[3] == 255 {
                assert_eq!(on((x + i) * zoom + 1, (y + j) * zoom + 1), pixel, "{name}");
            }
        }
        let number = |value: &Value| value.as_f64().unwrap();
        let upright = [0, 1].map(|n| number(&sprite["pivot"][n]) - number(&sprite["inset"][n]));
        let [px, py] = if lies { [f64::from(w) - upright[1], upright[0]] } else { upright };
        let place = [px + f64::from(x), py + f64::from(y)].map(|at| (at * f64::from(zoom)).round() as u32);
        assert_eq!(on(place[0], place[1]), PIVOT, "{name}");
    }
    assert!(turned > 0, "{atlas}");
    assert_eq!(folder.zemtak("view a --png view.png --json").exits(0).json()["shown"], 2);
    folder.zemtak("view a --as sprites --png view.png").exits(0);
    assert_eq!(decoded(&folder.read("view.png")).size().w, 1280);
    assert!(folder.zemtak("view a --page 1 --png view.png").exits(2).err().contains("the atlas has 1 page"));
    folder.zemtak("view a --png art/long.png").exits(2);
    folder.zemtak("view a --png build/a-0.png --force").exits(2);
}

/// The page for a browser needs nothing but itself, and tells the same as the descriptor; what it does in a browser is tested there.
#[test]
fn the_page_for_a_browser_is_complete_in_itself() {
    let folder = Folder::new();
    folder.write("art/lamp.png", png(&blob(26, 62, [60, 190, 80])));
    folder.write("art/moth.png", png(&blob(40, 30, [160, 90, 180])));
    for format in ["png", "webp --alpha premultiplied"] {
        folder.zemtak(&format!("pack art -o build --name night --pages-as {format}")).exits(0);
        folder.zemtak("view build/night.zemtak.json --html night.html").exits(0);
        let page = String::from_utf8(folder.read("night.html")).unwrap();
        for outside in ["http:", "https:", "src=", "@import", "url(", "fetch("] {
            assert!(!page.contains(outside), "{outside}");
        }
        let data = page.split("id=\"atlas\">").nth(1).unwrap().split("</script>").next().unwrap();
        let data: Value = serde_json::from_str(data).unwrap();
        let descriptor: Value = serde_json::from_slice(&folder.read("build/night.zemtak.json")).unwrap();
        assert_eq!((&data["sprites"], &data["clips"]), (&descriptor["sprites"], &descriptor["clips"]));
        let picture = data["pages"][0]["data"].as_str().unwrap().strip_prefix("data:image/png;base64,").unwrap();
        let picture = decoded(&base64::Engine::decode(&base64::engine::general_purpose::STANDARD, picture).unwrap());
        let b: Vec<u32> = serde_json::from_value(descriptor["sprites"]["lamp"]["box"].clone()).unwrap();
        let middle = picture.get(b[0] + b[2] / 2, b[1] + b[3] / 2).unwrap();
        assert_eq!(middle, [60, 190, 80, 255]);
        // At a soft edge premultiplied colour would be darker than the lamp.
        let soft = (0..b[2]).filter_map(|x| picture.get(b[0] + x, b[1] + b[3] / 2)).find(|p| (60..200).contains(&p[3]));
        let [red, green, ..] = soft.unwrap();
        assert!(red.abs_diff(60) < 4 && green.abs_diff(190) < 4, "{soft:?}");
    }
    folder.write("night.html", "<html>mine</html>");
    folder.zemtak("view build/night.zemtak.json --html night.html").exits(2);
    folder.zemtak("view build/night.zemtak.json").exits(2);
}
