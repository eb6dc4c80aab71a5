//! sRGB values to linear light, and back.

use std::sync::LazyLock;

/// sRGB bytes to linear light and back, by IEC 61966-2-1. Uses only operations that every machine rounds alike.
pub struct Light {
    pub of_byte: [f32; 256],
    /// The light from which on a byte is at least the index plus one.
    steps: [f32; 255],
}

pub static LIGHT: LazyLock<Light> = LazyLock::new(|| {
    #[expect(clippy::cast_possible_truncation, reason = "rounding to f32 is wanted")]
    let narrow = |v: f64| v as f32;
    Light {
        of_byte: std::array::from_fn(|i| narrow(light_of(f64::from(u16::try_from(i).unwrap_or(255)) / 255.0))),
        steps: std::array::from_fn(|i| narrow(light_of((f64::from(u16::try_from(i).unwrap_or(254)) + 0.5) / 255.0))),
    }
});

impl Light {
    pub fn byte_of(&self, light: f32) -> u8 {
        u8::try_from(self.steps.partition_point(|&step| step <= light)).unwrap_or(u8::MAX)
    }
}

/// The light of an sRGB value, both from 0 to 1. `x^2.4` is `x^2` times the fifth root of `x^2`, which Newton's method
/// finds with nothing but products and quotients: powers in system libraries differ between machines.
fn light_of(value: f64) -> f64 {
    if value <= 0.040_45 {
        return value / 12.92;
    }
    let x = (value + 0.055) / 1.055;
    let square = x * x;
    let mut root = 1.0f64;
    for _ in 0..64 {
        root = (4.0 * root + square / (root * root * root * root)) / 5.0;
    }
    square * root
}

/// The same in whole numbers, for sums that every machine and every order of adding rounds alike: light from 0 to
/// 65535.
pub struct WholeLight {
    pub of_byte: [u16; 256],
    byte_of: Vec<u8>,
}

pub static WHOLE: LazyLock<WholeLight> = LazyLock::new(|| {
    #[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "from 0 to 65535")]
    let whole = |light: f32| (f64::from(light) * 65535.0 + 0.5) as u16;
    #[expect(clippy::cast_possible_truncation, reason = "rounding to f32 is wanted")]
    let part = |light: u16| (f64::from(light) / 65535.0) as f32;
    WholeLight {
        of_byte: LIGHT.of_byte.map(whole),
        byte_of: (0..=u16::MAX).map(|light| LIGHT.byte_of(part(light))).collect(),
    }
});

impl WholeLight {
    pub fn byte_of(&self, light: u16) -> u8 {
        self.byte_of[usize::from(light)]
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn light_agrees_with_the_power_of_the_standard() {
        for byte in 0..=255u8 {
            let value = f64::from(byte) / 255.0;
            let direct = if value <= 0.04045 { value / 12.92 } else { ((value + 0.055) / 1.055).powf(2.4) };
            assert!((light_of(value) - direct).abs() < 1e-12);
            assert_eq!(LIGHT.byte_of(LIGHT.of_byte[usize::from(byte)]), byte);
            assert_eq!(WHOLE.byte_of(WHOLE.of_byte[usize::from(byte)]), byte);
        }
    }
}
