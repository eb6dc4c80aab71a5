//! Files made of all atlases of a project together, such as an index: templates that the top of the project file names.

use crate::build_atlas::{BuiltAtlas, OutputKind, TextPlace};
use crate::failure::{Failure, Problem};
use crate::targets::Joint;
use crate::{format, forms};
use std::path::Path;
use zemtak_core::atlas::{Atlas, DESCRIPTOR_BYTES, FILE_SUFFIX, parse};
use zemtak_files::TEXT_BYTES;

/// Makes them of the atlases that were built just now and of those in place. Where one of these is missing, files stay as they
/// are.
///
/// # Errors
/// A template that cannot be read or used, or a file that cannot be written.
pub(crate) fn build(joint: &Joint, built: &[BuiltAtlas], place: TextPlace<'_>) -> Result<BuiltAtlas, Failure> {
    if joint.templates.is_empty() {
        return Ok(BuiltAtlas::default());
    }
    let atlases: Option<Vec<Atlas>> = joint.atlases.iter().map(|name| atlas(name, built, place.out)).collect();
    let mut made = BuiltAtlas::default();
    for (file, template) in joint.files() {
        let output = match &atlases {
            Some(atlases) => Some(place.put(file, &render(template, atlases)?, OutputKind::Form)?),
            None => place.as_it_is(file, OutputKind::Form),
        };
        made.outputs.extend(output);
    }
    Ok(made)
}

fn render(template: &Path, atlases: &[Atlas]) -> Result<String, Failure> {
    let shown = format::path(template);
    let text = zemtak_files::read_text(template, TEXT_BYTES).map_err(|e| Problem::io(&shown, &e))?;
    forms::joint(&shown, &text, atlases)
}

/// An atlas as it was built, or as it is in place.
fn atlas(name: &str, built: &[BuiltAtlas], out: &Path) -> Option<Atlas> {
    let now = built.iter().find_map(|built| built.atlas.as_ref().filter(|atlas| atlas.name == name));
    now.cloned().or_else(|| {
        let text = zemtak_files::read_text(&out.join(format!("{name}{FILE_SUFFIX}")), DESCRIPTOR_BYTES).ok()?;
        parse(&text).ok().map(|parsed| parsed.atlas)
    })
}
