//! What stands under a cross-tab: what was read, left out, blank or odd, as far as it concerns its readers;
//! and what its author should know.

use pivvel_core::brief::NumberFormat;
use pivvel_core::result::{Audience, NoticeCode};
use pivvel_core::{CrossTab, Notice, Value};

use crate::number::show_number;

/// What a view has to say that the page's own cross-tab does not.
pub(crate) fn own_notes(view: &CrossTab, main: &CrossTab) -> Vec<String> {
    let of_main = notes(main);
    notes(view).into_iter().filter(|note| !of_main.contains(note)).collect()
}

/// What the readers of a cross-tab should know.
pub(crate) fn notes(crosstab: &CrossTab) -> Vec<String> {
    let read = crosstab.report().read;
    let count = show_number(&Value::Exact(read.into()), &NumberFormat::default());
    let mut first =
        format!("{count} line{} read from {}", if read == 1 { "" } else { "s" }, crosstab.source());
    let of_readers =
        crosstab.own_notices().into_iter().filter(|notice| notice.audience() == Audience::Reader);
    let mut notes = Vec::new();
    for notice in of_readers {
        // How many lines a condition leaves out stands beside how many there are.
        match notice.code() {
            NoticeCode::LinesExcluded => first.push_str(&format!("; {notice}")),
            _ => notes.push(notice.to_string()),
        }
    }
    if let Some(condition) = crosstab.condition().filter(|_| crosstab.report().excluded == 0) {
        first.push_str(&format!("; 0 lines excluded: {condition} is not true"));
    }
    notes.insert(0, first);
    notes
}

/// What the author of a cross-tab should know.
pub(crate) fn doubts(crosstab: &CrossTab) -> Vec<String> {
    let of_author = |notice: &Notice| notice.audience() == Audience::Author;
    crosstab.notices().iter().filter(|notice| of_author(notice)).map(Notice::to_string).collect()
}
