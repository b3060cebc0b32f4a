//! Briefs as text: what is read, what is refused, and that writing keeps everything.

use pivvel::{
    BadValues, Brief, EmphasisBrief, Form, MeasureBrief, Negative, NumberFormat, Placement, Scaling,
    brief_from_toml, brief_to_toml,
};
use proptest::prelude::*;

/// Every wrong brief gets one message, with its line.
#[test]
fn wrong_briefs_say_where_and_what() {
    let cases = [
        (
            "rows = [\"a\"]\ncolums = [\"b\"]",
            "b.toml, line 2: there is no key \"colums\"; nearest: \"columns\"",
        ),
        ("rows = 3", "b.toml, line 1: rows wants a list of texts, not a number"),
        ("rows = [1]", "b.toml, line 1: rows wants a list of texts only, not a list"),
        (
            "title = ",
            "b.toml, line 1: this is not TOML: string values must be quoted, expected literal string",
        ),
        (
            "[measures]\nm = 1",
            "b.toml, line 2: measures.m wants a formula, or a table with one, not a number",
        ),
        (
            "[measures]\nm = { label = \"x\" }",
            "b.toml, line 2: measures.m has no formula, as in formula = \"sum(amount)\"",
        ),
        (
            "[measures]\nm = { formula = \"x\", format = \"monney\" }",
            "b.toml, line 2: measures.m.format: there is no number format \"monney\"; nearest: \"money\"",
        ),
        (
            "[measures]\nm = { formula = \"x\", format = { decimals = 40 } }",
            "b.toml, line 2: measures.m.format.decimals wants a whole number from 0 to 18, not a number",
        ),
        (
            "[dimensions.sold_on.quarter]\nlabel = \"x\"",
            "b.toml, line 1: write the name in quotes: [dimensions.\"sold_on.quarter\"]",
        ),
        (
            "[[emphasis]]\nas = \"tint\"",
            "b.toml, line 1: emphasis 1 says on which measure it is: on = \"sales\"",
        ),
        (
            "[[emphasis]]\non = \"m\"\nas = \"tnt\"",
            "b.toml, line 3: emphasis 1.as: there is no form \"tnt\"; nearest: \"tint\"",
        ),
        ("totals = \"of\"", "b.toml, line 1: totals: there is no place for totals \"of\"; nearest: \"off\""),
        (
            "bad_values = \"stopp\"",
            "b.toml, line 1: bad_values: there is no choice \"stopp\"; nearest: \"stop\"",
        ),
    ];
    for (text, message) in cases {
        let error = brief_from_toml("b.toml", text).unwrap_err();
        assert!(error.is_request());
        assert_eq!(error.to_string(), message, "{text}");
    }
}

fn text() -> impl Strategy<Value = String> {
    "[a-zA-Z\"'\\\\ .äЖ=\n\\[\\]#]{1,12}"
}

fn names() -> impl Strategy<Value = Vec<String>> {
    proptest::collection::vec(text(), 0..3)
}

fn placement() -> impl Strategy<Value = Placement> {
    prop_oneof![Just(Placement::Before), Just(Placement::After), Just(Placement::Off)]
}

fn format() -> impl Strategy<Value = NumberFormat> {
    let scaling = prop_oneof![
        Just(Scaling::Ones),
        Just(Scaling::Thousands),
        Just(Scaling::Millions),
        Just(Scaling::Percent)
    ];
    (proptest::option::of(0..9u8), scaling, text(), text(), any::<bool>(), text()).prop_map(
        |(decimals, scaling, marks, before, brackets, blank)| NumberFormat {
            decimals,
            scaling,
            marks,
            before,
            blank,
            negative: if brackets { Negative::Brackets } else { Negative::Minus },
            ..NumberFormat::default()
        },
    )
}

fn brief() -> impl Strategy<Value = Brief> {
    let measure = (text(), text(), proptest::option::of(text()), format(), any::<bool>()).prop_map(
        |(name, formula, label, format, totals)| MeasureBrief {
            label,
            format,
            totals,
            ..MeasureBrief::new(name, formula)
        },
    );
    let measures = proptest::collection::btree_map(text(), measure, 0..3).prop_map(|measures| {
        measures.into_iter().map(|(name, m)| MeasureBrief { name, ..m }).collect::<Vec<_>>()
    });
    let totals = proptest::collection::btree_map(prop_oneof![Just(String::new()), text()], placement(), 0..3)
        .prop_map(|totals| totals.into_iter().collect::<Vec<_>>());
    let emphasis = proptest::collection::vec((text(), names()), 0..3).prop_map(|all| {
        all.into_iter().map(|(on, levels)| EmphasisBrief { on, form: Form::Tint, levels }).collect::<Vec<_>>()
    });
    let orders = proptest::collection::btree_map(text(), text(), 0..3);
    let kinds = proptest::collection::btree_map(text(), text(), 0..3);
    (
        (
            proptest::option::of(text()),
            proptest::option::of(text()),
            names(),
            names(),
            proptest::option::of(text()),
        ),
        measures,
        (totals, emphasis, orders, kinds, any::<bool>(), names()),
    )
        .prop_map(|((title, source, rows, columns, filter), measures, more)| {
            let (totals, emphasis, orders, kinds, blank, to) = more;
            let mut brief = Brief {
                title,
                source,
                rows,
                columns,
                filter,
                measures,
                totals,
                emphasis,
                to,
                ..Brief::new()
            };
            brief.bad_values = if blank { BadValues::Blank } else { BadValues::Stop };
            brief.kinds = kinds.into_iter().collect();
            orders.into_iter().for_each(|(name, order)| brief.dimension(&name).order = Some(order));
            brief
        })
}

proptest! {
    /// Whatever a brief holds, writing and reading it gives the same brief.
    #[test]
    fn writing_keeps_everything(brief in brief()) {
        let text = brief_to_toml(&brief);
        match brief_from_toml("again", &text) {
            Ok(again) => prop_assert_eq!(again, brief, "{}", text),
            Err(error) => prop_assert!(false, "{error}\n{text}"),
        }
    }

    /// No text makes the reader panic.
    #[test]
    fn reading_never_panics(text in "\\PC{0,80}", brief in brief(), cut: prop::sample::Index) {
        let _ = brief_from_toml("any", &text);
        let written = brief_to_toml(&brief);
        let at = written.char_indices().map(|(i, _)| i).nth(cut.index(written.chars().count().max(1))).unwrap_or(0);
        let _ = brief_from_toml("cut", &written[..at]);
    }
}
