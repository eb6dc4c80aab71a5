//! Files to pixels, within the limits of a run.

use crate::allowance::Allowance;
use crate::content::{self, Content, Files};
use crate::failure::{Problem, ProblemKind};
use crate::format;
use crate::limits;
use crate::sources::Source;
use std::cell::Cell;
use std::collections::BTreeSet;
use std::panic::{AssertUnwindSafe, catch_unwind};
use zemtak_core::codec::{DecodeError, DecodedFrames, Format, Frame, Ignored, Limits, decode_each, size_of};

/// Reads and decodes all frames of an image.
///
/// # Errors
/// The file cannot be read, or is not a usable image.
pub fn decode_source(source: &Source, allowance: &Allowance) -> Result<DecodedFrames, Problem> {
    decode_content(source, &read_source(source)?, allowance)
}

/// What a file contains beside its frames.
pub(crate) struct Decoded {
    /// Its bytes.
    pub bytes: Vec<u8>,
    /// The format, recognised by content.
    pub format: Format,
    /// What decoding ignored.
    pub ignored: BTreeSet<Ignored>,
}

/// Reads and decodes an image frame by frame, unless it is a picture that a build or another command drew.
///
/// # Errors
/// As for [`decode_source`].
pub(crate) fn decode_sprites(
    source: &Source,
    allowance: &Allowance,
    take: &mut dyn FnMut(Frame),
) -> Result<Option<Decoded>, Problem> {
    let content = read_source(source)?;
    if content.is_result() {
        return Ok(None);
    }
    let (format, ignored) = each_frame(source, &content, allowance, take)?;
    Ok(Some(Decoded { bytes: content.bytes, format, ignored }))
}

fn read_source(source: &Source) -> Result<Content, Problem> {
    content::read(&source.path, Files::UNKNOWN).map_err(|error| Problem::io(&format::path(&source.path), &error))
}

/// Decodes all frames of an image whose bytes are in memory.
///
/// # Errors
/// It is not a usable image.
pub(super) fn decode_content(
    source: &Source,
    content: &Content,
    allowance: &Allowance,
) -> Result<DecodedFrames, Problem> {
    let mut frames = Vec::new();
    let (format, ignored) = each_frame(source, content, allowance, &mut |frame| frames.push(frame))?;
    Ok(DecodedFrames { frames, format, ignored })
}

/// Decodes an image frame by frame, as soon as there is memory for it.
///
/// # Errors
/// As for [`decode_content`].
pub(super) fn each_frame(
    source: &Source,
    content: &Content,
    allowance: &Allowance,
    take: &mut dyn FnMut(Frame),
) -> Result<(Format, BTreeSet<Ignored>), Problem> {
    let extension = source.path.extension().and_then(|e| e.to_str());
    let unusable = |error: &DecodeError| unusable(source, extension, error);
    let all = allowance.limits().of_image();
    let mut size =
        guarded(&content.bytes, extension, || size_of(&content.bytes, extension)).map_err(|e| unusable(&e))?;
    loop {
        all.check(size).map_err(|error| unusable(&error))?;
        let memory = allowance.decode(size.area());
        let _memory = memory.map_err(|too_much| too_much.problem(&format::path(&source.path), size))?;
        // No more than there is memory for.
        let limits = Limits { pixels: size.area().max(1), ..all };
        let decoded = guarded(&content.bytes, extension, || decode_each(&content.bytes, extension, &limits, take));
        match decoded {
            // A file that states its size twice.
            Err(DecodeError::TooLarge { size: another, .. }) if another.area() > size.area() => size = another,
            decoded => return decoded.map_err(|error| unusable(&error)),
        }
    }
}

fn unusable(source: &Source, extension: Option<&str>, error: &DecodeError) -> Problem {
    let why = match (error, extension.and_then(Format::of_extension)) {
        (DecodeError::NotAnImage { .. }, Some(format)) => format!("named like {format}, but {error}"),
        _ => error.to_string(),
    };
    let help = match error {
        DecodeError::TooLarge { .. } => limits::help(&["image_side", "image_pixels"]),
        DecodeError::TooLong { .. } => limits::help(&["frames", "animation_pixels"]),
        _ => "repair or replace the file, or take it out of the folder".to_owned(),
    };
    Problem::bad_input(ProblemKind::UnusableImage, &format::path(&source.path), why, help)
}

thread_local! {
    static DECODING: Cell<bool> = const { Cell::new(false) };
}

/// Silences panics inside a codec: they are caught and reported as errors of the file.
pub fn hush_codec_panics() {
    let usual = std::panic::take_hook();
    std::panic::set_hook(Box::new(move |info| {
        if !DECODING.get() {
            usual(info);
        }
    }));
}

/// Decodes with a safety net: if a codec panics on a hostile file, that becomes an error of the file.
fn guarded<T>(
    bytes: &[u8],
    extension: Option<&str>,
    decode: impl FnOnce() -> Result<T, DecodeError>,
) -> Result<T, DecodeError> {
    DECODING.set(true);
    let result = catch_unwind(AssertUnwindSafe(decode));
    DECODING.set(false);
    result.unwrap_or_else(|_| {
        let format = Format::of(bytes, extension).unwrap_or(Format::Png);
        Err(DecodeError::Damaged { format, reason: "the decoder gave up on it".into() })
    })
}
