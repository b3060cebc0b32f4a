//! What one more measure or an item adds to a cross-tab of more than a million cells, as ratios to the same
//! work by hand on numbers that lie side by side. Results are checked.
//!
//! `cargo bench -p pivvel --all-features --bench cells` takes 3,000,000 lines; `PIVVEL_BENCH_LINES=20000`
//! only checks that it runs. After `--` parts can be named that alone are run: `share`, `rank`, `running`, `item`.

mod rounds;

use std::hint::black_box;
use std::io::Cursor;

use arrow_array::RecordBatch;
use pivvel::result::Grain;
use pivvel::source::{Batches, LineSource, ReadOptions, TextSource};
use pivvel::{Brief, Build, CrossTab};
use rounds::rounds_of;

/// What is added is a small part of what is measured.
const RUNS: usize = 15;

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let lines = std::env::var("PIVVEL_BENCH_LINES").map_or(Ok(3_000_000), |text| text.parse())?;
    let batches = batches(lines)?;
    let base = Brief::new()
        .rows(["coast", "harbour", "yard"])
        .columns(["sold_on.year", "sold_on.month"])
        .measure(("sales", "sum(amount)"));
    let with = |formula: &str| base.clone().measure(("more", formula));
    let first = build(&batches, &base);
    let values = Flat::of(&first);
    println!("{lines} lines, {} cells, medians of {RUNS} runs, 2 threads\n", values.cells);
    let works: [(&str, Brief, ByHand); 4] = [
        ("share of parent", with("sales / sales at parent"), Flat::shares),
        ("rank among siblings", with("rank(sales)"), Flat::ranks),
        ("running along month", with("running(sales along month)"), Flat::running),
        ("an item of years", base.clone().item("sold_on.year", "change", "\"2024\" - \"2023\""), Flat::item),
    ];
    let arguments: Vec<String> = std::env::args().collect();
    let named = |name: &str| name.split(' ').any(|word| arguments.iter().any(|argument| argument == word));
    let any = works.iter().any(|(name, ..)| named(name));
    for (name, brief, by_hand) in works.into_iter().filter(|(name, ..)| !any || named(name)) {
        let crosstab = build(&batches, &brief);
        assert_eq!(crosstab.value(&[], &[], "sales"), first.value(&[], &[], "sales"), "{name}");
        let times = rounds_of(
            RUNS,
            [
                &mut || drop(black_box(build(&batches, &base))),
                &mut || drop(black_box(build(&batches, &brief))),
                &mut || by_hand(&values),
            ],
        );
        let adds = times.median_of(|round| round[1].saturating_sub(round[0]).as_secs_f64());
        let ratio =
            times.median_of(|round| round[1].saturating_sub(round[0]).as_secs_f64() / round[2].as_secs_f64());
        println!("{name:<30} adds {:>8.1} ms to {:>8.1} ms", adds * 1e3, times.median(0).as_secs_f64() * 1e3);
        println!("  by hand {:>38.1} ms", times.median(2).as_secs_f64() * 1e3);
        println!("    ratio: {ratio:.1} (floor 4, aim 2)");
    }
    Ok(())
}

/// The same work on numbers that lie side by side.
type ByHand = fn(&Flat);

/// The lines' columns that are needed, in memory.
fn batches(lines: u64) -> Result<Vec<RecordBatch>, Box<dyn std::error::Error>> {
    let mut text = Vec::new();
    pivvel_demo::write_large(&mut text, lines, pivvel_demo::SEED)?;
    let mut source = TextSource::from_reader("lines.csv", Cursor::new(text), &ReadOptions::default())?;
    let schema = source.schema();
    let columns = ["coast", "harbour", "yard", "sold_on", "amount"].map(|name| schema.index_of(name));
    let columns: Vec<usize> = columns.into_iter().collect::<Result<_, _>>()?;
    let mut batches = Vec::new();
    source.scan(&columns, &mut |batch| {
        batches.push(batch);
        Ok(())
    })?;
    Ok(batches)
}

fn build(batches: &[RecordBatch], brief: &Brief) -> CrossTab {
    let mut source = Batches::new(batches[0].schema(), batches.iter().cloned());
    Build::new().threads(2).run(brief, &mut source).expect("the brief fits")
}

/// The numbers of all cells side by side, those of one parent together.
struct Flat {
    cells: usize,
    numbers: Vec<i64>,
}

impl Flat {
    fn of(crosstab: &CrossTab) -> Flat {
        let grains = (0..4).flat_map(|row| (0..3).map(move |column| Grain::new(row, column)));
        let cells = grains.map(|grain| crosstab.cell_count(grain)).sum();
        let values = crosstab.cells().filter_map(|cell| cell.value(0));
        Flat { cells, numbers: values.map(|value| (value.as_f64() * 100.0) as i64).collect() }
    }

    fn shares(&self) {
        let whole: i64 = self.numbers.iter().sum();
        black_box(self.numbers.iter().map(|number| *number as f64 / whole as f64).collect::<Vec<f64>>());
    }

    fn ranks(&self) {
        let mut sorted = self.numbers.clone();
        sorted.sort_unstable();
        black_box(sorted);
    }

    fn running(&self) {
        let mut sum = 0;
        let so_far = |number: &i64| {
            sum += number;
            sum
        };
        black_box(self.numbers.iter().map(so_far).collect::<Vec<i64>>());
    }

    fn item(&self) {
        let pairs = self.numbers.windows(2).map(|pair| pair[1] - pair[0]);
        black_box(pairs.collect::<Vec<i64>>());
    }
}
