//! The results of calls.

use crate::text::{TEXT_BYTES, Text};
use std::panic::{AssertUnwindSafe, catch_unwind};
use zemtak_runtime::Failure;

/// The result of a call.
#[repr(C)]
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[allow(dead_code, reason = "C sees all of them")]
pub enum Code {
    /// Success.
    Ok = 0,
    /// A pointer is null that must not be.
    Null = 1,
    /// A handle is 0, was given back, or is of another kind. Handles of one cache mean nothing to another.
    Stale = 2,
    /// It is not loaded yet.
    NotReady = 3,
    /// It cannot be loaded; the error says why.
    Failed = 4,
    /// A text is not UTF-8.
    NotUtf8 = 5,
    /// The call belongs on the thread that opened the cache.
    WrongThread = 6,
    /// Nothing is stored of what was asked for.
    Nothing = 7,
    /// A number is out of range.
    OutOfRange = 8,
    /// A bug in the library: it panicked.
    Bug = 9,
}

/// A text returned by a call: an error message, or an event of a clip.
#[repr(C)]
pub struct ZemtakText {
    /// Ends with a zero byte.
    pub text: [u8; TEXT_BYTES],
}

/// Runs the body of a call.
pub fn call(body: impl FnOnce() -> Result<(), Code>) -> Code {
    match catch_unwind(AssertUnwindSafe(body)) {
        Ok(Ok(())) => Code::Ok,
        Ok(Err(code)) => code,
        Err(_) => Code::Bug,
    }
}

/// Reports a failure.
pub fn failed(failure: &Failure, error: Option<&mut ZemtakText>) -> Code {
    if let Some(error) = error {
        error.text = Text::of(&failure.to_string());
    }
    Code::Failed
}

/// The target of a pointer.
///
/// # Safety
/// It is null, or leads to a `T` that nobody changes as long as the result lives.
pub unsafe fn read<'p, T>(pointer: *const T) -> Result<&'p T, Code> {
    // SAFETY: the caller promises it.
    unsafe { pointer.as_ref() }.ok_or(Code::Null)
}

/// This many targets of a pointer. It may be null if there are none.
///
/// # Safety
/// It is null, or leads to this many `T` that nobody changes as long as the result lives.
pub unsafe fn many<'p, T>(pointer: *const T, count: u32) -> Result<&'p [T], Code> {
    match count {
        0 => Ok(&[]),
        _ if pointer.is_null() => Err(Code::Null),
        // SAFETY: the caller promises it.
        count => Ok(unsafe { std::slice::from_raw_parts(pointer, count as usize) }),
    }
}

/// The target of a pointer, to be written.
///
/// # Safety
/// It is null, or leads to a `T` that nobody else uses as long as the result lives.
pub unsafe fn write<'p, T>(pointer: *mut T) -> Result<&'p mut T, Code> {
    // SAFETY: the caller promises it.
    unsafe { pointer.as_mut() }.ok_or(Code::Null)
}
