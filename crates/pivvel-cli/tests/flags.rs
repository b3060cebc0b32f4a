//! Every flag that changes a brief, as the brief that `--save-brief` keeps; and every way to write one that cannot be
//! understood, with an error that says how it is written.

#![allow(clippy::unwrap_used)]

use std::path::Path;
use std::process::{Command, Output};

use pivvel::brief::{
    BadValues, DimensionBrief, EmphasisBrief, Form, MeasureBrief, NumberFormat, PeersOf, Placement,
    RelatedBrief, Side, TierBrief, TopBrief, TotalsOf,
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
    Brief::new().rows(["coast", "harbour"]).measure(("sales", "sum(amount)")).source("lines.csv")
}

fn harbour(change: impl Fn(DimensionBrief) -> DimensionBrief) -> impl Fn(Brief) -> Brief {
    move |brief| brief.dimension("harbour", &change)
}

fn emphasis(form: Form, change: impl Fn(EmphasisBrief) -> EmphasisBrief) -> impl Fn(Brief) -> Brief {
    move |brief| brief.emphasize(change(EmphasisBrief::new("sales", form)))
}

type Change = Box<dyn Fn(Brief) -> Brief>;

fn cases() -> Vec<(Vec<&'static str>, Change)> {
    fn case(
        flags: &[&'static str],
        change: impl Fn(Brief) -> Brief + 'static,
    ) -> (Vec<&'static str>, Change) {
        (flags.to_vec(), Box::new(change))
    }
    let tier = |name: &str| TierBrief::new(name, "yard", "sum(amount)");
    let by_value = tier("size").cuts(["10000", "50000"]).labels(["small", "middle", "large"]);
    let by_share = tier("half by size").quantiles(["50%"]).labels(["small at 50%", "rest"]);
    let half = tier("half").quantiles(["50%"]);
    vec![
        case(&[], |b| b),
        case(&["--columns", "sold_on.year, channel"], |b| b.columns(["sold_on.year", "channel"])),
        case(&["--columns", "\"unit price\""], |b| b.columns(["unit price"])),
        case(&["--title", "All of it"], |b| b.title("All of it")),
        case(&["--where", "amount > 0", "--where", "channel <> 'staff' or cost > 1"], |b| {
            b.filter("(amount > 0) and (channel <> 'staff' or cost > 1)")
        }),
        case(&["--where", "channel <> 'staff'"], |b| b.filter("channel <> 'staff'")),
        case(&["--measure", "share = sales / sales at parent"], |b| {
            b.measure(("share", "sales / sales at parent"))
        }),
        case(&["--hidden-measure", "cost = sum(cost)"], |b| {
            b.measure(MeasureBrief::new("cost", "sum(cost)").hidden(true))
        }),
        case(&["--format", "sales = thousands"], |b| {
            let sales = MeasureBrief::new("sales", "sum(amount)");
            b.measures([sales.format(NumberFormat::named("thousands").unwrap())])
        }),
        case(&["--derive", "takings = quantity * 2"], |b| b.derive("takings", "quantity * 2")),
        case(&["--columns", "scenario", "--item", "scenario: variance = actual - plan"], |b| {
            b.columns(["scenario"]).item("scenario", "variance", "actual - plan")
        }),
        case(
            &[
                "--columns",
                "size",
                "--tier",
                "size of yard by sum(amount) at 10000, 50000 as small, middle, large",
            ],
            move |b| b.columns(["size"]).tier(by_value.clone()),
        ),
        // Words of the flag's own within quotes belong to the name.
        case(
            &["--tier", "\"half by size\" of yard by sum(amount) at 50% as 'small at 50%', rest"],
            move |b| b.tier(by_share.clone()),
        ),
        case(&["--columns", "half", "--tier", "half of yard by sum(amount) at 50%"], move |b| {
            b.columns(["half"]).tier(half.clone())
        }),
        case(&["--related", "yards.csv on yard"], |b| {
            b.related(RelatedBrief::new("yards", "yards.csv", ["yard"]))
        }),
        case(&["--sort", "harbour by sales desc"], harbour(|d| d.order("sales desc"))),
        case(&["--sort", "harbour by label"], harbour(|d| d.order("label"))),
        case(&["--top", "harbour 2 by sales"], harbour(|d| d.top(TopBrief::new("2", "sales")))),
        case(
            &["--top", "harbour 20% by sales overall others \"All other harbours\""],
            harbour(|d| d.top(TopBrief::new("20%", "sales").overall(true).others("All other harbours"))),
        ),
        case(
            &["--bottom", "harbour 1 by sales others rest"],
            harbour(|d| d.bottom(TopBrief::new("1", "sales").others("rest"))),
        ),
        case(&["--having", "harbour: sales > 10000"], harbour(|d| d.having("sales > 10000"))),
        case(
            &["--only", "harbour: Ternhaven, 'Port Ennor'"],
            harbour(|d| d.only(["Ternhaven", "Port Ennor"])),
        ),
        case(&["--except", "harbour: Kittick"], harbour(|d| d.except(["Kittick"]))),
        case(
            &["--except", "harbour: Gull's Reach, 'Quay, old', 'it''s', \"a, b\""],
            harbour(|d| d.except(["Gull's Reach", "Quay, old", "it's", "a, b"])),
        ),
        case(
            &["--except", "harbour: Kittick", "--totals-of", "shown"],
            harbour(|d| d.except(["Kittick"]).totals_of(TotalsOf::Shown)),
        ),
        case(&["--tint", "sales"], emphasis(Form::Tint, |e| e)),
        case(&["--ink", "sales"], emphasis(Form::Ink, |e| e)),
        case(&["--bar", "sales"], emphasis(Form::Bar, |e| e)),
        case(&["--symbol", "sales"], emphasis(Form::Symbol, |e| e)),
        case(
            &["--tint", "sales", "--levels", "harbour", "--peers", "siblings", "--good", "low"],
            emphasis(Form::Tint, |e| e.levels(["harbour"]).peers(PeersOf::Siblings).good(Side::Low)),
        ),
        case(&["--totals", "off"], |b| b.total("", Placement::Off)),
        case(&["--totals", "coast off, row total before"], |b| {
            b.total("coast", Placement::Off).total("row total", Placement::Before)
        }),
        case(&["--as", "order=text", "--as", "amount=decimal(2)"], |b| {
            b.kind("order", "text").kind("amount", "decimal(2)")
        }),
        case(&["--bad-values", "blank"], |b| b.bad_values(BadValues::Blank)),
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
        let wanted = change(plain());
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
