//! Writes `zemtak.h` of what `zemtak-c` exports: `scripts/header`.

use cbindgen::{Config, EnumConfig, ItemType, Language, RenameRule, Style};
use std::error::Error;
use std::path::Path;

const HEAD: &str = "\
/* SPDX-License-Identifier: MIT OR Apache-2.0
 *
 * The resource cache of Zemtak for C and C++: libzemtak. Made by scripts/header of what crates/zemtak-c exports.
 *
 * Each texture is loaded once, however many ask for it, shared by counted leases, and dropped when its room is needed and nobody
 * holds it. Textures are made and dropped by a pump on the thread of the graphics API, through a table of functions of the game's
 * own; files are read and decoded by other threads. docs/c.md tells the story.
 *
 * Calls on a cache may come from any thread; those on a pump come from the thread that opened it, or end with ZEMTAK_WRONG_THREAD.
 * Nothing is global. A null pointer and a handle that was given back are told by a code. What a call writes is the caller's.
 */";

fn main() -> Result<(), Box<dyn Error>> {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("..");
    let mut config = Config { language: Language::C, cpp_compat: true, style: Style::Both, ..Config::default() };
    config.header = Some(HEAD.into());
    config.include_guard = Some("ZEMTAK_H".into());
    config.documentation = true;
    config.usize_is_size_t = true;
    config.line_length = 130;
    config.enumeration = EnumConfig {
        prefix_with_name: false,
        rename_variants: RenameRule::QualifiedScreamingSnakeCase,
        ..EnumConfig::default()
    };
    config.export.item_types = vec![
        ItemType::Enums,
        ItemType::Structs,
        ItemType::OpaqueItems,
        ItemType::Functions,
        ItemType::Typedefs,
        ItemType::Constants,
    ];
    let names = [
        ("Code", "zemtak_code"),
        ("EventKind", "zemtak_event_kind"),
        ("ZemtakCache", "zemtak_cache"),
        ("ZemtakPump", "zemtak_pump"),
        ("ZemtakText", "zemtak_text"),
        ("ZemtakSettings", "zemtak_settings"),
        ("ZemtakLedger", "zemtak_ledger"),
        ("ZemtakLevel", "zemtak_level"),
        ("ZemtakNewTexture", "zemtak_new_texture"),
        ("ZemtakSink", "zemtak_sink"),
        ("ZemtakFiles", "zemtak_files"),
        ("ZemtakRoot", "zemtak_root"),
        ("ZemtakPerFrame", "zemtak_per_frame"),
        ("ZemtakPumped", "zemtak_pumped"),
        ("ZemtakView", "zemtak_view"),
        ("ZemtakPlacement", "zemtak_placement"),
        ("ZemtakQuad", "zemtak_quad"),
        ("ZemtakProgress", "zemtak_progress"),
        ("ZemtakMoment", "zemtak_moment"),
        ("ZemtakEvent", "zemtak_event"),
        ("ZemtakRows", "zemtak_rows"),
        ("ZemtakClipDetails", "zemtak_clip_details"),
        ("ZemtakLook", "zemtak_look"),
        ("ZemtakSprite", "zemtak_sprite"),
        ("ZemtakDraw", "zemtak_draw"),
        ("ZemtakLaidOut", "zemtak_laid_out"),
        ("TEXT_BYTES", "ZEMTAK_TEXT_BYTES"),
    ];
    config.export.rename = names.map(|(rust, c)| (rust.to_owned(), c.to_owned())).into();
    let bindings = cbindgen::Builder::new().with_crate(&folder).with_config(config).generate()?;
    let mut text = Vec::new();
    bindings.write(&mut text);
    // Docs of Rust have a part for those who call from Rust.
    let text = String::from_utf8(text)?;
    let text = without_safety(&text).replace("ZEMTAK_CODE_", "ZEMTAK_").replace("ZEMTAK_EVENT_KIND_", "ZEMTAK_EVENT_");
    std::fs::write(folder.join("include/zemtak.h"), text)?;
    Ok(())
}

/// The header without what is said to callers in Rust.
fn without_safety(text: &str) -> String {
    let mut out: Vec<&str> = Vec::new();
    let mut skips = false;
    for line in text.lines() {
        skips = (skips || line.trim() == "* # Safety") && line.trim() != "*/";
        if !skips {
            // The empty line before.
            if line.trim() == "*/" && out.last().is_some_and(|last| last.trim() == "*") {
                out.pop();
            }
            out.push(line);
        }
    }
    out.join("\n") + "\n"
}
