//! How long a page of fifty thousand cells takes to open in a browser, from asking for it to the end
//! of its script, and to sort, beside a page of two hundred cells in the same browser; and how much memory it takes, as it
//! opens and after its end was scrolled to. Needs ChromeDriver.

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

/// Medians of some openings: the milliseconds until it is open, and until it is sorted, and the memory in MiB before
/// and after all of it was scrolled through.
fn opens(page: &str, times: usize) -> Option<[f64; 4]> {
    let all = std::rc::Rc::new(std::cell::RefCell::new(Vec::new()));
    for _ in 0..times {
        let kept = all.clone();
        Page::open(page, |page| async move {
            let painted = "const last = Math.max(...performance.getEntriesByType('paint').map(p => p.startTime)); \
                return Math.max(last, performance.getEntriesByType('navigation')[0].domComplete)";
            let opened = page.number(painted).await;
            let first = memory().unwrap_or(f64::NAN);
            let sorts = "const start = performance.now(); document.querySelector('#t0 th[data-c] button').click(); \
                document.body.offsetHeight; return performance.now() - start";
            let sorted = page.number(sorts).await;
            let scrolls = "const frame = document.querySelector('.frame'), of = frame.classList.contains('fits') ? document.scrollingElement : frame; \
                return new Promise(done => { const on = () => { of.scrollTop += 400; \
                    of.scrollTop + of.clientHeight < of.scrollHeight - 1 ? requestAnimationFrame(on) : done(1); }; on(); })";
            page.number(scrolls).await;
            kept.borrow_mut().push([opened, sorted, first, memory().unwrap_or(f64::NAN)]);
        });
    }
    let all = all.borrow();
    let median = |of: usize| {
        let mut values: Vec<f64> = all.iter().map(|one| one[of]).collect();
        values.sort_by(f64::total_cmp);
        values.get(values.len() / 2).copied()
    };
    Some([median(0)?, median(1)?, median(2)?, median(3)?])
}

/// The memory of the largest page of all browsers that run, its share of what it has in common with others counted (Linux).
fn memory() -> Option<f64> {
    let processes = std::fs::read_dir("/proc").ok()?.flatten().map(|process| process.path());
    let is_page = |path: &std::path::PathBuf| {
        std::fs::read_to_string(path.join("cmdline")).is_ok_and(|line| line.contains("--type=renderer"))
    };
    let size = |path: std::path::PathBuf| {
        let text = std::fs::read_to_string(path.join("smaps_rollup")).ok()?;
        let line = text.lines().find(|line| line.starts_with("Pss:"))?;
        line.split_whitespace().nth(1)?.parse::<f64>().ok()
    };
    processes.filter(is_page).filter_map(size).map(|size| size / 1024.0).max_by(f64::total_cmp)
}

fn main() {
    let times = if std::env::var_os("PIVVEL_BENCH_LINES").is_some() { 1 } else { 5 };
    let (small, large) = (page(20, 10), page(500, 100));
    let size = large.len() as f64 / 1e6;
    let (Some(small), Some(large)) = (opens(&small, times), opens(&large, times)) else { return };
    println!(
        "a page of 52,621 cells ({size:.1} MB) opens and is painted in {:.0} ms, {:.1} x a page of 220 cells ({:.0} ms)",
        large[0],
        large[0] / small[0],
        small[0]
    );
    println!(
        "it is sorted in {:.0} ms, {:.0} x the small one ({:.1} ms)",
        large[1],
        large[1] / small[1],
        small[1]
    );
    println!(
        "it takes {:.0} MiB, after its end was scrolled to {:.0}; the small one {:.0}",
        large[2], large[3], small[2]
    );
}
