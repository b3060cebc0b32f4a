//! A last line that is a total of the lines above it: whoever adds up all lines counts everything twice.

use pivvel_core::source::Kind;

use super::{Chunk, Column};

/// Words that stand before a total, in the letters of a few languages that exports are written in.
const WORDS: [&str; 14] = [
    "total",
    "totals",
    "grandtotal",
    "sum",
    "sums",
    "summe",
    "gesamt",
    "gesamtsumme",
    "insgesamt",
    "totaal",
    "totale",
    "totalgeneral",
    "somme",
    "suma",
];

/// The last line of a chunk as notices show it, if it looks like a total: where a text says so, or where several texts
/// and dates are all blank and a number is not.
pub(crate) fn total_line(columns: &[Column], chunk: &Chunk) -> Option<String> {
    let line = chunk.len().checked_sub(1)?;
    let fields: Vec<_> = (0..columns.len()).map(|i| String::from_utf8_lossy(chunk.field(line, i))).collect();
    let is_number =
        |column: &Column| matches!(column.kind.kind, Kind::Whole | Kind::Decimal { .. } | Kind::Float);
    let of = |numbers: bool| {
        let own = columns.iter().zip(&fields).filter(move |(column, _)| is_number(column) == numbers);
        own.map(|(_, field)| field.trim())
    };
    let names_a_total = |text: &str| {
        let letters: String =
            text.chars().filter(|c| c.is_alphabetic()).flat_map(char::to_lowercase).collect();
        WORDS.contains(&letters.as_str())
    };
    // A line may be blank in the only dimension; it is hardly blank in several.
    let has_texts = columns.iter().filter(|column| !is_number(column)).count() > 1;
    let alone = has_texts && of(false).all(str::is_empty);
    let looks_like = of(true).any(|number| !number.is_empty()) && (alone || of(false).any(names_a_total));
    let filled: Vec<&str> =
        fields.iter().map(|field| field.trim()).filter(|field| !field.is_empty()).collect();
    looks_like.then(|| filled.join(", "))
}
