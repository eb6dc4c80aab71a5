//! How much of everything a run accepts before it refuses: hostile or broken input must not take all memory or all
//! time.
//!
//! Each limit has a default that real art does not come near, a key in `[limits]` of the project file, and a name for
//! the command line; key and name are the same.

use crate::failure::{Problem, ProblemKind};
use crate::format;
use std::path::Path;
use zemtak_core::atlas::DESCRIPTOR_BYTES;
use zemtak_core::codec;
use zemtak_files::{Disk, TooLarge};

macro_rules! limits {
    ($($(#[doc = $doc:literal])+ $name:ident: $default:expr, $of:literal;)+) => {
        /// The limits that were asked for; the defaults apply to the others.
        #[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
        #[non_exhaustive]
        pub struct Limits {
            /// The memory for decoded pixels in bytes; see [`Allowance`](crate::Allowance).
            pub memory: Option<u64>,
            /// Whether links may lead out of the given folders with sprites. Default: no.
            pub follow_links: Option<bool>,
            $($(#[doc = $doc])+ pub $name: Option<u64>),+
        }

        /// The name of each limit, what it counts, and the default.
        pub const LIMITS: &[(&str, &str, u64)] = &[$((stringify!($name), $of, $default)),+];

        impl Limits {
            /// Sets a limit by its name; returns whether there is such a limit.
            pub fn set(&mut self, name: &str, most: u64) -> bool {
                match name {
                    $(stringify!($name) => self.$name = Some(most),)+
                    _ => return false,
                }
                true
            }

            /// A limit by its name, if there is one.
            fn get(&self, name: &str) -> Option<u64> {
                match name {
                    $(stringify!($name) => Some(self.$name()),)+
                    _ => None,
                }
            }

            /// These limits, and those of `other` where these are not set.
            #[must_use]
            pub fn over(self, other: Self) -> Self {
                Self {
                    memory: self.memory.or(other.memory),
                    follow_links: self.follow_links.or(other.follow_links),
                    $($name: self.$name.or(other.$name)),+
                }
            }

            /// Whether links may lead out of the given folders with sprites.
            #[must_use]
            pub fn follow_links(&self) -> bool {
                self.follow_links.unwrap_or(false)
            }

            $($(#[doc = $doc])+ #[must_use] pub fn $name(&self) -> u64 { self.$name.unwrap_or($default) })+
        }
    };
}

limits! {
    /// The longest side of an image.
    image_side: 65_536, "pixels of an image's longer side";
    /// The pixels of an image.
    image_pixels: 1 << 26, "pixels of an image";
    /// The pixels of all frames of an animated image together.
    animation_pixels: 1 << 28, "pixels of all frames of an animated image together";
    /// The frames of an animated image.
    frames: 10_000, "frames in an animated image";
    /// The sprites of an atlas.
    sprites: 4_000_000, "sprites in an atlas";
    /// The pages of an atlas.
    pages: 10_000, "pages in an atlas";
    /// The rules of an atlas.
    rules: 1_000_000, "rules in an atlas";
    /// The steps of a clip.
    clip_steps: 1_000_000, "steps in a clip";
    /// The number of things that a scene of a rehearsal draws at a time.
    scene_draws: 4_096, "things that a scene draws at a time";
    /// The bytes of a text that people write: a project, a scenario, a template, a list of names.
    text_bytes: zemtak_files::TEXT_BYTES, "bytes of a project, a scenario, a template or a list";
    /// The bytes of a descriptor or of a list of coordinates.
    descriptor_bytes: DESCRIPTOR_BYTES, "bytes of a descriptor or of a list of coordinates";
    /// The bytes of a glob or of a regular expression. As many as systems allow a path.
    pattern_bytes: zemtak_core::glob::LONGEST as u64, "bytes of a glob or of a regular expression";
    /// The steps that a template may take.
    template_steps: 200_000_000, "steps of a template";
    /// The bytes that a template may produce.
    template_bytes: 1 << 30, "bytes that a template makes";
    /// The seconds that a shared store may take to answer.
    store_seconds: 20, "seconds for a shared store to answer";
    /// The bytes of a value that is fetched from or put into a shared store. A page is one value.
    store_value_bytes: 256 << 20, "bytes of a value of a shared store";
}

/// The key of the table of a project file.
pub const TABLE: &str = "limits";

impl Limits {
    /// The limits for a single image.
    #[must_use]
    pub fn of_image(&self) -> codec::Limits {
        let small = |n: u64| u32::try_from(n).unwrap_or(u32::MAX);
        codec::Limits {
            side: small(self.image_side()),
            pixels: self.image_pixels(),
            all_pixels: self.animation_pixels(),
            frames: small(self.frames()),
        }
    }

    /// Refuses more of something than its limit, and names the limit. `about` is what has too much of it.
    ///
    /// # Errors
    /// It has more.
    pub fn check(&self, name: &str, count: usize, about: &str) -> Result<(), Problem> {
        match self.get(name) {
            Some(most) if count as u64 > most => Err(self.refusal(name, count as u64, about)),
            _ => Ok(()),
        }
    }

    /// The problem with this much of something.
    #[must_use]
    pub fn refusal(&self, name: &str, count: u64, about: &str) -> Problem {
        let most = self.get(name).unwrap_or_default();
        let of = LIMITS.iter().find(|(limit, ..)| *limit == name).map_or(name, |(_, of, _)| of);
        let why = format!("{} {of}; the limit is {}", format::number(count), format::number(most));
        Problem::usage(ProblemKind::OverLimit, about, why, help(&[name]))
    }

    /// The bytes of a file that may have as many as the limit of this name.
    ///
    /// # Errors
    /// It cannot be read, or has more.
    pub fn read(&self, name: &str, path: &Path, disk: &dyn Disk) -> Result<Vec<u8>, Problem> {
        let read = disk.read(path, self.get(name).unwrap_or_default());
        read.map_err(|error| self.unread(name, &format::path(path), &error))
    }

    /// Its text.
    ///
    /// # Errors
    /// As for [`read`](Self::read); also text that is not UTF-8.
    pub fn read_text(&self, name: &str, path: &Path, disk: &dyn Disk) -> Result<String, Problem> {
        let unread = |error| self.unread(name, &format::path(path), &error);
        zemtak_files::text(self.read(name, path, disk)?).map_err(unread)
    }

    /// The text of standard input.
    ///
    /// # Errors
    /// As for [`read_text`](Self::read_text).
    pub fn read_standard_input(&self, name: &str) -> Result<String, Problem> {
        let read = zemtak_files::read_all_text(std::io::stdin(), self.get(name).unwrap_or_default());
        read.map_err(|error| self.unread(name, "standard input", &error))
    }

    fn unread(&self, name: &str, about: &str, error: &std::io::Error) -> Problem {
        match TooLarge::of(error) {
            Some(TooLarge { bytes, .. }) => self.refusal(name, bytes, about),
            None => Problem::io(about, error),
        }
    }
}

/// How to change a limit.
pub(crate) fn help(names: &[&str]) -> String {
    let names = names.join(" or ");
    format!("if that is meant, raise {names} with --limit NAME=NUMBER, or in [{TABLE}] of the project file")
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::failure::Failure;

    #[test]
    fn each_limit_holds_by_its_name_and_names_itself() {
        for (name, of, most) in LIMITS {
            let mut limits = Limits::default();
            assert!(limits.check(name, usize::try_from(*most).unwrap(), "moth").is_ok(), "{name}");
            assert!(limits.set(name, 2) && limits.check(name, 2, "moth").is_ok());
            let said = Failure::from(limits.check(name, 3, "moth").unwrap_err()).to_string();
            assert!(said.contains(&format!("moth: 3 {of}")) && said.contains(&format!("raise {name} with")), "{said}");
            assert_eq!(Limits::default().over(limits), limits);
        }
        assert!(!Limits::default().set("moths", 1));
    }
}
