//! The story of one number.

use pivvel_core::brief::{Apply, Filled, NumberFormat};
use pivvel_core::drill::{
    EmphasisStory, EntryStory, ItemOperand, ItemStory, Operand, PeersStory, RuleStory, Story, TiedPart,
};

use pivvel_core::Value;
use pivvel_core::result::EntryKind;
use pivvel_core::text::Sentence;

use super::{Report, ReportPart, ReportStrip, counted, exact};
use crate::appearance::{Appearance, Words};

type Sentences = Vec<(usize, String)>;

/// The story of one number as a report.
pub(crate) fn report(story: &Story, appearance: &Appearance) -> Report {
    let words = &appearance.words;
    let title = Sentence::from("{measure} at {cell} is {value}").with("measure", &story.measure);
    let shown =
        story.value.map_or_else(|| exact(&None, words), |value| appearance.number(&value, &story.format));
    let title = title.with("cell", story.address.to_string()).with("value", shown.clone());
    let place = Sentence::from("Its row is {row}, its column {column}.");
    let place = place.with("row", kind(&story.row)).with("column", kind(&story.column));
    let mut first = vec![(0, words.say(place))];
    let all_digits = exact(&story.value, words);
    if all_digits != shown {
        first
            .push((0, words.say(Sentence::from("With all digits it is {value}.").with("value", all_digits))));
    }
    let nobody = || vec![(1, words.say("none of its peers has a value"))];
    let peers = story.peers.as_ref();
    let assumed = |(name, value): &(String, String)| (1, format!("{name} = {value}"));
    let sections = [
        ("Lines", lines(story, words)),
        ("How it is computed", computed(story, words)),
        ("Its peers", peers.map_or_else(nobody, |peers| self::peers(peers, story, appearance))),
        ("What could make it stand out", story.emphases.iter().flat_map(|e| emphasis(e, words)).collect()),
        ("Assumptions", story.assumptions.iter().map(assumed).collect()),
    ];
    let mut parts = vec![ReportPart::Words(first)];
    for (heading, sentences) in sections.into_iter().filter(|(_, sentences)| !sentences.is_empty()) {
        parts.extend([ReportPart::Heading(words.say(heading)), ReportPart::Words(sentences)]);
        if heading == "Its peers" {
            parts.extend(peers.and_then(|peers| strip(peers, story, appearance)).map(ReportPart::Strip));
        }
    }
    Report::of(words.say(title), parts, appearance)
}

fn kind(entry: &EntryStory) -> Sentence {
    let sentence = match (entry.level.as_str(), entry.kind) {
        ("total", _) => return Sentence::from("the total"),
        (_, EntryKind::Member) => "a member of {level}",
        (_, EntryKind::Others) => "the members of {level} that were gathered",
        _ => "calculated at {level}",
    };
    Sentence::from(sentence).with("level", &entry.level)
}

fn lines(story: &Story, words: &Words) -> Sentences {
    let mut first = words.say(counted(story.lines));
    for span in &story.dates {
        let dates = Sentence::from(", {column} from {first} to {last}").with("column", &span.column);
        first += &words.say(dates.with("first", span.first.to_string()).with("last", span.last.to_string()));
    }
    let mut sentences = vec![(1, first)];
    let of_those = Sentence::from("of those where {condition}");
    sentences.extend(story.condition.iter().map(|c| (1, words.say(of_those.clone().with("condition", c)))));
    // Of no lines there is nothing to add up.
    let tied = story.tied.iter().filter(|part| part.lines.max(part.lines_of_cell) > 0);
    for TiedPart { address, aggregates, .. } in tied {
        let place = if story.tied.len() > 1 { format!("{address}: ") } else { String::new() };
        for aggregate in aggregates {
            let sentence = match aggregate.of_lines == aggregate.of_cell {
                true => Sentence::from("{formula} over them is {value}, as in the cell"),
                false => Sentence::from(
                    "{formula} over them is {value}, and {other} in the cell: the lines changed",
                )
                .with("other", exact(&aggregate.of_cell, words)),
            };
            let sentence =
                sentence.with("formula", &aggregate.formula).with("value", exact(&aggregate.of_lines, words));
            sentences.push((1, format!("{place}{}", words.say(sentence))));
        }
    }
    sentences
}

/// That something is something.
fn is(what: impl Into<String>, value: impl Into<String>) -> Sentence {
    Sentence::from("{what} is {value}").with("what", what.into()).with("value", value.into())
}

fn computed(story: &Story, words: &Words) -> Sentences {
    let mut sentences = Sentences::new();
    let own = is(&story.measure, story.formula.to_string());
    if let Some(ItemStory { dimension, name, formula, applied, operands, .. }) = &story.item {
        let sentence = match applied {
            Apply::BeforeMeasures => Sentence::from(
                "{item} in {dimension} is {formula}, applied to the aggregates; then {measure}",
            )
            .with("measure", own),
            _ => Sentence::from("{item} in {dimension} is {formula}, applied to {measure}")
                .with("measure", &story.measure),
        };
        let sentence = sentence.with("item", name).with("dimension", dimension);
        sentences.push((1, words.say(sentence.with("formula", formula.to_string()))));
        if *applied != Apply::BeforeMeasures {
            let operand = |of: &ItemOperand| (2, words.say(is(&of.member, exact(&of.value, words))));
            sentences.extend(operands.iter().map(operand));
        }
    } else {
        let sentence = match story.is_aggregate {
            true => Sentence::from("{sentence} of the lines").with("sentence", own),
            false => own,
        };
        sentences.push((1, words.say(sentence)));
    }
    story.operands.iter().for_each(|operand| tell(operand, 2, &mut sentences, words));
    let without_lines = story.filled.map(|filled| match filled {
        Filled::Zero => "{measure} is zero in a cell without lines",
        _ => "{measure} is blank in a cell without lines",
    });
    let sentence = without_lines.map(|text| Sentence::from(text).with("measure", &story.measure));
    sentences.extend(sentence.map(|sentence| (1, words.say(sentence))));
    sentences
}

fn tell(operand: &Operand, depth: usize, sentences: &mut Sentences, words: &Words) {
    let Operand { text, value, formula, at, window, operands, .. } = operand;
    let formula = formula.as_ref().map(|formula| format!(" = {formula}")).unwrap_or_default();
    let mut sentence = is(format!("{text}{formula}"), exact(value, words));
    if let Some(at) = at {
        let read = Sentence::from("{sentence}, read at {cell}").with("sentence", sentence);
        sentence = read.with("cell", at.to_string());
    }
    sentences.push((depth, words.say(sentence)));
    for part in window {
        let sentence = match part.value {
            None if !part.has_lines => Sentence::from("{member} has no lines").with("member", &part.member),
            value => is(&part.member, exact(&value, words)),
        };
        sentences.push((depth + 1, words.say(sentence)));
    }
    operands.iter().for_each(|operand| tell(operand, depth + 1, sentences, words));
}

fn peers(peers: &PeersStory, story: &Story, appearance: &Appearance) -> Sentences {
    let PeersStory { name, yardstick, position, rank, .. } = peers;
    let number = |value: &Value| appearance.number(value, &story.format);
    // What they are called without the measure: harbour by total.
    let levels = name.split_once('@').map_or(name.as_str(), |(_, levels)| levels).replacen('/', " by ", 1);
    let first = match rank {
        Some(rank) => Sentence::from("rank {rank} of {count}, the highest first: {peers}")
            .with("rank", rank.to_string()),
        None => Sentence::from("{count} cells with a value: {peers}"),
    };
    let first = first.with("count", yardstick.count.to_string()).with("peers", levels);
    let ends = match position {
        Some(position) => {
            let percent = appearance
                .number(&Value::Float(position * 100.0), &NumberFormat::default().decimals(Some(1)));
            Sentence::from("{percent} % of the way from {low} to {high}").with("percent", percent)
        }
        None => Sentence::from("from {low} to {high}"),
    };
    let mut ends = ends.with("low", number(&yardstick.low)).with("high", number(&yardstick.high));
    if let Some(mean) = yardstick.mean {
        let with_mean = Sentence::from("{sentence}, mean {number}").with("sentence", ends);
        ends = with_mean.with("number", number(&Value::Float(mean)));
    }
    let place = match (rank, position) {
        (Some(_), None) => Some("there is nothing to stand beside: it is alone, or all are equal".into()),
        _ if story.value.is_none() => Some("a blank has no place among them".into()),
        _ => None,
    };
    [first, ends].into_iter().chain(place).map(|sentence| (1, appearance.words.say(sentence))).collect()
}

/// Where the cell stands among its peers, as a line.
fn strip(peers: &PeersStory, story: &Story, appearance: &Appearance) -> Option<ReportStrip> {
    let PeersStory { yardstick, position, values, .. } = peers;
    let own = position.filter(|own| (0.0..=1.0).contains(own))?;
    let place = |value: f64| yardstick.position(&Value::Float(value)).map(|place| place.clamp(0.0, 1.0));
    let number = |value: &Value| appearance.number(value, &story.format);
    let words = self::peers(peers, story, appearance).into_iter().map(|(_, text)| text);
    Some(ReportStrip {
        places: values.iter().filter_map(|value| place(*value)).collect(),
        own,
        mean: yardstick.mean.and_then(place),
        ends: [number(&yardstick.low), number(&yardstick.high)],
        words: words.collect::<Vec<_>>().join("; "),
    })
}

fn emphasis(emphasis: &EmphasisStory, words: &Words) -> Sentences {
    let EmphasisStory { place, decides, position, rules, .. } = emphasis;
    let verdict = if *decides { "{emphasis} decides" } else { "{emphasis} does not decide" };
    let mut first = Sentence::from(verdict).with("emphasis", place);
    if let Some(position) = position {
        let at = Sentence::from("{sentence} at position {position}").with("sentence", first);
        first = at.with("position", format!("{position:.3}"));
    }
    let mut sentences = vec![(1, words.say(first))];
    for (i, RuleStory { rule, matched, .. }) in rules.iter().enumerate() {
        let outcome = match matched {
            Some(true) => "rule {number}: {rule}: matches, and wins",
            Some(false) => "rule {number}: {rule}: does not match",
            None => "rule {number}: {rule}: is not tried",
        };
        let sentence = Sentence::from(outcome).with("number", (i + 1).to_string()).with("rule", rule);
        sentences.push((2, words.say(sentence)));
    }
    sentences
}
