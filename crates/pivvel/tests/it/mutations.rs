//! Damaged files of every form: an error or a result, and never a panic; kept groups and yardsticks that are
//! damaged are never taken. `PIVVEL_MUTATIONS` sets how many of each form are tried.

use std::panic::{AssertUnwindSafe, catch_unwind};
use std::path::Path;

use pivvel::brief::BadValues;
use pivvel::result::{open_groups, save_groups, yardsticks_from_json, yardsticks_to_json};
use pivvel::source::{ReadOptions, TextSource, open};
use pivvel::{Brief, Build, CrossTab};

use crate::draw::Draw;
use crate::forms::{Lines, write};
use crate::lines::tidy_csv;

const CSV: &str = "coast,day,amount,pieces\nFell,2024-05-01,10.50,3\nSkerry,2024-05-02,9.95,4\nFell,2024-06-01,2.05,1\n\
                   ,2024-06-03,-1.00,2\n";

fn brief() -> Brief {
    Brief::new()
        .rows(["coast"])
        .columns(["day.month"])
        .measure(("sales", "sum(amount)"))
        .measure(("m", "median(pieces)"))
}

fn tries() -> u64 {
    std::env::var("PIVVEL_MUTATIONS").ok().and_then(|n| n.parse().ok()).unwrap_or(60)
}

/// One to three bytes flipped, set or taken out.
fn mutated(bytes: &[u8], seed: u64) -> Vec<u8> {
    let mut draw = Draw::new(seed);
    let mut bytes = bytes.to_vec();
    for _ in 0..1 + draw.below(3) {
        if bytes.is_empty() {
            break;
        }
        let at = draw.below(bytes.len());
        match draw.below(4) {
            0 => bytes[at] ^= 1 << draw.below(8),
            1 => bytes[at] = draw.below(256) as u8,
            2 => bytes.truncate(at),
            _ => drop(bytes.remove(at)),
        }
    }
    bytes
}

#[test]
fn no_damaged_file_makes_it_panic() {
    let folder = tempfile::tempdir().unwrap();
    let lines = Lines::read(CSV, &[], BadValues::Stop).unwrap();
    for form in ["csv", "jsonl", "csv.gz", "csv.zst", "parquet", "arrow", "xlsx", "ods", "sqlite"] {
        let location = write(&lines, form, folder.path());
        let path = location.split('#').next().unwrap().to_string();
        let whole = std::fs::read(&path).unwrap();
        // 600 makes a name of a column in SQLite that is not UTF-8, on which its reader panics.
        for seed in (0..tries()).chain([600]) {
            std::fs::write(&path, mutated(&whole, seed)).unwrap();
            let read = || {
                open(&location, &ReadOptions::default())
                    .and_then(|mut source| CrossTab::build(&brief(), source.as_mut()).map(drop))
                    .is_ok()
            };
            assert!(catch_unwind(AssertUnwindSafe(read)).is_ok(), "{form}, seed {seed}");
        }
    }
}

#[test]
fn damaged_groups_and_yardsticks_are_refused() {
    let folder = tempfile::tempdir().unwrap();
    let text = std::io::Cursor::new(CSV.as_bytes());
    let mut source = TextSource::from_reader("lines.csv", text, &ReadOptions::default()).unwrap();
    let (crosstab, groups) = Build::new().keep(&brief(), &mut source).unwrap();
    let path = folder.path().join("kept.arrow");
    save_groups(&path, &groups).unwrap();
    let whole = std::fs::read(&path).unwrap();
    let again = |path: &Path| {
        let groups = open_groups(path)?;
        Build::new().from_groups(&brief(), &[groups]).map(|crosstab| tidy_csv(&crosstab))
    };
    assert_eq!(again(&path).unwrap(), tidy_csv(&crosstab));
    let kept = yardsticks_to_json(&crosstab.yardsticks());
    let known = yardsticks_from_json("kept", &kept).unwrap();
    for seed in 0..tries() * 5 {
        let damaged = mutated(&whole, seed);
        if damaged != whole {
            std::fs::write(&path, damaged).unwrap();
            assert!(again(&path).is_err(), "groups, seed {seed}");
        }
        let damaged = mutated(kept.as_bytes(), seed);
        if let Ok(read) = yardsticks_from_json("kept", &String::from_utf8_lossy(&damaged)) {
            // What changes no number changes none.
            assert_eq!(read, known, "yardsticks, seed {seed}:\n{}", String::from_utf8_lossy(&damaged));
        }
    }
}
