//! Files that are whole or not there: written beside their place, then moved into it.
//!
//! On Linux a file has no name until it is whole, so that nothing is left of it even where the program is
//! killed; where a file system cannot do that, and elsewhere, it has a name that begins with `.pivvel-`.

use std::collections::BTreeMap;
use std::fs::File;
use std::io::{BufWriter, Write};
use std::path::{Path, PathBuf};
use std::sync::{Mutex, MutexGuard, PoisonError};

use pivvel_core::{Error, Result};
use tempfile::NamedTempFile;

/// Writes a file by `fill`, so that an earlier file of that name stands until the new one is
/// whole, and stays if anything fails.
///
/// # Errors
/// What the file system or `fill` finds wrong; nothing is left behind then.
///
/// ```
/// use std::io::Write;
/// let folder = tempfile::tempdir()?;
/// let path = folder.path().join("note.txt");
/// pivvel_io::write_whole(&path, |out| writeln!(out, "kept"))?;
/// assert_eq!(std::fs::read_to_string(&path)?, "kept\n");
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn write_whole(
    path: &Path,
    fill: impl FnOnce(&mut (dyn Write + Send)) -> std::io::Result<()>,
) -> Result<()> {
    let place = || path.display().to_string();
    let path = &target_of(path);
    let folder = path.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."));
    if path.is_dir() {
        return Err(Error::data(place(), "this is a folder, not a file"));
    }
    let fail = |e: std::io::Error| match e.kind() {
        std::io::ErrorKind::NotFound => Error::data(place(), "there is no such folder to write into"),
        _ => Error::io(place(), e),
    };
    if let Ok(file) = std::fs::metadata(path) {
        if file.is_file() && file.permissions().readonly() {
            return Err(Error::data(place(), "this file is read-only"));
        }
        // A pipe or a device is written into: there is no earlier file to keep.
        if !file.is_file() {
            let mut out = BufWriter::new(File::options().write(true).open(path).map_err(fail)?);
            return fill(&mut out).and_then(|()| out.flush()).map_err(fail);
        }
    }
    let begun = Begun::new(folder).map_err(fail)?;
    let mut out = BufWriter::new(begun.file());
    fill(&mut out).map_err(fail)?;
    out.into_inner().map_err(|e| fail(e.into_error()))?;
    // A new file gets the rights that any new file gets, an old one keeps its own.
    keep_rights(path, begun.file()).map_err(fail)?;
    begun.file().sync_all().map_err(fail)?;
    begun.into_place(folder, path).map_err(fail)
}

/// The file that a path leads to: a link stays a link, and what it leads to is written.
pub(crate) fn target_of(path: &Path) -> PathBuf {
    let mut target = path.to_path_buf();
    // As many steps as a system goes.
    for _ in 0..40 {
        let Ok(next) = std::fs::read_link(&target) else { break };
        target = target.parent().map_or(next.clone(), |folder| folder.join(&next));
    }
    target
}

/// A file that is being written.
struct Begun {
    file: Unplaced,
    ended: Ended,
}

enum Unplaced {
    #[cfg(target_os = "linux")]
    Nameless(File),
    Named(NamedTempFile),
}

impl Begun {
    fn new(folder: &Path) -> std::io::Result<Begun> {
        let mut writing = writing();
        let file = Unplaced::new(folder)?;
        let path = match &file {
            #[cfg(target_os = "linux")]
            Unplaced::Nameless(_) => None,
            Unplaced::Named(named) => Some(named.path().to_path_buf()),
        };
        writing.begun += 1;
        let number = writing.begun;
        writing.files.insert(number, path);
        Ok(Begun { file, ended: Ended(number) })
    }

    fn file(&self) -> &File {
        match &self.file {
            #[cfg(target_os = "linux")]
            Unplaced::Nameless(file) => file,
            Unplaced::Named(named) => named.as_file(),
        }
    }

    /// Moves the file into its place, unless it was given up.
    fn into_place(self, folder: &Path, path: &Path) -> std::io::Result<()> {
        let Begun { file, ended } = self;
        // While this is held, nothing is given up.
        let writing = writing();
        if !writing.files.contains_key(&ended.0) {
            return Err(std::io::Error::other("stopped"));
        }
        let named = match file {
            #[cfg(target_os = "linux")]
            Unplaced::Nameless(file) => {
                if nameless::link(&file, path).is_ok() {
                    return Ok(());
                }
                // Where an earlier file stands it is replaced by a file that has a name.
                name(folder, |path| {
                    nameless::link(&file, path)?;
                    file.try_clone()
                })?
            }
            Unplaced::Named(named) => named,
        };
        named.persist(path).map_err(|e| e.error)?;
        Ok(())
    }
}

impl Unplaced {
    fn new(folder: &Path) -> std::io::Result<Unplaced> {
        #[cfg(target_os = "linux")]
        if let Some(file) = nameless::begin(folder) {
            return Ok(Unplaced::Nameless(file));
        }
        Ok(Unplaced::Named(name(folder, |path| File::options().write(true).create_new(true).open(path))?))
    }
}

/// Gives a file that `make` makes a name that no file has.
fn name(folder: &Path, make: impl FnMut(&Path) -> std::io::Result<File>) -> std::io::Result<NamedTempFile> {
    tempfile::Builder::new().prefix(".pivvel-").make_in(folder, make)
}

/// Files that have no name yet.
#[cfg(target_os = "linux")]
mod nameless {
    use std::fs::File;
    use std::os::fd::AsRawFd;
    use std::path::Path;

    use rustix::fs::{AtFlags, CWD, Mode, OFlags, linkat, open};

    /// Begins a file in a folder, if its file system can do that.
    pub(super) fn begin(folder: &Path) -> Option<File> {
        let flags = OFlags::TMPFILE | OFlags::RDWR | OFlags::CLOEXEC;
        open(folder, flags, Mode::RUSR | Mode::WUSR).ok().map(File::from)
    }

    /// Gives a file a name that no file has.
    pub(super) fn link(file: &File, path: &Path) -> std::io::Result<()> {
        let own = format!("/proc/self/fd/{}", file.as_raw_fd());
        Ok(linkat(CWD, own, CWD, path, AtFlags::SYMLINK_FOLLOW)?)
    }
}

/// Files that are being written.
struct Writing {
    /// How many were begun so far.
    begun: u64,
    /// Those that are neither in their place nor given up, with the names that some have.
    files: BTreeMap<u64, Option<PathBuf>>,
}

static WRITING: Mutex<Writing> = Mutex::new(Writing { begun: 0, files: BTreeMap::new() });

/// Forgets a file that is in its place, or could not be written, by its number.
struct Ended(u64);

impl Drop for Ended {
    fn drop(&mut self) {
        writing().files.remove(&self.0);
    }
}

fn writing() -> MutexGuard<'static, Writing> {
    WRITING.lock().unwrap_or_else(PoisonError::into_inner)
}

/// Gives up what is half done, for a program that is about to end: files that are half written, of which those
/// that stood before stand, and statements that run on servers.
pub fn abandon_writing() {
    for path in std::mem::take(&mut writing().files).into_values().flatten() {
        let _ = std::fs::remove_file(path);
    }
    #[cfg(feature = "postgres")]
    crate::postgres::cancel();
}

#[cfg(unix)]
fn keep_rights(path: &Path, file: &std::fs::File) -> std::io::Result<()> {
    use std::os::unix::fs::PermissionsExt;
    let rights = match std::fs::metadata(path) {
        Ok(old) => old.permissions(),
        Err(_) => std::fs::Permissions::from_mode(0o644),
    };
    file.set_permissions(rights)
}

#[cfg(not(unix))]
fn keep_rights(_: &Path, _: &std::fs::File) -> std::io::Result<()> {
    Ok(())
}
