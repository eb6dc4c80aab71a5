//! Texts that cross the boundary.

use crate::code::Code;
use std::ffi::{CStr, c_char};

/// The bytes of a returned text, including the zero at its end.
pub const TEXT_BYTES: usize = 256;

/// A text in a buffer of fixed size.
pub struct Text;

impl Text {
    /// As much of a text as fits, whole characters only.
    pub fn of(text: &str) -> [u8; TEXT_BYTES] {
        let mut bytes = [0; TEXT_BYTES];
        let plain = text.split('\0').next().unwrap_or_default();
        let end = (0..TEXT_BYTES).rev().find(|end| plain.is_char_boundary(*end)).unwrap_or(0).min(plain.len());
        bytes[..end].copy_from_slice(&plain.as_bytes()[..end]);
        bytes
    }
}

/// A text of C.
///
/// # Safety
/// The pointer is null, or leads to bytes that end with a zero and do not change as long as the result lives.
pub unsafe fn text<'p>(pointer: *const c_char) -> Result<&'p str, Code> {
    if pointer.is_null() {
        return Err(Code::Null);
    }
    // SAFETY: the caller promises it.
    unsafe { CStr::from_ptr(pointer) }.to_str().map_err(|_| Code::NotUtf8)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_long_text_is_cut_between_characters() {
        let text = Text::of(&"ü".repeat(200));
        assert_eq!((text[253], text[254], text[255]), (0xbc, 0, 0));
        assert_eq!(Text::of("moth")[..5], *b"moth\0");
    }
}
