//! The SQL of SQLite, which has whole numbers and floating point.

use pivvel_core::result::DatePart;
use pivvel_core::source::{Dialect, Guarded, SqlColumn};

#[derive(Debug)]
pub(super) struct Sqlite;

impl Dialect for Sqlite {
    fn has_decimals(&self) -> bool {
        false
    }

    fn has_conditions(&self) -> bool {
        false
    }

    fn bound(&self, place: usize) -> String {
        format!("?{place}")
    }

    fn bound_text(&self, bound: &str) -> String {
        format!("CAST({bound} AS TEXT)")
    }

    fn bound_number(&self, bound: &str, _: bool) -> String {
        format!("CAST({bound} AS INTEGER)")
    }

    fn by_bytes(&self) -> &'static str {
        ""
    }

    fn text_key(&self, _: &str) -> Option<String> {
        None
    }

    fn text(&self, own: &str) -> Guarded {
        Guarded::new(
            format!("coalesce(CAST({own} AS TEXT), '')"),
            vec![format!("typeof({own}) NOT IN ('text', 'integer', 'null')")],
        )
    }

    fn number(&self, column: &SqlColumn, scale: u8) -> Option<Guarded> {
        let own = column.sql();
        let unit = 10i128.checked_pow(scale.into())?;
        if scale == 0 {
            return Some(Guarded::new(own, vec![format!("typeof({own}) NOT IN ('integer', 'null')")]));
        }
        // The nearest floating-point number of so many decimals stands for its digits.
        let digits = format!("CAST(round({own} * {unit}) AS INTEGER)");
        let guards = vec![
            format!("typeof({own}) NOT IN ('integer', 'real', 'null')"),
            format!("{own} <> {digits} / {unit}.0 OR abs({own}) >= 1e15 / {unit}"),
        ];
        Some(Guarded::new(digits, guards))
    }

    fn part(&self, own: &str, part: DatePart) -> Guarded {
        let guard = format!(
            "{own} <> '' AND (date({own}) IS NULL OR {own} NOT GLOB \
             '[0-9][0-9][0-9][0-9]-[0-9][0-9]-[0-9][0-9]*')"
        );
        let of = |field: &str| format!("CAST(strftime('%{field}', {own}) AS INTEGER)");
        let day = format!("CAST(julianday(date({own})) - 2440587.5 AS INTEGER)");
        let sql = match part {
            DatePart::Year => of("Y"),
            DatePart::Quarter => format!("({} * 4 + ({} - 1) / 3)", of("Y"), of("m")),
            DatePart::Month => format!("({} * 12 + {} - 1)", of("Y"), of("m")),
            // Division cuts toward zero, so weeks are counted from far before.
            DatePart::Week => format!("(({day} + 7000003) / 7 - 1000000)"),
            DatePart::Day => day,
            DatePart::QuarterOfYear => format!("(({} - 1) / 3 + 1)", of("m")),
            DatePart::MonthOfYear => format!("({} - 1)", of("m")),
            DatePart::Weekday => format!("(({} + 6) % 7)", of("w")),
        };
        Guarded::new(sql, vec![guard])
    }

    fn computed_guard(&self, sql: &str) -> Option<String> {
        // What outgrows 64 bits becomes floating point there.
        Some(format!("typeof({sql}) NOT IN ('integer', 'null')"))
    }

    fn answer(&self, statement: String, _: usize) -> String {
        statement
    }
}
