//! Where files come from: a folder, or functions.

use crate::code::{Code, read};
use crate::text::text;
use std::ffi::{CStr, CString, c_char, c_void};
use std::io::{Error, ErrorKind, Result as IoResult};
use std::path::PathBuf;
use std::sync::Arc;
use zemtak_runtime::{Files, Folder, Stamp};

/// Files read by functions, for archives of your own. They are called from several threads at once. Paths have `/`
/// between their parts, and never contain empty parts, `.`, `..`, `:` or `\`.
#[repr(C)]
#[derive(Clone, Copy)]
pub struct ZemtakFiles {
    /// Passed to each function.
    pub user: *mut c_void,
    /// Writes a file's length, and a version that changes whenever the file does. Returns 0 on success, 1 if there is
    /// no such file, anything else if it cannot be read.
    pub stamp: Option<
        unsafe extern "C" fn(user: *mut c_void, path: *const c_char, length: *mut u64, version: *mut u64) -> i32,
    >,
    /// Fills a buffer of that length. Returns 0 on success.
    pub read: Option<unsafe extern "C" fn(user: *mut c_void, path: *const c_char, buffer: *mut u8, length: u64) -> i32>,
    /// Passes the path of each file to `emit`. Returns 0 on success. May be null: then globs over loose images match
    /// nothing.
    pub list: Option<
        unsafe extern "C" fn(
            user: *mut c_void,
            emit: unsafe extern "C" fn(to: *mut c_void, path: *const c_char),
            to: *mut c_void,
        ) -> i32,
    >,
}

/// Where to look for files: a folder or, if that is null, functions.
#[repr(C)]
pub struct ZemtakRoot {
    /// A folder.
    pub folder: *const c_char,
    /// Functions; the struct is copied.
    pub files: *const ZemtakFiles,
}

impl ZemtakRoot {
    /// # Safety
    /// Its pointers are null or valid, and the functions may be called from any thread as long as the cache is open.
    pub unsafe fn files(&self) -> Result<Arc<dyn Files>, Code> {
        if !self.folder.is_null() {
            // SAFETY: the caller promises it.
            return Ok(Arc::new(Folder::new(unsafe { text(self.folder) }?)));
        }
        // SAFETY: the caller promises it.
        let table = unsafe { read(self.files) }?;
        let (stamp, read) = table.stamp.zip(table.read).ok_or(Code::Null)?;
        Ok(Arc::new(TableFiles { user: table.user, stamp, read, list: table.list }))
    }
}

struct TableFiles {
    user: *mut c_void,
    stamp: unsafe extern "C" fn(*mut c_void, *const c_char, *mut u64, *mut u64) -> i32,
    read: unsafe extern "C" fn(*mut c_void, *const c_char, *mut u8, u64) -> i32,
    list:
        Option<unsafe extern "C" fn(*mut c_void, unsafe extern "C" fn(*mut c_void, *const c_char), *mut c_void) -> i32>,
}

// SAFETY: whoever opened the cache promised that the functions may be called from several threads at once.
unsafe impl Send for TableFiles {}
// SAFETY: the same.
unsafe impl Sync for TableFiles {}

fn told(code: i32) -> IoResult<()> {
    match code {
        0 => Ok(()),
        1 => Err(ErrorKind::NotFound.into()),
        code => Err(Error::other(format!("the game's files say code {code}"))),
    }
}

fn c_path(path: &str) -> IoResult<CString> {
    CString::new(path).map_err(|_| ErrorKind::InvalidInput.into())
}

impl Files for TableFiles {
    fn read(&self, path: &str, limit: u64) -> IoResult<Vec<u8>> {
        let length = self.stamp(path)?.length;
        if length > limit {
            return Err(ErrorKind::FileTooLarge.into());
        }
        let mut bytes = vec![0; usize::try_from(length).map_err(Error::other)?];
        let path = c_path(path)?;
        // SAFETY: as promised when opening; the buffer has that length.
        told(unsafe { (self.read)(self.user, path.as_ptr(), bytes.as_mut_ptr(), length) })?;
        Ok(bytes)
    }

    fn stamp(&self, path: &str) -> IoResult<Stamp> {
        let (path, mut length, mut version) = (c_path(path)?, 0, 0);
        // SAFETY: as promised when opening.
        told(unsafe { (self.stamp)(self.user, path.as_ptr(), &raw mut length, &raw mut version) })?;
        Ok(Stamp { length, version: version.into() })
    }

    fn list(&self) -> IoResult<Vec<String>> {
        unsafe extern "C" fn emit(to: *mut c_void, path: *const c_char) {
            if to.is_null() || path.is_null() {
                return;
            }
            // SAFETY: `to` is the list below, which nobody else uses; the path ends with a zero.
            let (paths, path) = unsafe { (&mut *to.cast::<Vec<String>>(), CStr::from_ptr(path)) };
            paths.extend(path.to_str().ok().map(str::to_owned));
        }
        let mut paths: Vec<String> = Vec::new();
        let Some(list) = self.list else { return Ok(paths) };
        // SAFETY: as promised when opening.
        told(unsafe { list(self.user, emit, (&raw mut paths).cast()) })?;
        Ok(paths)
    }

    fn place(&self, path: &str) -> PathBuf {
        PathBuf::from(path)
    }
}
