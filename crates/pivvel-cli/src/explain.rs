//! `pivvel explain`: the story of one number, in words or as JSON.

use pivvel::{
    EmphasisStory, Error, ItemStory, Operand, PeersStory, Result, Story, TiedPart, Value, open_source,
    open_yardsticks, story_to_json,
};

use crate::arguments::Explain;
use crate::screen;

pub(crate) fn run(explain: &Explain) -> Result<()> {
    let (brief, address, path) = explain.asked.read()?;
    let yardsticks = open_yardsticks(&brief)?;
    let run = explain.effort.run()?.yardsticks(&yardsticks);
    let measure = match &explain.measure {
        Some(measure) => measure.clone(),
        None => match &brief.measures.iter().filter(|m| !m.hidden).collect::<Vec<_>>()[..] {
            [only] => only.name.clone(),
            [] => "lines".into(),
            several => {
                let names: Vec<&str> = several.iter().map(|m| m.name.as_str()).collect();
                let message = format!("there are several measures, so say which: {}", names.join(", "));
                return Err(Error::request("--measure", message));
            }
        },
    };
    let mut open = || open_source(&path, &brief, None);
    let story = run.explain(&brief, &mut open, &address, &measure)?;
    screen::print(&if explain.json { story_to_json(&story) } else { told(&story) })
}

/// The story in words.
fn told(story: &Story) -> String {
    let mut text = format!("{} at {} is {}\n", story.measure, story.address, shown(&story.value));
    let kind = |level: &str, kind: &str| match (level, kind) {
        ("total", _) => "the total".to_string(),
        (level, "member") => format!("a member of {level}"),
        (level, "others") => format!("the members of {level} that were gathered"),
        (level, _) => format!("calculated at {level}"),
    };
    let [row, column] = &story.levels;
    let [row_kind, column_kind] = &story.kinds;
    text += &format!("Its row is {}, its column {}.\n", kind(row, row_kind), kind(column, column_kind));
    text += "\nLines\n";
    text += &lines(story);
    text += "\nHow it is computed\n";
    text += &computed(story);
    text += "\nIts peers\n";
    text += &story
        .peers
        .as_ref()
        .map_or("  none of its peers has a value\n".into(), |peers| self::peers(peers, story));
    if !story.emphases.is_empty() {
        text += "\nWhat could make it stand out\n";
        story.emphases.iter().for_each(|emphasis| text += &self::emphasis(emphasis));
    }
    if !story.assumptions.is_empty() {
        text += "\nAssumptions\n";
        story.assumptions.iter().for_each(|(name, value)| text += &format!("  {name} = {value}\n"));
    }
    text
}

fn shown(value: &Option<Value>) -> String {
    value.map_or("blank".into(), |value| value.to_string())
}

fn lines(story: &Story) -> String {
    let word = if story.lines == 1 { "line" } else { "lines" };
    let mut text = format!("  {} {word}", story.lines);
    for span in &story.dates {
        text += &format!(", {} from {} to {}", span.column, span.first, span.last);
    }
    text.push('\n');
    if let Some(condition) = &story.condition {
        text += &format!("  of those where {condition}\n");
    }
    for TiedPart { address, aggregates, .. } in &story.tied {
        let place = if story.tied.len() > 1 { format!("{address}: ") } else { String::new() };
        for aggregate in aggregates {
            let verdict = match aggregate.of_lines == aggregate.of_cell {
                true => "as in the cell".to_string(),
                false => format!("and {} in the cell: the lines changed", shown(&aggregate.of_cell)),
            };
            let of_lines = shown(&aggregate.of_lines);
            text += &format!("  {place}{} over them is {of_lines}, {verdict}\n", aggregate.formula);
        }
    }
    text
}

fn computed(story: &Story) -> String {
    let mut text = String::new();
    if let Some(ItemStory { dimension, name, formula, before_measures, operands }) = &story.item {
        text += &format!("  {name} in {dimension} is {formula}");
        if *before_measures {
            text += &format!(", applied to the aggregates; then {} is {}\n", story.measure, story.formula);
        } else {
            text += &format!(", applied to {}\n", story.measure);
            operands
                .iter()
                .for_each(|(member, value)| text += &format!("    {member} is {}\n", shown(value)));
        }
    } else if story.is_aggregate {
        text += &format!("  {} is {} of the lines\n", story.measure, story.formula);
    } else {
        text += &format!("  {} is {}\n", story.measure, story.formula);
    }
    story.operands.iter().for_each(|operand| tell(operand, 2, &mut text));
    text
}

fn tell(operand: &Operand, depth: usize, text: &mut String) {
    let Operand { text: own, value, formula, at, operands } = operand;
    let formula = formula.as_ref().map(|formula| format!(" = {formula}")).unwrap_or_default();
    let at = at.as_ref().map(|at| format!(", read at {at}")).unwrap_or_default();
    text.push_str(&format!("{}{own}{formula} is {}{at}\n", "  ".repeat(depth), shown(value)));
    operands.iter().for_each(|operand| tell(operand, depth + 1, text));
}

fn peers(peers: &PeersStory, story: &Story) -> String {
    let PeersStory { name, yardstick, position, rank } = peers;
    let (low, high) = (yardstick.low, yardstick.high);
    let mut text = format!("  {name}: {} with a value, from {low} to {high}", yardstick.count);
    if let Some(mean) = yardstick.mean {
        text += &format!(", mean {mean}");
    }
    text.push('\n');
    match (rank, position) {
        (Some(rank), Some(position)) => {
            text += &format!(
                "  it is number {rank} from the highest, at {position:.3} from the lowest (0) to the highest (1)\n"
            );
        }
        (Some(_), None) => text += "  there is nothing to stand beside: it is alone, or all are equal\n",
        _ if story.value.is_none() => text += "  a blank has no place among them\n",
        _ => {}
    }
    text
}

fn emphasis(emphasis: &EmphasisStory) -> String {
    let EmphasisStory { place, decides, position, rules, .. } = emphasis;
    let verdict = if *decides { "decides" } else { "does not decide" };
    let at = position.map(|position| format!(" at position {position:.3}")).unwrap_or_default();
    let mut text = format!("  {place} {verdict}{at}\n");
    for (i, (words, matched)) in rules.iter().enumerate() {
        let outcome = match matched {
            Some(true) => "matches, and wins",
            Some(false) => "does not match",
            None => "is not tried",
        };
        text += &format!("    rule {}: {words}: {outcome}\n", i + 1);
    }
    text
}
