//! Writes the JavaScript of a WebAssembly file: `scripts/web`.

use std::error::Error;

fn main() -> Result<(), Box<dyn Error>> {
    let words: Vec<String> = std::env::args().skip(1).collect();
    let [file, folder] = &words[..] else { return Err("which file, and into which folder?".into()) };
    let mut bindgen = wasm_bindgen_cli_support::Bindgen::new();
    bindgen
        .input_path(file)
        .out_name("wasm")
        .web(true)?
        .omit_default_module_path(false)
        .typescript(true)
        .remove_name_section(true)
        .remove_producers_section(true)
        .generate(folder)?;
    Ok(())
}
