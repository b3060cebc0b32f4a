//! The story of one number.

use pivvel_core::brief::Apply;
use pivvel_core::drill::{
    EmphasisStory, EntryStory, ItemOperand, ItemStory, Operand, PeersStory, RuleStory, Story, TiedPart,
};

use super::{Report, ReportPart, counted, exact};

type Words = Vec<(usize, String)>;

/// The story of one number as a report.
pub fn report_story(story: &Story) -> Report {
    let title = format!("{} at {} is {}", story.measure, story.address, exact(&story.value));
    let place = format!("Its row is {}, its column {}.", kind(&story.row), kind(&story.column));
    let mut parts = vec![ReportPart::Words(vec![(0, place)])];
    let mut tell = |heading: &str, words: Words| {
        if !words.is_empty() {
            parts.push(ReportPart::Heading(heading.into()));
            parts.push(ReportPart::Words(words));
        }
    };
    tell("Lines", lines(story));
    tell("How it is computed", computed(story));
    let nobody = || vec![(1, "none of its peers has a value".to_string())];
    tell("Its peers", story.peers.as_ref().map_or_else(nobody, |peers| self::peers(peers, story)));
    tell("What could make it stand out", story.emphases.iter().flat_map(emphasis).collect());
    let assumed = |(name, value): &(String, String)| (1, format!("{name} = {value}"));
    tell("Assumptions", story.assumptions.iter().map(assumed).collect());
    Report { title, parts }
}

fn kind(entry: &EntryStory) -> String {
    match (entry.level.as_str(), entry.kind.as_str()) {
        ("total", _) => "the total".to_string(),
        (level, "member") => format!("a member of {level}"),
        (level, "others") => format!("the members of {level} that were gathered"),
        (level, _) => format!("calculated at {level}"),
    }
}

fn lines(story: &Story) -> Words {
    let mut first = counted(story.lines);
    for span in &story.dates {
        first += &format!(", {} from {} to {}", span.column, span.first, span.last);
    }
    let mut words = vec![(1, first)];
    words.extend(story.condition.iter().map(|condition| (1, format!("of those where {condition}"))));
    for TiedPart { address, aggregates, .. } in &story.tied {
        let place = if story.tied.len() > 1 { format!("{address}: ") } else { String::new() };
        for aggregate in aggregates {
            let verdict = match aggregate.of_lines == aggregate.of_cell {
                true => "as in the cell".to_string(),
                false => format!("and {} in the cell: the lines changed", exact(&aggregate.of_cell)),
            };
            let of_lines = exact(&aggregate.of_lines);
            words.push((1, format!("{place}{} over them is {of_lines}, {verdict}", aggregate.formula)));
        }
    }
    words
}

fn computed(story: &Story) -> Words {
    let mut words = Words::new();
    if let Some(ItemStory { dimension, name, formula, applied, operands }) = &story.item {
        let item = format!("{name} in {dimension} is {formula}");
        if *applied == Apply::BeforeMeasures {
            let then = format!("then {} is {}", story.measure, story.formula);
            words.push((1, format!("{item}, applied to the aggregates; {then}")));
        } else {
            words.push((1, format!("{item}, applied to {}", story.measure)));
            let operand = |of: &ItemOperand| (2, format!("{} is {}", of.member, exact(&of.value)));
            words.extend(operands.iter().map(operand));
        }
    } else {
        let of = if story.is_aggregate { " of the lines" } else { "" };
        words.push((1, format!("{} is {}{of}", story.measure, story.formula)));
    }
    story.operands.iter().for_each(|operand| tell(operand, 2, &mut words));
    words
}

fn tell(operand: &Operand, depth: usize, words: &mut Words) {
    let Operand { text, value, formula, at, window, operands } = operand;
    let formula = formula.as_ref().map(|formula| format!(" = {formula}")).unwrap_or_default();
    let at = at.as_ref().map(|at| format!(", read at {at}")).unwrap_or_default();
    words.push((depth, format!("{text}{formula} is {}{at}", exact(value))));
    for part in window {
        let value = match part.value {
            None if !part.has_lines => "has no lines".to_string(),
            value => format!("is {}", exact(&value)),
        };
        words.push((depth + 1, format!("{} {value}", part.member)));
    }
    operands.iter().for_each(|operand| tell(operand, depth + 1, words));
}

fn peers(peers: &PeersStory, story: &Story) -> Words {
    let PeersStory { name, yardstick, position, rank } = peers;
    let (low, high) = (yardstick.low, yardstick.high);
    let mut first = format!("{name}: {} with a value, from {low} to {high}", yardstick.count);
    if let Some(mean) = yardstick.mean {
        first += &format!(", mean {mean}");
    }
    let place = match (rank, position) {
        (Some(rank), Some(position)) => Some(format!(
            "it is number {rank} from the highest, at {position:.3} from the lowest (0) to the highest (1)"
        )),
        (Some(_), None) => Some("there is nothing to stand beside: it is alone, or all are equal".into()),
        _ if story.value.is_none() => Some("a blank has no place among them".into()),
        _ => None,
    };
    std::iter::once(first).chain(place).map(|words| (1, words)).collect()
}

fn emphasis(emphasis: &EmphasisStory) -> Words {
    let EmphasisStory { place, decides, position, rules, .. } = emphasis;
    let verdict = if *decides { "decides" } else { "does not decide" };
    let at = position.map(|position| format!(" at position {position:.3}")).unwrap_or_default();
    let mut words = vec![(1, format!("{place} {verdict}{at}"))];
    for (i, RuleStory { rule, matched }) in rules.iter().enumerate() {
        let outcome = match matched {
            Some(true) => "matches, and wins",
            Some(false) => "does not match",
            None => "is not tried",
        };
        words.push((2, format!("rule {}: {rule}: {outcome}", i + 1)));
    }
    words
}
