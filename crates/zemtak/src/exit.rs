//! The exit code of the process.

use std::process::ExitCode;
use zemtak_build::Cause;

/// The documented exit codes, weakest first: if several apply, the last in this order wins.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Exit {
    /// 0: done.
    Done,
    /// 1: a check found something.
    Found,
    /// 2: wrong usage or project file.
    Usage,
    /// 3: an input image or descriptor is invalid, or a sprite does not fit.
    BadInput,
    /// 4: reading or writing failed.
    Io,
    /// 130: interrupted.
    Interrupted,
}

impl Exit {
    /// The numeric exit code.
    #[must_use]
    pub const fn code(self) -> u8 {
        match self {
            Self::Done => 0,
            Self::Found => 1,
            Self::Usage => 2,
            Self::BadInput => 3,
            Self::Io => 4,
            Self::Interrupted => 130,
        }
    }

    /// The exit code for an error.
    #[must_use]
    pub const fn of(cause: Cause) -> Self {
        match cause {
            Cause::Usage => Self::Usage,
            Cause::BadInput => Self::BadInput,
            Cause::Interrupted => Self::Interrupted,
            _ => Self::Io,
        }
    }
}

impl From<Exit> for ExitCode {
    fn from(exit: Exit) -> Self {
        Self::from(exit.code())
    }
}
