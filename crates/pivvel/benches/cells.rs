//! What one more measure or an item adds to a cross-tab of more than a million cells, as ratios to the same
//! work by hand on numbers that lie side by side. Results are checked.
//!
//! `cargo bench -p pivvel --all-features --bench cells` takes 3,000,000 lines; `PIVVEL_BENCH_LINES=20000`
//! only checks that it runs. After `--` parts can be named that alone are run: `share`, `rank`, `running`, `item`.

mod rounds;

use std::hint::black_box;
use std::sync::Arc;

use arrow_array::types::UInt32Type;
use arrow_array::{
    ArrayRef, Date32Array, Decimal64Array, DictionaryArray, RecordBatch, StringArray, UInt32Array,
};
use pivvel::{Batches, Brief, CrossTab, Grain, Run};
use rounds::{RUNS, rounds};

const COASTS: u32 = 12;
const HARBOURS: u32 = 240;
const YARDS: u32 = 30_000;
const MONTHS: i32 = 36;

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
        let times = rounds([
            &mut || drop(black_box(build(&batches, &base))),
            &mut || drop(black_box(build(&batches, &brief))),
            &mut || by_hand(&values),
        ]);
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

/// Lines of yards and days, texts by dictionary.
fn batches(lines: usize) -> Result<Vec<RecordBatch>, Box<dyn std::error::Error>> {
    let names = |what: &str, count: u32| -> ArrayRef {
        Arc::new(StringArray::from_iter_values((0..count).map(|one| format!("{what} {one:05}"))))
    };
    let texts = [names("Coast", COASTS), names("Harbour", HARBOURS), names("Yard", YARDS)];
    let mut state = pivvel_demo::SEED;
    // The generator SplitMix64 (G. Steele, D. Lea, C. Flood).
    let mut random = move |below: u64| {
        state = state.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mixed = (state ^ (state >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        let mixed = (mixed ^ (mixed >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        (mixed ^ (mixed >> 31)) % below
    };
    let batch = |first: usize| -> Result<RecordBatch, Box<dyn std::error::Error>> {
        let rows = (lines - first).min(8_192);
        let yards: Vec<u32> = (0..rows).map(|_| random(YARDS.into()) as u32).collect();
        let column = |texts: &ArrayRef, count: u32| -> Result<ArrayRef, Box<dyn std::error::Error>> {
            let keys = UInt32Array::from_iter_values(yards.iter().map(|yard| yard % count));
            Ok(Arc::new(DictionaryArray::<UInt32Type>::try_new(keys, texts.clone())?))
        };
        let days = (0..rows).map(|_| 19_358 + random(MONTHS as u64 * 30) as i32);
        let days: ArrayRef = Arc::new(Date32Array::from_iter_values(days));
        let cents = (0..rows).map(|_| random(5_000_000) as i64 - 100_000);
        let amounts = Decimal64Array::from_iter_values(cents).with_precision_and_scale(18, 2)?;
        let columns: [(&str, ArrayRef); 5] = [
            ("coast", column(&texts[0], COASTS)?),
            ("harbour", column(&texts[1], HARBOURS)?),
            ("yard", column(&texts[2], YARDS)?),
            ("sold_on", days),
            ("amount", Arc::new(amounts)),
        ];
        Ok(RecordBatch::try_from_iter(columns)?)
    };
    (0..lines).step_by(8_192).map(batch).collect()
}

fn build(batches: &[RecordBatch], brief: &Brief) -> CrossTab {
    let mut source = Batches::new(batches[0].schema(), batches.iter().cloned());
    Run::new().threads(2).build(brief, &mut source).expect("the brief fits")
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
