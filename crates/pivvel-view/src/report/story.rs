//! The story of one number.

use pivvel_core::Value;
use pivvel_core::brief::{Apply, Filled, NumberFormat};
use pivvel_core::drill::{
    Address, EmphasisStory, EntryStory, ItemOperand, Operand, PartStory, PartsStory, PeersStory, Story,
    WindowPart,
};
use pivvel_core::result::EntryKind;
use pivvel_core::text::Sentence;

use super::change::shown_member;
use super::{
    Report, ReportBranch, ReportPart, ReportStrip, ReportTable, bars, column, counted, exact, percent,
};
use crate::appearance::{Appearance, Words};

type Sentences = Vec<(usize, String)>;

/// The story of one number as a report.
pub(crate) fn report(story: &Story, appearance: &Appearance) -> Report {
    let words = &appearance.words;
    let title = Sentence::from("{measure} at {cell} is {value}").with("measure", story.measure());
    let shown =
        story.value().map_or_else(|| exact(None, words), |value| appearance.number(&value, story.format()));
    let title = title.with("cell", story.address().to_string()).with("value", shown);
    let place = Sentence::from("Its row is {row}, its column {column}.");
    let place = place.with("row", kind(story.row())).with("column", kind(story.column()));
    let first = vec![(0, words.say(place))];
    let nobody = || vec![(1, words.say("none of its peers has a value"))];
    let peers = story.peers();
    let assumed = |(name, value): &(String, String)| (1, format!("{name} = {value}"));
    let among = peers.map_or_else(nobody, |peers| self::peers(peers, story, appearance));
    let strip = peers.and_then(|peers| strip(peers, story, appearance)).map(ReportPart::Strip);
    let emphases = story.emphases().iter().flat_map(|e| emphasis(e, words)).collect();
    let sentences = |sentences| vec![ReportPart::Words(sentences)];
    let own = [
        ("Lines".into(), sentences(lines(story, words))),
        ("How it is computed".into(), computed(story, appearance)),
    ];
    // One part is all of it and says nothing more.
    let apart = story.parts().iter().filter(|parts| parts.parts().len() > 1).map(|parts| {
        let heading = Sentence::from("Its parts by {level}").with("level", parts.level());
        (heading, self::parts(parts, story, appearance))
    });
    let beside: [(Sentence, _); 3] = [
        ("Its peers".into(), sentences(among).into_iter().chain(strip).collect()),
        ("What could make it stand out".into(), sentences(emphases)),
        ("Assumptions".into(), sentences(story.assumptions().iter().map(assumed).collect())),
    ];
    let mut parts = vec![ReportPart::Words(first)];
    for (heading, section) in own.into_iter().chain(apart).chain(beside) {
        if !matches!(&section[..], [ReportPart::Words(none)] if none.is_empty()) {
            parts.push(ReportPart::Heading(words.say(heading)));
            parts.extend(section);
        }
    }
    Report::of(words.say(title), parts, appearance)
}

fn kind(entry: &EntryStory) -> Sentence {
    let sentence = match (entry.level(), entry.kind()) {
        ("total", _) => return Sentence::from("the total"),
        (_, EntryKind::Member) => "a member of {level}",
        (_, EntryKind::Others) => "the members of {level} that were gathered",
        _ => "calculated at {level}",
    };
    Sentence::from(sentence).with("level", entry.level())
}

fn lines(story: &Story, words: &Words) -> Sentences {
    let mut first = words.say(counted(story.lines()));
    for span in story.dates() {
        let dates = Sentence::from(", {column} from {first} to {last}").with("column", span.column());
        first += &words.say(dates.with("first", span.first()).with("last", span.last()));
    }
    let mut sentences = vec![(1, first)];
    let of_those = Sentence::from("of those where {condition}");
    sentences.extend(story.condition().map(|c| (1, words.say(of_those.clone().with("condition", c)))));
    // Of no lines there is nothing to add up.
    let tied = story.tied().iter().filter(|part| part.lines().max(part.lines_of_cell()) > 0);
    for part in tied {
        let place = if story.tied().len() > 1 { format!("{}: ", part.address()) } else { String::new() };
        for aggregate in part.aggregates() {
            let sentence = match aggregate.of_lines() == aggregate.of_cell() {
                true => Sentence::from("{formula} over them is {value}, as in the cell"),
                false => Sentence::from(
                    "{formula} over them is {value}, and {other} in the cell: the lines changed",
                )
                .with("other", exact(aggregate.of_cell(), words)),
            };
            let sentence = sentence
                .with("formula", aggregate.formula())
                .with("value", exact(aggregate.of_lines(), words));
            sentences.push((1, format!("{place}{}", words.say(sentence))));
        }
    }
    sentences
}

/// The formula as a tree of values.
fn computed(story: &Story, appearance: &Appearance) -> Vec<ReportPart> {
    let words = &appearance.words;
    let own = format!("{} = {}", story.measure(), story.formula());
    let mut root = valued(own.clone(), story.value(), Some(story.format()), appearance);
    if let Some(item) = story.item() {
        root.what = format!("{} = {}", item.name(), item.formula());
        let note = match item.applied() {
            Apply::BeforeMeasures => {
                Sentence::from("applied to the aggregates; then {measure}").with("measure", own)
            }
            _ => Sentence::from("applied to {measure}").with("measure", story.measure()),
        };
        root.note = Some(words.say(note));
        if item.applied() != Apply::BeforeMeasures {
            let format = Some(item.format());
            let operand = |of: &ItemOperand| valued(of.member(), of.value(), format, appearance);
            root.parts = item.operands().iter().map(operand).collect();
        }
    }
    root.parts.extend(story.operands().iter().map(|operand| branch(operand, appearance)));
    let without_lines = story.filled().map(|filled| match filled {
        Filled::Zero => "{measure} is zero in a cell without lines",
        _ => "{measure} is blank in a cell without lines",
    });
    let sentence = without_lines.map(|text| Sentence::from(text).with("measure", story.measure()));
    let sentence = sentence.map(|sentence| ReportPart::Words(vec![(1, words.say(sentence))]));
    [ReportPart::Tree(vec![root])].into_iter().chain(sentence).collect()
}

fn branch(operand: &Operand, appearance: &Appearance) -> ReportBranch {
    let words = &appearance.words;
    let read = |at: &Address| words.say(Sentence::from("read at {cell}").with("cell", at.to_string()));
    let period = |part: &WindowPart| ReportBranch {
        note: (!part.has_lines()).then(|| words.say("no lines")),
        ..valued(part.member(), part.value(), None, appearance)
    };
    let parts = operand.operands().iter().map(|operand| branch(operand, appearance));
    let text = operand.text();
    let what = operand.formula().map_or_else(|| text.to_string(), |formula| format!("{text} = {formula}"));
    ReportBranch {
        note: operand.at().map(read),
        parts: operand.window().iter().map(period).chain(parts).collect(),
        ..valued(what, operand.value(), operand.format(), appearance)
    }
}

/// A value of a measure, and all its digits where it shows fewer.
fn valued(
    what: impl Into<String>,
    value: Option<Value>,
    format: Option<&NumberFormat>,
    appearance: &Appearance,
) -> ReportBranch {
    let all = exact(value, &appearance.words);
    let shown = match (value, format) {
        (Some(value), Some(format)) => appearance.number(&value, format),
        _ => all.clone(),
    };
    let of = |text: &str| text.chars().filter(char::is_ascii_digit).collect::<String>();
    let digits = (of(&shown) != of(&all)).then_some(all);
    ReportBranch { what: what.into(), value: shown, digits, ..ReportBranch::default() }
}

/// How many parts are shown of a number that has more.
const PARTS: usize = 20;

/// What a number is split into, with bars; of many the largest.
fn parts(split: &PartsStory, story: &Story, appearance: &Appearance) -> Vec<ReportPart> {
    let words = &appearance.words;
    let parts = split.parts();
    let size = |part: &PartStory| part.value().map_or(-1.0, |value| value.as_f64().abs());
    let mut shown: Vec<&PartStory> = parts.iter().collect();
    if shown.len() > PARTS {
        shown.sort_by(|a, b| size(b).total_cmp(&size(a)));
        shown.truncate(PARTS);
    }
    let whole = story.value().map_or(0.0, |value| value.as_f64());
    let has_shares = split.adds_up() && whole != 0.0;
    let row = |part: &&PartStory| {
        let number = |value: &Value| appearance.number(value, story.format());
        let value = part.value().as_ref().map(number).unwrap_or_default();
        let share =
            part.value().filter(|_| has_shares).map(|value| percent(value.as_f64() / whole, appearance));
        let mut row = vec![shown_member(part.member(), Some(split.level()), words), value];
        row.extend(has_shares.then(|| share.unwrap_or_default()));
        row
    };
    let mut columns = vec![column(split.level(), false), column(story.measure(), true)];
    columns.extend(has_shares.then(|| column(words.say("share"), true)));
    let values = shown.iter().map(|part| part.value().map(|value| value.as_f64())).collect();
    let rows = shown.iter().map(row).collect();
    let table = ReportPart::Table(ReportTable { columns, rows, bars: bars(vec![(1, values)]) });
    let left = (parts.len() - shown.len()) as u64;
    let sentence =
        Sentence::counted(left, "{count} smaller part is not shown", "{count} smaller parts are not shown");
    let rest = (left > 0).then(|| ReportPart::Words(vec![(1, words.say(sentence))]));
    [table].into_iter().chain(rest).collect()
}

fn peers(peers: &PeersStory, story: &Story, appearance: &Appearance) -> Sentences {
    let (yardstick, position, rank) = (peers.yardstick(), peers.position(), peers.rank());
    if yardstick.count() == 1 && position.is_none() && rank.is_some() {
        return vec![(1, appearance.words.say("there is no other cell to compare it with"))];
    }
    let number = |value: &Value| appearance.number(value, story.format());
    // What they are called without the measure: harbour by total.
    let levels =
        peers.name().split_once('@').map_or(peers.name(), |(_, levels)| levels).replacen('/', " by ", 1);
    let first = match rank {
        Some(rank) => Sentence::from("rank {rank} of {count}, the highest first: {peers}")
            .with("rank", rank.to_string()),
        None => Sentence::from("{count} cells with a value: {peers}"),
    };
    let first = first.with("count", yardstick.count().to_string()).with("peers", levels);
    let ends = match position {
        Some(position) => {
            let percent = appearance
                .number(&Value::Float(position * 100.0), &NumberFormat::default().decimals(Some(1)));
            Sentence::from("{percent} % of the way from {low} to {high}").with("percent", percent)
        }
        None => Sentence::from("from {low} to {high}"),
    };
    let mut ends = ends.with("low", number(&yardstick.low())).with("high", number(&yardstick.high()));
    if let Some(mean) = yardstick.mean() {
        let with_mean = Sentence::from("{sentence}, mean {number}").with("sentence", ends);
        ends = with_mean.with("number", number(&Value::Float(mean)));
    }
    let place = match (rank, position) {
        (Some(_), None) => Some("they are all equal".into()),
        _ if story.value().is_none() => Some("a blank has no place among them".into()),
        _ => None,
    };
    [first, ends].into_iter().chain(place).map(|sentence| (1, appearance.words.say(sentence))).collect()
}

/// Where the cell stands among its peers, as a line.
fn strip(peers: &PeersStory, story: &Story, appearance: &Appearance) -> Option<ReportStrip> {
    let yardstick = peers.yardstick();
    let own = peers.position().filter(|own| (0.0..=1.0).contains(own))?;
    let place = |value: f64| yardstick.position(&Value::Float(value)).map(|place| place.clamp(0.0, 1.0));
    let number = |value: &Value| appearance.number(value, story.format());
    let words = self::peers(peers, story, appearance).into_iter().map(|(_, text)| text);
    Some(ReportStrip {
        places: peers.values().iter().filter_map(|value| place(*value)).collect(),
        own,
        mean: yardstick.mean().and_then(place),
        ends: [number(&yardstick.low()), number(&yardstick.high())],
        words: words.collect::<Vec<_>>().join("; "),
    })
}

fn emphasis(emphasis: &EmphasisStory, words: &Words) -> Sentences {
    let verdict = if emphasis.decides() { "{emphasis} decides" } else { "{emphasis} does not decide" };
    let mut first = Sentence::from(verdict).with("emphasis", emphasis.place());
    if let Some(position) = emphasis.position() {
        let at = Sentence::from("{sentence} at position {position}").with("sentence", first);
        first = at.with("position", format!("{position:.3}"));
    }
    let mut sentences = vec![(1, words.say(first))];
    for (i, rule) in emphasis.rules().iter().enumerate() {
        let outcome = match rule.matched() {
            Some(true) => "rule {number}: {rule}: matches, and wins",
            Some(false) => "rule {number}: {rule}: does not match",
            None => "rule {number}: {rule}: is not tried",
        };
        let sentence = Sentence::from(outcome).with("number", (i + 1).to_string()).with("rule", rule.rule());
        sentences.push((2, words.say(sentence)));
    }
    sentences
}
