//! Pictures of any values: every number in them is one, everything lies on the paper, and what is blank is left out
//! rather than drawn as nothing.

use std::sync::Arc;

use arrow_array::{ArrayRef, Float64Array};
use pivvel_core::brief::{EmphasisBrief, Form, PanelScale, ViewBrief, ViewForm};
use pivvel_core::{Brief, CrossTab};
use pivvel_view::{draw_page, draw_svg};
use proptest::prelude::*;

use crate::support::{days, money, source, texts};

#[derive(Debug, Clone)]
struct Line {
    coast: usize,
    harbour: Option<usize>,
    day: i32,
    amount: Option<i64>,
    weight: Option<f64>,
}

fn lines() -> impl Strategy<Value = Vec<Line>> {
    let amount = prop_oneof![
        4 => (-1_000..10_000i64).prop_map(Some),
        1 => prop_oneof![Just(Some(0)), Just(Some(i64::MAX)), Just(Some(i64::MIN)), Just(Some(1))],
        1 => Just(None),
    ];
    let weight = prop_oneof![
        4 => (-10.0..10.0f64).prop_map(Some),
        1 => prop_oneof![Just(Some(0.0)), Just(Some(1e300)), Just(Some(-1e300)), Just(Some(1e-300))],
        1 => Just(None),
    ];
    let line = (0..4usize, prop::option::weighted(0.9, 0..9usize), 19_000..20_000i32, amount, weight)
        .prop_map(|(coast, harbour, day, amount, weight)| Line { coast, harbour, day, amount, weight });
    prop::collection::vec(line, 0..40)
}

fn view() -> impl Strategy<Value = ViewBrief> {
    let form = prop::sample::select(ViewForm::NAMES.iter().map(|(_, form)| *form).collect::<Vec<_>>());
    (form, any::<bool>(), any::<bool>(), any::<bool>()).prop_map(|(form, weights, per, own_scales)| {
        let measure = |weights: bool| if weights { "weight".to_string() } else { "sales".to_string() };
        let measures = match form {
            ViewForm::Scatter => vec![measure(weights), measure(!weights)],
            _ => vec![measure(weights)],
        };
        let per = per && !matches!(form, ViewForm::Tiles | ViewForm::Line | ViewForm::Strip);
        let rows = match form {
            ViewForm::Line => vec!["coast".to_string()],
            ViewForm::Tiles => vec!["harbour".to_string()],
            _ if per => vec!["harbour".to_string()],
            _ => vec!["coast".to_string(), "harbour".to_string()],
        };
        let mut view = ViewBrief::new(form).measures(measures).rows(rows);
        if per {
            view = view.per("coast").scale(if own_scales { PanelScale::Own } else { PanelScale::Shared });
        }
        match form {
            ViewForm::Line => view.along("sold_on.month"),
            // Three members have no place, which a note reports.
            ViewForm::Tiles => view.grid((0..6u32).map(|n| (format!("Harbour {n}"), (1 + n * 7 % 5, 1 + n)))),
            _ => view,
        }
    })
}

fn crosstab(lines: &[Line], view: &ViewBrief, trend: bool) -> CrossTab {
    named(lines, view, trend, "")
}

/// With members whose names go on so.
fn named(lines: &[Line], view: &ViewBrief, trend: bool, more: &str) -> CrossTab {
    let columns: [(&str, ArrayRef); 5] = [
        ("coast", texts(lines.iter().map(|line| Some(format!("Coast {}{more}", line.coast))))),
        ("harbour", texts(lines.iter().map(|line| line.harbour.map(|n| format!("Harbour {n}{more}"))))),
        ("sold_on", days(lines.iter().map(|line| Some(line.day)))),
        ("amount", money(lines.iter().map(|line| line.amount.map(i128::from)))),
        ("kilos", Arc::new(lines.iter().map(|line| line.weight).collect::<Float64Array>())),
    ];
    let emphasis = match trend {
        true => EmphasisBrief::new("sales", Form::Trend).along("sold_on.month"),
        false => EmphasisBrief::new("sales", Form::Bar),
    };
    let brief = Brief::new()
        .rows(["coast", "harbour"])
        .columns(["sold_on.year"])
        .measure(("sales", "sum(amount)"))
        .measure(("weight", "sum(kilos)"))
        .view(view.clone())
        .emphasize(emphasis);
    CrossTab::build(&brief, &mut source(columns)).unwrap_or_else(|e| panic!("{view:?}: {e}"))
}

/// The numbers of an attribute wherever it stands, with the tag that it stands in.
fn numbers<'t>(tags: &[&'t str], name: &str) -> Vec<(f64, &'t str)> {
    let mut all = Vec::new();
    for tag in tags {
        let Some(at) = tag.find(&format!(" {name}=\"")) else { continue };
        let text = tag[at + name.len() + 3..].split('"').next().unwrap();
        // Lengths as they are; a percentage is a share of something else.
        if !text.ends_with('%') {
            let number = text.trim_end_matches("px").parse::<f64>();
            all.push((number.unwrap_or_else(|_| panic!("{name} in <{tag}>")), *tag));
        }
    }
    all
}

/// Every number of every picture, against its paper.
fn check(svg: &str) -> Result<(), TestCaseError> {
    for picture in svg.split("<svg").skip(1) {
        let picture = picture.split("</svg>").next().unwrap();
        prop_assert!(!picture.contains("NaN") && !picture.contains("\"inf"), "{}", picture);
        let tags: Vec<&str> = std::iter::once(picture.split('>').next().unwrap())
            .chain(picture.split('<').skip(1).map(|rest| rest.split('>').next().unwrap()))
            .collect();
        let Some(at) = tags[0].find("viewBox=\"") else { continue };
        let paper: Vec<f64> =
            tags[0][at + 9..].split('"').next().unwrap().split(' ').map(|n| n.parse().unwrap()).collect();
        let (wide, high) = (paper[0] + paper[2], paper[1] + paper[3]);
        for (names, low, most) in [
            (&["x", "x1", "x2", "cx"][..], paper[0] - 1.0, wide + 1.0),
            (&["y", "y1", "y2", "cy"], paper[1] - 1.0, high + 1.0),
            (&["width"], 0.0, wide + 1.0),
            (&["height"], 0.0, high + 1.0),
            (&["r"], 0.0, 40.0),
        ] {
            for name in names {
                for (number, tag) in numbers(&tags[1..], name) {
                    prop_assert!(
                        number.is_finite() && (low..=most).contains(&number),
                        "{} = {}: <{}> on {:?}",
                        name,
                        number,
                        tag,
                        paper
                    );
                }
            }
        }
        for tag in &tags {
            let Some(at) = tag.find(" d=\"") else { continue };
            let path = tag[at + 4..].split('"').next().unwrap();
            for number in
                path.split(|c: char| !(c.is_ascii_digit() || ".-e".contains(c))).filter(|n| !n.is_empty())
            {
                let number = number.parse::<f64>();
                prop_assert!(
                    number.is_ok_and(|n| n.is_finite() && n.abs() <= wide.max(high) + 1.0),
                    "<{}>",
                    tag
                );
            }
        }
    }
    Ok(())
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(200))]

    #[test]
    fn everything_lies_on_the_paper(lines in lines(), view in view(), trend: bool) {
        let crosstab = crosstab(&lines, &view, trend);
        check(&draw_svg(&crosstab, None))?;
        check(&draw_svg(&crosstab, Some(1)))?;
        check(&draw_page(&crosstab))?;
    }
}

/// About how wide the texts of a picture are, by its own measure: where each ends on the right, and what it says.
fn ends(picture: &str) -> Vec<(f64, String)> {
    let texts = picture.split("<text").skip(1);
    let end = |text: &str| {
        let (tag, rest) = text.split_once('>').unwrap();
        // A shape's description stands before what is written on it.
        let rest = rest.strip_prefix("\n").unwrap_or(rest);
        let said = rest.split("</title>").last().unwrap().trim_start();
        let said = said.split('<').next().unwrap().trim_end();
        let wide = 12.5 * 0.57 * said.chars().count() as f64;
        let wide = if tag.contains("class=\"title\"") { 1.3 * wide } else { wide };
        let x = numbers(&[tag], "x")[0].0;
        let right = match tag.split("text-anchor=\"").nth(1).and_then(|rest| rest.split('"').next()) {
            Some("end") => 0.0,
            Some("middle") => wide / 2.0,
            _ => wide,
        };
        (x + right, said.to_string())
    };
    texts.map(end).collect()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]

    /// Names of up to a hundred characters are written whole, and what is written does not go over the edge.
    #[test]
    fn names_are_whole(lines in lines(), view in view(), more in "[a-z ]{0,80}") {
        let longer = |(name, place): &(String, (u32, u32))| (name.clone() + more.trim_end(), *place);
        let grid: Vec<_> = view.get_grid().iter().map(longer).collect();
        let view = view.grid(grid);
        let crosstab = named(&lines, &view, false, more.trim_end());
        let svg = draw_svg(&crosstab, Some(1));
        check(&svg)?;
        prop_assert!(!svg.contains('…'), "{}", svg);
        for picture in svg.split("<svg").skip(2) {
            // Panels side by side stand in one that has no paper of its own.
            let Some(paper) = picture.split('>').next().unwrap().split("viewBox=\"0 0 ").nth(1) else { continue };
            let paper: f64 = paper.split(' ').next().unwrap().parse().unwrap();
            for (end, said) in ends(picture.split("</svg>").next().unwrap()) {
                prop_assert!(end <= paper + 1.0, "{} ends at {} of {}", said, end, paper);
            }
            if view.get_form() == ViewForm::Scatter {
                apart_from_points(picture)?;
            }
        }
    }
}

/// No name of a scatter lies on a point.
fn apart_from_points(picture: &str) -> Result<(), TestCaseError> {
    let tags = |name: &str| -> Vec<&str> {
        picture.split(name).skip(1).map(|rest| rest.split('>').next().unwrap()).collect()
    };
    let points: Vec<(f64, f64)> =
        tags("<circle").iter().map(|tag| (numbers(&[tag], "cx")[0].0, numbers(&[tag], "cy")[0].0)).collect();
    let texts = tags("<text").into_iter().zip(ends(picture));
    for (tag, (right, said)) in texts.filter(|(_, (_, said))| said.starts_with("Harbour")) {
        let (left, y) = (numbers(&[tag], "x")[0].0, numbers(&[tag], "y")[0].0 - 4.0);
        let on = |(a, b): &&(f64, f64)| *a > left && *a < right && (b - y).abs() < 8.0;
        prop_assert_eq!(points.iter().find(on), None, "under {}", said);
    }
    Ok(())
}

/// Names at the ends of lines go apart, and those that stand alone stay where their lines end. Of very many no name lies
/// beyond the paper either.
#[test]
fn names_of_lines_that_end_together_go_apart() {
    let view = ViewBrief::new(ViewForm::Line).rows(["coast"]).measures(["sales"]).along("sold_on.month");
    for (count, high) in [(4, 1), (12, 1), (60, 1), (60, 30)] {
        let of = |coast: usize| Line {
            coast,
            harbour: None,
            day: 19_000,
            amount: Some(if coast < high { 1_000 } else { 0 }),
            weight: None,
        };
        let picture = draw_svg(&crosstab(&(0..count).map(of).collect::<Vec<_>>(), &view, false), Some(1));
        check(&picture).unwrap();
        let tags = picture.split("<text").skip(1).map(|text| text.split('>').next().unwrap());
        let tags: Vec<&str> = tags.filter(|tag| tag.contains("data-t=\"Coast ")).collect();
        let mut heights: Vec<f64> = numbers(&tags, "y").into_iter().map(|(y, _)| y).collect();
        heights.sort_by(f64::total_cmp);
        assert_eq!(heights.len(), count, "{count} and {high}");
        let apart = |pair: &[f64]| pair[1] - pair[0] > if count > 24 { 4.0 } else { 13.9 };
        assert!(heights.windows(2).all(apart), "{heights:?}");
        if high == 1 && count < 24 {
            assert!(heights[1] - heights[0] > 100.0, "the first stays at its line: {heights:?}");
        }
    }
}
