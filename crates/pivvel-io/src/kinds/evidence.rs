//! What the values of a column say about its kind.

use pivvel_core::{Kind, Result};

use super::date::{DateOrder, begins_with_month, iso, read_date};
use super::number::{NumberStyle, plain_number, read_number};
use super::{ColumnKind, GivenKind, read_yes_no};

/// What has been seen in a column so far. Each value counts for every reading that it allows; the
/// kind is what most values allow, and the others are misfits.
#[derive(Debug, Clone, Default)]
pub(crate) struct Evidence {
    filled: u64,
    yes_no: u64,
    floats: u64,
    /// Values that read as a number, by style, and the most decimals among them.
    numbers: [u64; 7],
    scales: [u8; 7],
    /// Values that read as a date, by order.
    dates: [u64; 4],
    /// Whether a number of more than 18 digits was seen.
    wide: bool,
    padded: u64,
    units: Vec<(char, u64)>,
}

/// A column is of a kind when at least so many in ten of its values are.
const MOST: u64 = 8;

impl Evidence {
    /// Takes a value that occurs `times` times.
    pub(crate) fn take(&mut self, text: &str, times: u64) {
        if text.is_empty() {
            return;
        }
        self.filled += times;
        let first = text.trim_start().as_bytes().first().copied().unwrap_or(b' ');
        if first.is_ascii_alphabetic() {
            if read_yes_no(text).is_some() {
                self.yes_no += times;
            } else if begins_with_month(text) {
                self.take_date(text, times);
            }
            return;
        }
        if self.take_quickly(text.as_bytes(), times) {
            return;
        }
        self.take_number(text, times);
        if first.is_ascii_digit() {
            self.take_date(text, times);
        }
    }

    /// Digits with at most a point and two digits behind it, and dates as `2025-01-31`: which readings
    /// they allow needs no trying.
    fn take_quickly(&mut self, text: &[u8], times: u64) -> bool {
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
            None if text.trim().parse::<f64>().is_ok_and(f64::is_finite) => self.floats += times,
            None => {}
        }
    }

    fn take_date(&mut self, text: &str, times: u64) {
        for (i, order) in DateOrder::ALL.into_iter().enumerate() {
            if read_date(text, order).is_some() {
                self.dates[i] += times;
            }
        }
    }

    /// The kind that the column seems to be of.
    pub(crate) fn kind(&self, column: &str) -> ColumnKind {
        let (style, numbers) = best(&self.numbers);
        let (_, dates) = best(&self.dates);
        let enough = |count: u64| self.filled > 0 && count * 10 >= self.filled * MOST;
        if enough(self.yes_no) {
            return ColumnKind::of(Kind::YesNo);
        }
        if enough(dates) && dates >= numbers {
            return self.date(column);
        }
        // Digits that begin with a zero are a code, not an amount.
        if enough(numbers) && self.padded == 0 && (numbers >= self.floats || self.floats * 10 < numbers * 11)
        {
            return self.number(column, style);
        }
        if enough(self.floats) && self.padded == 0 {
            return ColumnKind::of(Kind::Float);
        }
        ColumnKind { unseen: self.filled == 0, ..ColumnKind::of(Kind::Text) }
    }

    /// The kind of number that most values allow, and how many do.
    pub(crate) fn likeliest_number(&self) -> Option<(ColumnKind, u64)> {
        let (style, numbers) = best(&self.numbers);
        (numbers > 0 && self.padded == 0).then(|| (self.number_of_style(style), numbers))
    }

    /// How the column is to be read when its kind is given.
    pub(crate) fn given(&self, column: &str, given: GivenKind) -> Result<ColumnKind> {
        let mut kind = match given {
            GivenKind::Text => ColumnKind::of(Kind::Text),
            GivenKind::Float => ColumnKind::of(Kind::Float),
            GivenKind::YesNo => ColumnKind::of(Kind::YesNo),
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
        let [_, day_first, month_first, _] = self.dates;
        let ambiguous = count > 0 && day_first == month_first && day_first == count;
        let trouble = ambiguous.then(|| {
            format!(
                "day and month of column {column} cannot be told apart; say which comes first: \
                 --as '{column}=date(dmy)' or --as '{column}=date(mdy)'"
            )
        });
        ColumnKind { order: DateOrder::ALL[order], trouble, ..ColumnKind::of(Kind::Date) }
    }

    fn number(&self, column: &str, style: usize) -> ColumnKind {
        let mut kind = self.number_of_style(style);
        let (commas, comma) = (NumberStyle::PointCommas as usize, NumberStyle::Comma as usize);
        if style == commas && self.numbers[commas] == self.numbers[comma] {
            kind.trouble = Some(format!(
                "the comma in column {column} may be a thousands mark or a decimal point; say which: \
                 --as '{column}=whole' or --as '{column}=decimal({})'",
                self.scales[comma]
            ));
        }
        kind
    }

    fn number_of_style(&self, style: usize) -> ColumnKind {
        let scale = self.scales[style];
        let kind = if scale == 0 { Kind::Whole } else { Kind::Decimal { scale } };
        let unit = self.units.iter().max_by_key(|(_, count)| *count).map(|(unit, _)| *unit);
        ColumnKind { style: NumberStyle::ALL[style], unit, wide: self.wide, ..ColumnKind::of(kind) }
    }
}

/// The first of those that are counted most, and its count.
fn best(counts: &[u64]) -> (usize, u64) {
    counts.iter().copied().enumerate().fold((0, 0), |best, (i, n)| if n > best.1 { (i, n) } else { best })
}
