//! The colours of all pictures that are drawn for people: a night with lanterns.

/// Red, green, blue.
pub type Colour = [u8; 3];

/// What lies behind everything.
pub const NIGHT: Colour = [0x14, 0x18, 0x2c];
/// A surface on it.
pub const PANEL: Colour = [0x1f, 0x25, 0x41];
/// Text.
pub const TEXT: Colour = [0xe8, 0xe6, 0xf0];
/// Text of less importance.
pub const FAINT: Colour = [0xa2, 0xa8, 0xc4];
/// What matters most: what is held, worth a look, or a pivot.
pub const LANTERN: Colour = [0xf2, 0xb4, 0x5a];
/// What is wrong or gone.
pub const WRONG: Colour = [0xf0, 0x7c, 0x92];
/// Frames, and what is new.
pub const TEAL: Colour = [0x6f, 0xc2, 0xc9];
/// What lies otherwise than before, or than others.
pub const VIOLET: Colour = [0xb4, 0xa0, 0xf0];
