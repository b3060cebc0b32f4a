//! What changed from one result to another.

use std::collections::HashMap;

use pivvel_core::Value;
use pivvel_core::brief::{NumberFormat, Scaling};
use pivvel_core::compare::{Change, Comparison, LevelChange, Mixed, State};
use pivvel_core::text::Sentence;

use super::{Report, ReportBars, ReportPart, ReportTable, mix, percent};
use crate::appearance::{Appearance, Words};
use crate::labels::no_member;

/// How changes are reported.
#[derive(Debug, Clone, Default)]
pub struct ChangeFormats {
    measures: Vec<(String, NumberFormat)>,
    limit: Option<usize>,
    inner: bool,
}

pivvel_core::setters! { ChangeFormats {
    /// How the numbers of measures are shown, as far as it is known.
    list measures: (String, NumberFormat),
    /// How many changes of each pair of levels, the largest first (default: all).
    value limit: Option<usize>,
    /// Whether cells of which neither the row nor the column is the total are reported, too.
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
    let apart = Apart::of(comparison);
    for (heading, group) in groups(comparison, formats.inner) {
        let total = group.first().filter(|change| *change.levels() == ["total", "total"]);
        let whole = total.and_then(|change| Some((apart.get(change)?, change.measure())));
        parts.push(ReportPart::Heading(words.say(heading)));
        let (table, left) = table(group, &apart, comparison.dimensions(), formats, appearance);
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
        if let Some((mixed, measure)) = whole {
            parts.extend(mix::report(mixed, comparison, &Numbers::of(measure, formats, appearance)));
        }
    }
    Report::of(title, parts, appearance)
}

/// The changes of one measure at one pair of levels, under a heading.
type Group<'a> = (Sentence, Vec<&'a Change>);

fn groups(comparison: &Comparison, inner: bool) -> Vec<Group<'_>> {
    let at_edge = |change: &&Change| inner || change.levels().iter().any(|level| level == "total");
    let mut shown: Vec<&Change> = comparison.changes().iter().filter(at_edge).collect();
    if shown.is_empty() {
        // Where there are no totals every cell is reported.
        shown = comparison.changes().iter().collect();
    }
    let mut groups: Vec<(&str, &[String; 2], Vec<&Change>)> = Vec::new();
    for change in shown {
        match groups.iter_mut().find(|(m, levels, _)| *m == change.measure() && *levels == change.levels()) {
            Some((.., group)) => group.push(change),
            None => groups.push((change.measure(), change.levels(), vec![change])),
        }
    }
    let at = |name: &str| comparison.dimensions().iter().position(|d| d == name).map_or(0, |place| place + 1);
    groups.sort_by_key(|(measure, levels, _)| {
        let first = comparison.changes().iter().position(|change| change.measure() == *measure);
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
pub(super) fn shown_member(label: &str, dimension: Option<&str>, words: &Words) -> String {
    match (label, dimension) {
        ("", Some(dimension)) => words.say(no_member(dimension)),
        ("", None) => words.say("blank"),
        _ => label.to_string(),
    }
}

/// Members that came and went.
fn members(level: &LevelChange, dimensions: &[String], words: &Words) -> Vec<(usize, String)> {
    // A path ends with the dimension that it is a member of.
    let last = dimensions.iter().position(|dimension| *dimension == level.dimension()).unwrap_or_default();
    let name = |path: &Vec<String>| {
        let first = (last + 1).saturating_sub(path.len());
        let labels = path
            .iter()
            .enumerate()
            .map(|(i, label)| shown_member(label, dimensions.get(first + i).map(String::as_str), words));
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
        [("new in {dimension}: {members}", level.came()), ("gone in {dimension}: {members}", level.gone())];
    let lists = lists.into_iter().filter(|(_, paths)| !paths.is_empty());
    let sentence = |phrase, paths| {
        let sentence = Sentence::from(phrase).with("dimension", level.dimension());
        (0, words.say(sentence.with("members", list(paths))))
    };
    lists.map(|(phrase, paths)| sentence(phrase, paths)).collect()
}

/// How the numbers of one measure are written.
pub(super) struct Numbers<'a> {
    pub(super) appearance: &'a Appearance,
    format: NumberFormat,
    /// A change: what a share changes by is no share of anything.
    change: NumberFormat,
}

impl<'a> Numbers<'a> {
    fn of(measure: &str, formats: &ChangeFormats, appearance: &'a Appearance) -> Numbers<'a> {
        let format = formats.measures.iter().find(|(name, _)| name == measure);
        let format = format.map(|(_, format)| format.clone()).unwrap_or_default();
        let change = match format.get_scaling() {
            Scaling::Percent => format.clone().after(appearance.words.say(" points")),
            _ => format.clone(),
        };
        Numbers { appearance, format, change }
    }

    pub(super) fn value(&self, value: Option<Value>) -> String {
        value.map_or(String::new(), |value| self.appearance.number(&value, &self.format))
    }

    fn change(&self, value: Option<Value>) -> String {
        value.map_or(String::new(), |value| self.appearance.number(&value, &self.change))
    }

    /// A ratio that is taken apart.
    pub(super) fn ratio(&self, ratio: f64, mixed: &Mixed) -> String {
        match self.in_points() {
            true => percent(ratio, self.appearance),
            false => self.finely(ratio, mixed),
        }
    }

    /// A part of a change, with its sign. What rounds to nothing has none.
    pub(super) fn part(&self, part: f64, mixed: &Mixed) -> String {
        let text = match self.in_points() {
            true => {
                let two = NumberFormat::default().decimals(Some(2));
                self.appearance.number(&Value::Float(part * 100.0), &two)
            }
            false => self.finely(part, mixed),
        };
        let is_nothing = !text.contains(|c: char| c.is_ascii_digit() && c != '0');
        let sign = if part > 0.0 && !is_nothing { "+" } else { "" };
        format!("{sign}{text}")
    }

    /// A number with two digits more where the ratio is below one.
    fn finely(&self, number: f64, mixed: &Mixed) -> String {
        let more = if mixed.ratios().iter().all(|ratio| ratio.abs() < 1.0) { 2 } else { 0 };
        let decimals = self.format.get_decimals().unwrap_or(2).saturating_add(more);
        self.appearance.number(&Value::Float(number), &self.format.clone().decimals(Some(decimals)))
    }

    pub(super) fn in_points(&self) -> bool {
        self.format.get_scaling() == Scaling::Percent
    }
}

/// The changes of ratios that are taken apart, by measure, levels and members.
struct Apart<'a>(HashMap<ApartKey<'a>, &'a Mixed>);

type ApartKey<'a> = (&'a str, &'a [String; 2], &'a [Option<String>]);

impl<'a> Apart<'a> {
    fn of(comparison: &'a Comparison) -> Apart<'a> {
        let key = |mixed: &'a Mixed| (mixed.measure(), mixed.levels(), mixed.members());
        Apart(comparison.mixed().iter().map(|mixed| (key(mixed), mixed)).collect())
    }

    fn get(&self, change: &Change) -> Option<&Mixed> {
        self.0.get(&(change.measure(), change.levels(), change.members())).copied()
    }
}

/// The largest changes of a group, and how many are left out. A ratio's change stands beside what the members below
/// it and their mix make of it, where they are known.
fn table(
    mut group: Vec<&Change>,
    apart: &Apart<'_>,
    dimensions: &[String],
    formats: &ChangeFormats,
    appearance: &Appearance,
) -> (ReportTable, usize) {
    let words = &appearance.words;
    let size = |change: &Change| change.change().map_or(-1.0, |value| value.as_f64().abs());
    group.sort_by(|a, b| size(b).total_cmp(&size(a)));
    let all = group.len();
    group.truncate(formats.limit.unwrap_or(all));
    let measure = group.first().map(|change| change.measure()).unwrap_or_default();
    let numbers = Numbers::of(measure, formats, appearance);
    let is_apart = group.iter().any(|change| apart.get(change).is_some());
    let row = |change: &&Change| {
        let [earlier, later] = [change.earlier(), change.later()].map(|value| numbers.value(value));
        let relative = change.relative().map(|share| percent(share, appearance)).unwrap_or_default();
        let mut row = vec![name(change, dimensions, words), earlier, later, numbers.change(change.change())];
        if is_apart {
            let parts = apart
                .get(change)
                .map(|mixed| [mixed.own(), mixed.mix()].map(|part| numbers.part(part, mixed)));
            row.extend(parts.unwrap_or_default());
        }
        row.extend([relative, rank(change, words)]);
        row
    };
    let column = |(heading, is_number)| super::column(words.say(heading), is_number);
    let first = [("member", false), ("earlier", true), ("later", true), ("change", true)];
    let taken_apart = [("own", true), ("mix", true)].into_iter().filter(|_| is_apart);
    let columns = first.into_iter().chain(taken_apart).chain([("in percent", true), ("rank", false)]);
    // Scaled among the changes of these levels alone, and from nothing: a fall goes to the left.
    let bar = |change: &&Change| {
        let (low, high) = change.ends().filter(|_| change.peer_count() > 1)?;
        let most = low.abs().max(high.abs());
        change.change().map(|value| value.as_f64() / most).filter(|end| end.is_finite())
    };
    let ends: Vec<_> = group.iter().map(bar).collect();
    let bars = ends.iter().any(Option::is_some).then_some(ReportBars { column: 3, ends });
    let rows = group.iter().map(row).collect();
    let table =
        ReportTable { columns: columns.map(column).collect(), rows, bars: bars.into_iter().collect() };
    (table, all - group.len())
}

/// What a change is of.
fn name(change: &Change, dimensions: &[String], words: &Words) -> String {
    let members = change.members().iter().zip(dimensions);
    let path = members
        .filter_map(|(label, dimension)| Some(shown_member(label.as_ref()?, Some(dimension), words)))
        .collect::<Vec<_>>();
    if path.is_empty() { words.say("total") } else { path.join(" > ") }
}

fn rank(change: &Change, words: &Words) -> String {
    match (change.state(), change.ranks()) {
        (State::New, _) => words.say("new"),
        (State::Gone, _) => words.say("gone"),
        (State::Both, [Some(a), Some(b)]) if a != b => words.say(
            Sentence::from("{first} to {last}").with("first", a.to_string()).with("last", b.to_string()),
        ),
        (State::Both, [Some(a), Some(_)]) if change.peer_count() > 1 => a.to_string(),
        _ => String::new(),
    }
}
