//! How long a page of fifty thousand cells takes to open in a browser, from asking for it to the end
//! of its script, beside a page of two hundred cells in the same browser. Needs ChromeDriver.

#![allow(clippy::unwrap_used)]

#[path = "../tests/browser/driver.rs"]
#[allow(dead_code, unreachable_pub)]
mod driver;
#[path = "../tests/it/missing.rs"]
mod missing;

use driver::Page;
use pivvel::source::{ReadOptions, TextSource};
use pivvel::{Brief, CrossTab, draw};

fn page(harbours: usize, weeks: usize) -> String {
    let mut csv = String::from("coast,harbour,week,amount\n");
    for harbour in 0..harbours {
        for week in 0..weeks {
            let amount = (harbour * 37 + week * 101) % 1_000;
            csv.push_str(&format!("coast {},harbour {harbour},w{week:03},{amount}\n", harbour % 20));
        }
    }
    let brief = Brief::new()
        .rows(["coast", "harbour"])
        .columns(["week"])
        .measure(("sales", "sum(amount)"))
        .tint("sales");
    let source = std::io::Cursor::new(csv.into_bytes());
    let mut source = TextSource::from_reader("lines", source, &ReadOptions::default()).unwrap();
    draw::page(&CrossTab::build(&brief, &mut source).unwrap())
}

/// The median of some openings, in milliseconds.
fn opens(page: &str, times: usize) -> Option<f64> {
    let all = std::rc::Rc::new(std::cell::RefCell::new(Vec::new()));
    for _ in 0..times {
        let kept = all.clone();
        Page::open(page, |page| async move {
            let painted = "const last = Math.max(...performance.getEntriesByType('paint').map(p => p.startTime)); \
                return Math.max(last, performance.getEntriesByType('navigation')[0].domComplete)";
            let opened = page.number(painted).await;
            kept.borrow_mut().push(opened);
        });
    }
    let mut all = all.borrow_mut();
    all.sort_by(f64::total_cmp);
    all.get(all.len() / 2).copied()
}

fn main() {
    let times = if std::env::var_os("PIVVEL_BENCH_LINES").is_some() { 1 } else { 5 };
    let (small, large) = (page(20, 10), page(500, 100));
    let (Some(small), Some(large_opens)) = (opens(&small, times), opens(&large, times)) else { return };
    println!(
        "a page of 52,621 cells ({:.1} MB) opens and is painted in {large_opens:.0} ms, {:.1} x a page of 220 cells ({small:.0} ms)",
        large.len() as f64 / 1e6,
        large_opens / small
    );
}
