//! Texts of any length, few or many of them, in blocks of any size and by any number of threads: every line is
//! counted under its own text, and what is no text is told by its line.

use std::collections::BTreeMap;
use std::io::Cursor;

use pivvel_core::result::Grain;
use pivvel_core::{Brief, Build, CrossTab};
use pivvel_io::{ReadOptions, Source, TextSource};
use proptest::prelude::*;

/// A text for each number: short, up to 12 bytes, up to 32 and beyond, of one and of several bytes a character.
fn text(number: usize) -> String {
    match number % 7 {
        0 if number == 0 => String::new(),
        0 => format!("{number}"),
        1 => format!("quay {number:07}"),
        2 => format!("kai größe {number}"),
        3 => format!("the long quay by the water {number:06}"),
        4 => format!("the same beginning of a text that is longer still {number}"),
        5 => format!("{number:x<12}"),
        _ => format!("埠頭{number}"),
    }
}

fn open(bytes: &[u8], block_bytes: usize) -> TextSource {
    let kinds = ["first", "second"].map(|column| (column.to_string(), "text".to_string()));
    let options = ReadOptions::default().block_bytes(block_bytes).kinds(kinds);
    TextSource::from_reader("lines.csv", Cursor::new(bytes.to_vec()), &options).unwrap()
}

fn build(source: &mut TextSource, column: &str, threads: usize) -> Result<CrossTab, String> {
    let brief = Brief::new().rows([column]).measure(("pieces", "sum(pieces)"));
    Build::new().threads(threads).run(&brief, source).map_err(|e| e.to_string())
}

/// Lines of two texts, the second of which has more different ones, and pieces.
fn lines(count: usize, different: usize) -> Vec<(String, String, u64)> {
    let line = |i: usize| (text(i * 31 % 13), text(i * 7_919 % different), (i % 90) as u64);
    (0..count).map(line).collect()
}

fn csv(lines: &[(String, String, u64)]) -> Vec<u8> {
    let rows = lines.iter().map(|(first, second, pieces)| format!("{first},{second},{pieces}\n"));
    format!("first,second,pieces\n{}", rows.collect::<String>()).into_bytes()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(16))]

    #[test]
    fn every_text_is_one_member(
        count in 1..14_000usize,
        different in prop_oneof![1..40usize, 3_000..8_000usize],
        (block_bytes, threads) in (prop_oneof![40..400usize, 20_000..200_000usize], 1..3usize),
    ) {
        let lines = lines(count, different);
        let bytes = csv(&lines);
        for (column, of) in [("first", 0), ("second", 1)] {
            let mut expected: BTreeMap<&str, (u64, u64)> = BTreeMap::new();
            for (first, second, pieces) in &lines {
                let slot = expected.entry([first, second][of]).or_default();
                *slot = (slot.0 + 1, slot.1 + pieces);
            }
            let crosstab = build(&mut open(&bytes, block_bytes), column, threads).unwrap();
            let rows = crosstab.rows();
            let cells = crosstab.cells().filter(|cell| !cell.row().is_total());
            let found: BTreeMap<String, (u64, u64)> = cells
                .map(|cell| {
                    let pieces = cell.value(0).unwrap().as_f64() as u64;
                    (rows.path(cell.row())[0].label().to_string(), (cell.lines(), pieces))
                })
                .collect();
            let expected: BTreeMap<String, (u64, u64)> =
                expected.into_iter().map(|(text, figures)| (text.to_string(), figures)).collect();
            prop_assert_eq!(found, expected);
        }
    }

    #[test]
    fn what_is_no_text_is_told_by_its_line(
        (count, different) in (1..3_000usize, prop_oneof![1..40usize, Just(9_000usize)]),
        (wrong, second) in (any::<prop::sample::Index>(), any::<bool>()),
        (block_bytes, threads) in (40..40_000usize, 1..3usize),
    ) {
        let mut lines = lines(count, different);
        let wrong = wrong.index(count);
        let line = &mut lines[wrong];
        if second { line.1 = "@".into() } else { line.0 = "@".into() };
        let mut bytes = csv(&lines);
        let at = bytes.iter().position(|byte| *byte == b'@').unwrap();
        bytes[at] = 0xff;
        let column = if second { "second" } else { "first" };
        let told = build(&mut open(&bytes, block_bytes), column, threads).unwrap_err();
        prop_assert!(told.contains(&format!("line {}", wrong + 2)), "{told}");
        prop_assert!(told.contains(column), "{told}");
        // Who does not ask for the column does not mind.
        let other = if second { "first" } else { "second" };
        prop_assert!(build(&mut open(&bytes, block_bytes), other, threads).is_ok());
    }
}

/// A few texts that are very long are no reason to keep them all.
#[test]
fn long_texts() {
    let notes: Vec<String> = (0..40).map(|i| format!("{i:02}{}", "a long note ".repeat(9_000))).collect();
    let lines =
        (0..80).map(|i| ("quay".to_string(), notes[i * 7 % 40].clone(), i as u64)).collect::<Vec<_>>();
    let crosstab = build(&mut open(&csv(&lines), 300_000), "second", 2).unwrap();
    assert_eq!(crosstab.cell_count(Grain::new(1, 0)), 40);
    let twice = |note: &String| {
        let cell = crosstab.cells().find(|cell| {
            crosstab.rows().path(cell.row()).first().is_some_and(|member| member.label() == note.as_str())
        });
        cell.is_some_and(|cell| cell.lines() == 2)
    };
    assert!(notes.iter().all(twice));
}

/// Sources hand on the texts themselves where lines are asked for.
#[test]
fn lines_have_their_texts() {
    use arrow_array::cast::AsArray;
    use pivvel_core::source::LineSource;

    let lines = lines(20_000, 9_000);
    let mut source = open(&csv(&lines), 30_000);
    let columns: Vec<&str> = source.columns().iter().map(|column| column.name()).collect();
    assert_eq!(columns, ["first", "second", "pieces"]);
    let mut found = Vec::new();
    source
        .scan(&[1, 0], &mut |batch| {
            let texts = |column: usize| batch.column(column).as_string_view().iter().map(Option::unwrap);
            found.extend(
                texts(1).zip(texts(0)).map(|(first, second)| (first.to_string(), second.to_string())),
            );
            Ok(())
        })
        .unwrap();
    assert!(lines.iter().map(|(first, second, _)| (first.clone(), second.clone())).eq(found));
}
