//! Arguments as data.

use std::path::PathBuf;
use std::sync::LazyLock;

use clap::{Args, Parser, Subcommand, ValueEnum};
use pivvel::draw::{Appearance, open_appearance};
use pivvel::error::Argument;

use crate::brief_flags::{BriefFlags, OfBriefs, OfLines, OfRuns};

/// Sales lines in, cross-tab out, every level on a scale of its own.
#[derive(Debug, Parser)]
#[command(
    name = "pivvel",
    version,
    long_version = LONG_VERSION.as_str(),
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

/// The version, and which features this build has.
static LONG_VERSION: LazyLock<String> = LazyLock::new(|| {
    let all = [
        ("arrow", cfg!(feature = "arrow")),
        ("parquet", cfg!(feature = "parquet")),
        ("png", cfg!(feature = "png")),
        ("postgres", cfg!(feature = "postgres")),
        ("sqlite", cfg!(feature = "sqlite")),
        ("workbook", cfg!(feature = "workbook")),
        ("zstd", cfg!(feature = "zstd")),
    ];
    let list = |on: bool| -> String {
        let names: Vec<&str> = all.iter().filter(|(_, is)| *is == on).map(|(name, _)| *name).collect();
        if names.is_empty() { "none".into() } else { names.join(", ") }
    };
    let version = env!("CARGO_PKG_VERSION");
    format!("{version}\nwith the features: {}\nwithout: {}", list(true), list(false))
});

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
    /// Show the lines behind a cell; they add up to it
    Lines(Box<Lines>),
    /// Say where one number comes from: lines, formula, related cells, peers, rules
    Explain(Box<Explain>),
    /// Say what changed between two results, level by level
    Compare(Box<Compare>),
    /// Print what a shell completes commands with, a manual page, or a schema
    Shell(Shell),
}

#[derive(Debug, Args)]
pub(crate) struct Demo {
    /// The folder to write to
    #[arg(default_value = "pellam-quay")]
    pub(crate) folder: PathBuf,
    #[command(flatten)]
    pub(crate) drawing: DrawingArguments,
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
    /// Print it as JSON
    #[arg(long)]
    pub(crate) json: bool,
    #[command(flatten)]
    pub(crate) flags: BriefFlags<OfLines>,
    #[command(flatten)]
    pub(crate) delimiter: Delimiter,
    #[command(flatten)]
    pub(crate) screen: ScreenArguments,
}

/// The lines that a brief is about.
#[derive(Debug, Args)]
pub(crate) struct BriefLines {
    /// Read these lines instead of the brief's own
    #[arg(long, value_name = "FILE", help_heading = "Lines")]
    pub(crate) source: Option<PathBuf>,
    #[command(flatten)]
    pub(crate) flags: BriefFlags<OfRuns>,
    #[command(flatten)]
    pub(crate) delimiter: Delimiter,
}

/// The cell that is asked about, of which brief and which lines.
#[derive(Debug, Args)]
pub(crate) struct CellTarget {
    /// The brief; - for standard input
    pub(crate) brief: PathBuf,
    /// The cell: its members by dimension, as in 'coast=Fell Coast,quarter=2025-Q1'; dimensions that are
    /// not named are rolled up, and total is the grand total (repeatable)
    #[arg(long, value_name = "DIMENSION=MEMBER,…", required = true)]
    pub(crate) at: Vec<String>,
    #[command(flatten)]
    pub(crate) lines: BriefLines,
}

/// How much of the machine is used.
#[derive(Debug, Clone, Args)]
#[command(next_help_heading = "Machine")]
pub(crate) struct Effort {
    /// Threads to work with (default: one for each core)
    #[arg(long, value_name = "N", value_parser = threads)]
    pub(crate) threads: Option<usize>,
    /// Memory that the groups, and the cells of a sheet, may take, as 512MiB or 8GiB (default: 75% of free memory)
    #[arg(long, value_name = "SIZE")]
    pub(crate) memory: Option<String>,
    /// Read the lines of a database rather than letting it group them
    #[arg(long)]
    pub(crate) read_lines: bool,
}

#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  pivvel check sales.toml
  pivvel check sales.toml --source june.csv")]
pub(crate) struct Check {
    /// The brief; - for standard input
    pub(crate) brief: PathBuf,
    /// Exit with 1 if there is a warning
    #[arg(long)]
    pub(crate) strict: bool,
    /// Print it as JSON
    #[arg(long)]
    pub(crate) json: bool,
    #[command(flatten)]
    pub(crate) lines: BriefLines,
    #[command(flatten)]
    pub(crate) screen: ScreenArguments,
}

#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  pivvel lines sales.toml --at 'coast=Fell Coast,quarter=2025-Q1'
  pivvel lines sales.toml --at 'harbour=Pellam Quay' --columns sold_on,yard,amount \\
      --sort 'amount desc' --limit 20
  pivvel lines sales.toml --at total --to lines.parquet")]
pub(crate) struct Lines {
    #[command(flatten)]
    pub(crate) target: CellTarget,
    /// Tell what this measure's aggregates are over the lines, instead of every shown measure's
    #[arg(long, value_name = "MEASURE")]
    pub(crate) measure: Option<String>,
    /// The columns to show: columns of the lines, derived ones, parts of dates (default: all)
    #[arg(long, value_name = "A,B")]
    pub(crate) columns: Option<String>,
    /// Sort the lines: 'amount desc' (repeatable, the first counts most)
    #[arg(long, value_name = "COLUMN [desc]")]
    pub(crate) sort: Vec<String>,
    /// Show so many lines at most; all of them add up to the cell
    #[arg(long, value_name = "N")]
    pub(crate) limit: Option<usize>,
    /// Write the lines to a file: .csv, .json, .jsonl, .parquet, .arrow, .xlsx, .md, or .html for a page of 2,000
    /// lines at most; - for standard output (repeatable)
    #[arg(long, value_name = "FILE", help_heading = "Output")]
    pub(crate) to: Vec<PathBuf>,
    #[command(flatten)]
    pub(crate) form: OutputForm,
    /// Put an apostrophe before texts in CSV that a spreadsheet would take for a formula
    #[arg(long, help_heading = "Output")]
    pub(crate) inert: bool,
    #[command(flatten)]
    pub(crate) effort: Effort,
    #[command(flatten)]
    pub(crate) drawing: DrawingArguments,
}

#[derive(Debug, Clone, Args)]
#[command(after_help = "\
Examples:
  pivvel build sales.toml
  pivvel build sales.toml --source june.csv --to june.html --to june.xlsx
  pivvel build north.toml south.toml west.toml
  pivvel build lines.csv --rows coast,harbour --columns sold_on.year \\
      --measure 'sales = sum(amount)' --sort 'harbour by sales desc' --tint sales
  pivvel build lines.csv --rows range --measure 'profit = sum(amount - cost)' \\
      --where \"channel <> 'staff'\" --save-brief profit.toml
  pivvel build sales.toml --form json")]
pub(crate) struct Build {
    /// A brief (.toml) or a file of lines; - for lines on standard input, or with --source for a brief
    #[arg(value_name = "BRIEF | SOURCE")]
    pub(crate) input: PathBuf,
    /// Further briefs to run after the first, each by itself; the exit code tells whether any failed
    #[arg(value_name = "BRIEF")]
    pub(crate) more: Vec<PathBuf>,
    /// Read these lines instead of the brief's own
    #[arg(long, value_name = "FILE", help_heading = "Lines")]
    pub(crate) source: Option<PathBuf>,
    #[command(flatten)]
    pub(crate) flags: BriefFlags<OfBriefs>,
    /// Keep the yardsticks of this run in a file, for later runs to stand on
    #[arg(long, value_name = "FILE", help_heading = "Kept for later")]
    pub(crate) save_yardsticks: Option<PathBuf>,
    /// Build from groups that earlier runs of the same brief kept, rather than from lines (repeatable)
    #[arg(long, value_name = "FILE", num_args = 1.., conflicts_with = "source", help_heading = "Kept for later")]
    pub(crate) groups: Vec<PathBuf>,
    /// Keep the leaf groups of this run in a file, for later runs to build from
    #[arg(long, value_name = "FILE", help_heading = "Kept for later")]
    pub(crate) save_groups: Option<PathBuf>,
    #[command(flatten)]
    pub(crate) effort: Effort,
    /// Write the cross-tab to a file: .html for a page; .csv, .json, .jsonl, .parquet, .arrow, .xlsx or .md for a
    /// table; .svg or .png for a picture; - for standard output (repeatable)
    #[arg(long, value_name = "FILE", help_heading = "Output")]
    pub(crate) to: Vec<PathBuf>,
    #[command(flatten)]
    pub(crate) form: OutputForm,
    /// The shape of tables: one row a cell and measure, one row a cell, or as shown
    #[arg(long, value_enum, value_name = "SHAPE", help_heading = "Output")]
    pub(crate) shape: Option<TableShape>,
    /// Keep these levels only in tables: 'harbour,row total'; row total is the total column
    #[arg(long, value_name = "A,B", help_heading = "Output")]
    pub(crate) only_levels: Option<String>,
    /// Write one table for each pair of levels, so that no total is added into its parts: into a folder as
    /// CSV, or by a pattern as 'parts/*.parquet'
    #[arg(long, value_name = "FOLDER | PATTERN", help_heading = "Output")]
    pub(crate) split_levels: Option<PathBuf>,
    /// Put an apostrophe before texts in CSV that a spreadsheet would take for a formula
    #[arg(long, help_heading = "Output")]
    pub(crate) inert: bool,
    /// Draw this view of the brief alone, counted from 1, where a picture is written
    #[arg(long, value_name = "N", help_heading = "Output")]
    pub(crate) view: Option<usize>,
    /// Keep what was asked for as a brief
    #[arg(long, value_name = "FILE", help_heading = "Kept for later")]
    pub(crate) save_brief: Option<PathBuf>,
    /// Include figures that the brief hides in tables
    #[arg(long, help_heading = "Output")]
    pub(crate) with_hidden: bool,
    /// Say in tidy tables what makes each cell stand out: the rule, what it shows, the step, the position
    #[arg(long, help_heading = "Output")]
    pub(crate) with_decisions: bool,
    #[command(flatten)]
    pub(crate) notices: NoticeFlags,
    #[command(flatten)]
    pub(crate) delimiter: Delimiter,
    #[command(flatten)]
    pub(crate) drawing: DrawingArguments,
}

#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  pivvel explain sales.toml --at 'coast=Fell Coast,quarter=2025-Q1' --measure margin
  pivvel explain sales.toml --at total --measure sales --json
  pivvel explain sales.toml --at 'coast=Fell Coast' --measure sales --where 'sold_on.year = 2025'")]
pub(crate) struct Explain {
    #[command(flatten)]
    pub(crate) target: CellTarget,
    /// The measure; may be left out where there is one only
    #[arg(long, value_name = "MEASURE")]
    pub(crate) measure: Option<String>,
    /// Tell it as JSON
    #[arg(long)]
    pub(crate) json: bool,
    /// Write it to a file: .html for a page, .json; - for JSON on standard output (repeatable)
    #[arg(long, value_name = "FILE", help_heading = "Output")]
    pub(crate) to: Vec<PathBuf>,
    #[command(flatten)]
    pub(crate) effort: Effort,
    #[command(flatten)]
    pub(crate) drawing: DrawingArguments,
}

#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  pivvel compare may.csv june.csv --brief sales.toml
  pivvel compare may.toml june.toml --to changes.csv
  pivvel compare tidy-may.parquet tidy-june.parquet")]
pub(crate) struct Compare {
    /// The earlier result: a brief, a tidy result that was written, or, with --brief, lines
    pub(crate) earlier: PathBuf,
    /// The later one
    pub(crate) later: PathBuf,
    /// Run this brief on both, which are lines then; - for standard input
    #[arg(long, value_name = "BRIEF")]
    pub(crate) brief: Option<PathBuf>,
    /// Show so many changes of each level on the screen at most, the largest first; files hold all of them
    #[arg(long, value_name = "N", default_value_t = 10)]
    pub(crate) limit: usize,
    /// Write every change to a file: .html for a page; .csv, .json, .jsonl, .parquet, .arrow, .xlsx or .md; - for
    /// standard output (repeatable)
    #[arg(long, value_name = "FILE", help_heading = "Output")]
    pub(crate) to: Vec<PathBuf>,
    #[command(flatten)]
    pub(crate) form: OutputForm,
    #[command(flatten)]
    pub(crate) flags: BriefFlags<OfRuns>,
    #[command(flatten)]
    pub(crate) delimiter: Delimiter,
    /// Put an apostrophe before texts in CSV that a spreadsheet would take for a formula
    #[arg(long, help_heading = "Output")]
    pub(crate) inert: bool,
    #[command(flatten)]
    pub(crate) notices: NoticeFlags,
    #[command(flatten)]
    pub(crate) effort: Effort,
    #[command(flatten)]
    pub(crate) drawing: DrawingArguments,
}

#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  pivvel shell bash > ~/.local/share/bash-completion/completions/pivvel
  pivvel shell zsh > ~/.zfunc/_pivvel
  pivvel shell manual --into ~/.local/share/man/man1
  pivvel shell brief-schema > brief.schema.json")]
pub(crate) struct Shell {
    /// For which shell, or what else: the manual, the schemas of files
    #[arg(value_enum)]
    pub(crate) what: ShellText,
    /// The command whose manual page is printed (default: the page of pivvel itself)
    #[arg(value_name = "COMMAND")]
    pub(crate) command: Option<String>,
    /// Write every page of the manual into this folder
    #[arg(long, value_name = "FOLDER", conflicts_with = "command")]
    pub(crate) into: Option<PathBuf>,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum ShellText {
    Bash,
    Elvish,
    Fish,
    Powershell,
    Zsh,
    Manual,
    /// The JSON Schema of briefs, for editors that check TOML by one
    BriefSchema,
    /// The JSON Schema of kept yardsticks
    YardsticksSchema,
}

/// What stands between the fields of a file.
#[derive(Debug, Clone, Copy, Args)]
pub(crate) struct Delimiter {
    /// What stands between fields, where it is not found out: ';' or tab
    #[arg(long, value_name = "MARK", value_parser = delimiter, help_heading = "Lines")]
    pub(crate) delimiter: Option<u8>,
}

/// What to do about notices: what was excluded, blanked, misspelt, empty or not used.
#[derive(Debug, Clone, Copy, Args)]
pub(crate) struct NoticeFlags {
    /// Print no notices and no names of files that are written
    #[arg(long, conflicts_with = "strict", help_heading = "Output")]
    pub(crate) quiet: bool,
    /// Write nothing and exit with 1 if anything was blanked, misspelt, empty, mixed or not used
    #[arg(long, help_heading = "Output")]
    pub(crate) strict: bool,
}

/// The form of what is written to standard output.
#[derive(Debug, Clone, Args)]
pub(crate) struct OutputForm {
    /// Write to standard output in this form: csv, json, jsonl, arrow, or another ending of --to
    #[arg(long, value_name = "FORM", help_heading = "Output")]
    form: Option<String>,
}

impl OutputForm {
    /// The form of standard output.
    pub(crate) fn ending(&self) -> &str {
        self.form.as_deref().unwrap_or("csv")
    }

    /// What is written to: the paths, and standard output where it has a form and is not among them.
    pub(crate) fn paths(&self, to: &[PathBuf]) -> Vec<PathBuf> {
        let more = self.form.is_some() && to.iter().all(|path| path.as_os_str() != "-");
        to.iter().cloned().chain(more.then(|| "-".into())).collect()
    }
}

/// How to print.
#[derive(Debug, Clone, Copy, Args)]
#[command(next_help_heading = "Screen")]
pub(crate) struct ScreenArguments {
    /// When to colour
    #[arg(long, value_enum, default_value_t = When::Auto, value_name = "WHEN")]
    pub(crate) color: When,
    /// The width to keep within, in characters; 0 for no limit (default: the window's)
    #[arg(long, value_name = "PLACES")]
    pub(crate) width: Option<usize>,
}

/// How cross-tabs and reports are drawn.
#[derive(Debug, Clone, Args)]
#[command(next_help_heading = "Screen")]
pub(crate) struct DrawingArguments {
    #[command(flatten)]
    pub(crate) screen: ScreenArguments,
    /// The terminal's background; auto asks the terminal, and takes light where it does not answer
    #[arg(long, value_enum, default_value_t = Background::Auto, value_name = "BACKGROUND")]
    pub(crate) background: Background,
    /// The language (en, de), or a .toml file with the words, colours and logo of your company
    #[arg(long, value_name = "LANGUAGE | FILE", value_parser = appearance)]
    pub(crate) appearance: Option<Appearance>,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum Background {
    Auto,
    Light,
    Dark,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum When {
    Auto,
    Always,
    Never,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum TableShape {
    Tidy,
    Cells,
    Wide,
}

fn appearance(text: &str) -> Result<Appearance, String> {
    open_appearance(text).map_err(|error| error.to_string())
}

fn threads(text: &str) -> Result<usize, String> {
    let number = text.parse::<usize>().ok().filter(|number| (1..=512).contains(number));
    number.ok_or_else(|| "expected a number from 1 to 512".into())
}

fn delimiter(text: &str) -> Result<u8, String> {
    match (text, text.as_bytes()) {
        ("tab" | "\\t", _) => Ok(b'\t'),
        (_, [one]) if !one.is_ascii_alphanumeric() && *one != b'"' => Ok(*one),
        _ => Err("a single mark is wanted, such as ; or | or tab".into()),
    }
}

/// How what the library is given is written here.
pub(crate) fn flag(argument: Argument) -> &'static str {
    match argument {
        Argument::Address => "--at",
        Argument::Measure => "--measure",
        Argument::Columns => "--columns",
        Argument::Order => "--sort",
        Argument::View => "--view",
        Argument::Target => "--to",
        Argument::Form => "--form",
        Argument::LevelFiles => "--split-levels",
    }
}
