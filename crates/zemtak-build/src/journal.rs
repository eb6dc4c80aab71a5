//! What a watcher knows about files that have not changed since the previous build: which images there are, and their
//! contents. A build that has a journal searches no folder and asks the file system about no image.
//!
//! It is trusted only where nothing can change unseen: not behind links, and not for files that were named
//! individually, which programs replace by new ones. Anything odd makes it forget, and the build then looks at
//! everything as usual.

use crate::failure::Failure;
use crate::sources::{self, FoundSources, SourceSearch};
use crate::store::Hash;
use std::collections::HashMap;
use std::path::{Path, PathBuf};
use std::sync::{Arc, PoisonError, RwLock, RwLockReadGuard, RwLockWriteGuard};
use zemtak_core::codec::Format;

/// After this many builds everything is looked at once more: values of the store that nobody asks for grow old and
/// disappear.
const MOST_BUILDS: u32 = 100;

/// What is known from build to build.
#[derive(Debug, Default)]
pub(crate) struct Journal {
    /// Whether anybody reports changes to it.
    kept: bool,
    pages: RwLock<Pages>,
}

#[derive(Debug, Default)]
struct Pages {
    /// What was found where.
    found: Vec<(SourceSearch, Arc<FoundSources>)>,
    /// The contents of images, and whether they are pictures that a build drew.
    contents: HashMap<PathBuf, (Hash, bool)>,
    builds: u32,
    /// Whether something was found that may change unseen.
    is_useless: bool,
}

impl Journal {
    /// A journal that receives every change through [`changed`](Self::changed).
    pub fn kept() -> Self {
        Self { kept: true, ..Self::default() }
    }

    /// The images of a search: as found before, or else by searching.
    ///
    /// # Errors
    /// As for [`sources::find`].
    pub fn find(&self, search: &SourceSearch) -> Result<Arc<FoundSources>, Failure> {
        if let Some((_, found)) = self.read().found.iter().find(|(before, _)| before == search) {
            return Ok(Arc::clone(found));
        }
        let found = Arc::new(sources::find(search)?);
        if self.kept {
            let is_plain = !found.has_links && search.paths.iter().all(|path| is_plain_folder(path));
            if is_plain && found.problems.is_empty() {
                self.write().found.push((search.clone(), Arc::clone(&found)));
            } else {
                self.write().is_useless = true;
            }
        }
        Ok(found)
    }

    /// The content of an image, if it has not changed since [`learn`](Self::learn).
    pub fn known(&self, image: &Path) -> Option<(Hash, bool)> {
        if !self.kept {
            return None;
        }
        let pages = self.read();
        if pages.is_useless { None } else { pages.contents.get(image).copied() }
    }

    /// Records the content of an image.
    pub fn learn(&self, image: &Path, hash: Hash, is_result: bool) {
        if self.kept {
            self.write().contents.insert(image.to_owned(), (hash, is_result));
        }
    }

    /// Records changes: of files, or of folders with everything in them. No paths at all means that nobody knows.
    pub fn changed(&self, paths: &[PathBuf]) {
        let mut pages = self.write();
        pages.builds += 1;
        if paths.is_empty() || pages.is_useless || pages.builds >= MOST_BUILDS {
            *pages = Pages::default();
            return;
        }
        pages.forget(paths);
    }

    /// Forgets everything.
    pub fn forget(&self) {
        *self.write() = Pages::default();
    }

    fn read(&self) -> RwLockReadGuard<'_, Pages> {
        self.pages.read().unwrap_or_else(PoisonError::into_inner)
    }

    fn write(&self) -> RwLockWriteGuard<'_, Pages> {
        self.pages.write().unwrap_or_else(PoisonError::into_inner)
    }
}

impl Pages {
    /// Forgets all of them at once: a search that one path ends still tells which image another one is.
    fn forget(&mut self, paths: &[PathBuf]) {
        let Self { found, contents, .. } = self;
        let mut inside = Vec::new();
        found.retain(|(search, _)| {
            let in_folder = |folder: &PathBuf| paths.iter().filter_map(|path| below(folder, path)).collect::<Vec<_>>();
            let places: Vec<PathBuf> = search.paths.iter().flat_map(in_folder).collect();
            // An image that is overwritten stays where it was.
            let stays = places.iter().all(|place| contents.contains_key(place) && is_image_file(place));
            inside.extend(places);
            stays
        });
        for place in inside {
            if contents.remove(&place).is_none() {
                contents.retain(|image, _| !image.starts_with(&place));
            }
        }
    }
}

/// Whether a folder is reached without any link: nobody reports when a link on the way is made to lead elsewhere.
fn is_plain_folder(path: &Path) -> bool {
    path.is_dir() && path.canonicalize().is_ok_and(|real| sources::clean(path).is_ok_and(|clean| clean == real))
}

/// Whether there is a regular file that counts as an image whatever its content.
fn is_image_file(path: &Path) -> bool {
    let extension = path.extension().and_then(|extension| extension.to_str());
    extension.and_then(Format::of_extension).is_some() && path.symlink_metadata().is_ok_and(|meta| meta.is_file())
}

/// A changed path as a search of a folder lists it, if it lies in the folder; the folder itself, if that lies in the
/// path.
fn below(folder: &Path, path: &Path) -> Option<PathBuf> {
    let (clean, path) = (sources::clean(folder).ok()?, sources::clean(path).ok()?);
    match path.strip_prefix(&clean) {
        Ok(inside) if inside.as_os_str().is_empty() => Some(folder.to_owned()),
        Ok(inside) => Some(folder.join(inside)),
        Err(_) => clean.starts_with(&path).then(|| folder.to_owned()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::request::PackRequest;
    use std::collections::BTreeMap;
    use std::fs;
    use zemtak_core::codec::{PngEffort, encode_png};
    use zemtak_core::geometry::Size;
    use zemtak_core::pixels::Pixels;

    fn sprite(seed: u8) -> Vec<u8> {
        let pixels = [seed, 255 - seed, 7, 255].repeat(12);
        encode_png(&Pixels::from_rgba(Size::new(4, 3), pixels).unwrap(), PngEffort::Fast).unwrap()
    }

    /// The files of a folder, except the build's own.
    fn results(folder: &Path) -> BTreeMap<PathBuf, Vec<u8>> {
        let files = fs::read_dir(folder).into_iter().flatten().map(|entry| entry.unwrap().path());
        let ours = |path: &PathBuf| !path.file_name().unwrap().to_str().unwrap().starts_with('.');
        files.filter(ours).map(|path| (path.file_name().unwrap().into(), fs::read(&path).unwrap())).collect()
    }

    /// An edit, and the paths that a watcher reports for it.
    fn edit(art: &Path, kind: u32, seed: u8) -> Vec<PathBuf> {
        let at = |name: String| art.join(name);
        let images: Vec<PathBuf> = sources::find(&SourceSearch {
            paths: vec![art.to_owned()],
            root: None,
            leave_out: None,
            follow_links: false,
        })
        .map(|found| found.files.into_iter().map(|source| source.path).collect())
        .unwrap();
        let one = images[seed as usize % images.len()].clone();
        match kind {
            // By overwriting, as a program that saves does, or by another file that takes its name.
            0 => fs::write(&one, sprite(seed)).unwrap(),
            1 => {
                fs::write(at(format!("tmp{seed}")), sprite(seed)).unwrap();
                fs::rename(at(format!("tmp{seed}")), &one).unwrap();
            }
            2 => {
                let new = at(format!("new-{seed}.png"));
                fs::write(&new, sprite(seed)).unwrap();
                return vec![new];
            }
            3 if images.len() > 4 => fs::remove_file(&one).unwrap(),
            // A folder disappears, and another takes its name: nothing is reported about its content.
            4 => {
                let (folder, away) = (at("moth".into()), at(format!("away-{seed}")));
                if folder.exists() {
                    fs::rename(&folder, &away).unwrap();
                }
                fs::create_dir(&folder).unwrap();
                for n in 0..3_u8 {
                    fs::write(folder.join(format!("{n}.png")), sprite(seed.wrapping_add(n))).unwrap();
                }
                return vec![folder, away];
            }
            5 => {
                let note = at("notes.txt".into());
                fs::write(&note, [seed]).unwrap();
                return vec![note];
            }
            // No extension: its content decides whether it is an image.
            6 => {
                let bare = at("bare".into());
                fs::write(&bare, if bare.exists() { b"no image".to_vec() } else { sprite(seed) }).unwrap();
                return vec![bare];
            }
            _ => return Vec::new(),
        }
        vec![one]
    }

    #[test]
    fn builds_by_a_journal_are_those_that_look_at_everything() {
        let folder = tempfile::tempdir().unwrap();
        let (art, out) = (folder.path().join("art"), folder.path().join("out"));
        fs::create_dir_all(art.join("moth")).unwrap();
        for n in 0..6_u8 {
            fs::write(art.join(format!("moth/{n}.png")), sprite(n)).unwrap();
            fs::write(art.join(format!("lamp-{n}.png")), sprite(n + 50)).unwrap();
        }
        let request = PackRequest::of_paths([&art]).out(&out).name("night");
        let journal = Journal::kept();
        request.run_again(&journal, &()).unwrap();
        let (mut dice, mut kept) = (5_u32, 0);
        for step in 0..60 {
            dice = dice.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            // Several edits may come together: an image that disappeared once let another one's change go unnoticed.
            let seed = (dice >> 24) as u8;
            let edits = [(dice >> 10 & 7, seed), (dice >> 13 & 7, seed.rotate_left(3))].into_iter();
            let edits = edits.take(1 + (dice >> 8 & 1) as usize).flat_map(|(kind, seed)| edit(&art, kind, seed));
            journal.changed(&edits.collect::<Vec<_>>());
            kept += journal.read().contents.len();
            request.run_again(&journal, &()).unwrap();
            let fresh = tempfile::tempdir().unwrap();
            PackRequest::of_paths([&art]).out(fresh.path()).name("night").run(&()).unwrap();
            assert!(results(&out) == results(fresh.path()), "step {step}");
        }
        assert!(kept > 60, "{kept}");
    }

    #[test]
    fn what_may_change_unseen_is_not_believed() {
        let folder = tempfile::tempdir().unwrap();
        let art = folder.path().join("art");
        fs::create_dir(&art).unwrap();
        let image = art.join("moth.png");
        fs::write(&image, sprite(1)).unwrap();
        let search = |paths: &[&Path]| SourceSearch {
            paths: paths.iter().map(|path| path.to_path_buf()).collect(),
            root: None,
            leave_out: None,
            follow_links: false,
        };
        let known = |journal: &Journal| {
            journal.learn(&image, [7; 32], false);
            journal.known(&image).is_some()
        };
        let find = |paths: &[&Path]| {
            let journal = Journal::kept();
            journal.find(&search(paths)).unwrap();
            journal
        };
        assert!(known(&find(&[&art])) && !known(&Journal::default()));
        assert!(!known(&find(&[&image])), "programs put another file in its place");
        let journal = find(&[&art]);
        assert!(known(&journal));
        journal.changed(&[]);
        assert_eq!(journal.known(&image), None);
        #[cfg(unix)]
        {
            std::os::unix::fs::symlink("moth.png", art.join("link.png")).unwrap();
            let journal = find(&[&art]);
            assert!(!known(&journal));
            fs::remove_file(art.join("link.png")).unwrap();
            journal.changed(&[art.join("link.png")]);
            journal.find(&search(&[&art])).unwrap();
            assert!(known(&journal));
            let way = folder.path().join("way");
            std::os::unix::fs::symlink(folder.path(), &way).unwrap();
            assert!(!known(&find(&[&way.join("art")])), "the link may come to lead elsewhere");
        }
    }
}
