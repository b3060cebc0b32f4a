//! What people see: figures, the terminal, the page.

use arrow_array::ArrayRef;
use pivvel_core::brief::{
    EmphasisBrief, Figure, Form, ItemBrief, MeasureBrief, Negative, NumberFormat, PeersOf, Placement, Reach,
    RuleBrief, ScaleBy, Scaling, Show, Side, Tone, TopBrief,
};
use pivvel_core::{Brief, CrossTab, Decimal, Value};
use pivvel_view::{
    Colours, Ground, Layout, Paint, RowKind, TerminalOptions, draw_page, draw_terminal, show_number,
};

use crate::support::{days, money, numbers, source, texts};

#[test]
fn numbers_are_rounded_exactly_and_dressed() {
    let format = |name: &str| NumberFormat::named(name).unwrap();
    let exact = |digits, scale| Value::Exact(Decimal::new(digits, scale));
    let brackets = format("money").negative(Negative::Brackets).before("£");
    let continental = format("money").marks(".").point(",").after(" €");
    let signed = format("auto").scaling(Scaling::Millions).decimals(0).before("M ");
    let cases = [
        (exact(1_234_567, 2), format("auto"), "12,345.67"),
        (exact(5, 1), format("whole"), "1"),
        (exact(-5, 1), format("whole"), "-1"),
        (exact(-4, 1), format("whole"), "0"),
        (exact(15, 1), format("whole"), "2"),
        (exact(999_995, 3), format("money"), "1,000.00"),
        (exact(-123_450, 2), brackets.clone(), "(£1,234.50)"),
        (exact(0, 2), brackets, "£0.00"),
        (exact(123_450, 2), continental, "1.234,50 €"),
        (exact(12_345_678_900, 2), format("millions"), "123.5 M"),
        (exact(2_500_000, 0), signed, "M 3"),
        (exact(49, 0), format("thousands"), "0.0 k"),
        (exact(125, 3), format("percent"), "12.5 %"),
        (exact(7, 0), format("percent"), "700.0 %"),
        (exact(0, 0), format("percent"), "0.0 %"),
        (exact(0, 0), format("percent").decimals(0), "0 %"),
        (exact(-123, 0), format("money").marks("\u{202f}"), "-123.00"),
        (exact(-123_456, 0), format("whole").marks("\u{202f}"), "-123\u{202f}456"),
        (exact(3, 9), format("money"), "0.00"),
        (exact(i128::MAX, 0), format("thousands"), "170,141,183,460,469,231,731,687,303,715,884,105.7 k"),
        (Value::Float(0.12345), format("percent"), "12.3 %"),
        (Value::Float(-1234.5), format("auto"), "-1,234.50"),
        (Value::Float(-0.001), format("auto"), "0.00"),
        (Value::Float(999_999_999_999_999.0), format("auto"), "999,999,999,999,999.00"),
        (Value::Float(-1.25e24), format("thousands"), "-1.25e21 k"),
        (Value::Date(0), format("money"), "1970-01-01"),
    ];
    for (value, format, expected) in cases {
        assert_eq!(show_number(&value, &format), expected);
    }
}

/// Coasts, harbours and quarters of two years, with a blank harbour and a name to be escaped.
fn crosstab(change: impl Fn(Brief) -> Brief) -> CrossTab {
    crosstab_of([0, 1, 2, 3, 4, 5], change)
}

/// The same with its lines in some order.
fn crosstab_of(order: [usize; 6], change: impl Fn(Brief) -> Brief) -> CrossTab {
    let coast = ["Fell", "Fell", "Fell", "<Skerry> & Co", "<Skerry> & Co", "Fell"];
    let harbour = [Some("Pellam"), Some("Tern\u{1b}[31m"), None, Some("Våg"), Some("Våg"), Some("Pellam")];
    let day = [20_089, 20_089, 20_180, 20_180, 20_300, 20_454];
    let amount = [1_000, 250_050, 125, 99_999, -5_000, 70_000];
    let columns: [(&str, ArrayRef); 4] = [
        ("coast", texts(order.map(|i| Some(coast[i])))),
        ("harbour", texts(order.map(|i| harbour[i]))),
        ("day", days(order.map(|i| Some(day[i])))),
        ("amount", money(order.map(|i| Some(amount[i])))),
    ];
    let brief = Brief::new()
        .rows(["coast", "harbour"])
        .columns(["day.year", "day.quarter"])
        .measure(MeasureBrief::new("sales", "sum(amount)").label("Sales"))
        .tint("sales");
    CrossTab::build(&change(brief), &mut source(columns)).unwrap()
}

fn draw(crosstab: &CrossTab, width: Option<usize>) -> String {
    draw_terminal(&Layout::new(crosstab), &TerminalOptions::default().width(width))
}

#[test]
fn what_drawing_names_is_read_back() {
    assert_eq!(
        [Ground::Light, Ground::Dark].map(|ground| ground.to_string().parse()),
        [Ok(Ground::Light), Ok(Ground::Dark)]
    );
    for colours in [Colours::None, Colours::Indexed, Colours::Full] {
        assert_eq!(colours.to_string().parse(), Ok(colours));
    }
    for kind in [RowKind::Heading, RowKind::Member, RowKind::Subtotal, RowKind::Total] {
        assert_eq!(kind.name().parse(), Ok(kind));
    }
    let error = "totl".parse::<RowKind>().unwrap_err();
    assert_eq!(
        pivvel_core::Error::from(error).to_string(),
        "unknown kind of a row \"totl\"; did you mean \"total\"?"
    );
}

#[test]
fn the_terminal_in_one_piece() {
    insta::assert_snapshot!(draw(&crosstab(|brief| brief), None));
}

#[test]
fn the_terminal_folded_with_totals_elsewhere_and_two_measures() {
    let crosstab = crosstab(|brief| {
        brief.measure(("lines", "count()")).total("", Placement::After).total("day.year", Placement::Off)
    });
    let drawn = draw(&crosstab, Some(64));
    assert!(drawn.lines().all(|line| line.chars().count() <= 64), "{drawn}");
    insta::assert_snapshot!(drawn);
}

/// Members that are made of others stand after them, in their own way of writing, on their own scale.
#[test]
fn items_and_others_stand_apart() {
    let crosstab = crosstab(|brief| {
        let change = ItemBrief::new("day.year", "change", "\"2026\" / \"2025\" - 1");
        let labels = [("Våg".to_string(), "Våg Quay".into())];
        brief
            .columns(["day.year"])
            .top("harbour", TopBrief::new(1, "sales").others("All other"))
            .dimension("harbour", |harbour| harbour.labels(labels))
            .add_item(change.format(NumberFormat::named("percent").unwrap()))
            .total("row total", Placement::Off)
    });
    let layout = Layout::new(&crosstab);
    assert!(layout.rows().iter().any(|row| row.made() && row.label() == "All other"));
    assert!(layout.heads().iter().flatten().any(|head| head.made() && head.text() == "change"));
    let scale = |label: &str| {
        let row = layout.rows().iter().find(|row| row.label() == label).unwrap();
        row.cells()[0].dress().tint().and(row.cells()[0].on())?.scale()
    };
    assert!(scale("All other").is_none_or(|others| Some(others) != scale("Våg Quay")));
    insta::assert_snapshot!(draw(&crosstab, None));
}

/// Every level has a colour of its own; totals and lone cells have none.
#[test]
fn tints_are_of_one_level() {
    let crosstab = crosstab(|brief| brief);
    let layout = Layout::new(&crosstab);
    let mut scales = std::collections::BTreeSet::new();
    for row in layout.rows().iter().filter(|row| row.kind() != RowKind::Total) {
        for (cell, column) in row.cells().iter().zip(layout.columns()) {
            if let (Some(Paint::Place { palette, .. }), Some(on)) = (cell.dress().tint(), cell.on()) {
                scales.insert((
                    on.scale(),
                    palette.name().map(|name| name.name()),
                    row.kind() == RowKind::Subtotal,
                    column.height(),
                ));
            }
        }
    }
    let palettes: std::collections::BTreeSet<Option<&str>> =
        scales.iter().map(|(_, palette, ..)| *palette).collect();
    assert_eq!((scales.len(), palettes.len()), (4, 4), "{scales:?}");
    let total = layout.rows().last().unwrap();
    assert!(total.kind() == RowKind::Total && total.cells().iter().all(|cell| cell.dress().tint().is_none()));
    assert!(layout.legend().iter().all(|entry| entry.text().starts_with("Sales, ")));
}

/// Emphasis on totals is there when it is asked for.
#[test]
fn totals_are_tinted_when_asked() {
    let crosstab = crosstab(|brief| {
        let tint = EmphasisBrief::new("sales", Form::Tint);
        brief.emphasis([tint.levels(["column total", "day.year"])])
    });
    let layout = Layout::new(&crosstab);
    let tinted = |kind| {
        layout
            .rows()
            .iter()
            .filter(|r| r.kind() == kind)
            .flat_map(|r| r.cells())
            .filter(|c| c.dress().tint().is_some())
            .count()
    };
    assert!(tinted(RowKind::Total) == 2 && tinted(RowKind::Subtotal) > 0, "{}", tinted(RowKind::Total));
}

/// Every form in text: bars both ways from one zero line, symbols, signs for tones, small lines.
#[test]
fn every_form_on_a_terminal() {
    let crosstab = crosstab(|brief| {
        let rule = |name: &str, tone: Tone| RuleBrief::new().named(name).show(Show::Tone(tone));
        let rules = [rule("too little", Tone::Loss).below(100), rule("enough", Tone::Gain)];
        let emphasis = [
            EmphasisBrief::new("sales", Form::Bar),
            EmphasisBrief::new("net", Form::Bar).figure(Figure::Hidden),
            EmphasisBrief::new("net", Form::Symbol).steps(5),
            EmphasisBrief::new("way", Form::Ink).rules(rules),
            EmphasisBrief::new("way", Form::Tint).about("mean"),
            EmphasisBrief::new("sales", Form::Trend).along("day.month"),
        ];
        let brief = brief.columns([""; 0]).emphasis(emphasis);
        brief.measure(("net", "sum(amount) - 700")).measure(("way", "sum(amount)"))
    });
    insta::assert_snapshot!(draw(&crosstab, None));
    let narrow = draw(&crosstab, Some(60));
    assert!(narrow.lines().take(20).all(|line| line.chars().count() <= 60), "{narrow}");
}

/// The row that stands out as a whole, its label and its total with it.
#[test]
fn whole_rows_stand_out() {
    let crosstab = crosstab(|brief| {
        let tint = EmphasisBrief::new("sales", Form::Tint).reach(Reach::Row).levels(["coast"]);
        brief.emphasis([tint.rule(RuleBrief::new().top(1))])
    });
    let layout = Layout::new(&crosstab);
    let dressed: Vec<(&str, bool, usize)> = layout
        .rows()
        .iter()
        .map(|row| {
            (
                row.label(),
                row.tint().is_some(),
                row.cells().iter().filter(|c| c.dress().tint().is_some()).count(),
            )
        })
        .filter(|(_, tint, cells)| *tint || *cells > 0)
        .collect();
    assert_eq!(dressed, [("Fell", true, layout.columns().len())], "blank cells and the total with it");
}

/// Legends say each rule's own name, each scale's ends, and which side is good.
#[test]
fn legends_say_what_is_meant() {
    let said = |change: fn(EmphasisBrief) -> EmphasisBrief| {
        let tint = EmphasisBrief::new("sales", Form::Tint).levels(["coast", "day.year"]);
        let crosstab = crosstab(|brief| brief.emphasis([change(tint.clone())]));
        let text = draw(&crosstab, None);
        let of_legend = |line: &&str| line.contains("Sales") && !line.contains("20");
        text.lines().rfind(of_legend).unwrap_or_default().to_string()
    };
    type Case = (fn(EmphasisBrief) -> EmphasisBrief, &'static str);
    let cases: [Case; 8] = [
        (|e| e, "Sales, coast by day.year: 3 cells"),
        (|e| e.good(Side::Low), "; low is good"),
        (|e| e.about("mean"), "about mean"),
        (|e| e.about("0"), "about 0"),
        (|e| e.scale(ScaleBy::Rank), "last ··░░░▒▒▒▓▓▓█ first"),
        (|e| e.peers(PeersOf::Column), "each by its column: "),
        (|e| e.steps(2), "or more"),
        (|e| e.clip(("10%".into(), "90%".into())), "ends at 10% and 90%"),
    ];
    for (change, wanted) in cases {
        let line = said(change);
        assert!(line.contains(wanted), "{wanted} in {line}");
    }
}

#[test]
fn colour_and_its_absence() {
    let crosstab = crosstab(|brief| brief);
    let drawn =
        |colours| draw_terminal(&Layout::new(&crosstab), &TerminalOptions::default().colours(colours));
    for (colours, escape) in [(Colours::Full, "\u{1b}[48;2;"), (Colours::Indexed, "\u{1b}[48;5;")] {
        let coloured = drawn(colours);
        assert!(
            coloured.contains(escape) && coloured.contains("Sales, harbour by day.quarter"),
            "{coloured}"
        );
    }
    // On a dark ground the lowest is nearest to it, as on a light one.
    let ramp = |ground| {
        let options = TerminalOptions::default().colours(Colours::Full).ground(ground);
        let text = draw_terminal(&Layout::new(&crosstab), &options);
        let legend =
            text.lines().find(|line| line.contains("Sales, harbour by day.quarter")).unwrap().to_string();
        let tints = legend.split("\u{1b}[48;2;").skip(1).map(|rest| {
            let parts = rest.split(['m', ';', '\u{1b}']).take(3);
            parts.map(|part| part.parse::<u32>().unwrap()).sum::<u32>()
        });
        tints.collect::<Vec<u32>>()
    };
    let (light, dark) = (ramp(Ground::Light), ramp(Ground::Dark));
    assert!(light[0] > 700 && light[0] > *light.last().unwrap(), "{light:?}");
    assert!(dark[0] < 150 && dark[0] < *dark.last().unwrap(), "{dark:?}");
    let plain = drawn(Colours::None);
    assert!(!plain.contains('\u{1b}'), "a name must not bring escapes of its own");
    assert!(plain.contains('█') && plain.contains('·'), "signs stand for colours: {plain}");
}

/// A page sorts by exact values, also where floating point takes them for one.
#[test]
fn exact_values_are_ranked_exactly() {
    let amounts = numbers([1 + (1 << 53), 1 << 53, 2 + (1 << 53)].map(Some));
    let columns = [("coast", texts(["a", "b", "d"].map(Some))), ("amount", amounts)];
    let brief = Brief::new().rows(["coast"]).measure(("sales", "sum(amount)"));
    let crosstab = CrossTab::build(&brief, &mut source(columns)).unwrap();
    let page = draw_page(&crosstab);
    let ranks: Vec<&str> = page.split("data-r=\"").skip(1).map(|rest| &rest[..1]).collect();
    assert_eq!(ranks, ["2", "1", "3", "4"]);
}

/// A page is the same bytes in whatever order its lines come, its scales among them.
#[test]
fn a_page_does_not_depend_on_the_order_of_lines() {
    for (name, peers) in PeersOf::NAMES {
        let page = |order| {
            let tint = EmphasisBrief::new("sales", Form::Tint).peers(*peers);
            draw_page(&crosstab_of(order, |brief| brief.emphasis([tint.clone()])))
        };
        let wanted = page([0, 1, 2, 3, 4, 5]);
        for order in [[5, 4, 3, 2, 1, 0], [3, 4, 5, 0, 1, 2], [2, 5, 1, 4, 0, 3]] {
            assert!(page(order) == wanted, "peers {name}, lines {order:?}");
        }
    }
}

/// Without colour every tone has a sign of its own, the same in cells and in the legend.
#[test]
fn tones_have_signs() {
    let mut signs = Vec::new();
    for (_, tone) in Tone::NAMES {
        for form in [Form::Tint, Form::Ink] {
            let crosstab = crosstab(|brief| {
                let rule = RuleBrief::new().named("best").top(1).show(Show::Tone(*tone));
                let emphasis = EmphasisBrief::new("sales", form).levels(["coast"]).rule(rule);
                brief.columns([""; 0]).emphasis([emphasis])
            });
            let drawn = draw(&crosstab, None);
            // The legend names the rule after its sign; of an ink it shows a figure between.
            let legend = drawn.lines().find(|line| line.contains(" best")).unwrap();
            let sign = legend.split(" best").next().unwrap().chars().rfind(|c| !c.is_ascii()).unwrap();
            let table = &drawn[..drawn.find(legend).unwrap()];
            assert_eq!(table.matches(sign).count(), 1, "{tone}: {drawn}");
            signs.push((sign, tone));
        }
    }
    signs.sort();
    signs.dedup();
    assert_eq!(signs.len(), 6, "{signs:?}");
    signs.dedup_by_key(|(sign, _)| *sign);
    assert_eq!(signs.len(), 6, "{signs:?}");
}

/// The page names no other resource, escapes names, and is marked up as a table.
#[test]
fn the_page_is_whole_and_safe() {
    let page = draw_page(&crosstab(|brief| brief));
    for gone in ["<Skerry>", "http:", "https:", "src=", "url(", "@import", "<script src"] {
        assert!(!page.contains(gone), "{gone}");
    }
    for wanted in [
        "scope=\"colgroup\"",
        "scope=\"row\"",
        "@media print",
        "no harbour",
        "<h1",
        "Content-Security-Policy",
    ] {
        assert!(page.contains(wanted), "{wanted}");
    }
    let count = |what: &str| page.matches(what).count();
    assert_eq!((count("<table"), count("<tr"), count("</tr>")), (1, 9, 9));
    let main = &page[page.find("<main>").unwrap()..page.find("</main>").unwrap()];
    let mut settings = insta::Settings::clone_current();
    settings.set_prepend_module_to_snapshot(false);
    settings.bind(|| insta::assert_snapshot!("page", main));
}
