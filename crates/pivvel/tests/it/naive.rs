//! The cross-tab as a nested loop over lines: slow, obvious, and written without the library.

use std::collections::BTreeMap;

use crate::lines::{CHANNELS, COASTS, HARBOURS, Line};

/// What the naive loop knows of a cell.
#[derive(Debug, Default, Clone, PartialEq)]
pub(crate) struct Cell {
    pub(crate) lines: u64,
    pub(crate) amounts: Vec<i64>,
    pub(crate) quantity: i64,
}

/// Row labels, column labels: those that are rolled up are not there.
pub(crate) type Address = (Vec<String>, Vec<String>);

/// The label of a line in a dimension.
pub(crate) fn label(line: &Line, dimension: &str) -> String {
    let pick = |names: &[&str], i: Option<u8>| i.map_or(String::new(), |i| names[usize::from(i)].into());
    match dimension {
        "coast" => pick(&COASTS, line.coast),
        "harbour" => HARBOURS[usize::from(line.harbour)].into(),
        "channel" => pick(&CHANNELS, line.channel),
        "sold_on.year" => line.date()[..4].into(),
        "sold_on.month" => line.date()[..7].into(),
        "sold_on" | "sold_on.day" => line.date(),
        // 2024-12-30 is the Monday of the first week of 2025.
        "sold_on.week" => if line.day < 2 { "2024-W52" } else { "2025-W01" }.into(),
        "sold_on.weekday" => ["Saturday", "Sunday", "Monday", "Tuesday", "Wednesday", "Thursday", "Friday"]
            [usize::from(line.day) % 7]
            .into(),
        other => panic!("the reference does not know {other}"),
    }
}

pub(crate) fn cells(lines: &[Line], rows: &[&str], columns: &[&str]) -> BTreeMap<Address, Cell> {
    let mut cells: BTreeMap<Address, Cell> = BTreeMap::new();
    for r in 0..=rows.len() {
        for c in 0..=columns.len() {
            for line in lines {
                let path = |dimensions: &[&str]| dimensions.iter().map(|d| label(line, d)).collect();
                let cell = cells.entry((path(&rows[..r]), path(&columns[..c]))).or_default();
                cell.lines += 1;
                cell.amounts.extend(line.amount);
                cell.quantity += i64::from(line.quantity);
            }
        }
    }
    cells
}
