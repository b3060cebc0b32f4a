//! A page and a workbook of a finished cross-tab of some fifty thousand cells: the command less the scan. The page is made by turns
//! with the mere texts of its figures, the workbook with the same cells by the crate that writes workbooks and nothing else.
//!
//! `cargo bench -p pivvel --all-features --bench drawn` takes 1,000,000 lines; `PIVVEL_BENCH_LINES=20000` only checks that it
//! runs.

mod rounds;

use std::hint::black_box;
use std::io::Cursor;

use arrow_array::cast::AsArray;
use arrow_array::types::{Date32Type, Float64Type, UInt64Type};
use arrow_array::{Array, RecordBatch};
use pivvel::draw::{Layout, TerminalOptions, terminal};
use pivvel::source::{ReadOptions, TextSource};
use pivvel::table::Target;
use pivvel::{Brief, CrossTab};
use rounds::{RUNS, Rounds, rounds};
use rust_xlsxwriter::{Workbook, XlsxError};

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let lines = std::env::var("PIVVEL_BENCH_LINES").map_or(Ok(1_000_000), |text| text.parse())?;
    let crosstab = crosstab(lines)?;
    let batch = crosstab.to_record_batch();
    println!("{lines} lines, {} figures, medians of {RUNS} runs\n", batch.num_rows());
    let folder = tempfile::tempdir()?;
    let [page, book] = ["page.html", "book.xlsx"].map(|name| folder.path().join(name));
    let (to_page, to_book) = (Target::new(&page)?, Target::new(&book)?);
    let pages = rounds([
        &mut || to_page.write(&crosstab).expect("the page is written"),
        &mut || drop(black_box(terminal(&Layout::new(&crosstab), &TerminalOptions::default()))),
        &mut || drop(black_box(texts(&crosstab))),
    ]);
    let books = rounds([&mut || to_book.write(&crosstab).expect("the workbook is written"), &mut || {
        drop(black_box(by_the_crate(&crosstab, &batch).expect("the same is written")))
    }]);
    assert!(page.metadata()?.len() > batch.num_rows() as u64, "every figure is written");
    let least = by_the_crate(&crosstab, &batch)?.len() as u64 / 2;
    assert!(book.metadata()?.len() > least, "the workbook holds as much");
    row("a page with tints", &pages, 0);
    row("  a view for the terminal", &pages, 1);
    row("  the mere texts of its figures", &pages, 2);
    println!("    ratio to the texts: {:.1}; 50 ms is the floor", pages.ratio(0, 2));
    row("a workbook with a tidy sheet", &books, 0);
    row("  the same cells by the crate that writes workbooks", &books, 1);
    println!("    ratio: {:.2}; 300 ms is the floor, 150 ms the aim", books.ratio(0, 1));
    Ok(())
}

fn crosstab(lines: u64) -> Result<CrossTab, Box<dyn std::error::Error>> {
    let mut text = Vec::new();
    pivvel_demo::write_large(&mut text, lines, pivvel_demo::SEED)?;
    // A workbook of many cells takes a while where nothing is optimised.
    let rows: &[&str] = if lines < 100_000 { &["coast"] } else { &["coast", "harbour", "agent"] };
    let brief = Brief::new()
        .rows(rows.iter().copied())
        .columns(["sold_on.year", "sold_on.quarter"])
        .measure(("sales", "sum(amount)"))
        .measure(("pieces", "sum(quantity)"))
        .measure(("lines", "count()"))
        .measure(("mean", "mean(amount)"))
        .tint("sales");
    let mut source = TextSource::from_reader("lines.csv", Cursor::new(text), &ReadOptions::default())?;
    Ok(CrossTab::build(&brief, &mut source)?)
}

fn texts(crosstab: &CrossTab) -> Vec<String> {
    let figures = crosstab.cells().flat_map(|cell| (0..4).filter_map(move |measure| cell.value(measure)));
    figures.map(|value| format!("{value}")).collect()
}

/// The bytes of a workbook with the figures in one sheet and the tidy rows in another, as they are.
fn by_the_crate(crosstab: &CrossTab, batch: &RecordBatch) -> Result<Vec<u8>, XlsxError> {
    let mut book = Workbook::new();
    book.set_zip_compression_level(2);
    let sheet = book.add_worksheet();
    let columns = crosstab.columns().entries();
    for (row, entry) in (0..).zip(crosstab.rows().entries()) {
        let cells = columns.iter().map(|column| crosstab.cell(*entry, *column));
        let values =
            cells.flat_map(|cell| (0..4).map(move |measure| cell.and_then(|cell| cell.value(measure))));
        for (column, value) in (0..).zip(values) {
            if let Some(value) = value {
                sheet.write_number(row, column, value.as_f64())?;
            }
        }
    }
    let sheet = book.add_worksheet();
    for row in 0..batch.num_rows() {
        for (place, column) in (0..).zip(batch.columns()).filter(|(_, column)| column.is_valid(row)) {
            let at = row as u32;
            if let Some(texts) = column.as_string_opt::<i32>() {
                sheet.write_string(at, place, texts.value(row))?;
            } else if let Some(floats) = column.as_primitive_opt::<Float64Type>() {
                sheet.write_number(at, place, floats.value(row))?;
            } else if let Some(counts) = column.as_primitive_opt::<UInt64Type>() {
                sheet.write_number(at, place, counts.value(row) as f64)?;
            } else if let Some(days) = column.as_primitive_opt::<Date32Type>() {
                sheet.write_number(at, place, f64::from(days.value(row)))?;
            }
        }
    }
    book.save_to_buffer()
}

fn row<const N: usize>(name: &str, times: &Rounds<N>, work: usize) {
    println!("{name:<58} {:>9.1} ms", times.median(work).as_secs_f64() * 1e3);
}
