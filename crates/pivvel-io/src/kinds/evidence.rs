//! What the values of a column say about its kind.

use std::cmp::Ordering;

use pivvel_core::source::Kind;
use pivvel_core::{Decimal, Result, Value};

use super::date::{DateOrder, begins_with_month, has_short_year, iso, read_date};
use super::number::{NumberStyle, plain_number, read_number};
use super::{ColumnKind, GivenKind, LONGEST_WORD, read_yes_no};

/// What has been seen in a column so far. Each value counts for every reading that it allows; the
/// kind is what most values allow, and the others are misfits.
#[derive(Debug, Clone, Default)]
pub(crate) struct Evidence {
    filled: u64,
    yes: u64,
    no: u64,
    /// The word that is written most often for each, with its count.
    words: Vec<(Box<str>, bool, u64)>,
    floats: u64,
    /// Floating-point numbers without a point or a sign, as `1E2`, which are codes beside plain digits; and
    /// digits that are too many for a number.
    exponents: u64,
    endless: u64,
    /// Values that read as a number, by style, and the most decimals among them.
    numbers: [u64; 7],
    scales: [u8; 7],
    /// Values that read as a date, by order.
    dates: [u64; 4],
    /// Whether a number of more than 18 digits was seen.
    wide: bool,
    padded: u64,
    units: Vec<(char, u64)>,
    /// A number that can be read with two meanings of its mark, and a date with two orders of day and month.
    two_numbers: Option<Box<str>>,
    two_dates: Option<Box<str>>,
    /// Whether a year of two digits was seen.
    short_years: bool,
}

/// Whether a text that begins with a letter is surely neither a word for yes or no nor a date.
fn is_name(text: &[u8]) -> bool {
    let month = |first: &[u8; 3]| MONTHS.contains(&first.map(|byte| byte.to_ascii_lowercase()));
    text.len() > LONGEST_WORD && !text.first_chunk().is_some_and(month)
}

/// What the names of months begin with.
const MONTHS: [[u8; 3]; 12] = [
    *b"jan", *b"feb", *b"mar", *b"apr", *b"may", *b"jun", *b"jul", *b"aug", *b"sep", *b"oct", *b"nov",
    *b"dec",
];

/// A column is of a kind when at least so many in ten of its values are.
const MOST: u64 = 8;

impl Evidence {
    /// Takes a value that occurs `times` times.
    pub(crate) fn take(&mut self, text: &str, times: u64) {
        if self.take_quickly(text.as_bytes(), times) {
            return;
        }
        self.filled += times;
        let first = text.trim_start().as_bytes().first().copied().unwrap_or(b' ');
        if first.is_ascii_alphabetic() {
            if let Some(yes) = read_yes_no(text) {
                self.take_word(text, yes, times);
            } else if begins_with_month(text) {
                self.take_date(text, times);
            }
            return;
        }
        self.take_number(text, times);
        if first.is_ascii_digit() {
            self.take_date(text, times);
        }
    }

    fn take_word(&mut self, text: &str, yes: bool, times: u64) {
        *(if yes { &mut self.yes } else { &mut self.no }) += times;
        match self.words.iter_mut().find(|(word, ..)| **word == *text) {
            Some((.., count)) => *count += times,
            None => self.words.push((text.into(), yes, times)),
        }
    }

    /// Takes a value if that is quickly done, and says whether it was: blanks, names, digits with at most a point and two
    /// digits behind it, and dates as `2025-01-31`. Which readings they allow needs no trying.
    pub(crate) fn take_quickly(&mut self, text: &[u8], times: u64) -> bool {
        let is_known = match text {
            [] => return true,
            [first, ..] if first.is_ascii_alphabetic() => is_name(text),
            _ => self.take_digits(text, times),
        };
        self.filled += if is_known { times } else { 0 };
        is_known
    }

    fn take_digits(&mut self, text: &[u8], times: u64) -> bool {
        if iso(text).is_some() {
            self.dates[DateOrder::YearFirst as usize] += times;
            return true;
        }
        let Some((_, scale)) = plain_number(text, b'.') else { return false };
        let digits = text.strip_prefix(b"-").unwrap_or(text);
        let points = digits.contains(&b'.');
        if digits.len() > 17 || (points && !matches!(scale, 1 | 2)) {
            return false;
        }
        for style in NumberStyle::ALL {
            if !points || style.point() == '.' {
                self.numbers[style as usize] += times;
                self.scales[style as usize] = self.scales[style as usize].max(scale);
            }
        }
        self.padded += if !points && digits.len() > 1 && digits[0] == b'0' { times } else { 0 };
        self.floats += times;
        true
    }

    fn take_number(&mut self, text: &str, times: u64) {
        let mut fits = None;
        for (i, style) in NumberStyle::ALL.into_iter().enumerate() {
            let Ok(written) = read_number(text, style) else { continue };
            self.numbers[i] += times;
            self.scales[i] = self.scales[i].max(written.scale);
            self.wide |= written.digits.unsigned_abs() >= 10u128.pow(18);
            fits = Some(written);
        }
        let read = |style| read_number(text, style).ok().map(|written| (written.digits, written.scale));
        let (points, commas) = (read(NumberStyle::PointCommas), read(NumberStyle::Comma));
        let (point, thousands) = (read(NumberStyle::Point), read(NumberStyle::CommaPoints));
        let differ = |a: Option<(i128, u8)>, b: Option<(i128, u8)>| a.is_some() && b.is_some() && a != b;
        if self.two_numbers.is_none() && (differ(points, commas) || differ(point, thousands)) {
            self.two_numbers = Some(text.into());
        }
        match fits {
            Some(written) => {
                self.padded += if written.padded { times } else { 0 };
                if let Some(unit) = written.unit {
                    match self.units.iter_mut().find(|(known, _)| *known == unit) {
                        Some((_, count)) => *count += times,
                        None => self.units.push((unit, times)),
                    }
                }
                self.floats += times;
            }
            None if text.trim().parse::<f64>().is_ok_and(f64::is_finite) => {
                let letters = |c: char| !c.is_ascii_digit();
                let as_code = text.contains('E') && text.matches(letters).count() == 1;
                self.exponents += if as_code { times } else { 0 };
                self.endless += if text.contains(letters) { 0 } else { times };
                self.floats += times;
            }
            None => {}
        }
    }

    fn take_date(&mut self, text: &str, times: u64) {
        let mut first = None;
        for (i, order) in DateOrder::ALL.into_iter().enumerate() {
            let Some(day) = read_date(text, order) else { continue };
            self.dates[i] += times;
            self.short_years |= has_short_year(text);
            if first.replace(day).is_some_and(|other| other != day) {
                self.two_dates.get_or_insert_with(|| text.into());
            }
        }
    }

    /// The kind that the column seems to be of; `point` is what other columns of the file have before decimals.
    pub(crate) fn kind(&self, column: &str, point: Option<char>) -> ColumnKind {
        let (style, numbers) = best(&self.numbers);
        let (_, dates) = best(&self.dates);
        let enough = |count: u64| self.filled > 0 && count * 10 >= self.filled * MOST;
        // A column of one word says nothing about the other one: N alone may be north.
        if enough(self.yes + self.no) && self.yes > 0 && self.no > 0 {
            return ColumnKind { yes_no_words: self.yes_no_words(), ..ColumnKind::of(Kind::YesNo) };
        }
        if enough(dates) && dates >= numbers {
            return self.date(column);
        }
        if self.is_code() {
            return ColumnKind { code: enough(self.floats), ..ColumnKind::of(Kind::Text) };
        }
        if enough(numbers) && (numbers >= self.floats || self.floats * 10 < numbers * 11) {
            return self.number(column, style, point);
        }
        if enough(self.floats) {
            return ColumnKind::of(Kind::Float);
        }
        ColumnKind { unseen: self.filled == 0, ..ColumnKind::of(Kind::Text) }
    }

    /// Whether digits are a code and not an amount: where some begin with a zero, are too many for a number,
    /// or have a letter in their midst that others have not.
    fn is_code(&self) -> bool {
        let (_, numbers) = best(&self.numbers);
        let whole = self.scales.iter().all(|scale| *scale == 0);
        self.padded > 0
            || self.endless > 0
            || self.exponents > 0 && whole && self.exponents + numbers == self.floats && numbers > 0
    }

    /// The words for no and for yes, each as it is written most often.
    fn yes_no_words(&self) -> Option<[String; 2]> {
        let most = |yes: bool| {
            let own = self.words.iter().filter(|(_, own, _)| *own == yes);
            own.max_by_key(|(word, _, count)| (*count, std::cmp::Reverse(word)))
                .map(|(word, ..)| word.to_string())
        };
        Some([most(false)?, most(true)?])
    }

    /// What stands before decimals, where the numbers of this column tell it.
    pub(crate) fn point(&self) -> Option<char> {
        let most = |point: char| {
            let own = NumberStyle::ALL.iter().filter(|style| style.point() == point);
            own.map(|style| self.numbers[*style as usize]).max().unwrap_or(0)
        };
        match most('.').cmp(&most(',')) {
            Ordering::Greater => Some('.'),
            Ordering::Less => Some(','),
            Ordering::Equal => None,
        }
    }

    /// The kind of number that most values allow, and how many do.
    pub(crate) fn likeliest_number(&self) -> Option<(ColumnKind, u64)> {
        let (style, numbers) = best(&self.numbers);
        (numbers > 0 && !self.is_code()).then(|| (self.number_of_style(style), numbers))
    }

    /// How the column is to be read when its kind is given.
    pub(crate) fn given(&self, column: &str, given: GivenKind) -> Result<ColumnKind> {
        let mut kind = match given {
            GivenKind::Text => ColumnKind::of(Kind::Text),
            GivenKind::Float => ColumnKind::of(Kind::Float),
            GivenKind::YesNo => {
                ColumnKind { yes_no_words: self.yes_no_words(), ..ColumnKind::of(Kind::YesNo) }
            }
            GivenKind::Date(None) => self.date(column),
            GivenKind::Date(Some(order)) => ColumnKind { order, ..ColumnKind::of(Kind::Date) },
            GivenKind::Whole | GivenKind::Decimal(_) => {
                // The kind tells a mark from a point: with 1,234 a whole number has a mark, and a
                // decimal a point.
                let wants_point = matches!(given, GivenKind::Decimal(scale) if scale != Some(0));
                let fits = |i: &usize| (self.scales[*i] > 0) == wants_point;
                let most = self.numbers.iter().copied().max().unwrap_or(0);
                let tied = (0..7).filter(|i| self.numbers[*i] == most);
                let style = tied.clone().find(fits).or(tied.clone().next()).unwrap_or(0);
                let mut kind = self.number_of_style(style);
                kind.kind = match (given, kind.kind) {
                    (GivenKind::Whole, _) => Kind::Whole,
                    (GivenKind::Decimal(Some(scale)), _) => Kind::Decimal { scale },
                    (_, Kind::Decimal { scale }) => Kind::Decimal { scale },
                    _ => Kind::Decimal { scale: 2 },
                };
                kind
            }
        };
        kind.given = !matches!(given, GivenKind::Decimal(None));
        Ok(kind)
    }

    fn date(&self, column: &str) -> ColumnKind {
        let (order, count) = best(&self.dates);
        let fitting = DateOrder::ALL.into_iter().filter(|order| self.dates[*order as usize] == count);
        let fitting: Vec<DateOrder> = fitting.collect();
        let (mut trouble, short_years) = (None, self.short_years);
        if let Some(text) = self.two_dates.as_deref().filter(|_| fitting.len() > 1) {
            let reading = |order: &DateOrder| {
                let day = read_date(text, *order).map(|day| Value::Date(day).to_string());
                format!("{} ({})", day.unwrap_or_else(|| "no date".into()), order.words())
            };
            let readings: Vec<String> = fitting.iter().map(reading).collect();
            let flags: Vec<String> =
                fitting.iter().map(|order| format!("--as '{column}=date({})'", order.name())).collect();
            trouble = Some(format!(
                "dates of column {column} can be read in several ways: {text} may be {}; say which: {}",
                readings.join(" or "),
                flags.join(" or ")
            ));
        }
        ColumnKind { order: DateOrder::ALL[order], trouble, short_years, ..ColumnKind::of(Kind::Date) }
    }

    /// A number of the style that most values allow. Where a mark may be a point, other columns of the file
    /// decide, and where they do not the column is in trouble.
    fn number(&self, column: &str, style: usize, point: Option<char>) -> ColumnKind {
        let pairs = [
            (NumberStyle::PointCommas, NumberStyle::Comma, '.'),
            (NumberStyle::CommaPoints, NumberStyle::Point, ','),
        ];
        let most = self.numbers[style];
        let open = |(marked, pointed, _): &(NumberStyle, NumberStyle, char)| {
            let [marked, pointed] = [*marked, *pointed].map(|style| style as usize);
            self.numbers[marked] == most && self.numbers[pointed] == most && self.scales[pointed] > 0
        };
        let pair = pairs.into_iter().find(open);
        let Some(((marked, pointed, of_marked), text)) = pair.zip(self.two_numbers.as_deref()) else {
            return self.number_of_style(style);
        };
        match point {
            Some(point) if point == of_marked => self.number_of_style(marked as usize),
            Some(_) => self.number_of_style(pointed as usize),
            None => {
                let mut kind = self.number_of_style(marked as usize);
                let scale = self.scales[pointed as usize];
                let read =
                    |style| read_number(text, style).map(|n| Decimal::new(n.digits, n.scale).to_string());
                let readings = (read(marked).unwrap_or_default(), read(pointed).unwrap_or_default());
                kind.trouble = Some(format!(
                    "numbers of column {column} can be read in two ways: {text} may be {} or {}; say which: \
                     --as '{column}=whole' or --as '{column}=decimal({scale})'",
                    readings.0, readings.1
                ));
                kind
            }
        }
    }

    fn number_of_style(&self, style: usize) -> ColumnKind {
        let scale = self.scales[style];
        let kind = if scale == 0 { Kind::Whole } else { Kind::Decimal { scale } };
        let unit = self.units.iter().max_by_key(|(_, count)| *count).copied();
        // A currency's sign may be left out; a percentage without its sign would be another number.
        let unit = unit.filter(|(unit, count)| *unit != '%' || count * 2 > self.numbers[style]);
        let unit = unit.map(|(unit, _)| unit);
        ColumnKind { style: NumberStyle::ALL[style], unit, wide: self.wide, ..ColumnKind::of(kind) }
    }
}

/// The first of those that are counted most, and its count.
fn best(counts: &[u64]) -> (usize, u64) {
    counts.iter().copied().enumerate().fold((0, 0), |best, (i, n)| if n > best.1 { (i, n) } else { best })
}
