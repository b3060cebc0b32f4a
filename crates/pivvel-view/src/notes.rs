//! What stands under a cross-tab: what was read, left out, blank or odd, as far as it concerns its readers;
//! and what its author should know.

use pivvel_core::result::{Audience, NoticeCode};
use pivvel_core::text::Sentence;
use pivvel_core::{CrossTab, Notice};

use crate::appearance::Words;

/// What a view has to say that the page's own cross-tab does not.
pub(crate) fn own_notes(view: &CrossTab, main: &CrossTab, words: &Words) -> Vec<String> {
    let of_main = notes(main, words);
    notes(view, words).into_iter().filter(|note| !of_main.contains(note)).collect()
}

/// What the readers of a cross-tab should know.
pub(crate) fn notes(crosstab: &CrossTab, words: &Words) -> Vec<String> {
    let read = Sentence::counted(
        crosstab.report().read(),
        "{count} line read from {source}",
        "{count} lines read from {source}",
    );
    let mut first = words.say(read.with("source", crosstab.source()));
    let of_readers =
        crosstab.own_notices().into_iter().filter(|notice| notice.audience() == Audience::Reader);
    let mut notes = Vec::new();
    for notice in of_readers {
        // How many lines a condition leaves out stands beside how many there are.
        match notice.code() {
            NoticeCode::LinesExcluded => first.push_str(&format!("; {}", words.notice(&notice))),
            _ => notes.push(words.notice(&notice)),
        }
    }
    if let Some(condition) = crosstab.condition().filter(|_| crosstab.report().excluded() == 0) {
        let none = Sentence::counted(0, "", "{count} lines excluded: {condition} is not true");
        first.push_str(&format!("; {}", words.say(none.with("condition", condition))));
    }
    notes.insert(0, first);
    notes
}

/// What the author of a cross-tab should know.
pub(crate) fn doubts(crosstab: &CrossTab) -> Vec<String> {
    let of_author = |notice: &Notice| notice.audience() == Audience::Author;
    crosstab.notices().iter().filter(|notice| of_author(notice)).map(Notice::to_string).collect()
}
