//! Leaf groups that are kept in files: Arrow IPC, which anything that knows Arrow can open.

use std::path::Path;

use pivvel_core::result::Groups;
use pivvel_core::{Error, Result};

/// Saves leaf groups. An earlier file stands until the new one is whole.
///
/// ```
/// # use pivvel::source::TextSource;
/// # use pivvel::{Brief, CrossTab};
/// # let text = "coast,harbour,pieces\nFell,Quay,3\nSkerry,Holm,4\nFell,Haven,5\n";
/// # let mut lines = TextSource::from_reader("lines.csv", text.as_bytes(), &Default::default())?;
/// use pivvel::Build;
/// use pivvel::result::{open_groups, save_groups};
///
/// let brief = Brief::new().rows(["coast"]).measure(("pieces", "sum(pieces)"));
/// let folder = tempfile::tempdir()?;
/// let kept = folder.path().join("may.groups");
/// save_groups(&kept, &Build::new().groups(&brief, &mut lines)?)?;
/// let crosstab = Build::new().from_groups(&brief, &[open_groups(&kept)?])?;
/// assert_eq!(crosstab.value(&["Fell"], &[], "pieces"), Some(8.into()));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
///
/// # Errors
/// What the file system finds wrong.
pub fn save_groups(path: &Path, groups: &Groups) -> Result<()> {
    let bytes = groups.to_bytes()?;
    crate::write_whole(path, |out| out.write_all(&bytes))
}

/// Opens leaf groups that were saved.
///
/// # Errors
/// A file that holds no groups, or groups of another version.
pub fn open_groups(path: &Path) -> Result<Groups> {
    let name = path.display().to_string();
    let bytes = std::fs::read(path).map_err(|e| Error::io(&name, e))?;
    Groups::from_bytes(name, &bytes)
}
