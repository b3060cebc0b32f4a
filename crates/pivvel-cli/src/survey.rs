//! `pivvel survey`: what a file holds, and a first command to go on with.

use std::fmt::Write;
use std::path::Path;

use anstyle::Style;
use pivvel::brief::NumberFormat;
use pivvel::draw::show_number;
use pivvel::formula::quote_name;
use pivvel::result::DatePart;
use pivvel::source::{ColumnSurvey, Kind, ReadOptions, Survey, is_scenario, open_lines};
use pivvel::text::{printable, without_secrets};
use pivvel::{Brief, Result, Value};

use crate::arguments::SurveyArguments;
use crate::effort::watched;
use crate::screen;

pub(crate) fn run(arguments: &SurveyArguments) -> Result<()> {
    let brief = arguments.flags.apply(Brief::new())?;
    let reading = ReadOptions::default().delimiter(arguments.delimiter.delimiter);
    let mut source = open_lines(&arguments.source, &brief, &reading)?;
    let survey = watched(source.progress(), || Survey::read(source.as_mut()))?;
    if arguments.json {
        let json = serde_json::to_value(&survey)
            .unwrap_or_else(|e| unreachable!("a survey is texts and numbers: {e}"));
        return screen::print(&format!("{json:#}\n"));
    }
    let (width, colours) = screen::width_and_colours(&arguments.screen);
    screen::print(&draw(&survey, arguments, colours != pivvel::draw::Colours::None, width))
}

fn draw(survey: &Survey, arguments: &SurveyArguments, colour: bool, width: Option<usize>) -> String {
    let style =
        |style: Style, text: &str| if colour { format!("{style}{text}{style:#}") } else { text.to_string() };
    let (bold, faint) = (Style::new().bold(), Style::new().dimmed());
    let mut out = String::new();
    let empty = match survey.empty_lines() {
        0 => String::new(),
        1 => "; 1 empty line".into(),
        n => format!("; {} empty lines", count(n)),
    };
    let delimiter = match survey.delimiter() {
        None | Some(',') => String::new(),
        Some('\t') => "; fields between tabs".into(),
        Some(mark) => format!("; fields between {mark}"),
    };
    let lines = count(survey.lines());
    let title =
        format!("{}: {lines} lines, {} columns{empty}{delimiter}", survey.name(), survey.columns().len());
    let _ = writeln!(out, "{}\n", style(bold, &printable(&title)));
    let heads = ["column", "kind", "blank", "distinct", "range, or the most frequent"];
    let mut table: Vec<[String; 5]> = vec![heads.map(str::to_string)];
    table.extend(survey.columns().iter().map(row));
    let widths: Vec<usize> =
        (0..4).map(|i| table.iter().map(|row| row[i].chars().count()).max().unwrap_or(0).min(40)).collect();
    for (i, row) in table.iter().enumerate() {
        let mut line = String::new();
        for (j, (text, width)) in row.iter().zip(&widths).enumerate() {
            let text = cut(text, *width);
            let pad = " ".repeat(width - text.chars().count());
            // Counts stand flush right.
            line += &if j == 2 || j == 3 { format!("{pad}{text}  ") } else { format!("{text}{pad}  ") };
        }
        let room = width.map_or(usize::MAX, |width| width.saturating_sub(line.chars().count()).max(12));
        line += &cut(&row[4], room);
        let _ = writeln!(
            out,
            "{}",
            if i == 0 { style(faint, line.trim_end()) } else { line.trim_end().to_string() }
        );
    }
    let warnings = warnings(survey);
    if !warnings.is_empty() {
        let _ = writeln!(out, "\n{}", style(bold, "Look at"));
        warnings.iter().for_each(|warning| out += &format!("  {}\n", printable(warning)));
    }
    if let Some(command) = suggestion(survey, &arguments.source, arguments.flags.values("as")) {
        let _ = writeln!(out, "\n{}\n  {}", style(bold, "Begin with"), without_secrets(&command));
    }
    out
}

fn row(column: &ColumnSurvey) -> [String; 5] {
    let number = NumberFormat::default();
    let shown = |value: &Value| show_number(value, &number);
    let range = match (&column.range(), column.kind().kind()) {
        (Some((low, high)), kind) if kind != Kind::YesNo => format!("{} … {}", shown(low), shown(high)),
        _ => {
            let examples: Vec<String> = column
                .examples()
                .iter()
                .map(|(text, times)| format!("{} ({})", tidy(text), count(*times)))
                .collect();
            examples.join(", ")
        }
    };
    let blanks = if column.blanks() == 0 { String::new() } else { count(column.blanks()) };
    let least = if column.distinct_is_least() { "over " } else { "" };
    [
        quoted(column.name()),
        column.kind().words(),
        blanks,
        format!("{least}{}", count(column.distinct())),
        range,
    ]
}

fn warnings(survey: &Survey) -> Vec<String> {
    let mut warnings = survey.notes().to_vec();
    for column in survey.columns() {
        warnings
            .extend(column.warnings().iter().map(|warning| format!("{}: {warning}", quoted(column.name()))));
    }
    let spaced: Vec<String> =
        survey.columns().iter().map(|c| quoted(c.name())).filter(|n| n.starts_with('"')).collect();
    if !spaced.is_empty() {
        warnings.push(format!("formulas name these in double quotes: {}", spaced.join(", ")));
    }
    warnings
}

/// A first command that works when pasted: two text columns of few members on the rows, a date on
/// the columns, and the exact number that adds up to most as the measure.
fn suggestion(survey: &Survey, source: &Path, kinds: &[String]) -> Option<String> {
    let usable = |column: &&ColumnSurvey| {
        column.kind().trouble().is_none()
            && !column.name().contains([',', '"', '\''])
            && printable(column.name()) == column.name()
            && !column.distinct_is_least()
    };
    let columns = || survey.columns().iter().filter(usable);
    let is_text = |column: &&ColumnSurvey| column.kind().kind() == Kind::Text && column.filled() > 0;
    // What would be added up and must not be is kept apart, not put on the rows.
    let of_scenarios = |column: &ColumnSurvey| {
        column.kind().kind() == Kind::Text
            && column.examples().iter().filter(|(text, _)| is_scenario(text)).count() > 1
    };
    let texts = columns().filter(is_text).filter(|c| (2..=60).contains(&c.distinct()) && !of_scenarios(c));
    let texts: Vec<&ColumnSurvey> = texts.collect();
    // The column that divides least, and the next one in the file that divides further: files
    // list a group before its members.
    let outer = texts.iter().min_by_key(|c| (c.blanks() > 0, c.distinct() < 3, c.distinct()))?;
    let follows = texts.iter().skip_while(|c| c.name() != outer.name());
    let inner = follows.clone().find(|c| c.distinct() > outer.distinct() && c.blanks() == 0);
    let rows: Vec<&str> = std::iter::once(outer).chain(inner).map(|c| c.name()).collect();
    let numbers = columns().filter(|c| matches!(c.kind().kind(), Kind::Decimal { .. } | Kind::Whole));
    let exact = |c: &&ColumnSurvey| matches!(c.kind().kind(), Kind::Decimal { .. });
    // Codes are whole numbers too, and different in nearly every line.
    let amount = |c: &&ColumnSurvey| exact(c) || c.distinct() * 2 < c.filled();
    let measured = numbers.filter(amount).max_by(|a, b| {
        (exact(a), a.total()).partial_cmp(&(exact(b), b.total())).unwrap_or(std::cmp::Ordering::Equal)
    });
    let mut command = format!("pivvel build {}", shell(&source.display().to_string()));
    for kind in kinds {
        command += &format!(" --as {}", shell(kind));
    }
    command += &format!(" --rows {}", shell(&rows.join(",")));
    if let Some(date) = columns().find(|c| c.kind().kind() == Kind::Date && c.filled() > 0) {
        command += &format!(" --columns {}", shell(&format!("{}.{}", date.name(), part_of(date).name())));
    }
    let (name, formula) = match measured {
        Some(column) => {
            let name = column.name().replace([' ', '.'], "_");
            let formula = format!("sum({})", quote_name(column.name()));
            (name, formula)
        }
        None => ("lines".into(), "count()".into()),
    };
    if let Some(scenario) = columns().find(|column| of_scenarios(column)) {
        let kept = scenario.examples().iter().filter(|(text, _)| is_scenario(text));
        let actual = |text: &str| text.to_lowercase().starts_with("actual");
        let kept = kept.min_by_key(|(text, _)| !actual(text)).map_or("", |(text, _)| text.as_str());
        let condition = format!("{} = '{}'", quote_name(scenario.name()), kept.replace('\'', "''"));
        command += &format!(" --where {}", shell(&condition));
    }
    if survey.columns().iter().any(|column| column.misfits() > 0) {
        command += " --bad-values blank";
    }
    command += &format!(" --measure {} --tint {}", shell(&format!("{name} = {formula}")), shell(&name));
    Some(command)
}

/// The part of a date that gives a few columns.
fn part_of(date: &ColumnSurvey) -> DatePart {
    let years = match date.range() {
        Some((Value::Date(low), Value::Date(high))) => (high - low) / 365,
        _ => 0,
    };
    match years {
        2.. => DatePart::Year,
        1 => DatePart::Quarter,
        _ => DatePart::Month,
    }
}

/// An argument as a shell takes it.
fn shell(text: &str) -> String {
    // Double quotes are read more easily where they mean the same.
    if text.contains('\'') && !text.contains(['"', '$', '`', '\\', '!']) {
        return format!("\"{text}\"");
    }
    let needs_no_quotes =
        |c: char| c.is_alphanumeric() || matches!(c, '_' | '-' | '.' | ',' | '/' | '=' | ':');
    if !text.is_empty() && text.chars().all(needs_no_quotes) {
        text.into()
    } else {
        format!("'{}'", text.replace('\'', "'\\''"))
    }
}

/// A name as formulas write it.
fn quoted(name: &str) -> String {
    printable(&quote_name(name))
}

fn count(number: u64) -> String {
    show_number(&Value::Exact(number.into()), &NumberFormat::default())
}

fn tidy(text: &str) -> String {
    cut(&printable(text), 30)
}

fn cut(text: &str, places: usize) -> String {
    if text.chars().count() <= places {
        return text.to_string();
    }
    text.chars().take(places.saturating_sub(1)).chain(['…']).collect()
}
