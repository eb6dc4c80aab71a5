//! Why something that a cache was asked for cannot be loaded.

use crate::open::OpenError;
use crate::sink::SinkError;
use std::error::Error;
use std::fmt;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use zemtak_core::clip::ClipError;
use zemtak_core::codec::DecodeError;
use zemtak_core::geometry::Size;

/// A name that cannot be loaded, where it was looked for, and why. Cheap to clone: all who wait for one page share it.
///
/// As text it is one line with all of this.
///
/// ```
/// # use zemtak_runtime::{Cache, MemoryFiles, MemorySink, Settings};
/// # let files = MemoryFiles::new();
/// # let pixels = zemtak_runtime::Pixels::transparent(zemtak_runtime::geometry::Size::new(32, 16)).unwrap();
/// # let png = zemtak_core::codec::encode_png(&pixels, zemtak_core::codec::PngEffort::Fast).unwrap();
/// # files.put("moth.png", png.clone());
/// # files.put("title.png", png);
/// # let (cache, mut pump) = Cache::new(Settings::over(files.clone()), MemorySink::new());
/// use zemtak_runtime::Reason;
///
/// let failure = pump.wait(&cache.lease("none.png")).unwrap_err();
/// assert_eq!(failure.name(), "none.png");
/// assert!(matches!(failure.reason(), Reason::NotFound(_)));
/// ```
#[derive(Debug, Clone)]
pub struct Failure(Arc<Inner>);

#[derive(Debug)]
struct Inner {
    name: String,
    path: Option<PathBuf>,
    reason: Reason,
}

/// Why something cannot be loaded.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum Reason {
    /// The text is not a valid name.
    #[error("not a name: give 'atlas:sprite' or the path of an image below a root, with / as separator")]
    Name,
    /// No root has the file.
    #[error("no root has it; looked for {}", .0.iter().map(|p| p.display().to_string()).collect::<Vec<_>>().join(", "))]
    NotFound(Vec<PathBuf>),
    /// No root has the file, but one has a file whose name differs only in case.
    #[error("no root has it, but one has {0}: names are told apart by their case")]
    OtherCase(String),
    /// It is the name of an atlas, but a sprite or an image is expected.
    #[error("it is an atlas; name a sprite of it, as {0}:moth/fly/03, or all, as {0}:**")]
    IsAtlas(String),
    /// A descriptor or a page cannot be used.
    #[error("{}", told(.0))]
    Open(OpenError),
    /// A file cannot be read.
    #[error("it cannot be read: {0}")]
    Io(io::Error),
    /// A loose image cannot be decoded.
    #[error("it cannot be decoded: {0}")]
    Decode(DecodeError),
    /// The atlas has no such sprite.
    #[error("the atlas has no sprite of that name{}", nearest(.0))]
    NoSprite(Option<String>),
    /// The atlas has no such clip.
    #[error("the atlas has no clip of that name{}", nearest(.0))]
    NoClip(Option<String>),
    /// A clip cannot be played.
    #[error("the clip cannot be played: {0}")]
    Clip(ClipError),
    /// A text is not a valid glob.
    #[error("not a glob: {0}")]
    Glob(String),
    /// Nothing matches a glob.
    #[error("nothing matches")]
    NothingMatches,
    /// The image is larger than the cache allows.
    #[error("its {0} pixels are more than the device or the settings allow")]
    TooLarge(Size),
    /// The sink could not make a texture of it.
    #[error("{0}")]
    Sink(SinkError),
    /// An alias stands for itself through others.
    #[error("the alias leads back to itself")]
    AliasLoop,
    /// An id belongs to another cache.
    #[error("the id belongs to another cache")]
    ForeignId,
    /// The pump was dropped, and all textures with it.
    #[error("the pump has been dropped, and all textures with it")]
    Closed,
    /// Waiting on the thread that pumps would never end.
    #[error("waiting on the thread that pumps would never end: wait with the pump instead")]
    OnPumpThread,
    /// A decoder panicked.
    #[error("the decoder crashed on it; this is a bug in the decoder")]
    BrokeOff,
}

/// Their text includes the cause, so it is not reported again as a source.
macro_rules! reasons {
    ($($cause:ty => $reason:ident),+) => {
        $(impl From<$cause> for Reason {
            fn from(cause: $cause) -> Self {
                Self::$reason(cause)
            }
        })+
    };
}

reasons!(OpenError => Open, io::Error => Io, DecodeError => Decode, ClipError => Clip, SinkError => Sink);

impl Failure {
    pub(crate) fn new(name: &str, reason: impl Into<Reason>) -> Self {
        Self(Arc::new(Inner { name: name.to_owned(), path: None, reason: reason.into() }))
    }

    pub(crate) fn at(name: &str, path: &Path, reason: impl Into<Reason>) -> Self {
        Self(Arc::new(Inner { name: name.to_owned(), path: Some(path.to_owned()), reason: reason.into() }))
    }

    /// Whether both are the same failure, not only equal ones.
    pub(crate) fn is_same(&self, other: &Self) -> bool {
        Arc::ptr_eq(&self.0, &other.0)
    }

    /// What was asked for.
    #[must_use]
    pub fn name(&self) -> &str {
        &self.0.name
    }

    /// The file at fault, if there is one.
    #[must_use]
    pub fn path(&self) -> Option<&Path> {
        self.0.path.as_deref()
    }

    /// Why.
    #[must_use]
    pub fn reason(&self) -> &Reason {
        &self.0.reason
    }
}

impl fmt::Display for Failure {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let Inner { name, path, reason } = &*self.0;
        write!(f, "{name}: ")?;
        // Errors of descriptors and pages name the file themselves.
        match path {
            Some(path) if !matches!(reason, Reason::Open(_)) => write!(f, "{}: {reason}", path.display()),
            _ => write!(f, "{reason}"),
        }
    }
}

impl Error for Failure {}

/// An error and its causes, on one line.
fn told(error: &OpenError) -> String {
    let cause = match error {
        OpenError::Flawed { flaws, .. } => flaws.first().map(ToString::to_string),
        other => other.source().map(ToString::to_string),
    };
    cause.map_or_else(|| error.to_string(), |cause| format!("{error}: {cause}"))
}

fn nearest(name: &Option<String>) -> String {
    name.as_ref().map_or(String::new(), |name| format!("; the nearest is {name}"))
}
