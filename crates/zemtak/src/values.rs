//! Values that are written the same way on the command line and in files.

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
        _ => Err("a tint is #rrggbb or #rrggbbaa, such as #ffc860 or #ffffff80".into()),
    }
}

/// A finite number.
///
/// # Errors
/// Anything else.
pub fn number(text: &str) -> Result<f64, String> {
    match text.trim().parse::<f64>() {
        Ok(number) if number.is_finite() => Ok(number),
        _ => Err(format!("'{text}' is not a finite number")),
    }
}

/// A time in nanoseconds, from `1.5s`, `250ms`, `3m`, `2h`, or plain milliseconds. Decimals are taken exactly.
///
/// # Errors
/// Anything else, and times beyond three hundred years.
pub fn time(text: &str) -> Result<i64, String> {
    const UNITS: [(&str, i128); 4] =
        [("ms", 1_000_000), ("s", 1_000_000_000), ("m", 60_000_000_000), ("h", 3_600_000_000_000)];
    let wrong = || format!("'{text}' is not a time such as 1.5s, 250ms, 2h or plain milliseconds");
    let unit = UNITS.iter().find_map(|(unit, size)| Some((text.strip_suffix(unit)?, *size)));
    let (number, size) = unit.unwrap_or((text, 1_000_000));
    let (sign, digits) = number.strip_prefix('-').map_or((1, number), |digits| (-1, digits));
    let (whole, part) = digits.split_once('.').unwrap_or((digits, ""));
    let plain = |part: &str| part.len() <= 18 && part.bytes().all(|b| b.is_ascii_digit());
    if whole.is_empty() || !plain(whole) || !plain(part) {
        return Err(wrong());
    }
    let all: i128 = format!("{whole}{part}").parse().map_err(|_| wrong())?;
    let scale = 10_i128.pow(u32::try_from(part.len()).map_err(|_| wrong())?);
    i64::try_from(sign * (all * size + scale / 2) / scale).map_err(|_| wrong())
}
