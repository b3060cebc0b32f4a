//! Colours of members by the one member of another dimension that each of them has.

use arrow_array::RecordBatch;
use pivvel_core::brief::{DimensionBrief, EmphasisBrief, Form, ViewBrief, ViewForm};
use pivvel_core::source::Batches;
use pivvel_core::{Brief, Build, CrossTab};

use crate::support;
use crate::support::{numbers, texts};

/// Articles with their ranges: Knot is of two, Tar of none, and one line has no article.
const LINES: [(&str, &str); 8] = [
    ("Jib", "Sailcloth"),
    ("Warp", "Rope"),
    ("Jib", "Sailcloth"),
    ("Knot", "Rope"),
    ("Knot", "Sailcloth"),
    ("Tar", ""),
    ("", "Rope"),
    ("Braid", "Rope"),
];

fn lines() -> Batches<std::vec::IntoIter<RecordBatch>> {
    let text = |text: &'static str| Some(text).filter(|text| !text.is_empty());
    support::source(vec![support::batch([
        ("article", texts(LINES.iter().map(|line| text(line.0)))),
        ("range", texts(LINES.iter().map(|line| text(line.1)))),
        ("amount", numbers((0..LINES.len() as i64).map(Some))),
    ])])
}

fn colours(pairs: &[(&str, &str)]) -> Vec<(String, String)> {
    pairs.iter().map(|(member, colour)| (member.to_string(), colour.to_string())).collect()
}

fn brief() -> Brief {
    let own = DimensionBrief::new("article").colours(colours(&[("Braid", "gold")])).colours_of("range");
    let range = DimensionBrief::new("range").colours(colours(&[("Rope", "peru"), ("Sailcloth", "teal")]));
    Brief::new().rows(["article"]).measure(("sales", "sum(amount)")).dimensions([own, range])
}

/// What the members of the first dimension have, a colour of their own before that of their family.
fn wanted() -> Vec<(String, String)> {
    colours(&[("Braid", "gold"), ("Jib", "teal"), ("Warp", "peru"), ("blank", "peru")])
}

fn found(of: &CrossTab) -> Vec<(String, String)> {
    let first = of.rows().dimensions().iter().chain(of.columns().dimensions()).next().unwrap();
    let mut found = first.colours().to_vec();
    // The first one counts.
    let mut seen = Vec::new();
    found.retain(|(member, _)| {
        !seen.contains(member) && {
            seen.push(member.clone());
            true
        }
    });
    found.sort();
    found
}

#[test]
fn members_have_the_colour_of_their_family() {
    let crosstab = CrossTab::build(&brief(), &mut lines()).unwrap();
    assert_eq!(found(&crosstab), wanted());
    let notices: Vec<String> = crosstab.notices().iter().map(|notice| notice.text().to_string()).collect();
    let several = "dimension article, colours_of: Knot has no colour, because range has several values there";
    assert!(notices.contains(&several.to_string()), "{notices:?}");
    assert!(!notices.iter().any(|notice| notice.contains("not in the layout")), "{notices:?}");
    // On columns, in a view, and from kept groups.
    let across = brief().rows(Vec::<String>::new()).columns(["article"]);
    assert_eq!(found(&CrossTab::build(&across, &mut lines()).unwrap()), wanted());
    let view = brief().rows(["range"]).view(ViewBrief::new(ViewForm::Bars).rows(["article"]));
    assert_eq!(found(CrossTab::build(&view, &mut lines()).unwrap().views()[0].crosstab()), wanted());
    let mut trend = brief();
    trend = trend.emphasize(EmphasisBrief::new("sales", Form::Trend).along("range"));
    let trend = CrossTab::build(&trend, &mut lines()).unwrap();
    assert_eq!((trend.trends().len(), found(&trend)), (1, wanted()));
    let groups = Build::new().groups(&brief(), &mut lines()).unwrap();
    assert_eq!(found(&Build::new().from_groups(&brief(), &[groups]).unwrap()), wanted());
}

#[test]
fn families_that_give_no_colours() {
    let with = |of: &str, colours: &[(&str, &str)]| {
        let brief = Brief::new().rows(["article"]).measure(("sales", "sum(amount)"));
        let range = DimensionBrief::new("range").colours(self::colours(colours));
        let brief = brief.dimensions([DimensionBrief::new("article").colours_of(of), range]);
        CrossTab::build(&brief, &mut lines()).map(drop).map_err(|error| error.to_string())
    };
    assert_eq!(with("range", &[("Rope", "peru")]), Ok(()));
    for (of, wanted) in [
        ("rang", "dimension article, colours_of: unknown column \"rang\"; did you mean \"range\"?"),
        ("article", "dimension article, colours_of: article has no colours"),
    ] {
        let error = with(of, &[("Rope", "peru")]).unwrap_err();
        assert!(error.starts_with(wanted), "{error}");
    }
    let error = with("range", &[]).unwrap_err();
    assert!(error.ends_with("range has no colours; give it some as [dimensions.range] colours"), "{error}");
}
