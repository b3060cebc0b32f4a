//! What commands write to.

use std::path::PathBuf;

use pivvel::Result;
use pivvel::draw::Appearance;
use pivvel::drill::ReportTarget;

use crate::arguments::OutputForm;

/// What lines or changes are written to.
pub(crate) fn report_targets(
    to: &[PathBuf],
    form: &OutputForm,
    appearance: &Appearance,
) -> Result<Vec<ReportTarget>> {
    let target = |path: &PathBuf| match path.as_os_str() == "-" {
        true => ReportTarget::to_standard_output(form.ending()),
        false => ReportTarget::of_rows(path),
    };
    form.paths(to).iter().map(|path| Ok(target(path)?.appearance(appearance.clone()))).collect()
}
