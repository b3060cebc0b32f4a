//! Files that are written are none that are read, and no two of them are one: asked before any work, by
//! what the file system says the files are and not by their names.

use std::path::{Path, PathBuf};

use pivvel_core::{Error, Result};

use crate::location::Location;

/// Checks the files of a run before it begins: no output may be an input or another output, whatever links
/// lead there, and none may be a file that must not be written.
///
/// Inputs are locations as [`open`](crate::open) takes them: paths, patterns, `-` and databases.
///
/// # Errors
/// The output that cannot be written, and which file it is.
///
/// ```
/// let folder = tempfile::tempdir()?;
/// let lines = folder.path().join("lines.csv");
/// std::fs::write(&lines, "coast,amount\nFell,10.50\n")?;
/// let input = lines.display().to_string();
/// assert!(pivvel_io::check_outputs(&[input.clone()], &[folder.path().join("out.csv")]).is_ok());
/// let error = pivvel_io::check_outputs(&[input], &[lines]).unwrap_err();
/// assert!(error.to_string().ends_with("this file is read by the same run; write to another one"));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn check_outputs<P: AsRef<Path>>(inputs: &[String], outputs: &[P]) -> Result<()> {
    let inputs: Vec<FileId> =
        inputs.iter().flat_map(|input| files_of(input)).filter_map(FileId::of).collect();
    let mut known: Vec<(FileId, &Path)> = Vec::new();
    for path in outputs.iter().map(AsRef::as_ref).filter(|path| path.as_os_str() != "-") {
        let refuse = |message: String| Err(Error::request(path.display().to_string(), message));
        if let Ok(file) = std::fs::metadata(path)
            && file.is_file()
            && file.permissions().readonly()
        {
            return refuse("this file is read-only; write to another one, or let it be written".into());
        }
        let Some(id) = FileId::of(path.to_path_buf()) else { continue };
        if inputs.contains(&id) {
            return refuse("this file is read by the same run; write to another one".into());
        }
        if let Some((_, other)) = known.iter().find(|(known, _)| *known == id) {
            return refuse(match *other == path {
                true => "this file is written twice; name two files".into(),
                false => format!("this is the same file as {}, which is written, too", other.display()),
            });
        }
        known.push((id, path));
    }
    Ok(())
}

/// The files that a location names.
fn files_of(location: &str) -> Vec<PathBuf> {
    if location == "-" || location.contains("://") {
        return Vec::new();
    }
    if Path::new(location).exists() {
        return vec![location.into()];
    }
    let base = Location::parse(location).map_or(location, |location| location.base);
    if Path::new(base).exists() {
        return vec![base.into()];
    }
    glob::glob(base).into_iter().flatten().filter_map(|path| path.ok()).collect()
}

/// What makes two paths one file.
#[derive(Debug, Clone, PartialEq, Eq)]
enum FileId {
    /// A file that is there: the device that it is on, and its number there.
    #[cfg(unix)]
    There(u64, u64),
    /// One that is not, or of which nothing more is known: its full path.
    Path(PathBuf),
}

impl FileId {
    /// None of what is no file that could be lost: a pipe, a terminal, a device.
    fn of(path: PathBuf) -> Option<FileId> {
        match std::fs::metadata(&path) {
            Ok(file) if file.is_file() => {
                #[cfg(unix)]
                {
                    use std::os::unix::fs::MetadataExt;
                    Some(FileId::There(file.dev(), file.ino()))
                }
                #[cfg(not(unix))]
                Some(FileId::Path(std::fs::canonicalize(&path).unwrap_or(path)))
            }
            Ok(_) => None,
            Err(_) => {
                let path = crate::atomic::target_of(&path);
                let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty());
                let folder = std::fs::canonicalize(folder.unwrap_or(Path::new(".")));
                Some(FileId::Path(match (folder, path.file_name()) {
                    (Ok(folder), Some(name)) => folder.join(name),
                    _ => path,
                }))
            }
        }
    }
}
