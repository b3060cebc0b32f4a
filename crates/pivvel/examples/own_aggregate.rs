//! Aggregates and functions of one's own, in formulas beside the others: the concentration of sales on few yards.

use pivvel::formula::OwnFunction;
use pivvel::source::{ReadOptions, TextSource};
use pivvel::{Brief, CrossTab};

fn main() -> pivvel::Result<()> {
    // Made of others: as exact and as easily merged as these.
    OwnFunction::of_aggregates("spread_of", "max(x) - min(x)").register()?;
    // Of all values of a group, in ascending order: half the mean difference over the mean (C. Gini, 1912).
    OwnFunction::of_values("concentration", |sorted| {
        let n = sorted.len() as f64;
        let weighted: f64 = (1..).zip(sorted).map(|(place, value)| f64::from(place) * value).sum();
        Some(2.0 * weighted / (n * sorted.iter().sum::<f64>()) - (n + 1.0) / n)
    })
    .register()?;
    // Of one number.
    OwnFunction::of_number("grade", |x| Some((x * 10.0).round())).register()?;

    let mut lines =
        TextSource::from_reader("lines.csv", pivvel_demo::CSV.as_bytes(), &ReadOptions::default())?;
    let brief = Brief::new()
        .rows(["coast"])
        .filter("scenario = 'actual' and amount > 0")
        .measure(("between_ends", "spread_of(amount)"))
        .measure(("evenness", "concentration(amount)"))
        .measure(("grade", "grade(evenness)"));
    let crosstab = CrossTab::build(&brief, &mut lines)?;
    for cell in crosstab.cells() {
        let get = |name| cell.get(name).map(|value| value.and_then(|v| v.to_decimal(3)).unwrap_or_default());
        let coast = cell.label("coast")?.unwrap_or("total");
        println!("{coast}: {}, {}, grade {}", get("between_ends")?, get("evenness")?, get("grade")?);
    }
    Ok(())
}
