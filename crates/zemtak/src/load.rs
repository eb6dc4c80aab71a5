//! Sources to prepared sprites, on all cores.

use crate::answer::Manner;
use crate::failure::{Failure, Problem};
use crate::interrupt;
use crate::progress::Progress;
use crate::show;
use crate::sources::{Source, Sources};
use rayon::prelude::*;
use std::cell::Cell;
use std::collections::BTreeSet;
use std::fs::File;
use std::io::{self, Read};
use std::panic::{AssertUnwindSafe, catch_unwind};
use zemtak_core::codec::{DecodeError, Decoded, Format, Ignored, Limits, decode};
use zemtak_core::pixels::{Prepared, Treatment};

/// The largest image file that is read, in bytes.
const FILE_BYTES: u64 = 1 << 30;

/// A prepared sprite and what its file carries that was left out of account.
#[derive(Debug, Clone)]
pub struct Loaded {
    /// What is stored of it.
    pub sprite: Prepared,
    /// What was left out of account.
    pub ignored: BTreeSet<Ignored>,
}

/// Reads, decodes and prepares all sources, in their order.
///
/// # Errors
/// All files that cannot be read or decoded, together with what was wrong with the sources before.
pub fn load(sources: &Sources, treatment: Treatment, manner: Manner) -> Result<Vec<Loaded>, Failure> {
    let progress = Progress::new("reading", sources.files.len(), manner);
    let results: Vec<Option<Result<Loaded, Problem>>> = sources
        .files
        .par_iter()
        .map(|source| {
            if interrupt::asked() {
                return None;
            }
            let loaded = decode_source(source)
                .map(|decoded| Loaded { sprite: Prepared::new(decoded.pixels, treatment), ignored: decoded.ignored });
            progress.step();
            Some(loaded)
        })
        .collect();
    interrupt::check()?;
    let (mut loaded, mut problems) = (Vec::with_capacity(sources.files.len()), sources.problems.clone());
    for result in results.into_iter().flatten() {
        match result {
            Ok(sprite) => loaded.push(sprite),
            Err(problem) => problems.push(problem),
        }
    }
    Failure::unless(problems, loaded)
}

/// Reads and decodes one image.
///
/// # Errors
/// The file cannot be read, or is no image that can be used.
pub fn decode_source(source: &Source) -> Result<Decoded, Problem> {
    let bytes = read(source).map_err(|error| Problem::io(&source.shown, &error))?;
    let extension = source.path.extension().and_then(|e| e.to_str());
    decode_guarded(&bytes, extension).map_err(|error| {
        let why = match (&error, extension.and_then(Format::of_extension)) {
            (DecodeError::NotAnImage { .. }, Some(format)) => format!("named like {format}, but {error}"),
            _ => error.to_string(),
        };
        let help = "repair or replace the file, or take it out of the folder";
        Problem::bad_input("an image that cannot be used", &source.shown, why, help)
    })
}

fn read(source: &Source) -> io::Result<Vec<u8>> {
    let file = File::open(&source.path)?;
    let length = file.metadata()?.len();
    if length > FILE_BYTES {
        let limit = show::bytes(FILE_BYTES);
        return Err(io::Error::other(format!("its {} are over the limit of {limit}", show::bytes(length))));
    }
    let mut bytes = Vec::new();
    file.take(FILE_BYTES).read_to_end(&mut bytes)?;
    Ok(bytes)
}

thread_local! {
    static DECODING: Cell<bool> = const { Cell::new(false) };
}

/// Keeps quiet about panics inside a codec: they are caught and told as errors of the file.
pub fn hush_codec_panics() {
    let usual = std::panic::take_hook();
    std::panic::set_hook(Box::new(move |info| {
        if !DECODING.get() {
            usual(info);
        }
    }));
}

/// Decodes with a net below: should a codec panic on a hostile file, that is the file's error and not the end.
fn decode_guarded(bytes: &[u8], extension: Option<&str>) -> Result<Decoded, DecodeError> {
    DECODING.set(true);
    let result = catch_unwind(AssertUnwindSafe(|| decode(bytes, extension, &Limits::default())));
    DECODING.set(false);
    result.unwrap_or_else(|_| {
        let format = Format::of(bytes, extension).unwrap_or(Format::Png);
        Err(DecodeError::Damaged { format, reason: "the decoder gave up on it".into() })
    })
}
