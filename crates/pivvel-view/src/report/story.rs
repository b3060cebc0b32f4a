//! The story of one number.

use pivvel_core::brief::{Apply, Filled};
use pivvel_core::drill::{
    EmphasisStory, EntryStory, ItemOperand, ItemStory, Operand, PeersStory, RuleStory, Story, TiedPart,
};

use pivvel_core::result::EntryKind;
use pivvel_core::text::Sentence;

use super::{Report, ReportPart, counted, exact};
use crate::appearance::{Appearance, Words};

type Sentences = Vec<(usize, String)>;

/// The story of one number as a report.
pub(crate) fn report(story: &Story, appearance: &Appearance) -> Report {
    let words = &appearance.words;
    let title = Sentence::from("{measure} at {cell} is {value}").with("measure", &story.measure);
    let title = title.with("cell", story.address.to_string()).with("value", exact(&story.value, words));
    let place = Sentence::from("Its row is {row}, its column {column}.");
    let place = place.with("row", kind(&story.row)).with("column", kind(&story.column));
    let mut parts = vec![ReportPart::Words(vec![(0, words.say(place))])];
    let mut tell = |heading: &'static str, sentences: Sentences| {
        if !sentences.is_empty() {
            parts.push(ReportPart::Heading(words.say(heading)));
            parts.push(ReportPart::Words(sentences));
        }
    };
    tell("Lines", lines(story, words));
    tell("How it is computed", computed(story, words));
    let nobody = || vec![(1, words.say("none of its peers has a value"))];
    tell("Its peers", story.peers.as_ref().map_or_else(nobody, |peers| self::peers(peers, story, words)));
    tell("What could make it stand out", story.emphases.iter().flat_map(|e| emphasis(e, words)).collect());
    let assumed = |(name, value): &(String, String)| (1, format!("{name} = {value}"));
    tell("Assumptions", story.assumptions.iter().map(assumed).collect());
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

fn peers(peers: &PeersStory, story: &Story, words: &Words) -> Sentences {
    let PeersStory { name, yardstick, position, rank, .. } = peers;
    let first = Sentence::from("{peers}: {number} with a value, from {low} to {high}").with("peers", name);
    let first = first.with("number", yardstick.count.to_string());
    let mut first = first.with("low", yardstick.low.to_string()).with("high", yardstick.high.to_string());
    if let Some(mean) = yardstick.mean {
        let with_mean = Sentence::from("{sentence}, mean {number}").with("sentence", first);
        first = with_mean.with("number", mean.to_string());
    }
    let place = match (rank, position) {
        (Some(rank), Some(position)) => Some(
            Sentence::from(
                "it is number {rank} from the highest, at {position} from the lowest (0) to the highest (1)",
            )
            .with("rank", rank.to_string())
            .with("position", format!("{position:.3}")),
        ),
        (Some(_), None) => Some("there is nothing to stand beside: it is alone, or all are equal".into()),
        _ if story.value.is_none() => Some("a blank has no place among them".into()),
        _ => None,
    };
    std::iter::once(first).chain(place).map(|sentence| (1, words.say(sentence))).collect()
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
