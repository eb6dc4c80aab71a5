//! Opening one descriptor and reading its pages, without a cache.

use std::io;
use std::path::{Path, PathBuf};
use zemtak_core::atlas::{Atlas, DESCRIPTOR_BYTES, Flaw, Layer, Page, ParseError, Parsed, PixelKind, parse};
#[cfg(feature = "ktx2")]
use zemtak_core::codec::read_ktx2;
use zemtak_core::codec::{DecodeError, Limits, decode};
use zemtak_core::geometry::Size;
use zemtak_core::pixels::Pixels;
use zemtak_files::TooLarge;

/// The largest page file that is read, in bytes.
pub const PAGE_BYTES: u64 = zemtak_files::FILE_BYTES;

/// The file extension of pages that are nothing but rows of 8-bit RGBA from the top.
pub const RAW_PAGE: &str = "rgba";

/// A descriptor that was read from a file and checked.
///
/// ```
/// use zemtak_runtime::{AtlasFile, HashCheck};
///
/// fn look(path: &std::path::Path) -> Result<(), zemtak_runtime::OpenError> {
///     let night = AtlasFile::open(path)?;
///     let pixels = night.read_page(0, HashCheck::Yes)?; // rows from the top, 8-bit RGBA
///     for (name, sprite) in &night.atlas().sprites {
///         println!("{name} lies at {:?} of {:?}", sprite.uv, pixels.size());
///     }
///     Ok(())
/// }
/// assert!(look("none.zemtak.json".as_ref()).is_err());
/// ```
#[derive(Debug, Clone)]
pub struct AtlasFile {
    path: PathBuf,
    parsed: Parsed,
}

/// Whether a page's bytes are checked against the hash in its descriptor.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub enum HashCheck {
    /// Check them. Needs the feature `hash`.
    #[cfg(feature = "hash")]
    Yes,
    /// Do not: for speed, if files are trusted.
    No,
}

impl HashCheck {
    /// Check them if this program can.
    pub(crate) const fn if_built_in() -> Self {
        #[cfg(feature = "hash")]
        return Self::Yes;
        #[cfg(not(feature = "hash"))]
        return Self::No;
    }
}

/// Why a descriptor or a page cannot be used.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum OpenError {
    /// A file cannot be read.
    #[error("cannot read {}", path.display())]
    Io {
        /// The file.
        path: PathBuf,
        /// The system's reason.
        source: io::Error,
    },
    /// A file is larger than allowed.
    #[error("{} has {bytes} bytes, which is over the limit of {limit}", path.display())]
    TooLarge {
        /// The file.
        path: PathBuf,
        /// Its length.
        bytes: u64,
        /// The limit.
        limit: u64,
    },
    /// The text is not a descriptor.
    #[error("{} is not a descriptor that can be read", path.display())]
    Parse {
        /// The file.
        path: PathBuf,
        /// Its text.
        text: String,
        /// What is wrong.
        source: ParseError,
    },
    /// It contains numbers that cannot be right.
    #[error("{} contradicts itself in {} place{}", path.display(), flaws.len(), if flaws.len() == 1 { "" } else { "s" })]
    Flawed {
        /// The file.
        path: PathBuf,
        /// What cannot be right.
        flaws: Vec<Flaw>,
    },
    /// The descriptor has no such page.
    #[error("there is no page {0}")]
    NoPage(usize),
    /// A page's file is not a picture that can be read.
    #[error("{} cannot be decoded", path.display())]
    Page {
        /// The file.
        path: PathBuf,
        /// The reason.
        source: DecodeError,
    },
    /// A page's picture has another size than the descriptor says.
    #[error("{} has {found} pixels instead of {expected}", path.display())]
    PageSize {
        /// The file.
        path: PathBuf,
        /// Its size.
        found: Size,
        /// The size in the descriptor.
        expected: Size,
    },
    /// The size of a page of raw pixels does not match the number of its bytes.
    #[error("{} has not the bytes of {expected} pixels", path.display())]
    RawPage {
        /// The file.
        path: PathBuf,
        /// What the descriptor says.
        expected: Size,
    },
    /// A page stores its pixels in another format than the descriptor says.
    #[error("{} stores its pixels as {}, its descriptor says {}", path.display(), found.word(), expected.word())]
    PageKind {
        /// The file.
        path: PathBuf,
        /// As it stores them.
        found: PixelKind,
        /// As the descriptor says.
        expected: PixelKind,
    },
    /// A page's bytes do not have the hash in the descriptor: it belongs to another build, or is damaged.
    #[error("{} has another hash than its descriptor says: it is of another build, or damaged", path.display())]
    Hash {
        /// The file.
        path: PathBuf,
    },
}

impl AtlasFile {
    /// Reads and checks a descriptor. Does not touch its pages.
    ///
    /// # Errors
    /// [`OpenError`]: it cannot be read, is larger than [`DESCRIPTOR_BYTES`], is not a descriptor, or has numbers that
    /// cannot be right.
    pub fn open(path: &Path) -> Result<Self, OpenError> {
        Self::open_within(path, DESCRIPTOR_BYTES)
    }

    /// The same for a descriptor of at most this many bytes.
    ///
    /// # Errors
    /// See [`AtlasFile::open`].
    pub fn open_within(path: &Path, bytes: u64) -> Result<Self, OpenError> {
        let parsed = parse_descriptor(path, read(path, bytes)?)?;
        Ok(Self { path: path.to_owned(), parsed })
    }

    /// The descriptor.
    #[must_use]
    pub fn atlas(&self) -> &Atlas {
        &self.parsed.atlas
    }

    /// Paths of keys in the file that this version does not know and has ignored.
    #[must_use]
    #[cfg(feature = "unknown-keys")]
    pub fn unknown_keys(&self) -> &[String] {
        &self.parsed.unknown
    }

    /// Where a page's file is.
    ///
    /// # Errors
    /// [`OpenError::NoPage`].
    pub fn page_path(&self, index: usize) -> Result<PathBuf, OpenError> {
        let page = self.atlas().pages.get(index).ok_or(OpenError::NoPage(index))?;
        Ok(self.path.parent().unwrap_or(Path::new("")).join(&page.file))
    }

    /// Reads a page's pixels: rows from the top, 8-bit RGBA, of exactly the size in the descriptor.
    ///
    /// # Errors
    /// [`OpenError`]: it cannot be read, is damaged, has another size, or (if checked) another hash.
    pub fn read_page(&self, index: usize, hash: HashCheck) -> Result<Pixels, OpenError> {
        let path = self.page_path(index)?;
        Stored::page(&self.atlas().pages[index]).decode(&path, read(&path, PAGE_BYTES)?, hash)
    }

    /// Reads the pixels of a page's layer, such as `normal`; `None` if the page has no layer of that name.
    ///
    /// # Errors
    /// See [`AtlasFile::read_page`].
    pub fn read_layer(&self, index: usize, name: &str, hash: HashCheck) -> Result<Option<Pixels>, OpenError> {
        let page = self.atlas().pages.get(index).ok_or(OpenError::NoPage(index))?;
        let Some(layer) = page.layers.get(name) else { return Ok(None) };
        let path = self.path.parent().unwrap_or(Path::new("")).join(&layer.file);
        Stored::layer(page, layer).decode(&path, read(&path, PAGE_BYTES)?, hash).map(Some)
    }

    /// Reads the pixels of a page, or of the layer of it that is named; `None` if the page has no such layer.
    ///
    /// # Errors
    /// See [`AtlasFile::read_page`].
    pub fn read_image(&self, index: usize, layer: Option<&str>, hash: HashCheck) -> Result<Option<Pixels>, OpenError> {
        match layer {
            None => self.read_page(index, hash).map(Some),
            Some(name) => self.read_layer(index, name, hash),
        }
    }
}

/// A descriptor's text, parsed and checked. The path is for messages.
pub(crate) fn parse_descriptor(path: &Path, bytes: Vec<u8>) -> Result<Parsed, OpenError> {
    let text = String::from_utf8(bytes).unwrap_or_else(|e| String::from_utf8_lossy(e.as_bytes()).into_owned());
    let path = path.to_owned();
    let parsed = match parse(&text) {
        Ok(parsed) => parsed,
        Err(source) => return Err(OpenError::Parse { path, text, source }),
    };
    let flaws = parsed.atlas.check();
    if !flaws.is_empty() {
        return Err(OpenError::Flawed { path, flaws });
    }
    Ok(parsed)
}

/// The extension of a file. Formats without a signature, such as TGA, are recognised by it.
pub(crate) fn extension(path: &str) -> Option<&str> {
    Path::new(path).extension()?.to_str()
}

/// A file of a page or of one of its layers, as described by the descriptor.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Stored<'a> {
    pub file: &'a str,
    pub size: Size,
    #[cfg(feature = "ktx2")]
    pub kind: PixelKind,
    pub hash: &'a str,
}

impl<'a> Stored<'a> {
    pub fn page(page: &'a Page) -> Self {
        Self {
            file: &page.file,
            size: page.size(),
            #[cfg(feature = "ktx2")]
            kind: page.pixels,
            hash: &page.hash,
        }
    }

    pub fn layer(page: &Page, layer: &'a Layer) -> Self {
        Self {
            file: &layer.file,
            size: page.size(),
            #[cfg(feature = "ktx2")]
            kind: layer.pixels,
            hash: &layer.hash,
        }
    }

    /// Limits on the size of such a file.
    fn limits(&self) -> Limits {
        Limits { side: self.size.w.max(self.size.h), pixels: self.size.area(), ..Limits::default() }
    }

    /// Checks bytes against the hash, if asked to.
    fn check(&self, path: &Path, bytes: &[u8], hash: HashCheck) -> Result<(), OpenError> {
        let _ = (path, bytes, self.hash);
        match hash {
            #[cfg(feature = "hash")]
            HashCheck::Yes if page_hash(bytes) != self.hash => Err(OpenError::Hash { path: path.to_owned() }),
            _ => Ok(()),
        }
    }

    fn error(&self, path: &Path, error: DecodeError) -> OpenError {
        let path = path.to_owned();
        match error {
            DecodeError::TooLarge { size, .. } => OpenError::PageSize { path, found: size, expected: self.size },
            source => OpenError::Page { path, source },
        }
    }

    /// The pixels of the full size, checked against the descriptor. The path is for messages.
    pub fn decode(&self, path: &Path, bytes: Vec<u8>, hash: HashCheck) -> Result<Pixels, OpenError> {
        self.check(path, &bytes, hash)?;
        let (path_buf, expected) = (path.to_owned(), self.size);
        let extension = extension(self.file);
        if extension.is_some_and(|e| e == RAW_PAGE) {
            return Pixels::from_rgba(expected, bytes).ok_or(OpenError::RawPage { path: path_buf, expected });
        }
        let decoded = decode(&bytes, extension, &self.limits()).map_err(|error| self.error(path, error))?.pixels;
        if decoded.size() != expected {
            return Err(OpenError::PageSize { path: path_buf, found: decoded.size(), expected });
        }
        Ok(decoded)
    }

    /// The levels of a file that holds them in the form a graphics card takes; `None` if it is a picture.
    #[cfg(feature = "ktx2")]
    pub fn levels(&self, path: &Path, bytes: &[u8], hash: HashCheck) -> Result<Option<Vec<Vec<u8>>>, OpenError> {
        if extension(self.file).is_none_or(|e| e != "ktx2") {
            return Ok(None);
        }
        self.check(path, bytes, hash)?;
        let texture = read_ktx2(bytes, &self.limits()).map_err(|error| self.error(path, error))?;
        let (path, expected) = (path.to_owned(), self.size);
        if texture.size != expected {
            return Err(OpenError::PageSize { path, found: texture.size, expected });
        }
        if texture.kind != self.kind {
            return Err(OpenError::PageKind { path, found: texture.kind, expected: self.kind });
        }
        Ok(Some(texture.levels))
    }
}

/// The hash of a page file's bytes in the form that descriptors use: `blake3:` and 64 hexadecimal digits.
///
/// ```
/// let hash = zemtak_runtime::page_hash(b"bytes of a page");
/// assert!(hash.starts_with("blake3:") && hash.len() == 7 + 64);
/// ```
#[must_use]
#[cfg(feature = "hash")]
pub fn page_hash(bytes: &[u8]) -> String {
    format!("blake3:{}", blake3::hash(bytes).to_hex())
}

/// Identifies the content of a loose image, within this run of the program.
pub(crate) fn content_tag(bytes: &[u8]) -> String {
    #[cfg(feature = "hash")]
    return page_hash(bytes);
    #[cfg(not(feature = "hash"))]
    {
        use std::hash::{DefaultHasher, Hash, Hasher};
        let mut hasher = DefaultHasher::new();
        bytes.hash(&mut hasher);
        format!("{:016x}", hasher.finish())
    }
}

fn read(path: &Path, limit: u64) -> Result<Vec<u8>, OpenError> {
    let path_buf = || path.to_owned();
    zemtak_files::read(path, limit).map_err(|source| match TooLarge::of(&source) {
        Some(TooLarge { bytes, limit }) => OpenError::TooLarge { path: path_buf(), bytes, limit },
        None => OpenError::Io { path: path_buf(), source },
    })
}
