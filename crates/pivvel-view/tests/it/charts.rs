//! What is drawn is what was computed: lengths, places and counts are read back from the pictures.

use arrow_array::ArrayRef;
use pivvel_core::brief::{EmphasisBrief, Form, PanelScale, Side, ViewBrief, ViewForm};
use pivvel_core::{Brief, CrossTab};
use pivvel_view::{draw_page, draw_svg};

use crate::support::{days, numbers, source, texts};

/// Harbours of two coasts with their sales in three months, and a view of them.
fn crosstab(view: ViewBrief, change: impl Fn(Brief) -> Brief) -> CrossTab {
    let rows: [(&str, &str, i32, i64, i64); 7] = [
        ("Fell", "Pellam", 20_100, 400, 40),
        ("Fell", "Tern", 20_100, 100, 30),
        ("Fell", "Stone", 20_135, 100, 80),
        ("Skerry", "Våg", 20_100, 200, 10),
        ("Skerry", "Kittick", 20_135, -100, 60),
        ("Skerry", "Våg", 20_190, 100, 20),
        ("Fell", "Pellam", 20_190, -200, 5),
    ];
    let columns: [(&str, ArrayRef); 5] = [
        ("coast", texts(rows.map(|r| Some(r.0)))),
        ("harbour", texts(rows.map(|r| Some(r.1)))),
        ("day", days(rows.map(|r| Some(r.2)))),
        ("amount", numbers(rows.map(|r| Some(r.3)))),
        ("cost", numbers(rows.map(|r| Some(r.4)))),
    ];
    let brief = Brief::new()
        .rows(["coast", "harbour"])
        .measure(("sales", "sum(amount)"))
        .measure(("cost", "sum(cost)"))
        .view(view);
    CrossTab::build(&change(brief), &mut source(columns)).unwrap()
}

fn view(form: ViewForm) -> ViewBrief {
    ViewBrief::new(form).measures(["sales"])
}

/// A shape of a picture: its attributes by name.
struct Shape(String);

impl Shape {
    fn number(&self, name: &str) -> f64 {
        self.text(name).parse().unwrap()
    }

    fn text(&self, name: &str) -> String {
        let at = self.0.find(&format!(" {name}=\"")).unwrap_or_else(|| panic!("{name} in {}", self.0));
        self.0[at + name.len() + 3..].split('"').next().unwrap().to_string()
    }
}

/// Every shape of a kind that stands for a member, with the member's name.
fn shapes(svg: &str, kind: &str) -> Vec<(String, Shape)> {
    svg.split(&format!("<{kind} "))
        .skip(1)
        .map(|rest| Shape(format!(" {}", rest.split('>').next().unwrap())))
        .filter(|shape| shape.0.contains(" data-t="))
        .map(|shape| (shape.text("data-t"), shape))
        .collect()
}

fn of<'s>(shapes: &'s [(String, Shape)], name: &str) -> &'s Shape {
    &shapes.iter().find(|(label, _)| label.ends_with(name)).unwrap_or_else(|| panic!("{name}")).1
}

/// Whether a text stands in a picture by itself.
fn says(svg: &str, text: &str) -> bool {
    svg.replace('\n', "").contains(&format!(">{text}</text>"))
}

/// Bars are as long as their values, from one zero line, negative ones the other way.
#[test]
fn bars_are_as_long_as_their_values() {
    let svg = draw_svg(&crosstab(view(ViewForm::Bars), |b| b), Some(1));
    let bars = shapes(&svg, "rect");
    assert_eq!(bars.len(), 5);
    let [long, short] = ["Våg", "Tern"].map(|name| of(&bars, name).number("width"));
    assert!((long / short - 3.0).abs() < 0.02, "300 is three times 100: {long} {short}");
    let below = of(&bars, "Kittick");
    let zero = of(&bars, "Tern").number("x");
    assert!((below.number("x") + below.number("width") - zero).abs() < 0.2, "both end at zero");
    assert!((below.number("width") - short).abs() < 0.2);
    assert!(below.text("data-w").contains("sales: -100"));
    for coast in ["Fell", "Skerry"] {
        assert!(says(&svg, coast), "{coast} heads its harbours");
    }
}

/// Bars wear what the cells of the table wear: the very same class of colour.
#[test]
fn bars_have_the_colours_of_the_table() {
    let page = draw_page(&crosstab(view(ViewForm::Bars), |b| b.tint("sales")));
    let cell = |label: &str| {
        let row = &page[page.find(&format!("title=\"{label}\"")).unwrap()..];
        row[row.find("<td class=\"").unwrap() + 11..].split('"').next().unwrap().to_string()
    };
    let bars = shapes(&page, "rect");
    for harbour in ["Pellam", "Tern", "Våg", "Kittick"] {
        assert_eq!(
            of(&bars, harbour).text("class").split(' ').next(),
            Some(cell(harbour).as_str()),
            "{harbour}"
        );
    }
}

/// A chart that is drawn by itself says what was left out, and what its colours mean.
#[test]
fn a_chart_by_itself_has_its_notes_and_its_legend() {
    let dressed =
        |brief: Brief| brief.filter("cost <> 80").emphasize(EmphasisBrief::new("sales", Form::Tint));
    for (form, has_legend) in [(ViewForm::Bars, true), (ViewForm::Strip, false)] {
        let crosstab = crosstab(view(form), dressed);
        let alone = draw_svg(&crosstab, Some(1));
        assert!(
            says(&alone, "7 lines read from batches; 1 line excluded: cost &lt;&gt; 80 is not true"),
            "{alone}"
        );
        assert_eq!(says(&alone, "sales, harbour: 4 cells"), has_legend, "{alone}");
        // Beside a table it stands once.
        assert_eq!(draw_svg(&crosstab, None).matches("excluded").count(), 1);
    }
}

/// Lines go by the calendar: a month that no line has still takes its time.
#[test]
fn lines_keep_the_time_between_periods() {
    let along = view(ViewForm::Line).along("day.month").rows(["coast"]);
    let svg = draw_svg(&crosstab(along, |b| b), Some(1));
    let lines = shapes(&svg, "path");
    let points: Vec<(f64, f64)> = of(&lines, "Skerry")
        .text("d")
        .split(['M', 'L'])
        .skip(1)
        .map(|point| {
            let (x, y) = point.split_once(' ').unwrap();
            (x.parse().unwrap(), y.parse().unwrap())
        })
        .collect();
    let [a, b, c] = points.as_slice() else { panic!("{points:?}") };
    // January, February, and two months later April: 200, -100 and 100.
    assert!(((c.0 - a.0) / (b.0 - a.0) - 3.0).abs() < 0.05, "{points:?}");
    assert!(a.1 < c.1 && c.1 < b.1, "higher stands higher: {points:?}");
    assert!(((b.1 - a.1) / (c.1 - a.1) - 3.0).abs() < 0.05, "{points:?}");
}

/// Strips count who is above the mean of the group, and say it.
#[test]
fn strips_count_who_is_above() {
    let said = |good: Option<Side>| {
        let svg = draw_svg(
            &crosstab(view(ViewForm::Strip), |b| {
                let ink = EmphasisBrief::new("sales", Form::Ink);
                b.emphasize(good.into_iter().fold(ink, EmphasisBrief::good))
            }),
            Some(1),
        );
        // Fell: 200, 100, 100 about 133.3; Skerry: 300, -100 about 100.
        for text in ["1 of 3 above 133.3", "1 of 2 above 100.0"] {
            assert!(svg.contains(text), "{text}");
        }
        let dots = shapes(&svg, "circle");
        let (up, down) = (of(&dots, "Pellam"), of(&dots, "Tern"));
        assert!(up.number("cx") > down.number("cx") && up.number("cy") < down.number("cy"));
        (up.text("class"), down.text("class"))
    };
    let (gain, loss) = said(Some(Side::High));
    assert_eq!(said(Some(Side::Low)), (loss, gain), "colours follow what is good");
}

/// Points of a scatter stand by both measures; small multiples share their scales or have their own.
#[test]
fn scatters_stand_by_both_measures() {
    let both = view(ViewForm::Scatter).measures(["sales", "cost"]);
    let svg = draw_svg(&crosstab(both.clone(), |b| b), Some(1));
    let dots = shapes(&svg, "circle");
    assert_eq!(dots.len(), 5);
    let x = |name: &str| of(&dots, name).number("cx");
    let y = |name: &str| of(&dots, name).number("cy");
    assert!(((x("Våg") - x("Tern")) / (x("Tern") - x("Kittick")) - 1.0).abs() < 0.02, "300, 100, -100");
    assert!(
        y("Stone") < y("Kittick") && y("Kittick") < y("Pellam") && y("Pellam") < y("Tern"),
        "80, 60, 45, 30"
    );
    let per = |scale| {
        let view = both.clone().per("coast").scale(scale);
        let dots = shapes(&draw_svg(&crosstab(view, |b| b), Some(1)), "circle");
        of(&dots, "Pellam").number("cx")
    };
    // On its own scale Pellam has the most of its coast; on the shared one Våg has more.
    assert!(per(PanelScale::Own) > per(PanelScale::Shared) + 50.0);
}

/// Tiles stand where the grid puts them; members without a place and places without a member are noted.
#[test]
fn tiles_stand_on_their_grid() {
    let grid = [("Pellam", (1, 1)), ("Tern", (3, 1)), ("Våg", (1, 2)), ("Nowhere", (2, 2))];
    let grid = grid.map(|(name, place)| (name.to_string(), place));
    let tiles = view(ViewForm::Tiles).rows(["harbour"]).measures(["sales", "cost"]).grid(grid);
    let svg = draw_svg(&crosstab(tiles, |b| b), Some(1));
    let halves = shapes(&svg, "rect");
    assert_eq!(halves.len(), 6, "two halves for each of three places");
    let place = |name: &str| (of(&halves, name).number("x"), of(&halves, name).number("y"));
    let (first, right, below) = (place("Pellam"), place("Tern"), place("Våg"));
    assert!(right.0 > 2.0 * (below.0 - first.0 + 100.0) && right.1 == first.1);
    assert!(below.1 > first.1 && below.0 == first.0);
    assert!(svg.contains("without a place on the grid: Kittick, Stone"), "{svg}");
    assert!(says(&svg, "Nowhere"));
}

/// A table for each member has the rows of that member only, with its own row as the total.
#[test]
fn tables_of_members_add_up() {
    let per = view(ViewForm::Table).per("coast").rows(["harbour"]);
    let page = draw_page(&crosstab(per, |b| b));
    let panels: Vec<&str> = page.split("<div class=\"panel\">").skip(1).collect();
    assert_eq!(panels.len(), 2);
    assert!(
        panels[0].contains("<h3>Fell</h3>") && panels[0].contains("Pellam") && !panels[0].contains("Kittick")
    );
    let total = |panel: &str| {
        let row =
            panel[panel.find("<tr class=\"grand\"").unwrap()..].split("</tr>").next().unwrap().to_string();
        row[row.rfind("<td").unwrap()..].split(['>', '<']).nth(2).unwrap().to_string()
    };
    assert_eq!((total(panels[0]).as_str(), total(panels[1]).as_str()), ("400", "200"));
}
