//! What cannot be read or does not make sense is told before a line is counted: each formula here,
//! with its message, the spot, and the nearest known name, in one snapshot to be reviewed.

use std::fmt::Write;
use std::sync::Arc;

use arrow_array::*;
use pivvel_core::brief::{
    Amount, Apply, AssumptionBrief, EmphasisBrief, Form, ItemBrief, Level, MeasureBrief, PeersOf, Placement,
    RelatedBrief, RuleBrief, ScaleBy, Show, Side, TierBrief, Tone, TopBrief, ViewBrief, ViewForm,
    YardstickOf,
};
use pivvel_core::formula::Formula;
use pivvel_core::plan::Plan;
use pivvel_core::source::{Batches, LineSource, Related};
use pivvel_core::{Brief, CrossTab, Result};

fn lines() -> RecordBatch {
    let amount = Decimal128Array::from(vec![100]).with_precision_and_scale(9, 2).unwrap();
    let columns: Vec<(&str, ArrayRef)> = vec![
        ("coast", Arc::new(StringArray::from(vec!["Fell"]))),
        ("yard", Arc::new(StringArray::from(vec!["Tern"]))),
        ("scenario", Arc::new(StringArray::from(vec!["actual"]))),
        ("amount", Arc::new(amount)),
        ("cost", Arc::new(Int64Array::from(vec![1]))),
        ("unit price", Arc::new(Float64Array::from(vec![1.5]))),
        ("sold_on", Arc::new(Date32Array::from(vec![0]))),
        ("paid", Arc::new(BooleanArray::from(vec![true]))),
    ];
    RecordBatch::try_from_iter(columns).unwrap()
}

fn build(brief: &Brief) -> Result<CrossTab> {
    let batch = lines();
    CrossTab::build(brief, &mut Batches::new(batch.schema(), [batch]))
}

fn base() -> Brief {
    Brief::new()
        .rows(["coast", "yard"])
        .columns(["sold_on.quarter", "scenario"])
        .measure(("sales", "sum(amount)"))
}

/// Each brief, or text, with the message that it gets.
fn messages(cases: impl IntoIterator<Item = (String, Brief)>) -> String {
    let mut all = String::new();
    for (text, brief) in cases {
        let error = match build(&brief) {
            Err(error) => error,
            Ok(_) => panic!("this should be refused: {text}"),
        };
        assert!(error.is_request(), "{text}: {error}");
        writeln!(all, "{text}\n  {}\n", error.to_string().replace('\n', "\n  ")).unwrap();
    }
    all
}

#[test]
fn wrong_measures() {
    let formulas = [
        "amount",
        "avg(amount)",
        "SUM(amount)",
        "if(amount > 0, 1, 0)",
        "sum(amount where scenario = \"actual\")",
        "case when \"coast\" = \"Fell\" then 1 end",
        "sun(amount)",
        "sum(amout)",
        "sum(yard)",
        "sum(amount + yard)",
        "sum(amount + sold_on)",
        "sum(paid)",
        "sum(amount, cost)",
        "sum()",
        "min(yard)",
        "max(paid)",
        "mean(sold_on)",
        "median(yard)",
        "quantile(amount)",
        "quantile(amount, 140%)",
        "quantile(amount, cost)",
        "first(amount)",
        "first(amount by yard)",
        "last(yard by sold_on)",
        "mean(amount weighted by yard)",
        "sum(amount weighted by cost)",
        "sum(amount where yard)",
        "sum(amount where yard = 5)",
        "sum(amount where sold_on >= 2025-01-31)",
        "sum(amount where 3 = sold_on.quarter)",
        "sum(amount where)",
        "count(amount per yard)",
        "mean(amount per yard)",
        "mean(sum(amount) per yrad)",
        "mean(sum(sum(amount)) per yard)",
        "mean(rank(sales) per coast)",
        "mean(sales per yard)",
        "sum(amount.year)",
        "max(sold_on.quarterr)",
        "sum(mean(amount))",
        "sum(sales)",
        "sles * 2",
        "sales + 'x'",
        "sales + scenario",
        "sales and 1",
        "not sales",
        "case when sales then 1 end",
        "case when sales > 1 then 1 else 'x' end",
        "case when sales > 1 then 1",
        "case sales when 1 then 2 end",
        "case when sales > 1 then sales > 2 end",
        "sales > 1",
        "scenario",
        "'text'",
        "blank = sales",
        "sales is nul",
        "sales between 1",
        "sales in 1",
        "sales in ()",
        "sales at",
        "sales at parnt",
        "sales at level cost",
        "sales at scenario plan",
        "sales at scenaro 'plan'",
        "sales at previous month",
        "sales at previous coast",
        "sales at same quarter",
        "sales at first",
        "sales at first quarter of",
        "amount at parent",
        "(sales > 1) at parent",
        "rank(sales amongst siblings)",
        "rank(sales among cousins)",
        "rank(sales ties odd)",
        "rank(sales ties low ties high)",
        "rank(sales along yard)",
        "percent_rank(sales ties low)",
        "rank()",
        "running(sales)",
        "running(sales along month)",
        "running(sales along quartr)",
        "moving(sales over 3 along quarter)",
        "moving(mean sales along quarter)",
        "moving(mean sales over 0 along quarter)",
        "moving(men sales over 3 along quarter)",
        "mean(sales among)",
        "mean(scenario among row)",
        "round(sales, 40)",
        "coalesce(sales)",
        "power(sum(sales))",
        "exp('a')",
        "abs('x')",
        "lower(sales)",
        "sqrt(sales, 2)",
        "self",
        "self + 1",
        "sum(amount) * 1.2.3",
        "sum(amount))",
        "sum(amount",
        "sales sales",
        "1 +",
        "\"sales",
        "sum(\"unit price)",
        "sum(amount at parent)",
        "sum(rank(amount))",
        "0.00000000000000000001",
    ];
    let case = |formula: &str| (formula.to_string(), base().measure(("self", formula)));
    insta::assert_snapshot!(messages(formulas.map(case)));
}

#[test]
fn wrong_conditions() {
    let conditions = [
        "amount",
        "yard = 1",
        "sold_on = 'tomorrow'",
        "sold_on.quarter = '2025-5'",
        "sold_on.year = 'x'",
        "yard and paid",
        "amount > yard",
        "paid = paid",
        "yard = blank",
        "yard is",
        "sum(amount) > 5",
        "amount at parent > 5",
        "size = 'large'",
        "amount in ('a', 'b')",
        "amount between 1 and 'x'",
        "yard = 'a' or",
        "(yard = 'a'",
        "yard = 'a",
        "lower(amount) = 'x'",
        "amount % 2 = 0",
    ];
    insta::assert_snapshot!(messages(conditions.map(|text| (text.to_string(), base().filter(text)))));
}

#[test]
fn wrong_layouts() {
    let mut cases: Vec<(String, Brief)> = Vec::new();
    let mut case = |name: &str, brief: Brief| cases.push((name.to_string(), brief));
    let top = |count: &str, by: &str| base().top("yard", TopBrief::new(count, by));
    let having = |condition: &str| base().dimension("yard", |yard| yard.having(condition));
    let item = |dimension: &str, name: &str, formula: &str| base().item(dimension, name, formula);
    case("twice in the layout", Brief::new().rows(["yard", "yard"]));
    case("no such part", Brief::new().rows(["sold_on.yaer"]));
    case("no such column", Brief::new().columns(["yrad"]));
    case("sorted level", base().sort("yrad", "label"));
    case("sorted by", base().sort("yard", "sles desc"));
    case("sorted by text", base().sort("yard", "scenario desc"));
    case("sorted by order", base().sort("yard", "running(sales along yard) desc"));
    case("having no condition", having("sales"));
    case("having order", having("rank(sales ties order) < 3"));
    case("top how many", top("some", "sales"));
    case("top share", top("250%", "sales"));
    case("top by", top("5", "sles"));
    case("totals of nothing", base().total("yrad", Placement::Off));
    case("tint twice", base().tint("sales").tint("sales"));
    case("measure twice", base().measure(("sales", "count()")));
    case("measure without name", base().measure((" ", "count()")));
    case("measures in a circle", base().measure(("a", "b + 1")).measure(("b", "c")).measure(("c", "a * 2")));
    let levels = |levels: &[(&str, &str)]| {
        let levels = levels.iter().map(|(l, f)| (Level::from(*l), Some(Formula::from(*f))));
        base().measure(MeasureBrief::new("m", "sales").levels(levels))
    };
    case("level that is not", levels(&[("yrad", "sales")]));
    case("level of text", levels(&[("coast", "scenario")]));
    case("level of a date", levels(&[("coast", "max(sold_on)")]));
    case("item without name", base().item("scenario", "", "actual"));
    case("item of nothing", item("scenaro", "x", "actual - plan"));
    case("item of no member", item("scenario", "x", "1 + 1"));
    case("item of itself", item("scenario", "x", "x - plan"));
    case("item of texts", item("scenario", "x", "actual - 'plan'"));
    case("item that sums", item("scenario", "x", "sum(actual)"));
    case("item elsewhere", item("scenario", "x", "actual at parent"));
    case("item that decides", item("scenario", "x", "actual > plan"));
    case("item twice", item("scenario", "x", "actual").item("scenario", "x", "plan"));
    let assume = |value: &str, low: &str, high: &str| {
        let mut uplift = AssumptionBrief::new("uplift", value);
        if !low.is_empty() {
            uplift = uplift.low(low).high(high);
        }
        if uplift.get_value().number().is_none() {
            uplift = uplift.choices(["coast", "yard"]);
        }
        base().assumptions([uplift])
    };
    case("assumed too low", assume("-5%", "0%", "10%"));
    case("assumed too high", assume("40%", "0%", "10%"));
    case("assumed between nothing", assume("4%", "10%", "0%"));
    case("assumed choice", assume("cost", "", ""));
    case("assumed text with bounds", assume("coast", "1", "2"));
    case("assumption called like a column", base().assumption(AssumptionBrief::new("amount", "4%")));
    let tier = |of: &str, by: &str, cuts: &[&str], quantiles: bool, labels: &[&str]| {
        let amounts = || cuts.iter().map(|cut| Amount::from(*cut));
        let tier = TierBrief::new("size", of, by).labels(labels.iter().copied());
        base().tier(if quantiles { tier.quantiles(amounts()) } else { tier.cuts(amounts()) })
    };
    case("tier of nothing", tier("yrad", "sum(amount)", &["5"], false, &[]));
    case("tier by a column", tier("yard", "amount", &["5"], false, &[]));
    case("tier by a share", tier("yard", "sales / sales at parent", &["5"], false, &[]));
    case("tier by text", tier("yard", "scenario", &["5"], false, &[]));
    case("tier of text cuts", tier("yard", "sales", &["x"], false, &[]));
    case("tier of shares", tier("yard", "sales", &["5%"], false, &[]));
    case("tier of values", tier("yard", "sales", &["5"], true, &[]));
    case("tier of too much", tier("yard", "sales", &["500%"], true, &[]));
    case("tier that goes down", tier("yard", "sales", &["5", "4"], false, &[]));
    case("tier of one label", tier("yard", "sales", &["5"], false, &["small"]));
    case("tier condition", tier("yard", "sales", &["5"], false, &["small", "large"]).filter("size = 'larg'"));
    case(
        "tier condition beside or",
        tier("yard", "sales", &["5"], false, &["s", "l"]).filter("size = 's' or amount > 1"),
    );
    case("derived twice", base().derive("amount", "cost * 2"));
    case("derived of nothing", base().derive("x", "cst * 2"));
    case("item of nothing at all", base().items([ItemBrief::default().apply(Apply::BeforeMeasures)]));
    insta::assert_snapshot!(messages(cases));
}

/// An emphasis on sales, changed.
fn emphasis(form: Form, change: impl Fn(EmphasisBrief) -> EmphasisBrief) -> Brief {
    base().emphasize(change(EmphasisBrief::new("sales", form)))
}

/// Rules by their bounds: what each from and below is, and empty where it is open.
fn rules(bounds: &[(&str, &str)]) -> Vec<RuleBrief> {
    let rule = |(from, below): &(&str, &str)| match (from.is_empty(), below.is_empty()) {
        (true, true) => RuleBrief::new(),
        (true, false) => RuleBrief::new().below(*below),
        (false, true) => RuleBrief::new().at_least(*from),
        (false, false) => RuleBrief::new().at_least(*from).below(*below),
    };
    bounds.iter().map(rule).collect()
}

#[test]
fn wrong_emphasis() {
    let rule = |rule: RuleBrief| emphasis(Form::Ink, move |e| e.rule(rule.clone()));
    let view = |view: ViewBrief| base().view(view);
    let view_of = ViewBrief::new;
    let cases = [
        ("by text", emphasis(Form::Tint, |e| e.by("lower(coast)"))),
        ("by nothing that can be read", emphasis(Form::Tint, |e| e.by("sales +"))),
        ("where no condition", emphasis(Form::Tint, |e| e.only("sales"))),
        ("where misspelt", emphasis(Form::Tint, |e| e.only("caost = 'Fell'"))),
        ("level misspelt", emphasis(Form::Tint, |e| e.levels(["yrad"]))),
        ("about text", emphasis(Form::Tint, |e| e.about("coast"))),
        ("ends that cross", emphasis(Form::Tint, |e| e.low("5").high("1"))),
        ("end of text", emphasis(Form::Tint, |e| e.low("none"))),
        ("clip of values", emphasis(Form::Tint, |e| e.clip(("5".into(), "95".into())))),
        ("clip that crosses", emphasis(Form::Tint, |e| e.clip(("95%".into(), "5%".into())))),
        ("symbols in six steps", emphasis(Form::Symbol, |e| e.steps(6))),
        ("one step", emphasis(Form::Tint, |e| e.steps(1))),
        ("rank about a middle", emphasis(Form::Tint, |e| e.scale(ScaleBy::Rank).about("0"))),
        ("rank among all", emphasis(Form::Tint, |e| e.scale(ScaleBy::Rank).yardstick(YardstickOf::All))),
        (
            "a kept yardstick that was not given",
            emphasis(Form::Tint, |e| e.yardstick(YardstickOf::Kept("may.json".into()))),
        ),
        ("a trend along nothing", emphasis(Form::Trend, |e| e)),
        ("a trend along no date", emphasis(Form::Trend, |e| e.along("sold_on.moth"))),
        ("a link to nowhere", emphasis(Form::Link, |e| e)),
        ("a link that runs", emphasis(Form::Link, |e| e.link("javascript:alert({coast})"))),
        ("mixed bounds", rule(RuleBrief::new().at_least("25%").below("100"))),
        ("bounds that cross", rule(RuleBrief::new().at_least("5").below("5"))),
        ("bounds that meet in nothing", rule(RuleBrief::new().above("5").up_to("5"))),
        ("two low bounds", rule(RuleBrief::new().at_least("5").above("5"))),
        ("two high bounds", rule(RuleBrief::new().below("5").up_to("5"))),
        ("a value and a bound", rule(RuleBrief::new().is("5").up_to("9"))),
        ("bound of text", rule(RuleBrief::new().at_least("much"))),
        ("top and bottom", rule(RuleBrief::new().top("1").bottom("1"))),
        ("top of how many", rule(RuleBrief::new().top("many"))),
        ("blank and a bound", rule(RuleBrief::new().blank(true).below("1"))),
        ("when no condition", rule(RuleBrief::new().when("sales * 2"))),
        ("twice the same", emphasis(Form::Tint, |e| e).tint("sales")),
        ("tone of no number", rule(RuleBrief::new().show(Show::Symbol(3)))),
        (
            "a tone among symbols",
            emphasis(Form::Symbol, |e| e.rule(RuleBrief::new().show(Show::Tone(Tone::Loss)))),
        ),
        ("lines opened with another kind", base().kind("cost", "text")),
        (
            "lines opened without a related table",
            base().related(RelatedBrief::new("yards", "yards.csv", ["yard"])),
        ),
        ("a line along nothing", view(view_of(ViewForm::Line))),
        ("a strip of one level", view(view_of(ViewForm::Strip).rows(["coast"]))),
        ("tiles without a grid", view(view_of(ViewForm::Tiles))),
        ("a scatter of one measure", view(view_of(ViewForm::Scatter))),
        ("a view of no measure", view(view_of(ViewForm::Bars).measures(["sles"]))),
        ("a view of no column", view(view_of(ViewForm::Table).rows(["caost"]))),
        ("a view of no member", view(view_of(ViewForm::Bars).rows([""; 0]))),
    ];
    insta::assert_snapshot!(messages(cases.map(|(name, brief)| (name.to_string(), brief))));
}

/// What can be computed and was most likely not meant is told, and what is gone is kept.
#[test]
fn doubtful_emphasis() {
    let ruled = |bounds: &'static [(&str, &str)]| emphasis(Form::Ink, move |e| e.rules(rules(bounds)));
    let at_yards = |bounds: &'static [(&str, &str)]| {
        emphasis(Form::Ink, move |e| e.rules(rules(bounds)).levels(["yard", "scenario"]))
    };
    let edged = |rules: &'static [fn(RuleBrief) -> RuleBrief]| {
        let rules = || rules.iter().map(|rule| rule(RuleBrief::new()));
        emphasis(Form::Ink, |e| e.rules(rules()).levels(["yard", "scenario"]))
    };
    let cases = [
        ("zero left out", edged(&[|rule| rule.below(0), |rule| rule.above(0)])),
        ("zero by itself", edged(&[|rule| rule.below(0), |rule| rule.is(0), |rule| rule.above(0)])),
        (
            "nothing between",
            edged(&[|rule| rule.up_to(0), |rule| rule.above(0).below(9), |rule| rule.at_least(9)]),
        ),
        ("from up to a value", edged(&[|rule| rule.below(5), |rule| rule.above(9)])),
        ("above a value", edged(&[|rule| rule.up_to(5), |rule| rule.at_least(9)])),
        ("above up to a value", edged(&[|rule| rule.up_to(5), |rule| rule.above(9)])),
        ("within what is taken", edged(&[|rule| rule.up_to(5), |rule| rule.is(5), |rule| rule.above(5)])),
        ("totals with their parts", emphasis(Form::Tint, |e| e.peers(PeersOf::All))),
        ("fixed ends at all levels", emphasis(Form::Bar, |e| e.high("100"))),
        ("values at all levels", ruled(&[("100", ""), ("", "100")])),
        ("signs at all levels", ruled(&[("0", ""), ("", "0")])),
        ("a gap", at_yards(&[("", "0"), ("10", "20"), ("20", "")])),
        ("no gap", at_yards(&[("10", ""), ("", "0"), ("0", "10")])),
        ("never reached", at_yards(&[("", "10"), ("", "5"), ("10", ""), ("7", "30")])),
        ("after anything", at_yards(&[("", ""), ("5", "")])),
        ("positions with a gap", at_yards(&[("", "20%"), ("50%", "")])),
        ("measure gone", base().emphasize(EmphasisBrief::new("sles", Form::Tint))),
        ("level gone", emphasis(Form::Tint, |e| e.levels(["paid"]))),
        ("dimension gone", emphasis(Form::Tint, |e| e.only("paid = 'yes'"))),
        ("by gone", emphasis(Form::Tint, |e| e.by("sles"))),
        ("about gone", emphasis(Form::Tint, |e| e.about("meen"))),
        ("totals of the deepest level", base().total("yard", Placement::Off)),
        ("good alone is no doubt", emphasis(Form::Tint, |e| e.good(Side::Low))),
        ("a title of nothing", base().title("Sales of {perriod}")),
    ];
    let mut all = String::new();
    for (name, brief) in cases {
        let batch = lines();
        let plan = Plan::new(&brief, &Batches::new(batch.schema(), [batch]).schema()).unwrap();
        let notices: Vec<String> = plan.notices().iter().map(ToString::to_string).collect();
        writeln!(all, "{name}\n  {}\n", notices.join("\n  ")).unwrap();
    }
    insta::assert_snapshot!(all);
}

#[test]
fn wrong_related_tables() {
    let text = |texts: &[&str]| Arc::new(StringArray::from(texts.to_vec())) as ArrayRef;
    let join = |keys: &[(&str, &str)], codes: &[&str]| -> Result<CrossTab> {
        let batch =
            RecordBatch::try_from_iter([("code", text(codes)), ("range", text(&vec!["r"; codes.len()]))])
                .unwrap();
        let table = Batches::new(batch.schema(), [batch]).named("yards.csv");
        let keys: Vec<(String, String)> = keys.iter().map(|(a, b)| (a.to_string(), b.to_string())).collect();
        let batch = lines();
        let own = Batches::new(batch.schema(), [batch]).named("lines.csv");
        let mut joined = Related::new(Box::new(own), "yards", Box::new(table), &keys)?;
        CrossTab::build(&Brief::new().rows(["range"]), &mut joined)
    };
    type Case = (&'static [(&'static str, &'static str)], &'static [&'static str]);
    let cases: [Case; 4] = [
        (&[("yrad", "code")], &["Tern"]),
        (&[("yard", "cod")], &["Tern"]),
        (&[("amount", "code")], &["Tern"]),
        (&[("yard", "code")], &["Tern", "Auk", "Tern"]),
    ];
    let notices: Vec<String> =
        cases.iter().map(|(keys, codes)| join(keys, codes).unwrap_err().to_string()).collect();
    insta::assert_snapshot!(notices.join("\n"));
}
