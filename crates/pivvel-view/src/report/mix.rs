//! The change of a whole ratio, taken apart: member by member, its own beside its mix.

use pivvel_core::compare::{Comparison, Mixed};
use pivvel_core::text::Sentence;

use super::change::{Numbers, shown_member};
use super::{ReportPart, ReportTable, bars, column};

/// What each member makes of the change of a whole ratio, the largest first.
pub(super) fn report(mixed: &Mixed, comparison: &Comparison, numbers: &Numbers<'_>) -> Vec<ReportPart> {
    let words = &numbers.appearance.words;
    let [first, last] = mixed.ratios().map(|ratio| numbers.ratio(ratio, mixed));
    let heading = Sentence::from(match numbers.in_points() {
        true => "{measure} went from {first} to {last}: {own} points by the members' own, {mix} by their mix",
        false => "{measure} went from {first} to {last}: {own} by the members' own, {mix} by their mix",
    });
    let heading = heading.with("measure", mixed.measure()).with("first", first).with("last", last);
    let heading =
        heading.with("own", numbers.part(mixed.own(), mixed)).with("mix", numbers.part(mixed.mix(), mixed));
    let outermost = comparison.dimensions().first();
    let mut parts: Vec<_> = mixed.parts().iter().collect();
    parts.sort_by(|a, b| (b.own() + b.mix()).abs().total_cmp(&(a.own() + a.mix()).abs()));
    let table = ReportTable {
        columns: vec![
            column(outermost.cloned().unwrap_or_else(|| words.say("members")), false),
            column(words.say("own"), true),
            column(words.say("mix"), true),
        ],
        rows: parts
            .iter()
            .map(|part| {
                let name = shown_member(part.member(), outermost.map(String::as_str), words);
                vec![name, numbers.part(part.own(), mixed), numbers.part(part.mix(), mixed)]
            })
            .collect(),
        bars: bars(vec![
            (1, parts.iter().map(|part| Some(part.own())).collect()),
            (2, parts.iter().map(|part| Some(part.mix())).collect()),
        ]),
    };
    vec![ReportPart::Heading(words.say(heading)), ReportPart::Table(table)]
}
