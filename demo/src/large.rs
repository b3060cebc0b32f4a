//! Lines by the million, for measuring: plain names, few quotes, and as many members as a large
//! wholesaler has. A line is quick to make, so that making lines is not what is measured.

use std::io::{self, Write};

use rand_chacha::ChaCha8Rng;
use rand_chacha::rand_core::SeedableRng;

use super::{DAYS, Draw, FIRST_DAY, Totals, civil};

/// What the large lines hold: 12 coasts of 5 harbours of 10 agents, and 30,000 yards of a harbour
/// each.
const COASTS: u64 = 12;
const HARBOURS: u64 = 60;
const AGENTS: u64 = 600;
const YARDS: u64 = 30_000;
const ARTICLES: [(&str, &str); 8] = [
    ("Ropes", "Mooring line 12 mm"),
    ("Ropes", "Practice line 6 mm"),
    ("Anchors", "Plough anchor 15 kg"),
    ("Anchors", "Folding anchor 4 kg"),
    ("Lights", "Masthead lamp"),
    ("Lights", "Torch Moth"),
    ("Paint", "Hull white 5 l"),
    ("Paint", "Deck grey 2 l"),
];
const CHANNELS: [&str; 4] = ["counter", "web", "agent", "fair"];

/// Writes a heading and so many lines of 12 columns, about 115 bytes each; one in 50 holds quotes.
///
/// # Errors
/// What the writer finds wrong.
///
/// ```
/// let mut csv = Vec::new();
/// let totals = pivvel_demo::write_large(&mut csv, 1_000, pivvel_demo::SEED)?;
/// assert_eq!(totals.lines, 1_000);
/// assert!(csv.starts_with(b"order,sold_on,coast,harbour,agent,yard,"));
/// # Ok::<(), std::io::Error>(())
/// ```
pub fn write_large(out: &mut impl Write, lines: u64, seed: u64) -> io::Result<Totals> {
    let mut draw = Draw(ChaCha8Rng::seed_from_u64(seed));
    let mut totals = Totals::default();
    let days: Vec<String> = (0..DAYS as i64)
        .map(|day| {
            let (year, month, day) = civil(FIRST_DAY + day);
            format!("{year}-{month:02}-{day:02}")
        })
        .collect();
    let agents: Vec<String> = (0..AGENTS)
        .map(|agent| {
            let harbour = agent % HARBOURS;
            format!("Coast {:02},Harbour {harbour:03},Agent {agent:03}", harbour % COASTS)
        })
        .collect();
    out.write_all(
        b"order,sold_on,coast,harbour,agent,yard,range,article,channel,quantity,unit_price,amount\n",
    )?;
    let mut text = Vec::with_capacity(1 << 17);
    for line in 0..lines {
        let day = (line * DAYS / lines.max(1) + draw.below(30)).min(DAYS - 1);
        let agent = draw.below(AGENTS);
        let yard = agent % HARBOURS + HARBOURS * draw.below(YARDS / HARBOURS);
        let (range, article) = ARTICLES[draw.below(ARTICLES.len() as u64) as usize];
        let (quantity, price) = (1 + draw.below(40) as i64, 99 + draw.below(20_000) as i64);
        let amount = if draw.chance(20) { -quantity * price } else { quantity * price };
        number(&mut text, 10_000_000 + line as i64);
        for part in [&days[day as usize], &agents[agent as usize], "Boatyard "] {
            text.push(b',');
            text.extend_from_slice(part.as_bytes());
        }
        number(&mut text, 10_000 + yard as i64);
        for part in [range, article, CHANNELS[draw.below(4) as usize]] {
            text.push(b',');
            if part.len() == article.len() && draw.chance(20) {
                text.extend_from_slice(b"\"");
                text.extend_from_slice(part.as_bytes());
                text.extend_from_slice(b", boxed\"");
            } else {
                text.extend_from_slice(part.as_bytes());
            }
        }
        text.push(b',');
        number(&mut text, quantity);
        for cents in [price, amount] {
            text.push(b',');
            money(&mut text, cents);
        }
        text.push(b'\n');
        if text.len() > 1 << 16 {
            out.write_all(&text)?;
            text.clear();
        }
        totals.lines += 1;
        totals.amount += i128::from(amount);
        totals.quantity += i128::from(quantity);
    }
    out.write_all(&text)?;
    Ok(totals)
}

fn number(text: &mut Vec<u8>, number: i64) {
    let mut digits = [0; 20];
    let mut at = digits.len();
    let mut rest = number.unsigned_abs();
    while at == digits.len() || rest > 0 {
        at -= 1;
        digits[at] = b'0' + (rest % 10) as u8;
        rest /= 10;
    }
    if number < 0 {
        text.push(b'-');
    }
    text.extend_from_slice(&digits[at..]);
}

fn money(text: &mut Vec<u8>, cents: i64) {
    number(text, cents / 100);
    let rest = cents.unsigned_abs() % 100;
    text.extend_from_slice(&[b'.', b'0' + (rest / 10) as u8, b'0' + (rest % 10) as u8]);
}
