//! Files made of all atlases of a project together, such as an index: templates that the top of the project file names.

use crate::build_atlas::{BuiltAtlas, OutputKind, TextPlace};
use crate::failure::Failure;
use crate::targets::Joint;
use crate::{format, forms};
use std::path::Path;
use zemtak_core::atlas::{Atlas, FILE_SUFFIX, parse};

/// Makes them from the atlases that were just built and those in place. If one of these is missing, the files stay as
/// they are.
///
/// # Errors
/// A template that cannot be read or used, or a file that cannot be written.
pub(crate) fn build(joint: &Joint, built: &[BuiltAtlas], place: TextPlace<'_>) -> Result<BuiltAtlas, Failure> {
    if joint.templates.is_empty() {
        return Ok(BuiltAtlas::default());
    }
    let atlases: Option<Vec<Atlas>> = joint.atlases.iter().map(|name| atlas(name, built, place)).collect();
    let mut made = BuiltAtlas::default();
    for (file, template) in joint.files() {
        let output = match &atlases {
            Some(atlases) => Some(place.put(file, &render(template, atlases, place)?, OutputKind::Form)?),
            None => place.as_it_is(file, OutputKind::Form),
        };
        made.outputs.extend(output);
    }
    Ok(made)
}

fn render(template: &Path, atlases: &[Atlas], place: TextPlace<'_>) -> Result<String, Failure> {
    let text = place.limits.read_text("text_bytes", template, &*place.writer.disk)?;
    forms::joint(&format::path(template), &text, atlases, place.limits)
}

/// An atlas as it was built, or as it is in place.
fn atlas(name: &str, built: &[BuiltAtlas], place: TextPlace<'_>) -> Option<Atlas> {
    let now = built.iter().find_map(|built| built.atlas.as_ref().filter(|atlas| atlas.name == name));
    now.cloned().or_else(|| {
        let descriptor = place.out.join(format!("{name}{FILE_SUFFIX}"));
        let text = place.limits.read_text("descriptor_bytes", &descriptor, &*place.writer.disk).ok()?;
        parse(&text).ok().map(|parsed| parsed.atlas)
    })
}
