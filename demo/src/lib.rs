//! Made-up sales lines of Pellam Quay Chandlers, an invented wholesaler of boat gear.
//!
//! The same seed gives the same bytes, whatever the machine; any number of lines can be had. The
//! lines hold the traps that real exports hold: returns, articles sold below cost, blanks in
//! several columns, one yard in two spellings, months by name, plan lines that know no yard, names
//! with commas, quotes and letters of many scripts, and an empty row at the end.
//!
//! ```
//! let mut csv = Vec::new();
//! let totals = pivvel_demo::write_lines(&mut csv, 100, pivvel_demo::SEED)?;
//! assert_eq!(totals.lines, 100);
//! assert!(csv.starts_with(b"order,sold_on,month,scenario,coast,harbour,yard,"));
//! # Ok::<(), std::io::Error>(())
//! ```

mod large;
mod names;

use std::io::{self, Write};

pub use large::write_large;
use names::{AGENTS, CHANNELS, COASTS, RANGES};
use rand_chacha::ChaCha8Rng;
use rand_chacha::rand_core::{Rng, SeedableRng};

/// The seed of the shipped lines.
pub const SEED: u64 = 1_874;

/// How many lines are shipped.
pub const LINES: u64 = 5_000;

/// The shipped lines.
pub const CSV: &str = include_str!("../lines.csv");

/// The kinds of yards, a file that is related to the lines by yard.
pub const YARDS: &str = include_str!("../yards.csv");

/// The shipped briefs, by file name: one a question that an analyst asks.
pub const BRIEFS: [(&str, &str); 24] = [
    ("coasts.toml", include_str!("../coasts.toml")),
    ("plan.toml", include_str!("../plan.toml")),
    ("ranges.toml", include_str!("../ranges.toml")),
    ("weekdays.toml", include_str!("../weekdays.toml")),
    ("shares.toml", include_str!("../shares.toml")),
    ("variance.toml", include_str!("../variance.toml")),
    ("ranks.toml", include_str!("../ranks.toml")),
    ("clients.toml", include_str!("../clients.toml")),
    ("tiers.toml", include_str!("../tiers.toml")),
    ("top.toml", include_str!("../top.toml")),
    ("uplift.toml", include_str!("../uplift.toml")),
    ("pace.toml", include_str!("../pace.toml")),
    ("last_year.toml", include_str!("../last_year.toml")),
    ("pareto.toml", include_str!("../pareto.toml")),
    ("agents.toml", include_str!("../agents.toml")),
    ("yard_kinds.toml", include_str!("../yard_kinds.toml")),
    ("leaders.toml", include_str!("../leaders.toml")),
    ("weeks.toml", include_str!("../weeks.toml")),
    ("gaps.toml", include_str!("../gaps.toml")),
    ("board.toml", include_str!("../board.toml")),
    ("choices.toml", include_str!("../choices.toml")),
    ("alerts.toml", include_str!("../alerts.toml")),
    ("quiet.toml", include_str!("../quiet.toml")),
    ("against_plan.toml", include_str!("../against_plan.toml")),
];

/// What the lines add up to, known while they are written.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Totals {
    /// Lines that hold something.
    pub lines: u64,
    /// The sum of `amount`, in hundredths.
    pub amount: i128,
    /// The sum of `quantity`.
    pub quantity: i128,
}

/// 2023-01-01, counted from 1970-01-01, and the days of the three years from there.
const FIRST_DAY: i64 = 19_358;
const DAYS: u64 = 1_096;

/// Writes a heading, so many lines and the empty row at the end.
///
/// # Errors
/// What the writer finds wrong.
pub fn write_lines(out: &mut impl Write, lines: u64, seed: u64) -> io::Result<Totals> {
    let mut draw = Draw(ChaCha8Rng::seed_from_u64(seed));
    let mut totals = Totals::default();
    out.write_all(
        b"order,sold_on,month,scenario,coast,harbour,yard,range,article,agent,channel,quantity,unit price,amount,cost\n",
    )?;
    let mut text = String::new();
    for i in 0..lines {
        text.clear();
        let line = Line::draw(&mut draw, i, lines);
        line.write(i, &mut text);
        out.write_all(text.as_bytes())?;
        totals.lines += 1;
        totals.amount += i128::from(line.amount);
        totals.quantity += i128::from(line.quantity);
    }
    out.write_all(b",,,,,,,,,,,,,,\n")?;
    Ok(totals)
}

/// Whole numbers drawn at random, by means that do not change with a library's version.
struct Draw(ChaCha8Rng);

impl Draw {
    fn below(&mut self, bound: u64) -> u64 {
        ((u128::from(self.0.next_u64()) * u128::from(bound)) >> 64) as u64
    }

    fn chance(&mut self, in_a_thousand: u64) -> bool {
        self.below(1_000) < in_a_thousand
    }

    /// One of so many, the earlier ones more often.
    fn one_of<'a, T>(&mut self, all: &'a [T]) -> &'a T {
        let (a, b) = (self.below(all.len() as u64), self.below(all.len() as u64));
        &all[a.min(b) as usize]
    }
}

struct Line {
    day: i64,
    plan: bool,
    coast: &'static str,
    harbour: &'static str,
    yard: &'static str,
    range: &'static str,
    article: &'static str,
    agent: &'static str,
    channel: &'static str,
    quantity: i64,
    /// In hundredths, as all money here.
    price: i64,
    amount: i64,
    cost: Option<i64>,
}

impl Line {
    fn draw(draw: &mut Draw, i: u64, lines: u64) -> Line {
        // In order of date, a little shuffled, and more in spring, when boats are fitted out.
        let mut day = (i * DAYS / lines.max(1) + draw.below(9)).min(DAYS - 1) as i64;
        if draw.chance(180) {
            let year = day / 365;
            day = (year * 365 + 60 + draw.below(75) as i64).min(DAYS as i64 - 1);
        }
        let (coast, harbours) = draw.one_of(&COASTS);
        let (harbour, yards) = draw.one_of(harbours);
        let (range, articles) = draw.one_of(&RANGES);
        let (article, base_price, base_cost) = *draw.one_of(articles);
        let plan = draw.chance(140);
        // Prices rise by about 4 % a year.
        let price = base_price * (1_000 + 40 * (day / 365)) / 1_000;
        let mut quantity = 1 + draw.below(12).min(draw.below(12)) as i64;
        let mut yard = *draw.one_of(yards);
        if yard == "Kestrel Boatyard" && draw.chance(120) {
            yard = "Kestrel Boat Yard";
        }
        let mut discount = [0, 0, 0, 5, 10][draw.below(5) as usize];
        let (mut agent, mut channel) = (*draw.one_of(&AGENTS), *draw.one_of(&CHANNELS));
        if draw.chance(25) {
            agent = "";
        }
        if draw.chance(15) {
            channel = "";
        }
        if plan {
            // A plan is made for a harbour and a range, and knows no yard, agent or channel.
            (yard, agent, channel, discount) = ("", "", "", 0);
            quantity *= 7;
        } else if draw.chance(30) {
            quantity = -quantity.min(3);
        }
        let amount = (quantity * price * (100 - discount) + 50) / 100;
        let cost = (!draw.chance(12)).then_some(quantity * base_cost * (1_000 + 30 * (day / 365)) / 1_000);
        Line {
            day,
            plan,
            coast,
            harbour,
            yard,
            range,
            article,
            agent,
            channel,
            quantity,
            price,
            amount,
            cost,
        }
    }

    fn write(&self, i: u64, text: &mut String) {
        use std::fmt::Write as _;
        let (year, month, day) = civil(FIRST_DAY + self.day);
        let scenario = if self.plan { "plan" } else { "actual" };
        let month_name = names::MONTHS[month as usize - 1];
        // Writing into a string cannot fail.
        let _ = write!(text, "{},{year}-{month:02}-{day:02},{month_name},{scenario}", 100_001 + i);
        let names = [self.coast, self.harbour, self.yard, self.range, self.article, self.agent, self.channel];
        for name in names {
            text.push(',');
            match name.contains([',', '"']) {
                true => drop(write!(text, "\"{}\"", name.replace('"', "\"\""))),
                false => text.push_str(name),
            }
        }
        let _ = write!(text, ",{},{},{}", self.quantity, Money(self.price), Money(self.amount));
        let _ = match self.cost {
            Some(cost) => writeln!(text, ",{}", Money(cost)),
            None => writeln!(text, ","),
        };
    }
}

struct Money(i64);

impl std::fmt::Display for Money {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        let sign = if self.0 < 0 { "-" } else { "" };
        let cents = self.0.unsigned_abs();
        write!(f, "{sign}{}.{:02}", cents / 100, cents % 100)
    }
}

/// Year, month and day of a day counted from 1970-01-01, for the years of the demonstration.
fn civil(day: i64) -> (i64, i64, i64) {
    let (mut year, mut rest) = (1970, day);
    let leap = |year: i64| i64::from(year % 4 == 0);
    while rest >= 365 + leap(year) {
        rest -= 365 + leap(year);
        year += 1;
    }
    let lengths = [31, 28 + leap(year), 31, 30, 31, 30, 31, 31, 30, 31, 30, 31];
    let mut month = 1;
    for length in lengths {
        if rest < length {
            break;
        }
        rest -= length;
        month += 1;
    }
    (year, month, rest + 1)
}
