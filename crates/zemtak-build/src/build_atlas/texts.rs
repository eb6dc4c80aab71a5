//! The descriptor and the files beside it: which build each belongs to.

use super::{Output, OutputKind};
use crate::content::{self, Files};
use crate::failure::Failure;
use crate::format;
use crate::forms::{self, Idents};
use crate::limits::Limits;
use crate::settings::Also;
use crate::store::{self, Store};
use crate::write::Writer;
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use zemtak_core::atlas::{Atlas, FILE_SUFFIX};

/// What texts are made with.
pub(super) struct Texts<'a> {
    /// The requested forms.
    pub also: &'a [Also],
    /// The texts of templates.
    pub templates: &'a BTreeMap<PathBuf, String>,
    /// Constants that rules define.
    pub idents: &'a Idents,
    /// Where they go.
    pub place: TextPlace<'a>,
}

impl Texts<'_> {
    /// The descriptor's other forms, then the descriptor, which names them and `others` with their hashes. Each of them
    /// names its build. Also returns the atlas as in its descriptor.
    ///
    /// # Errors
    /// A template that cannot be used, a number that JSON cannot express, or a file that cannot be written.
    pub fn outputs(&self, atlas: &Atlas, others: &[&Output]) -> Result<(Atlas, Vec<Output>), Failure> {
        let mut atlas = atlas.clone();
        let descriptor = format!("{}{FILE_SUFFIX}", atlas.name);
        let text = |atlas: &Atlas| atlas.to_text().map_err(|e| Failure::io(&descriptor, &e));
        let content = store::hash(text(&atlas)?.as_bytes());
        atlas.build_id = Some(format::hex(&content[..8]));
        let mut outputs = Vec::new();
        for also in self.also {
            for (file, text) in forms::write(
                also,
                &atlas,
                forms::Means { templates: self.templates, idents: self.idents, limits: self.place.limits },
            )? {
                outputs.push(self.place.put(file, &text, OutputKind::Form)?);
            }
        }
        let companions = outputs.iter().chain(others.iter().copied());
        atlas.companions = companions.map(|o| (o.file.clone(), store::written(&o.hash))).collect();
        let text = text(&atlas)?;
        // Nobody could read it.
        self.place.limits.check("descriptor_bytes", text.len(), &atlas.name)?;
        outputs.push(self.place.put(descriptor, &text, OutputKind::Descriptor)?);
        Ok((atlas, outputs))
    }
}

/// Where texts go.
#[derive(Clone, Copy)]
pub struct TextPlace<'a> {
    /// The folder for results.
    pub out: &'a Path,
    /// Limits on their size.
    pub limits: &'a Limits,
    /// Where files are written.
    pub writer: &'a Writer,
    /// What is known of the files there.
    pub store: &'a dyn Store,
    /// Whether nothing is to be written.
    pub check: bool,
}

impl TextPlace<'_> {
    /// A file of text, unless it is in place already.
    ///
    /// # Errors
    /// It cannot be written.
    pub fn put(self, file: String, text: &str, kind: OutputKind) -> Result<Output, Failure> {
        let (path, hash) = (self.out.join(&file), store::hash(text.as_bytes()));
        let changed = !content::hash(&path, Files::of(self.writer, self.store)).is_ok_and(|there| there == hash);
        let waiting = if changed && !self.check { Some(self.writer.prepare(&path, text.as_bytes())?) } else { None };
        Ok(Output { file, hash, kind, waiting, changed })
    }

    /// A file that stays as it is, if it exists.
    pub fn as_it_is(self, file: String, kind: OutputKind) -> Option<Output> {
        let hash = content::hash(&self.out.join(&file), Files::of(self.writer, self.store)).ok()?;
        Some(Output { file, hash, kind, waiting: None, changed: false })
    }
}
