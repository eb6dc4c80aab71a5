//! Values that are written in the same way on the command line and in files.

use zemtak_core::coords::Flip;

/// `x`, `y` or `xy`.
///
/// # Errors
/// Anything else.
pub fn flip(text: &str) -> Result<Flip, String> {
    match text {
        "x" => Ok(Flip { x: true, y: false }),
        "y" => Ok(Flip { x: false, y: true }),
        "xy" | "yx" => Ok(Flip { x: true, y: true }),
        _ => Err("a flip is x (left and right), y (top and bottom) or xy".into()),
    }
}

/// `#rrggbb` or `#rrggbbaa`, in hexadecimal.
///
/// # Errors
/// Anything else.
pub fn tint(text: &str) -> Result<[u8; 4], String> {
    let digits = text.strip_prefix('#').filter(|d| d.is_ascii() && matches!(d.len(), 6 | 8));
    let byte = |at: usize| digits.and_then(|d| u8::from_str_radix(d.get(at..at + 2).unwrap_or("ff"), 16).ok());
    match (byte(0), byte(2), byte(4), byte(6)) {
        (Some(r), Some(g), Some(b), Some(a)) => Ok([r, g, b, a]),
        _ => Err("a tint is #rrggbb or #rrggbbaa, as #ffc860 or #ffffff80".into()),
    }
}

/// A finite number.
///
/// # Errors
/// Anything else.
pub fn number(text: &str) -> Result<f64, String> {
    match text.trim().parse::<f64>() {
        Ok(number) if number.is_finite() => Ok(number),
        _ => Err(format!("'{text}' is no finite number")),
    }
}
