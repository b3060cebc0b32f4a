//! Files that are whole or not there: written beside their place, then moved into it.

use std::io::{BufWriter, Write};
use std::path::{Path, PathBuf};
use std::sync::{Mutex, PoisonError};

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
    let folder = path.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."));
    if path.is_dir() {
        return Err(Error::data(place(), "this is a folder, not a file"));
    }
    let fail = |e: std::io::Error| match e.kind() {
        std::io::ErrorKind::NotFound => Error::data(place(), "there is no such folder to write into"),
        _ => Error::io(place(), e),
    };
    let temporary = begin(folder).map_err(fail)?;
    let _ended = Ended(temporary.path().to_path_buf());
    let mut out = BufWriter::new(temporary);
    fill(&mut out).map_err(fail)?;
    let temporary = out.into_inner().map_err(|e| fail(e.into_error()))?;
    // A new file gets the rights that any new file gets, an old one keeps its own.
    keep_rights(path, temporary.as_file()).map_err(fail)?;
    temporary.as_file().sync_all().map_err(fail)?;
    temporary.persist(path).map_err(|e| fail(e.error))?;
    Ok(())
}

/// Files that are being written.
static WRITING: Mutex<Vec<PathBuf>> = Mutex::new(Vec::new());

fn begin(folder: &Path) -> std::io::Result<NamedTempFile> {
    let mut writing = WRITING.lock().unwrap_or_else(PoisonError::into_inner);
    let temporary = tempfile::Builder::new().prefix(".pivvel-").tempfile_in(folder)?;
    writing.push(temporary.path().to_path_buf());
    Ok(temporary)
}

/// Forgets a file that is written, or was given up.
struct Ended(PathBuf);

impl Drop for Ended {
    fn drop(&mut self) {
        WRITING.lock().unwrap_or_else(PoisonError::into_inner).retain(|path| *path != self.0);
    }
}

/// Removes what is half written, for a program that is about to end. Files that stood before stand.
pub fn abandon_writing() {
    let writing = WRITING.lock().unwrap_or_else(PoisonError::into_inner);
    for path in writing.iter() {
        // It may have been moved into its place just now.
        let _ = std::fs::remove_file(path);
    }
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
