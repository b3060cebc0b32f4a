//! Arguments as data, and what they change in a brief.

use std::path::PathBuf;

use clap::{Args, Parser, Subcommand, ValueEnum};
use pivvel::{BadValues, Brief, EmphasisBrief, Error, Form, MeasureBrief, Placement, Result};

/// Sales lines in, cross-tab out, every level on a scale of its own.
#[derive(Debug, Parser)]
#[command(
    name = "pivvel",
    version,
    max_term_width = 100,
    after_help = "\
Begin with:
  pivvel demo
  pivvel survey lines.csv
  pivvel build lines.csv --rows coast,harbour --columns sold_on.quarter \\
      --measure 'sales = sum(amount)' --tint sales --to sales.html"
)]
pub(crate) struct Arguments {
    #[command(subcommand)]
    pub(crate) command: Command,
}

#[derive(Debug, Subcommand)]
pub(crate) enum Command {
    /// Write demonstration lines and briefs, run them, print the first cross-tab, write its page
    Demo(Demo),
    /// Say what a file holds: columns, kinds, blanks, ranges, members, and what looks wrong
    Survey(SurveyArguments),
    /// Make a cross-tab from a brief or a file of lines; print it or write it to files
    Build(Box<Build>),
    /// Check a brief against its lines' columns and say what will be computed
    Check(Check),
}

#[derive(Debug, Args)]
pub(crate) struct Demo {
    /// The folder to write to
    #[arg(default_value = "pellam-quay")]
    pub(crate) folder: PathBuf,
    #[command(flatten)]
    pub(crate) screen: ScreenArguments,
}

#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  pivvel survey lines.csv
  pivvel survey lines.csv --as 'sold_on=date(dmy)'
  zcat lines.csv.gz | pivvel survey -")]
pub(crate) struct SurveyArguments {
    /// The file of lines; - for standard input
    pub(crate) source: PathBuf,
    #[command(flatten)]
    pub(crate) reading: Reading,
    #[command(flatten)]
    pub(crate) screen: ScreenArguments,
}

#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  pivvel check sales.toml
  pivvel check sales.toml --source june.csv")]
pub(crate) struct Check {
    /// The brief
    pub(crate) brief: PathBuf,
    /// Check against these lines instead of the brief's own
    #[arg(long, value_name = "FILE")]
    pub(crate) source: Option<PathBuf>,
}

#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  pivvel build sales.toml
  pivvel build sales.toml --source june.csv --to june.html --to june.csv
  pivvel build lines.csv --rows coast,harbour --columns sold_on.year \\
      --measure 'sales = sum(amount)' --sort 'harbour by sales desc' --tint sales
  pivvel build lines.csv --rows range --measure 'profit = sum(amount - cost)' \\
      --where \"channel <> 'staff'\" --save-brief profit.toml")]
pub(crate) struct Build {
    /// A brief (.toml) or a file of lines; - for lines on standard input
    #[arg(value_name = "BRIEF | SOURCE")]
    pub(crate) input: PathBuf,
    /// Read these lines instead of the brief's own
    #[arg(long, value_name = "FILE")]
    pub(crate) source: Option<PathBuf>,
    /// Dimensions on the rows, outermost first: coast,harbour or sold_on.month
    #[arg(long, value_name = "A,B")]
    pub(crate) rows: Option<String>,
    /// Dimensions on the columns, outermost first
    #[arg(long, value_name = "A,B")]
    pub(crate) columns: Option<String>,
    /// A measure: 'sales = sum(amount)'; also count, mean, min, max (repeatable)
    #[arg(long, value_name = "NAME = FORMULA")]
    pub(crate) measure: Vec<String>,
    /// The condition that lines must meet: "channel <> 'staff' and amount > 0"
    #[arg(long = "where", value_name = "CONDITION")]
    pub(crate) filter: Option<String>,
    /// The order of a dimension's members: 'harbour by sales desc', 'coast by label' (repeatable)
    #[arg(long, value_name = "DIMENSION by WHAT")]
    pub(crate) sort: Vec<String>,
    /// Tint a measure's cells, each level on a scale of its own (repeatable)
    #[arg(long, value_name = "MEASURE")]
    pub(crate) tint: Vec<String>,
    /// Tint these levels only: harbour,sold_on.year; also 'row total', 'column total'
    #[arg(long, value_name = "A,B", requires = "tint")]
    pub(crate) levels: Option<String>,
    /// Where totals stand: before, after or off, for all or by level: 'coast off, row total before'
    #[arg(long, value_name = "PLACES")]
    pub(crate) totals: Vec<String>,
    /// The heading
    #[arg(long)]
    pub(crate) title: Option<String>,
    /// Write the cross-tab to a file: .html for a page, .csv for a tidy table, - for tidy CSV on
    /// standard output (repeatable)
    #[arg(long, value_name = "FILE")]
    pub(crate) to: Vec<PathBuf>,
    /// Keep what was asked for as a brief
    #[arg(long, value_name = "FILE")]
    pub(crate) save_brief: Option<PathBuf>,
    #[command(flatten)]
    pub(crate) reading: Reading,
    #[command(flatten)]
    pub(crate) screen: ScreenArguments,
}

/// How lines are read.
#[derive(Debug, Args)]
pub(crate) struct Reading {
    /// Give a column a kind: amount=decimal(2), sold_on=date(dmy), code=text; also whole, float,
    /// yesno (repeatable)
    #[arg(long = "as", value_name = "COLUMN=KIND")]
    pub(crate) kinds: Vec<String>,
    /// What stands between fields, where it is not found out: ';' or tab
    #[arg(long, value_name = "MARK", value_parser = delimiter)]
    pub(crate) delimiter: Option<u8>,
    /// What to do about values that do not fit their column's kind
    #[arg(long, value_enum, value_name = "WHAT")]
    pub(crate) bad_values: Option<Bad>,
}

/// How to print.
#[derive(Debug, Clone, Copy, Args)]
pub(crate) struct ScreenArguments {
    /// When to colour
    #[arg(long, value_enum, default_value_t = When::Auto, value_name = "WHEN")]
    pub(crate) color: When,
    /// The width to keep within, in characters; 0 for no limit; the window's where not said
    #[arg(long, value_name = "PLACES")]
    pub(crate) width: Option<usize>,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum When {
    Auto,
    Always,
    Never,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum Bad {
    /// List up to ten of them and stop
    Stop,
    /// Take them as blank and say how many
    Blank,
}

fn delimiter(text: &str) -> Result<u8, String> {
    match (text, text.as_bytes()) {
        ("tab" | "\\t", _) => Ok(b'\t'),
        (_, [one]) if !one.is_ascii_alphanumeric() && *one != b'"' => Ok(*one),
        _ => Err("a single mark is wanted, such as ; or | or tab".into()),
    }
}

impl Reading {
    pub(crate) fn apply(&self, brief: &mut Brief) -> Result<()> {
        for text in &self.kinds {
            let Some((column, kind)) = text.rsplit_once('=') else {
                return Err(Error::request(
                    "--as",
                    format!("{text} is not COLUMN=KIND, as in 'amount=decimal(2)'"),
                ));
            };
            brief.kinds.push((unquoted(column), kind.trim().to_string()));
        }
        match self.bad_values {
            Some(Bad::Blank) => brief.bad_values = BadValues::Blank,
            Some(Bad::Stop) => brief.bad_values = BadValues::Stop,
            None => {}
        }
        Ok(())
    }
}

impl Build {
    /// Changes a brief by what was asked for.
    pub(crate) fn apply(&self, brief: &mut Brief) -> Result<()> {
        if let Some(rows) = &self.rows {
            brief.rows = names(rows);
        }
        if let Some(columns) = &self.columns {
            brief.columns = names(columns);
        }
        if !self.measure.is_empty() {
            brief.measures = self.measure.iter().map(|text| measure(text)).collect();
        }
        brief.filter = self.filter.clone().or(brief.filter.take());
        brief.title = self.title.clone().or(brief.title.take());
        for text in &self.sort {
            let Some((dimension, order)) = text.split_once(" by ") else {
                let message = format!("{text} is not DIMENSION by WHAT, as in 'harbour by sales desc'");
                return Err(Error::request("--sort", message));
            };
            brief.dimension(&unquoted(dimension)).order = Some(order.trim().to_string());
        }
        for text in self.totals.iter().flat_map(|text| names(text)) {
            let (of, place) = text.rsplit_once(char::is_whitespace).unwrap_or(("", &text));
            let placement =
                Placement::named(place.trim()).map_err(|e| Error::request("--totals", e.to_string()))?;
            brief.totals.push((unquoted(of), placement));
        }
        if !self.tint.is_empty() {
            let levels = self.levels.as_deref().map(names).unwrap_or_default();
            let tint =
                |on: &String| EmphasisBrief { on: on.clone(), form: Form::Tint, levels: levels.clone() };
            brief.emphasis = self.tint.iter().map(tint).collect();
        }
        self.reading.apply(brief)
    }
}

/// A measure from `name = formula`, or from a formula that is its own name.
fn measure(text: &str) -> MeasureBrief {
    match text.split_once('=') {
        Some((name, formula)) if !name.contains(['(', '\'']) => {
            MeasureBrief::new(unquoted(name), formula.trim())
        }
        _ => MeasureBrief::new(text.trim(), text.trim()),
    }
}

/// Names between commas; a name in double quotes may hold commas itself.
fn names(list: &str) -> Vec<String> {
    let mut names = vec![String::new()];
    let mut quoted = false;
    for c in list.chars() {
        match c {
            '"' => quoted = !quoted,
            ',' if !quoted => names.push(String::new()),
            c => names.last_mut().into_iter().for_each(|name| name.push(c)),
        }
    }
    names.into_iter().map(|name| name.trim().to_string()).filter(|name| !name.is_empty()).collect()
}

fn unquoted(name: &str) -> String {
    let name = name.trim();
    name.strip_prefix('"').and_then(|n| n.strip_suffix('"')).unwrap_or(name).replace("\"\"", "\"")
}
