//! Leaf groups that are kept in files: Arrow IPC, which anything that knows Arrow can open.

use std::path::Path;

use pivvel_core::{Groups, Result};

/// Saves leaf groups. An earlier file stands until the new one is whole.
///
/// # Errors
/// What the file system finds wrong; a build without the feature `arrow`.
#[cfg(feature = "arrow")]
pub fn save_groups(path: &Path, groups: &Groups) -> Result<()> {
    crate::write_whole(path, |out| crate::arrow_ipc::write_batch(groups.to_record_batch(), out))
}

/// Opens leaf groups that were saved.
///
/// # Errors
/// A file that holds no groups, or groups of another version; a build without the feature `arrow`.
#[cfg(feature = "arrow")]
pub fn open_groups(path: &Path) -> Result<Groups> {
    Groups::from_record_batch(path.display().to_string(), crate::arrow_ipc::read_batch(path)?)
}

/// Saves leaf groups, where this build can.
///
/// # Errors
/// Always: this build is without the feature `arrow`.
#[cfg(not(feature = "arrow"))]
pub fn save_groups(path: &Path, _: &Groups) -> Result<()> {
    Err(crate::features::feature_is_off(&path.display().to_string(), "kept groups", "arrow"))
}

/// Opens leaf groups that were saved, where this build can.
///
/// # Errors
/// Always: this build is without the feature `arrow`.
#[cfg(not(feature = "arrow"))]
pub fn open_groups(path: &Path) -> Result<Groups> {
    Err(crate::features::feature_is_off(&path.display().to_string(), "kept groups", "arrow"))
}
