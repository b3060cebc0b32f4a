//! The SQL of PostgreSQL, and of engines that speak its protocol.

use pivvel_core::result::DatePart;
use pivvel_core::source::{Dialect, Guarded, SqlColumn};

#[derive(Debug)]
pub(super) struct PostgreSql;

fn unguarded(sql: String) -> Guarded {
    Guarded::new(sql, Vec::new())
}

impl Dialect for PostgreSql {
    fn has_decimals(&self) -> bool {
        true
    }

    fn has_conditions(&self) -> bool {
        true
    }

    fn bound(&self, place: usize) -> String {
        format!("${place}")
    }

    fn bound_text(&self, bound: &str) -> String {
        format!("{bound}::text")
    }

    fn bound_number(&self, bound: &str, is_day: bool) -> String {
        let kind = if is_day { "int" } else { "numeric" };
        format!("{bound}::text::{kind}")
    }

    fn by_bytes(&self) -> &'static str {
        " COLLATE \"C\""
    }

    fn text_key(&self, column: &str) -> Option<String> {
        Some(column.to_string())
    }

    fn text(&self, column: &str) -> Guarded {
        // CASE is sent on to where parts of a table are; other words for it are not.
        unguarded(format!("CASE WHEN {column} IS NULL THEN '' ELSE {column} END"))
    }

    fn number(&self, column: &SqlColumn, scale: u8) -> Option<Guarded> {
        let own = column.sql();
        let guards = if column.scale_is_fixed() {
            Vec::new()
        } else {
            vec![format!("{own} <> round({own}, {scale})")]
        };
        Some(Guarded::new(format!("{own}::numeric"), guards))
    }

    fn part(&self, own: &str, part: DatePart) -> Guarded {
        if part == DatePart::Day {
            return unguarded(format!("({own} - DATE '1970-01-01')"));
        }
        // By whole numbers alone, from the first of March 1900, in the years in which every fourth one
        // has a leap day: functions of dates are not sent on to where parts of a table are.
        let guards = vec![format!("{own} < DATE '1900-03-01' OR {own} > DATE '2100-02-28'")];
        let day = format!("({own} - DATE '1900-03-01')");
        let year = format!("((4 * {day} + 3) / 1461)");
        let month = format!("({year} * 12 + (5 * ({day} - 1461 * {year} / 4) + 2) / 153 + 22802)");
        let sql = match part {
            DatePart::Year => format!("({month} / 12)"),
            DatePart::Quarter => format!("({month} / 3)"),
            DatePart::Month => month,
            DatePart::Week => format!("(({day} + 3) / 7 - 3644)"),
            DatePart::Day => day,
            DatePart::QuarterOfYear => format!("({month} / 3 % 4 + 1)"),
            DatePart::MonthOfYear => format!("({month} % 12)"),
            DatePart::Weekday => format!("(({day} + 3) % 7)"),
        };
        Guarded::new(sql, guards)
    }

    fn computed_guard(&self, _: &str) -> Option<String> {
        None
    }

    fn answer(&self, statement: String, columns: usize) -> String {
        // What is returned is text, so that a numeric keeps its digits; what is grouped is not.
        let texts: Vec<String> = (1..=columns).map(|i| format!("c{i}::text")).collect();
        format!("SELECT {} FROM ({statement}) AS grouped", texts.join(", "))
    }
}
