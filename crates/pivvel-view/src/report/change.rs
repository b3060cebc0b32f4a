//! What changed from one result to another.

use pivvel_core::Value;
use pivvel_core::brief::{NumberFormat, Scaling};
use pivvel_core::compare::{Change, Comparison, LevelChange, Mixed, State};
use pivvel_core::text::Sentence;

use super::{Report, ReportPart, ReportTable, column};
use crate::appearance::{Appearance, Words};
use crate::labels::no_member;

/// How changes are reported.
#[derive(Debug, Clone, Default)]
#[non_exhaustive]
pub struct ChangeFormats {
    /// How the numbers of measures are shown, as far as it is known.
    pub measures: Vec<(String, NumberFormat)>,
    /// How many changes of each pair of levels, the largest first (default: all).
    pub limit: Option<usize>,
    /// Whether cells of which neither the row nor the column is the total are reported, too.
    pub inner: bool,
}

pivvel_core::setters! { ChangeFormats {
    list measures: (String, NumberFormat),
    value limit: Option<usize>,
    value inner: bool,
} }

/// A comparison as a report: the members that came and went, the changes level by level with the largest
/// first, and the change of ratios taken apart.
pub(crate) fn report(
    comparison: &Comparison,
    title: String,
    formats: &ChangeFormats,
    appearance: &Appearance,
) -> Report {
    let words = &appearance.words;
    let mut first: Vec<(usize, String)> = comparison.notes().iter().map(|note| (0, note.clone())).collect();
    first.extend(comparison.levels().iter().flat_map(|level| members(level, comparison.dimensions(), words)));
    let mut parts = vec![ReportPart::Words(first)];
    for (heading, group) in groups(comparison, formats.inner) {
        parts.push(ReportPart::Heading(words.say(heading)));
        let (table, left) = table(group, comparison.dimensions(), formats, appearance);
        parts.push(ReportPart::Table(table));
        if left > 0 {
            let all = formats.limit.unwrap_or_default() + left;
            let sentence = Sentence::counted(
                left as u64,
                "{count} smaller change is not shown; see all: --limit {all}",
                "{count} smaller changes are not shown; see all: --limit {all}",
            );
            parts.push(ReportPart::Words(vec![(0, words.say(sentence.with("all", all.to_string())))]));
        }
    }
    let whole = |mixed: &&Mixed| mixed.levels == ["total", "total"];
    for mixed in comparison.mixed().iter().filter(whole) {
        parts.extend(mix(mixed, comparison, appearance));
    }
    Report::of(title, parts, appearance)
}

/// The changes of one measure at one pair of levels, under a heading.
type Group<'a> = (Sentence, Vec<&'a Change>);

fn groups(comparison: &Comparison, inner: bool) -> Vec<Group<'_>> {
    let at_edge = |change: &&Change| inner || change.levels.iter().any(|level| level == "total");
    let mut shown: Vec<&Change> = comparison.changes().iter().filter(at_edge).collect();
    if shown.is_empty() {
        // Where there are no totals every cell is reported.
        shown = comparison.changes().iter().collect();
    }
    let mut groups: Vec<(&str, &[String; 2], Vec<&Change>)> = Vec::new();
    for change in shown {
        match groups.iter_mut().find(|(m, levels, _)| *m == change.measure && **levels == change.levels) {
            Some((.., group)) => group.push(change),
            None => groups.push((&change.measure, &change.levels, vec![change])),
        }
    }
    let at = |name: &str| comparison.dimensions().iter().position(|d| d == name).map_or(0, |place| place + 1);
    groups.sort_by_key(|(measure, levels, _)| {
        let first = comparison.changes().iter().position(|change| change.measure == *measure);
        (first, at(&levels[1]) > 0, at(&levels[1]), at(&levels[0]))
    });
    let headed = |measure: &str, levels: &[String; 2]| {
        let by = |part: &str| Sentence::from("{measure} by {part}").with("part", part);
        let heading = match [levels[0].as_str(), levels[1].as_str()] {
            ["total", "total"] => Sentence::from("{measure} in total"),
            [row, "total"] => by(row),
            ["total", column] => by(column),
            [row, column] => {
                Sentence::from("{measure} by {row} and {column}").with("row", row).with("column", column)
            }
        };
        heading.with("measure", measure)
    };
    groups.into_iter().map(|(measure, levels, group)| (headed(measure, levels), group)).collect()
}

/// A member as it is read: the blank member by its dimension's name.
fn shown_member(label: &str, dimension: Option<&String>, words: &Words) -> String {
    match (label, dimension) {
        ("", Some(dimension)) => words.say(no_member(dimension)),
        ("", None) => words.say("blank"),
        _ => label.to_string(),
    }
}

/// Members that came and went.
fn members(level: &LevelChange, dimensions: &[String], words: &Words) -> Vec<(usize, String)> {
    // A path ends with the dimension that it is a member of.
    let last = dimensions.iter().position(|dimension| *dimension == level.dimension).unwrap_or_default();
    let name = |path: &Vec<String>| {
        let first = (last + 1).saturating_sub(path.len());
        let labels =
            path.iter().enumerate().map(|(i, label)| shown_member(label, dimensions.get(first + i), words));
        labels.collect::<Vec<_>>().join(" > ")
    };
    let list = |paths: &[Vec<String>]| {
        let named: Vec<String> = paths.iter().take(8).map(name).collect();
        match paths.len() {
            more @ 9.. => words.say(
                Sentence::from("{members} and {count} more")
                    .with("members", named.join(", "))
                    .with("count", more - 8),
            ),
            _ => named.join(", "),
        }
    };
    let lists =
        [("new in {dimension}: {members}", &level.new), ("gone in {dimension}: {members}", &level.gone)];
    let lists = lists.into_iter().filter(|(_, paths)| !paths.is_empty());
    let sentence = |phrase, paths| {
        let sentence = Sentence::from(phrase).with("dimension", &level.dimension);
        (0, words.say(sentence.with("members", list(paths))))
    };
    lists.map(|(phrase, paths)| sentence(phrase, paths)).collect()
}

fn percent(share: f64, appearance: &Appearance) -> String {
    let format = NumberFormat::named("percent").unwrap_or_default();
    appearance.number(&Value::Float(share), &format)
}

/// The largest changes of a group, and how many are left out.
fn table(
    mut group: Vec<&Change>,
    dimensions: &[String],
    formats: &ChangeFormats,
    appearance: &Appearance,
) -> (ReportTable, usize) {
    let words = &appearance.words;
    let size = |change: &Change| change.change.map_or(-1.0, |value| value.as_f64().abs());
    group.sort_by(|a, b| size(b).total_cmp(&size(a)));
    let all = group.len();
    group.truncate(formats.limit.unwrap_or(all));
    let measure = group.first().map(|change| change.measure.as_str()).unwrap_or_default();
    let format = formats.measures.iter().find(|(name, _)| name == measure).map(|(_, format)| format.clone());
    let format = format.unwrap_or_default();
    // What a share changes by is no share of anything.
    let apart = match format.scaling {
        Scaling::Percent => format.clone().after(words.say(" points")),
        _ => format.clone(),
    };
    let by =
        |value: Option<Value>, format| value.map_or(String::new(), |value| appearance.number(&value, format));
    let shown = |value: Option<Value>| by(value, &format);
    let row = |change: &&Change| {
        let members = change.members.iter().zip(dimensions);
        let path: Vec<String> = members
            .filter_map(|(label, dimension)| Some(shown_member(label.as_ref()?, Some(dimension), words)))
            .collect();
        let name = if path.is_empty() { words.say("total") } else { path.join(" > ") };
        let rank = match (change.state, change.ranks) {
            (State::New, _) => words.say("new"),
            (State::Gone, _) => words.say("gone"),
            (State::Both, [Some(a), Some(b)]) if a != b => words.say(
                Sentence::from("{first} to {last}").with("first", a.to_string()).with("last", b.to_string()),
            ),
            (State::Both, [Some(a), Some(_)]) if change.peer_count > 1 => a.to_string(),
            _ => String::new(),
        };
        let relative = change.relative.map(|share| percent(share, appearance)).unwrap_or_default();
        vec![name, shown(change.earlier), shown(change.later), by(change.change, &apart), relative, rank]
    };
    // Scaled among the changes of these levels alone, and from nothing: a fall goes to the left.
    let bar = |change: &&Change| {
        let (low, high) = change.ends.filter(|_| change.peer_count > 1)?;
        let most = low.abs().max(high.abs());
        change.change.map(|value| value.as_f64() / most).filter(|place| place.is_finite())
    };
    let columns = vec![
        column(words.say("member"), false),
        column(words.say("earlier"), true),
        column(words.say("later"), true),
        column(words.say("change"), true),
        column(words.say("in percent"), true),
        column(words.say("rank"), false),
    ];
    let bars = group.iter().map(bar).collect::<Vec<_>>();
    let bars = bars.iter().any(Option::is_some).then_some((3, bars));
    (ReportTable { columns, rows: group.iter().map(row).collect(), bars }, all - group.len())
}

/// The change of a whole ratio, taken apart.
fn mix(mixed: &Mixed, comparison: &Comparison, appearance: &Appearance) -> Vec<ReportPart> {
    let words = &appearance.words;
    let Mixed { measure, ratios, own, mix, parts, .. } = mixed;
    let points = |share: f64| {
        let shown = format!("{:+.2}", share * 100.0);
        // What rounds to nothing has no sign.
        let shown = if shown.ends_with("0.00") && shown.len() == 5 { "0.00".to_string() } else { shown };
        shown.replace('.', words.number_marks()[1])
    };
    let outermost = comparison.dimensions().first().cloned().unwrap_or_else(|| words.say("members"));
    let heading = Sentence::from(
        "{measure} went from {first} to {last}: {own} points by the members' own, {mix} by their mix",
    );
    let heading = heading.with("measure", measure).with("first", percent(ratios[0], appearance));
    let heading = heading.with("last", percent(ratios[1], appearance)).with("own", points(*own));
    let heading = words.say(heading.with("mix", points(*mix)));
    let name = |label: &str| shown_member(label, comparison.dimensions().first(), words);
    let rows = parts.iter().map(|part| vec![name(&part.member), points(part.own), points(part.mix)]);
    let table = ReportTable {
        columns: vec![
            column(outermost, false),
            column(words.say("own"), true),
            column(words.say("mix"), true),
        ],
        rows: rows.collect(),
        bars: None,
    };
    vec![ReportPart::Heading(heading), ReportPart::Table(table)]
}
