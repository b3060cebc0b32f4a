//! The same lines however they are divided, packed and written: one file or many, plain or packed, as CSV or as
//! JSON lines, in blocks of any size and by any number of threads.

use std::collections::BTreeMap;
use std::io::Write;
use std::path::Path;

use pivvel_core::{Brief, Build, CrossTab};
use pivvel_io::{ReadOptions, open};
use proptest::prelude::*;

/// A line: a member that may need quotes, and cents.
type Line = (String, i64);

fn lines() -> impl Strategy<Value = Vec<Line>> {
    let member = prop_oneof![
        4 => "[a-d]{1,2}",
        1 => prop::sample::select(vec![
            "with, comma", "with \"quotes\"", "two\nlines", "\r\n", "tab\there", "é€😀", "'single'", "a;b|c", "{\"k\": 1}", "\\n",
        ])
        .prop_map(str::to_string),
    ];
    prop::collection::vec((member, -99_999..99_999i64), 1..60)
}

fn money(cents: i64) -> String {
    let sign = if cents < 0 { "-" } else { "" };
    format!("{sign}{}.{:02}", cents.abs() / 100, cents.abs() % 100)
}

fn csv(lines: &[Line], ends: &str) -> Vec<u8> {
    let mut text = format!("k,v{ends}");
    for (member, cents) in lines {
        let quoted = format!("\"{}\"", member.replace('"', "\"\""));
        let plain = member.chars().all(char::is_alphanumeric);
        text += &format!("{},{}{ends}", if plain { member } else { &quoted }, money(*cents));
    }
    text.into_bytes()
}

/// Objects whose keys stand in one order or the other.
fn json(lines: &[Line]) -> Vec<u8> {
    let mut text = String::new();
    for (i, (member, cents)) in lines.iter().enumerate() {
        let (member, amount) = (serde_json::to_string(member).unwrap(), money(*cents));
        text += &match i % 3 {
            1 => format!("{{\"v\":{amount},\"k\":{member}}}\n"),
            2 => format!(" {{ \"k\" : {member} , \"v\" : {amount} }} \n"),
            _ => format!("{{\"k\":{member},\"v\":{amount}}}\n"),
        };
    }
    text.into_bytes()
}

/// The same objects in an array, on one line or on many.
fn json_array(lines: &[Line]) -> Vec<u8> {
    let objects = String::from_utf8(json(lines)).unwrap();
    let (between, many) =
        (if lines.len().is_multiple_of(2) { "," } else { " ,\n\n" }, lines.len().is_multiple_of(3));
    let objects: Vec<String> =
        objects.lines().map(|o| if many { o.replace("\"v\":", "\r\n\"v\":\n") } else { o.into() }).collect();
    format!(" [ {} ]\n", objects.join(between)).into_bytes()
}

/// How a file is packed.
#[derive(Debug, Clone, Copy)]
enum Packing {
    Plain,
    Gzip,
    /// As several members, one after the other, as tools that append do.
    GzipInParts,
    Zstd,
}

fn packing() -> impl Strategy<Value = Packing> {
    let zstd = if cfg!(feature = "zstd") { Packing::Zstd } else { Packing::Plain };
    prop::sample::select(vec![Packing::Plain, Packing::Gzip, Packing::GzipInParts, zstd])
}

fn gzip(bytes: &[u8]) -> Vec<u8> {
    let mut packed = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::fast());
    packed.write_all(bytes).unwrap();
    packed.finish().unwrap()
}

fn packed(bytes: &[u8], packing: Packing) -> Vec<u8> {
    match packing {
        Packing::Plain => bytes.to_vec(),
        Packing::Gzip => gzip(bytes),
        Packing::GzipInParts => {
            let (first, second) = bytes.split_at(bytes.len() / 3);
            [gzip(first), gzip(second)].concat()
        }
        #[cfg(feature = "zstd")]
        Packing::Zstd => zstd::encode_all(bytes, 1).unwrap(),
        #[cfg(not(feature = "zstd"))]
        Packing::Zstd => bytes.to_vec(),
    }
}

/// Sums and counts by member, in cents.
fn sums(
    location: &str,
    options: &ReadOptions,
    threads: usize,
) -> Result<BTreeMap<String, (i64, u64)>, String> {
    let mut source = open(location, options).map_err(|e| e.to_string())?;
    let brief = Brief::new().rows(["k"]).measure(("v", "sum(v)")).measure(("n", "count()"));
    let crosstab: CrossTab =
        Build::new().threads(threads).run(&brief, source.as_mut()).map_err(|e| e.to_string())?;
    let rows = crosstab.rows();
    let cells = crosstab.cells().filter(|cell| !cell.row().is_total());
    Ok(cells
        .map(|cell| {
            let cents = (cell.value(0).unwrap().as_f64() * 100.0).round() as i64;
            (rows.path(cell.row())[0].label().to_string(), (cents, cell.lines()))
        })
        .collect())
}

fn expected(lines: &[Line]) -> BTreeMap<String, (i64, u64)> {
    let mut sums: BTreeMap<String, (i64, u64)> = BTreeMap::new();
    for (member, cents) in lines {
        let slot = sums.entry(member.clone()).or_default();
        *slot = (slot.0 + cents, slot.1 + 1);
    }
    sums
}

fn text_and_money() -> Vec<(String, String)> {
    vec![("k".into(), "text".into()), ("v".into(), "decimal(2)".into())]
}

fn write(folder: &Path, name: &str, bytes: &[u8]) {
    std::fs::write(folder.join(name), bytes).unwrap();
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(120))]

    #[test]
    fn however_lines_are_divided_and_packed(
        lines in lines(),
        cuts in prop::collection::vec(any::<prop::sample::Index>(), 0..4),
        packings in prop::collection::vec(packing(), 5),
        block_bytes in prop::option::of(1..200usize),
        threads in 1..4usize,
        carriage_returns: bool,
        form in prop::sample::select(vec!["csv", "jsonl", "json"]),
    ) {
        let folder = tempfile::tempdir().unwrap();
        let options = ReadOptions::default().kinds(text_and_money()).block_bytes(block_bytes);
        let written = |lines: &[Line]| match form {
            "jsonl" => json(lines),
            "json" => json_array(lines),
            _ => csv(lines, if carriage_returns { "\r\n" } else { "\n" }),
        };
        // One file...
        write(folder.path(), &format!("whole.{form}"), &packed(&written(&lines), packings[4]));
        let whole = folder.path().join(format!("whole.{form}"));
        let found = sums(&whole.to_string_lossy(), &options, threads);
        prop_assert_eq!(found, Ok(expected(&lines)));
        // ...or several, each with its own heading, packing and, it may be, nothing but a heading in it.
        let mut places: Vec<usize> = cuts.iter().map(|cut| cut.index(lines.len() + 1)).collect();
        places.sort_unstable();
        let bounds: Vec<usize> = [0].into_iter().chain(places).chain([lines.len()]).collect();
        let mut parts = 0;
        for (i, pair) in bounds.windows(2).enumerate() {
            let own = &lines[pair[0]..pair[1]];
            // A file of JSON without a line says nothing of its columns.
            if !own.is_empty() || form == "csv" {
                write(folder.path(), &format!("part-{i}.{form}"), &packed(&written(own), packings[i % 4]));
                parts += 1;
            }
        }
        prop_assert!(parts > 0);
        let pattern = folder.path().join(format!("part-*.{form}"));
        let found = sums(&pattern.to_string_lossy(), &options, threads);
        prop_assert_eq!(found, Ok(expected(&lines)));
    }

    /// A packed file that is cut off anywhere is told, and never taken for a shorter one.
    #[test]
    fn what_is_cut_off_is_told(lines in lines(), packing in packing(), cut in any::<prop::sample::Index>()) {
        prop_assume!(!matches!(packing, Packing::Plain | Packing::GzipInParts));
        let folder = tempfile::tempdir().unwrap();
        let options = ReadOptions::default().kinds(text_and_money());
        let bytes = packed(&csv(&lines, "\n"), packing);
        // The first bytes tell how it is packed.
        let kept = 4 + cut.index(bytes.len() - 4);
        write(folder.path(), "cut.csv", &bytes[..kept]);
        let found = sums(&folder.path().join("cut.csv").to_string_lossy(), &options, 2);
        let said = found.unwrap_err();
        prop_assert!(said.contains("cut.csv"), "{}", said);
    }
}
