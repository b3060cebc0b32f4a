//! Leaf groups that are kept in files: Arrow IPC, which anything that knows Arrow can open.

use std::path::Path;

use pivvel_core::result::Groups;
use pivvel_core::{Error, Result};

/// Saves leaf groups. An earlier file stands until the new one is whole.
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
