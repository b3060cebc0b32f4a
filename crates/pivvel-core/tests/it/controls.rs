//! Variants that readers choose: each is the cross-tab of a brief with those values and that condition.

use pivvel_core::brief::{
    AssumptionBrief, ControlBrief, EmphasisBrief, Form, PageBrief, TopBrief, ViewBrief, ViewForm,
};
use pivvel_core::formula::Formula;
use pivvel_core::result::{Choice, Control, Member};
use pivvel_core::{Brief, Build, CrossTab};
use proptest::prelude::*;

use crate::support::{batch, days, numbers, source, texts};

const COASTS: [Option<&str>; 4] = [Some("Fell"), Some("It's calm"), Some("Skerry"), None];
const HARBOURS: [&str; 5] = ["Quay", "Haven", "Holm", "Skarn", "Brim"];

type Line = (usize, usize, i32, i64);

fn lines(lines: &[Line]) -> pivvel_core::source::Batches<std::vec::IntoIter<arrow_array::RecordBatch>> {
    source(vec![batch([
        ("coast", texts(lines.iter().map(|line| COASTS[line.0]))),
        ("harbour", texts(lines.iter().map(|line| Some(HARBOURS[line.1])))),
        ("sold_on", days(lines.iter().map(|line| Some(19_500 + line.2)))),
        ("amount", numbers(lines.iter().map(|line| Some(line.3)))),
    ])])
}

/// Everything that shows of a cross-tab and its views.
fn shown(crosstab: &CrossTab) -> Vec<String> {
    let own = |crosstab: &CrossTab| -> Vec<String> {
        let mut shown = vec![crosstab.title().to_string()];
        for cell in crosstab.cells() {
            let place =
                [crosstab.rows().labels(cell.row()), crosstab.columns().labels(cell.column())].concat();
            for measure in 0..crosstab.measures().len() {
                shown.push(format!(
                    "{place:?} {measure} {:?} {} {:?} {:?}",
                    cell.value(measure),
                    cell.lines(),
                    cell.rank(measure),
                    cell.marks(measure)
                ));
            }
        }
        shown
    };
    let mut all = own(crosstab);
    crosstab.views().iter().for_each(|view| all.extend(own(view.crosstab())));
    all
}

/// The brief of a choice of every control, said in the brief itself.
fn chosen(brief: &Brief, controls: &[Control], choices: &[usize]) -> Brief {
    let mut own = brief.clone();
    own = own.page(PageBrief::new());
    for (control, choice) in controls.iter().zip(choices) {
        let name = control.name();
        let condition = match &control.choices()[*choice] {
            Choice::Value(value) => {
                own.assume(name, value.clone()).unwrap();
                continue;
            }
            Choice::Members(members) => {
                let quoted = |member: &Member| match member {
                    Member::Blank => format!("{name} is blank"),
                    member => format!("{name} = '{}'", member.label().replace('\'', "''")),
                };
                members.iter().map(quoted).collect::<Vec<_>>().join(" or ")
            }
            _ => continue,
        };
        let condition = Formula::from(condition);
        let both = own.get_filter().map_or(condition.clone(), |own| own.and(&condition));
        own = own.filter(both);
    }
    own
}

fn brief() -> Brief {
    Brief::new()
        .rows(["coast", "harbour"])
        .columns(["sold_on.quarter"])
        .assumption(AssumptionBrief::new("uplift", "5%").low("0%").high("10%").step("5%"))
        .assumption(AssumptionBrief::new("least", 2).choices([1, 2, 4]))
        .filter("amount >= least")
        .measure(("sales", "sum(amount) * (1 + uplift)"))
        .measure(("middle", "median(amount)"))
        .measure(("harbours", "distinct(harbour)"))
        .measure(("share", "sales / sales at parent"))
        .emphasize(EmphasisBrief::new("sales", Form::Tint))
        .fill("sold_on.quarter")
        .title("Sales plus {uplift}")
        .view(ViewBrief::new(ViewForm::Bars).rows(["harbour"]))
        .top("harbour", TopBrief::new("least", "sales").others("All other"))
}

/// A view may group the lines just as the cross-tab and one of its controls do together.
#[test]
fn a_view_of_the_dimension_of_a_control_is_its_own() {
    let all = [(0, 0, 1, 5), (0, 1, 2, 3), (2, 1, 3, 8), (2, 2, 9, 1)];
    let brief = Brief::new()
        .rows(["coast"])
        .measure(("lines", "count()"))
        .view(ViewBrief::new(ViewForm::Table).rows(["coast", "harbour"]))
        .view(ViewBrief::new(ViewForm::Table).rows(["harbour"]))
        .page(PageBrief::new().controls(["harbour", "coast"]));
    let variants = Build::new().variants(&brief, &mut lines(&all)).unwrap();
    assert_eq!(variants.len(), 4 * 3);
    for variant in 0..variants.len() {
        let choices = variants.choices(variant);
        let wanted =
            CrossTab::build(&chosen(&brief, variants.controls(), &choices), &mut lines(&all)).unwrap();
        assert_eq!(shown(&variants.crosstab(variant).unwrap()), shown(&wanted), "{choices:?}");
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(12))]

    /// Every variant of random lines is what the brief gives that says its choices itself.
    #[test]
    fn a_variant_is_the_brief_that_says_its_choices(
        all in proptest::collection::vec((0..4_usize, 0..5_usize, 0..300_i32, 1..9_i64), 1..60),
        several in any::<bool>(),
    ) {
        let page = PageBrief::new()
            .controls(["uplift", "least"])
            .control(ControlBrief::new("coast").several(several));
        let brief = brief().page(page);
        let variants = Build::new().variants(&brief, &mut lines(&all)).unwrap();
        for variant in 0..variants.len() {
            let choices = variants.choices(variant);
            let wanted = CrossTab::build(&chosen(&brief, variants.controls(), &choices), &mut lines(&all)).unwrap();
            prop_assert_eq!(shown(&variants.crosstab(variant).unwrap()), shown(&wanted), "{:?}", choices);
        }
        let own = CrossTab::build(&brief, &mut lines(&all)).unwrap();
        prop_assert_eq!(shown(&variants.crosstab(variants.first()).unwrap()), shown(&own));
    }
}
