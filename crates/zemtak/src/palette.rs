//! The colours of all drawn pictures: a night with lanterns.

/// Red, green, blue.
pub type Colour = [u8; 3];

/// The background.
pub const NIGHT: Colour = [0x14, 0x18, 0x2c];
/// A surface on it.
pub const PANEL: Colour = [0x1f, 0x25, 0x41];
/// Text.
pub const TEXT: Colour = [0xe8, 0xe6, 0xf0];
/// Less important text.
pub const FAINT: Colour = [0xa2, 0xa8, 0xc4];
/// What matters most: what is held or noteworthy, and pivots.
pub const LANTERN: Colour = [0xf2, 0xb4, 0x5a];
/// Errors and removed things.
pub const WRONG: Colour = [0xf0, 0x7c, 0x92];
/// Frames and new things.
pub const TEAL: Colour = [0x6f, 0xc2, 0xc9];
/// What has moved, or lies differently.
pub const VIOLET: Colour = [0xb4, 0xa0, 0xf0];
