//! A first look at a file: every column's kind, blanks, range, members and examples, and what is
//! likely to go wrong with it.

use std::cmp::Ordering;
use std::collections::HashMap;

use pivvel_core::source::Kind;
use pivvel_core::{Decimal, Result, Value};

use crate::kinds::{ColumnKind, Evidence, read_date, read_number, read_yes_no};
use crate::source::Source;

/// Distinct values of one column that are kept; beyond them they are shown as "more than".
const KEPT: usize = 50_000;
/// Texts that are compared each with each for likely misspellings.
const COMPARED: usize = 1_500;

/// What is in a file.
///
/// ```
/// # use pivvel::source::TextSource;
/// # use pivvel::{Brief, CrossTab};
/// # let text = "coast,harbour,pieces\nFell,Quay,3\nSkerry,Holm,4\nFell,Haven,5\n";
/// # let mut lines = TextSource::from_reader("lines.csv", text.as_bytes(), &Default::default())?;
/// use pivvel::source::Survey;
///
/// let survey = Survey::read(&mut lines)?;
/// assert_eq!((survey.lines(), survey.columns().len()), (3, 3));
/// assert_eq!(survey.columns()[2].total(), 12.0);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, serde::Serialize)]
#[non_exhaustive]
pub struct Survey {
    pub(crate) name: String,
    pub(crate) lines: u64,
    pub(crate) empty_lines: u64,
    pub(crate) delimiter: Option<char>,
    pub(crate) columns: Vec<ColumnSurvey>,
    pub(crate) notes: Vec<String>,
}

pivvel_core::getters! {
    Survey {
        /// The file's name.
        name: &str,
        /// Lines that hold something, the heading not counted.
        lines: u64,
        /// Lines that hold nothing.
        empty_lines: u64,
        /// What stands between fields, where something does.
        delimiter: Option<char>,
        /// The columns in the file's order.
        columns: &[ColumnSurvey],
        /// What is odd about the file as a whole.
        notes: &[String],
    }
}

/// What is in a column.
///
/// ```
/// # use pivvel::source::TextSource;
/// # use pivvel::{Brief, CrossTab};
/// # let text = "coast,harbour,pieces\nFell,Quay,3\nSkerry,Holm,4\nFell,Haven,5\n";
/// # let mut lines = TextSource::from_reader("lines.csv", text.as_bytes(), &Default::default())?;
/// use pivvel::source::Survey;
///
/// let survey = Survey::read(&mut lines)?;
/// let coast = &survey.columns()[0];
/// assert_eq!((coast.name(), coast.distinct(), coast.blanks()), ("coast", 2, 0));
/// assert_eq!(coast.examples()[0], ("Fell".to_string(), 2));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, serde::Serialize)]
#[non_exhaustive]
pub struct ColumnSurvey {
    pub(crate) name: String,
    #[serde(serialize_with = "as_words")]
    pub(crate) kind: ColumnKind,
    pub(crate) filled: u64,
    pub(crate) blanks: u64,
    pub(crate) distinct: u64,
    pub(crate) distinct_is_least: bool,
    pub(crate) range: Option<(Value, Value)>,
    pub(crate) total: f64,
    #[serde(serialize_with = "counted")]
    pub(crate) examples: Vec<(String, u64)>,
    pub(crate) misfits: u64,
    pub(crate) warnings: Vec<String>,
}

pivvel_core::getters! {
    ColumnSurvey {
        /// The name that formulas use.
        name: &str,
        /// How its values are read.
        kind: &ColumnKind,
        /// Lines that hold something in this column.
        filled: u64,
        /// Lines that hold nothing in it.
        blanks: u64,
        /// Distinct values.
        distinct: u64,
        /// Whether there are more distinct values than `distinct` says.
        distinct_is_least: bool,
        /// The lowest and the highest value; none for text.
        range: Option<(Value, Value)>,
        /// The sum of the values, roughly; zero for what is no number.
        total: f64,
        /// The most frequent values with their counts, most frequent first.
        examples: &[(String, u64)],
        /// How many values do not fit its kind.
        misfits: u64,
        /// What is likely to go wrong.
        warnings: &[String],
    }
}

/// A kind by its words.
fn as_words<S: serde::Serializer>(kind: &ColumnKind, serializer: S) -> Result<S::Ok, S::Error> {
    serializer.collect_str(&kind.kind)
}

/// Values with how many lines have each.
fn counted<S: serde::Serializer>(examples: &[(String, u64)], serializer: S) -> Result<S::Ok, S::Error> {
    #[derive(serde::Serialize)]
    struct Counted<'a> {
        value: &'a str,
        lines: u64,
    }
    serializer.collect_seq(examples.iter().map(|(value, lines)| Counted { value, lines: *lines }))
}

/// A distinct value: how often it occurs, and the line of the file where it first does.
type Seen = HashMap<Box<str>, (u64, u64)>;

#[derive(Default)]
struct Gathered {
    seen: Seen,
    blanks: u64,
    filled: u64,
    overflowed: bool,
    evidence: Evidence,
    not_utf8: Option<u64>,
    /// Lowest, highest and sum of the values that were not kept.
    extent: Extent,
}

#[derive(Default)]
struct Extent {
    range: Option<(Value, Value)>,
    total: f64,
}

impl Survey {
    /// Reads every line of a source and looks at all of its columns.
    ///
    /// # Errors
    /// A file that cannot be read.
    ///
    /// ```
    /// use pivvel::source::{ReadOptions, Survey, TextSource};
    /// let lines = "yard,amount\nTern,1.50\nTern,2.00\n,3.25\n";
    /// let mut source = TextSource::from_reader("lines", lines.as_bytes(), &ReadOptions::default())?;
    /// let survey = Survey::read(&mut source)?;
    /// assert_eq!((survey.lines(), survey.columns()[0].blanks()), (3, 1));
    /// assert_eq!(survey.columns()[1].kind().words(), "decimal (2 decimals)");
    /// # Ok::<(), pivvel_core::Error>(())
    /// ```
    pub fn read(source: &mut dyn Source) -> Result<Survey> {
        let columns = source.columns().to_vec();
        let mut gathered: Vec<Gathered> = columns.iter().map(|_| Gathered::default()).collect();
        let (mut lines, mut ragged) = (0, Vec::new());
        let tally = source.read_texts(&mut |chunk, first| {
            lines += chunk.len() as u64;
            ragged.extend(chunk.ragged.iter().map(|r| (first + chunk.line_of(r.line), r.found)));
            let numbers = chunk.lines_of();
            for (i, (gathered, column)) in gathered.iter_mut().zip(&columns).enumerate() {
                for (line, number) in numbers.iter().enumerate() {
                    gathered.take(chunk.field(line, i), first + number, &column.kind);
                }
            }
            Ok(())
        })?;
        let mut notes = source.notes().to_vec();
        if let Some((line, found)) = ragged.first() {
            let count = ragged.len();
            let lead = if count == 1 { "one line has".into() } else { format!("{count} lines have") };
            notes.push(format!(
                "{lead} more or fewer fields than the heading's {}: line {line} has {found}",
                columns.len()
            ));
        }
        if let Some(line) = tally.total_line() {
            notes.push(format!(
                "the last line looks like a total of the others, and is counted like a line: {line}"
            ));
        }
        gathered.iter_mut().for_each(Gathered::weigh);
        // What stands before decimals: a point where the form of the lines says so, else what columns tell.
        let mut points: Vec<char> = gathered.iter().filter_map(|column| column.evidence.point()).collect();
        points.dedup();
        let point = match (source.delimiter(), &points[..]) {
            (None, _) => Some('.'),
            (_, [one]) => Some(*one),
            _ => None,
        };
        let survey = |(gathered, column): (Gathered, crate::text::Column)| {
            gathered.finish(&column.name, column.kind, point)
        };
        Ok(Survey {
            name: source.name().to_string(),
            lines,
            empty_lines: tally.empty_lines(),
            delimiter: source.delimiter(),
            columns: gathered.into_iter().zip(columns).map(survey).collect(),
            notes,
        })
    }
}

impl Gathered {
    fn take(&mut self, field: &[u8], line: u64, head_kind: &ColumnKind) {
        if field.is_empty() {
            self.blanks += 1;
            return;
        }
        self.filled += 1;
        let text = String::from_utf8_lossy(field);
        if matches!(text, std::borrow::Cow::Owned(_)) {
            self.not_utf8.get_or_insert(line);
        }
        if let Some((count, _)) = self.seen.get_mut(text.as_ref()) {
            *count += 1;
        } else if self.seen.len() < KEPT {
            self.seen.insert(text.into(), (1, line));
        } else {
            self.overflowed = true;
            self.evidence.take(&text, 1);
            self.extent.take(&text, 1, head_kind);
        }
    }

    /// Takes what was seen as evidence.
    fn weigh(&mut self) {
        // In the order of the lines, so that examples are always the same.
        let mut seen: Vec<_> = self.seen.iter().map(|(text, (count, line))| (*line, text, *count)).collect();
        seen.sort_unstable();
        seen.into_iter().for_each(|(_, text, count)| self.evidence.take(text, count));
    }

    fn finish(mut self, name: &str, head_kind: ColumnKind, point: Option<char>) -> ColumnSurvey {
        let kind = if head_kind.given { head_kind } else { self.evidence.kind(name, point) };
        for (text, (count, _)) in &self.seen {
            self.extent.take(text, *count, &kind);
        }
        let mut examples: Vec<(&str, u64, u64)> =
            self.seen.iter().map(|(text, (count, line))| (&**text, *count, *line)).collect();
        examples.sort_unstable_by_key(|(_, count, line)| (std::cmp::Reverse(*count), *line));
        ColumnSurvey {
            name: name.to_string(),
            misfits: if kind.kind == Kind::Text { 0 } else { self.misread(&kind).0 },
            warnings: self.warnings(name, &kind),
            filled: self.filled,
            blanks: self.blanks,
            distinct: self.seen.len() as u64,
            distinct_is_least: self.overflowed,
            range: self.extent.range,
            total: self.extent.total,
            examples: examples
                .into_iter()
                .take(5)
                .map(|(text, count, _)| (text.to_string(), count))
                .collect(),
            kind,
        }
    }

    fn warnings(&self, name: &str, kind: &ColumnKind) -> Vec<String> {
        let mut warnings: Vec<String> = kind.trouble.iter().cloned().collect();
        if let Some(line) = self.not_utf8 {
            warnings
                .push(format!("line {line} holds text that is not encoded as UTF-8; save the file as UTF-8"));
        }
        if self.filled == 0 {
            warnings.push("it holds nothing at all".into());
        }
        if kind.kind == Kind::Text {
            warnings.extend(self.numbers_among_text(name));
            warnings.extend(twins(&self.seen));
            warnings.extend(self.scenarios(name));
        } else {
            warnings.extend(self.misfits(kind));
        }
        warnings
    }

    /// Text that is half made of numbers is an amount that somebody typed into.
    fn numbers_among_text(&self, name: &str) -> Option<String> {
        let (kind, numbers) = self.evidence.likeliest_number()?;
        let (_, shown) = self.misread(&kind);
        (numbers * 2 >= self.filled).then(|| {
            format!(
                "{numbers} of {} values are numbers, the others are not: {shown}; it is taken as text, which \
                 cannot be summed, unless you add --as '{name}={}'",
                self.filled, kind.kind
            )
        })
    }

    /// Members that are several views of the same sales, as actual and plan, which nobody wants added up.
    fn scenarios(&self, name: &str) -> Option<String> {
        let mut found: Vec<&str> =
            self.seen.keys().map(|text| &**text).filter(|text| is_scenario(text)).collect();
        found.sort_unstable();
        (found.len() > 1).then(|| {
            let list = found.join(", ");
            format!("{list} stand in it: a sum over all lines adds them up; keep one, or put {name} on the columns")
        })
    }

    fn misfits(&self, kind: &ColumnKind) -> Option<String> {
        let (total, shown) = self.misread(kind);
        let (one, several) = match kind.kind {
            Kind::Date => ("a date", "dates"),
            Kind::YesNo => ("yes or no", "yes or no"),
            _ => ("a number", "numbers"),
        };
        let verb = if total == 1 { format!("is not {one}") } else { format!("are not {several}") };
        (total > 0).then(|| {
            format!(
                "{total} of {} values {verb}: {shown}; build stops there unless you add --bad-values blank",
                self.filled
            )
        })
    }

    /// How many values do not read as a kind, and the first of them.
    fn misread(&self, kind: &ColumnKind) -> (u64, String) {
        let mut misfits: Vec<(u64, &str, u64)> = self
            .seen
            .iter()
            .filter(|(text, _)| !text.trim().is_empty() && read(text, kind).is_none())
            .map(|(text, (count, line))| (*line, &**text, *count))
            .collect();
        misfits.sort_unstable();
        let shown: Vec<String> =
            misfits.iter().take(3).map(|(line, text, _)| format!("{text:?} (line {line})")).collect();
        (misfits.iter().map(|(.., count)| count).sum(), shown.join(", "))
    }
}

impl Extent {
    fn take(&mut self, text: &str, times: u64, kind: &ColumnKind) {
        let Some(value) = read(text, kind) else { return };
        if !matches!(value, Value::Date(_)) {
            self.total += value.as_f64() * times as f64;
        }
        let lower = |a: &Value, b: &Value| a.as_f64().total_cmp(&b.as_f64()) == Ordering::Less;
        let (low, high) = self.range.get_or_insert((value, value));
        if lower(&value, low) {
            *low = value;
        }
        if lower(high, &value) {
            *high = value;
        }
    }
}

/// The value of a text in a column of a kind; none for text, and for what does not fit.
fn read(text: &str, kind: &ColumnKind) -> Option<Value> {
    match kind.kind {
        Kind::Text => None,
        Kind::Date => read_date(text, kind.order).map(Value::Date),
        Kind::YesNo => read_yes_no(text).map(|yes| Value::Exact(i32::from(yes).into())),
        Kind::Float if text.trim().parse::<f64>().is_ok() => text.trim().parse().ok().map(Value::Float),
        _ => {
            let written = read_number(text, kind.style).ok()?;
            let same = written.unit.is_none_or(|unit| Some(unit) == kind.unit);
            same.then_some(Value::Exact(Decimal::new(written.digits, written.scale)))
        }
    }
}

/// Whether a member is one of several views of the same sales.
///
/// ```
/// use pivvel::source::is_scenario;
///
/// assert!(is_scenario("Plan") && !is_scenario("Fell"));
/// ```
pub fn is_scenario(member: &str) -> bool {
    let words =
        ["actual", "actuals", "plan", "planned", "budget", "target", "forecast", "outlook", "estimate"];
    words.contains(&fold(member).as_str())
}

/// Texts that are likely the same member in two spellings.
fn twins(seen: &Seen) -> Vec<String> {
    let mut texts: Vec<(&str, String, u64)> =
        seen.iter().map(|(t, (count, _))| (&**t, fold(t), *count)).collect();
    texts.sort_unstable();
    let mut pairs: Vec<(&str, u64, &str, u64)> = Vec::new();
    let mut by_fold: HashMap<&str, (&str, u64)> = HashMap::new();
    for (text, folded, count) in &texts {
        match by_fold.get(folded.as_str()) {
            Some((other, others)) => pairs.push((other, *others, text, *count)),
            None => {
                by_fold.insert(folded, (text, *count));
            }
        }
    }
    if texts.len() <= COMPARED {
        for (i, (a, a_fold, a_count)) in texts.iter().enumerate() {
            for (b, b_fold, b_count) in &texts[i + 1..] {
                if a_fold != b_fold && one_slip(a_fold, b_fold, *a_count, *b_count) {
                    pairs.push((a, *a_count, b, *b_count));
                }
            }
        }
    }
    let more = pairs.len().saturating_sub(3);
    let mut sentences: Vec<String> = pairs
        .into_iter()
        .take(3)
        .map(|(a, a_count, b, b_count)| {
            format!("{a:?} ({a_count} lines) and {b:?} ({b_count}) may be one member in two spellings")
        })
        .collect();
    if more > 0 {
        sentences.push(format!("{more} more pairs of spellings look alike"));
    }
    sentences
}

/// Letters and digits only, in lower case.
fn fold(text: &str) -> String {
    let folded: String = text.chars().filter(|c| c.is_alphanumeric()).flat_map(char::to_lowercase).collect();
    if folded.is_empty() { text.to_string() } else { folded }
}

/// Whether one text is a slip of the other: one edit apart, not in a digit, and much rarer.
fn one_slip(a: &str, b: &str, a_count: u64, b_count: u64) -> bool {
    let (few, many) = (a_count.min(b_count), a_count.max(b_count));
    let digits = |text: &str| text.chars().filter(char::is_ascii_digit).collect::<String>();
    a.len().min(b.len()) >= 6
        && a.len().abs_diff(b.len()) <= 2
        && few * 4 <= many
        && digits(a) == digits(b)
        && strsim::damerau_levenshtein(a, b) == 1
}
