//! `zemtak export`: a packed atlas in another format, without packing it again.

use crate::console::Console;
use crate::descriptor;
use crate::notice::Notice;
use crate::report::Report;
use crate::style::NAME;
use crate::summary::lost;
use serde_json::{Value, json};
use std::fmt::Write as _;
use std::path::PathBuf;
use zemtak_build::settings::{Also, Keyword, PageFormat};
use zemtak_build::{Export, ExportForm, Exported, Failure, Problem, ProblemKind, TextureSummary, format};
use zemtak_core::codec::{Bits, Channels, PngEffort, RawLayout};
use zemtak_runtime::{HashCheck, OpenError};

/// What to export, and how.
#[derive(Debug, Clone, PartialEq)]
pub struct ExportRequest {
    /// The descriptor.
    pub descriptor: PathBuf,
    /// The target format.
    pub form: FormName,
    /// The folder for results.
    pub out: PathBuf,
    /// The options.
    pub options: FormOptions,
    /// Whether existing files that are not ours may be replaced.
    pub force: bool,
}

/// The formats, by name.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum FormName {
    /// Pages in another image format.
    Pages(PageFormat),
    /// The descriptor in another form.
    Text(Also),
}

/// Options that depend on the format.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct FormOptions {
    /// PNG compression effort.
    pub png: Option<PngEffort>,
    /// How KTX2 pages store pixels.
    pub texture: zemtak_build::settings::TextureSettings,
    /// Mip levels below the full size.
    pub mip_levels: Option<u32>,
    /// The channel order of raw pixels.
    pub channels: Option<Channels>,
    /// Bits per channel.
    pub bits: Option<Bits>,
    /// Whether they are dithered.
    pub dither: bool,
    /// Row lengths are multiples of this many bytes.
    pub row_align: Option<u32>,
    /// Whether the bottom row comes first.
    pub bottom_up: bool,
}

/// What was written.
pub struct ExportReport {
    descriptor: String,
    form: String,
    exported: Exported,
}

/// Exports.
///
/// # Errors
/// Options that do not apply to the format, an atlas that cannot be read, or files that cannot be written.
pub fn run(request: &ExportRequest, console: &Console) -> Result<ExportReport, Failure> {
    let form = request.export_form()?;
    let file = descriptor::open(&request.descriptor, console.allowance())?;
    let atlas = file.atlas();
    let folder = format::folder_of(&request.descriptor);
    let layers = atlas.pages.iter().flat_map(|page| page.layers.values().map(|layer| &layer.file));
    let files = atlas.pages.iter().map(|page| &page.file).chain(layers);
    let mut inputs: Vec<PathBuf> = files.map(|file| folder.join(file)).chain([request.descriptor.clone()]).collect();
    if let FormName::Text(Also::Template(path)) = &request.form {
        inputs.push(path.clone());
    }
    let read = |page: usize, layer: Option<&str>| {
        let pixels =
            file.read_image(page, layer, HashCheck::Yes).and_then(|image| image.ok_or(OpenError::NoPage(page)));
        pixels.map_err(|error| descriptor::explain(&error))
    };
    let (out, force, allowance) = (request.out.as_path(), request.force, console.allowance());
    let exported = Export { atlas, read: &read, form: &form, out, inputs: &inputs, force, allowance }.run()?;
    let form = match &request.form {
        FormName::Pages(format) => format.word().to_owned(),
        FormName::Text(also) => also.to_string(),
    };
    Ok(ExportReport { descriptor: format::path(&request.descriptor), form, exported })
}

impl ExportRequest {
    /// The format with its options.
    fn export_form(&self) -> Result<ExportForm, Failure> {
        self.refuse_strange_options()?;
        let FormOptions { png, texture, mip_levels, channels, bits, dither, row_align, bottom_up } = self.options;
        Ok(match &self.form {
            FormName::Text(also) => ExportForm::Text(also.clone()),
            FormName::Pages(PageFormat::Raw) => ExportForm::Raw(RawLayout {
                channels: channels.unwrap_or_default(),
                bits: bits.unwrap_or_default(),
                row_align: row_align.unwrap_or(1),
                dither,
                bottom_up,
            }),
            FormName::Pages(format) => {
                ExportForm::Pages { format: *format, png: png.unwrap_or_default(), texture, levels: mip_levels }
            }
        })
    }

    /// Refuses options that belong to another format than the requested one.
    fn refuse_strange_options(&self) -> Result<(), Failure> {
        let FormOptions { png, texture, mip_levels, channels, bits, dither, row_align, bottom_up } = self.options;
        let ktx2 = texture.asks() || texture.pixels.is_some() || mip_levels.is_some();
        let raw = channels.is_some() || bits.is_some() || dither || row_align.is_some() || bottom_up;
        let is = |format| self.form == FormName::Pages(format);
        let strange = [
            (png.is_some() && !is(PageFormat::Png), "--png", "png"),
            (ktx2 && !is(PageFormat::Ktx2), "--pixels, --least-psnr, --zstd, --unorm and --mip-levels", "ktx2"),
            (raw && !is(PageFormat::Raw), "--channels, --bits, --dither, --row-align and --bottom-up", "raw"),
        ];
        let problem = |(_, options, form): (bool, &str, &str)| {
            let why = format!("{options} go with --as {form} only");
            Problem::usage(ProblemKind::ConflictingOptions, "export", why, "leave out what does not go together")
        };
        let dithered_whole = dither && matches!(bits, None | Some(Bits::Eight)) && is(PageFormat::Raw);
        let nothing_lost = dithered_whole.then(|| {
            let why = "it goes with --bits 565 and --bits 4444: with 8 bits nothing is rounded";
            Problem::usage(ProblemKind::ConflictingOptions, "--dither", why, "leave out what does not go together")
        });
        let problems = strange.into_iter().filter(|(strange, ..)| *strange).map(problem).chain(nothing_lost);
        Failure::unless(problems.collect(), ())
    }
}

impl Report for ExportReport {
    fn text(&self, _: bool) -> String {
        let mut out = String::new();
        let descriptor = format::name(&self.descriptor);
        let _ = writeln!(out, "{NAME}{descriptor}{NAME:#}: exported as {}", format::name(&self.form));
        for (path, bytes) in &self.exported.files {
            let _ = writeln!(out, "  {:>10}  {}", format::bytes(*bytes), format::name(&format::path(path)));
        }
        for (file, texture) in &self.exported.textures {
            if let Some(text) = lost(file, texture) {
                let _ = writeln!(out, "  {:>10}  {text}", texture.pixels.word());
            }
        }
        out
    }

    fn warnings(&self) -> Vec<Notice> {
        let about = |code, text: String| Notice::about(code, &self.descriptor, text);
        let shared = "blocks hold pixels of neighbours, which may show at the edges of sprites; packing with --pixels keeps them apart";
        let shared = self.exported.shares_blocks.then(|| about("shared_blocks", shared.into()));
        let from_blocks = self.exported.from_blocks.map(|kind| {
            let text = format!(
                "its pages are stored in blocks ({}); what those lost is missing in the copy too, and 'verify' reports it",
                kind.word()
            );
            about("from_blocks", text)
        });
        shared.into_iter().chain(from_blocks).collect()
    }

    fn kind(&self) -> &'static str {
        "export"
    }

    fn json(&self) -> Value {
        let file = |(path, bytes): &(PathBuf, u64)| json!({ "path": format::path(path), "bytes": bytes });
        let texture = |(file, texture): &(String, TextureSummary)| {
            let mut json = serde_json::to_value(texture).unwrap_or_default();
            json["file"] = file.as_str().into();
            json
        };
        json!({
            "descriptor": self.descriptor,
            "form": self.form,
            "files": self.exported.files.iter().map(file).collect::<Vec<_>>(),
            "textures": self.exported.textures.iter().map(texture).collect::<Vec<_>>(),
        })
    }
}
