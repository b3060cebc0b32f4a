//! Every flag that changes a brief, as the brief that `--save-brief` keeps; and every way to write one that cannot be
//! understood, with an error that says how it is written.

#![allow(clippy::unwrap_used)]

use std::path::Path;
use std::process::{Command, Output};

use pivvel::brief::{
    BadValues, DimensionBrief, EmphasisBrief, Form, ItemBrief, MeasureBrief, NumberFormat, PeersOf,
    Placement, RelatedBrief, Side, TierBrief, TopBrief, TotalsOf,
};
use pivvel::{Brief, brief};

fn run(folder: &Path, arguments: &[&str]) -> Output {
    let mut command = Command::new(env!("CARGO_BIN_EXE_pivvel"));
    command.current_dir(folder).env("NO_COLOR", "1").args(arguments).output().unwrap()
}

fn demo() -> tempfile::TempDir {
    let folder = tempfile::tempdir().unwrap();
    assert!(run(folder.path(), &["demo", "."]).status.success());
    folder
}

/// What a brief of lines with one measure is, before a flag changes it.
fn plain() -> Brief {
    let mut brief = Brief::new().rows(["coast", "harbour"]).measure(("sales", "sum(amount)"));
    brief.source = Some("lines.csv".into());
    brief
}

fn top(count: &str, overall: bool, others: Option<&str>) -> TopBrief {
    TopBrief { count: count.into(), by: "sales".into(), overall, others: others.map(Into::into) }
}

fn harbour(change: impl Fn(&mut DimensionBrief)) -> impl Fn(&mut Brief) {
    move |brief| {
        let mut dimension = DimensionBrief { name: "harbour".into(), ..DimensionBrief::default() };
        change(&mut dimension);
        brief.dimensions.push(dimension);
    }
}

fn emphasis(form: Form, change: impl Fn(&mut EmphasisBrief)) -> impl Fn(&mut Brief) {
    move |brief| {
        let mut said = EmphasisBrief::new("sales", form);
        change(&mut said);
        brief.emphasis.push(said);
    }
}

type Change = Box<dyn Fn(&mut Brief)>;

fn cases() -> Vec<(Vec<&'static str>, Change)> {
    fn case(flags: &[&'static str], change: impl Fn(&mut Brief) + 'static) -> (Vec<&'static str>, Change) {
        (flags.to_vec(), Box::new(change))
    }
    vec![
        case(&[], |_| {}),
        case(&["--columns", "sold_on.year, channel"], |b| {
            b.columns = vec!["sold_on.year".into(), "channel".into()]
        }),
        case(&["--columns", "\"unit price\""], |b| b.columns = vec!["unit price".into()]),
        case(&["--title", "All of it"], |b| b.title = Some("All of it".into())),
        case(&["--where", "amount > 0", "--where", "channel <> 'staff' or cost > 1"], |b| {
            b.filter = Some("(amount > 0) and (channel <> 'staff' or cost > 1)".into());
        }),
        case(&["--where", "channel <> 'staff'"], |b| b.filter = Some("channel <> 'staff'".into())),
        case(&["--measure", "share = sales / sales at parent"], |b| {
            b.measures.push(MeasureBrief::new("share", "sales / sales at parent"));
        }),
        case(&["--hidden-measure", "cost = sum(cost)"], |b| {
            b.measures.push(MeasureBrief { hidden: true, ..MeasureBrief::new("cost", "sum(cost)") });
        }),
        case(&["--format", "sales = thousands"], |b| {
            b.measures[0].format = NumberFormat::named("thousands").unwrap();
        }),
        case(&["--derive", "takings = quantity * 2"], |b| {
            b.derived.push(("takings".into(), "quantity * 2".into()))
        }),
        case(&["--columns", "scenario", "--item", "scenario: variance = actual - plan"], |b| {
            b.columns = vec!["scenario".into()];
            b.items.push(ItemBrief {
                dimension: "scenario".into(),
                name: "variance".into(),
                formula: "actual - plan".into(),
                ..ItemBrief::default()
            });
        }),
        case(
            &[
                "--columns",
                "size",
                "--tier",
                "size of yard by sum(amount) at 10000, 50000 as small, middle, large",
            ],
            |b| {
                b.columns = vec!["size".into()];
                b.tiers.push(TierBrief {
                    name: "size".into(),
                    of: "yard".into(),
                    by: "sum(amount)".into(),
                    cuts: vec!["10000".into(), "50000".into()],
                    labels: vec!["small".into(), "middle".into(), "large".into()],
                    ..TierBrief::default()
                });
            },
        ),
        // Words of the flag's own within quotes belong to the name.
        case(&["--tier", "\"half by size\" of yard by sum(amount) at 50% as 'small at 50%', rest"], |b| {
            b.tiers.push(TierBrief {
                name: "half by size".into(),
                of: "yard".into(),
                by: "sum(amount)".into(),
                quantiles: vec!["50%".into()],
                labels: vec!["small at 50%".into(), "rest".into()],
                ..TierBrief::default()
            });
        }),
        case(&["--columns", "half", "--tier", "half of yard by sum(amount) at 50%"], |b| {
            b.columns = vec!["half".into()];
            b.tiers.push(TierBrief {
                name: "half".into(),
                of: "yard".into(),
                by: "sum(amount)".into(),
                quantiles: vec!["50%".into()],
                ..TierBrief::default()
            });
        }),
        case(&["--related", "yards.csv on yard"], |b| {
            b.related.push(RelatedBrief {
                name: "yards".into(),
                source: "yards.csv".into(),
                keys: vec![("yard".into(), "yard".into())],
            });
        }),
        case(&["--sort", "harbour by sales desc"], harbour(|d| d.order = Some("sales desc".into()))),
        case(&["--sort", "harbour by label"], harbour(|d| d.order = Some("label".into()))),
        case(&["--top", "harbour 2 by sales"], harbour(|d| d.top = Some(top("2", false, None)))),
        case(
            &["--top", "harbour 20% by sales overall others \"All other harbours\""],
            harbour(|d| {
                d.top = Some(top("20%", true, Some("All other harbours")));
            }),
        ),
        case(
            &["--bottom", "harbour 1 by sales others rest"],
            harbour(|d| {
                d.bottom = Some(top("1", false, Some("rest")));
            }),
        ),
        case(&["--having", "harbour: sales > 10000"], harbour(|d| d.having = Some("sales > 10000".into()))),
        case(
            &["--only", "harbour: Ternhaven, 'Port Ennor'"],
            harbour(|d| {
                d.only = vec!["Ternhaven".into(), "Port Ennor".into()];
            }),
        ),
        case(&["--except", "harbour: Kittick"], harbour(|d| d.except = vec!["Kittick".into()])),
        case(
            &["--except", "harbour: Gull's Reach, 'Quay, old', 'it''s', \"a, b\""],
            harbour(|d| {
                d.except = ["Gull's Reach", "Quay, old", "it's", "a, b"].map(str::to_string).to_vec()
            }),
        ),
        case(
            &["--except", "harbour: Kittick", "--totals-of", "shown"],
            harbour(|d| {
                d.except = vec!["Kittick".into()];
                d.totals_of = TotalsOf::Shown;
            }),
        ),
        case(&["--tint", "sales"], emphasis(Form::Tint, |_| {})),
        case(&["--ink", "sales"], emphasis(Form::Ink, |_| {})),
        case(&["--bar", "sales"], emphasis(Form::Bar, |_| {})),
        case(&["--symbol", "sales"], emphasis(Form::Symbol, |_| {})),
        case(
            &["--tint", "sales", "--levels", "harbour", "--peers", "siblings", "--good", "low"],
            emphasis(Form::Tint, |e| {
                e.levels = vec!["harbour".into()];
                e.peers = PeersOf::Siblings;
                e.good = Some(Side::Low);
            }),
        ),
        case(&["--totals", "off"], |b| b.totals = vec![(String::new(), Placement::Off)]),
        case(&["--totals", "coast off, row total before"], |b| {
            b.totals = vec![("coast".into(), Placement::Off), ("row total".into(), Placement::Before)];
        }),
        case(&["--as", "order=text", "--as", "amount=decimal(2)"], |b| {
            b.kinds = vec![("order".into(), "text".into()), ("amount".into(), "decimal(2)".into())];
        }),
        case(&["--bad-values", "blank"], |b| b.bad_values = BadValues::Blank),
    ]
}

#[test]
fn flags_become_briefs() {
    let folder = demo();
    for (flags, change) in cases() {
        let base = ["build", "lines.csv", "--rows", "coast,harbour", "--measure", "sales = sum(amount)"];
        let arguments: Vec<&str> =
            base.into_iter().chain(flags.iter().copied()).chain(["--save-brief", "kept.toml"]).collect();
        let output = run(folder.path(), &arguments);
        assert!(output.status.success(), "{flags:?}: {}", String::from_utf8_lossy(&output.stderr));
        let path = folder.path().join("kept.toml");
        let text = std::fs::read_to_string(&path).unwrap();
        let mut wanted = plain();
        change(&mut wanted);
        assert_eq!(brief::from_toml("kept.toml", &text).unwrap(), wanted, "{flags:?}\n{text}");
        // From the brief it is the same to the last byte.
        let again = run(folder.path(), &["build", "kept.toml"]);
        assert!(again.status.success() && again.stdout == output.stdout, "{flags:?}");
        std::fs::remove_file(path).unwrap();
    }
}

#[test]
fn flags_that_are_not_understood() {
    let folder = demo();
    let cases: [(&[&str], &str); 20] = [
        (&["--as", "order"], "as in 'amount=decimal(2)'"),
        (&["--as", "order=txt"], "did you mean \"text\"?"),
        (&["--as", "ordre=text"], "did you mean \"order\"?"),
        (&["--format", "csv"], "the form of output is --form"),
        (&["--format", "sale = percent"], "did you mean \"sales\""),
        (&["--format", "sales = percents"], "did you mean \"percent\""),
        (&["--derive", "takings"], "'takings = price * quantity'"),
        (&["--item", "variance = actual - plan"], "'scenario: variance = actual - plan'"),
        (&["--item", "scenario: variance"], "'scenario: variance = actual - plan'"),
        (&["--tier", "size of yard"], "--tier"),
        (&["--related", "yards.csv"], "--related"),
        (&["--sort", "harbour"], "as in 'harbour by sales desc'"),
        (&["--top", "harbour by sales"], "--top"),
        (&["--top", "harbor 2 by sales"], "did you mean \"harbour\"?"),
        (&["--having", "sales > 10"], "--having"),
        (&["--only", "harbour"], "--only"),
        (&["--totals", "coast of"], "did you mean \"off\"?"),
        (&["--tint", "sale"], "did you mean \"sales\"?"),
        (&["--tint", "sales", "--peers", "sibling"], "did you mean \"siblings\"?"),
        (&["--assume", "uplift"], "--assume"),
    ];
    for (flags, wanted) in cases {
        let base = ["build", "lines.csv", "--rows", "coast,harbour", "--measure", "sales = sum(amount)"];
        let arguments: Vec<&str> = base.into_iter().chain(flags.iter().copied()).collect();
        let output = run(folder.path(), &arguments);
        let said = String::from_utf8_lossy(&output.stderr).into_owned();
        assert_eq!(output.status.code(), Some(2), "{flags:?}: {said}");
        assert!(said.contains(wanted) && said.starts_with("pivvel: "), "{flags:?}: {said}");
        assert!(output.stdout.is_empty());
    }
}
