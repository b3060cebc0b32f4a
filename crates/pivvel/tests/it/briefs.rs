//! Briefs as text: what is read, what is refused, and that writing keeps everything.

use pivvel::{
    Assumed, AssumptionBrief, BadValues, Brief, DimensionBrief, EmphasisBrief, Form, ItemBrief, MeasureBrief,
    Negative, NumberFormat, PeersOf, Placement, RelatedBrief, RuleBrief, Scaling, Side, TierBrief, TopBrief,
    TotalsOf, Unit, ViewBrief, ViewForm, YardstickOf, brief_from_toml, brief_to_toml,
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
        (
            "[dimensions.coast]\nonly = []",
            "b.toml, line 2: dimensions.coast.only is an empty list; leave the key out",
        ),
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
        (
            "[[emphasis]]\non = \"m\"\npalette = \"watr\"",
            "b.toml, line 3: emphasis 1.palette: there is no palette \"watr\"; nearest: \"water\"",
        ),
        (
            "[[emphasis]]\non = \"m\"\npeers = \"sibling\"",
            "b.toml, line 3: emphasis 1.peers: there is no group of peers \"sibling\"; nearest: \"siblings\"",
        ),
        (
            "[[emphasis]]\non = \"m\"\nclip = [\"5%\"]",
            "b.toml, line 3: emphasis 1.clip wants two shares of the peers, as in [\"5%\", \"95%\"], not a list",
        ),
        (
            "[[emphasis]]\non = \"m\"\nsteps = \"three\"",
            "b.toml, line 3: emphasis 1.steps wants a whole number of steps, not a text",
        ),
        (
            "[[emphasis]]\non = \"m\"\nrules = [{ below = 0, shows = \"loss\" }]",
            "b.toml, line 3, emphasis 1, rule 1: there is no key \"shows\"; nearest: \"show\"",
        ),
        (
            "[[emphasis]]\non = \"m\"\nrules = [{ below = 0, show = \"los\" }]",
            "b.toml, line 3: emphasis 1, rule 1.show: there is no tone \"los\"; nearest: \"loss\"",
        ),
        (
            "[[emphasis]]\non = \"m\"\nas = \"symbol\"\nrules = [{ below = 0, show = 9 }]",
            "b.toml, line 4: emphasis 1, rule 1.show wants the number of a symbol from 1 to 5, not a number",
        ),
        (
            "[[emphasis]]\non = \"m\"\nrules = \"below 0\"",
            "b.toml, line 3: emphasis 1.rules wants a list of rules, as in [{ below = 0, name = \"loss\" }], not a text",
        ),
        (
            "[[views]]\nas = \"bar\"",
            "b.toml, line 2: view 1.as: there is no form of a view \"bar\"; nearest: \"bars\"",
        ),
        (
            "[[views]]\ngrid = { A = [0, 1] }",
            "b.toml, line 2: view 1.grid.A wants a column and a row from 1, as in [2, 1], not a list",
        ),
        ("[[views]]\ngrid = { A = [1, 1], B = [1, 1] }", "b.toml, line 2: view 1.grid.B stands where A does"),
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

fn text() -> BoxedStrategy<String> {
    "[a-zA-Z\"'\\\\ .äЖ=\n\\[\\]#]{1,12}".boxed()
}

fn names() -> BoxedStrategy<Vec<String>> {
    proptest::collection::vec(text(), 0..3).boxed()
}

fn placement() -> impl Strategy<Value = Placement> {
    prop_oneof![Just(Placement::Before), Just(Placement::After), Just(Placement::Off)]
}

fn format() -> BoxedStrategy<NumberFormat> {
    let scaling = prop_oneof![
        Just(Scaling::Ones),
        Just(Scaling::Thousands),
        Just(Scaling::Millions),
        Just(Scaling::Percent)
    ];
    (proptest::option::of(0..9u8), scaling, text(), text(), any::<bool>(), text())
        .prop_map(|(decimals, scaling, marks, before, brackets, blank)| NumberFormat {
            decimals,
            scaling,
            marks,
            before,
            blank,
            negative: if brackets { Negative::Brackets } else { Negative::Minus },
            ..NumberFormat::default()
        })
        .boxed()
}

fn assumed() -> BoxedStrategy<Assumed> {
    let number = (-99_999..99_999i128, 0..4u8, any::<bool>()).prop_map(|(digits, scale, percent)| {
        Assumed::Number { digits, scale: scale + if percent { 2 } else { 0 }, percent }
    });
    // A text that reads as a number is one.
    prop_oneof![number, "[a-z]{1,6}".prop_map(Assumed::Text)].boxed()
}

fn measures() -> BoxedStrategy<Vec<MeasureBrief>> {
    let levels = proptest::collection::btree_map(text(), proptest::option::of("[a-z+ ]{1,6}x"), 0..3);
    let measure = (text(), proptest::option::of(text()), format(), any::<[bool; 2]>(), levels);
    let measure = measure.prop_map(|(formula, label, format, [totals, hidden], levels)| MeasureBrief {
        label,
        format,
        totals,
        hidden,
        levels: levels.into_iter().collect(),
        ..MeasureBrief::new("", formula)
    });
    let named = |(name, m)| MeasureBrief { name, ..m };
    proptest::collection::btree_map(text(), measure, 0..3)
        .prop_map(move |all| all.into_iter().map(named).collect())
        .boxed()
}

fn dimensions() -> BoxedStrategy<Vec<DimensionBrief>> {
    use proptest::option::of;
    let top = (text(), text(), any::<[bool; 2]>(), of(text()));
    let top = top.prop_map(|(count, by, [bottom, overall], others)| TopBrief {
        count,
        by,
        bottom,
        overall,
        others,
    });
    let labels = proptest::collection::btree_map(text(), text(), 0..2);
    let order = prop_oneof![
        Just((None, Vec::new())),
        text().prop_map(|o| (Some(o), Vec::new())),
        names().prop_map(|l| (None, l))
    ];
    let dimension = (of(text()), order, of(top), of(text()), names(), names(), any::<bool>(), labels);
    let dimension =
        dimension.prop_map(|(label, (order, listed), top, having, only, except, shown, labels)| {
            DimensionBrief {
                name: String::new(),
                label,
                order,
                listed,
                top,
                having,
                only,
                except,
                totals_of: if shown { TotalsOf::Shown } else { TotalsOf::All },
                labels: labels.into_iter().collect(),
            }
        });
    let named = |(name, d)| DimensionBrief { name, ..d };
    proptest::collection::btree_map(text(), dimension, 0..3)
        .prop_map(move |all| all.into_iter().map(named).collect())
        .boxed()
}

/// The parts of a brief that say what is computed before there are cells.
fn sources() -> BoxedStrategy<Brief> {
    use proptest::collection::{btree_map, vec};
    use proptest::option::of;
    let tier = (text(), text(), vec("[1-9][0-9]{0,3}", 1..3), any::<bool>(), names(), names());
    let tier = tier.prop_map(|(of, by, cuts, quantiles, labels, within)| TierBrief {
        name: String::new(),
        of,
        by,
        cuts,
        quantiles,
        labels,
        within,
    });
    let item = (text(), text(), text(), of(format()), any::<bool>(), any::<Option<bool>>());
    let item = item.prop_map(|(dimension, name, formula, format, hidden, before_measures)| ItemBrief {
        dimension,
        name,
        formula,
        format,
        hidden,
        before_measures,
    });
    let assumption = (assumed(), of(assumed()), of(assumed()), names());
    let assumption = assumption.prop_map(|(value, low, high, choices)| AssumptionBrief {
        name: String::new(),
        value,
        low,
        high,
        choices,
    });
    let related = (text(), btree_map(text(), text(), 1..3));
    let related = related.prop_map(|(source, keys)| RelatedBrief {
        name: String::new(),
        source,
        keys: keys.into_iter().collect(),
    });
    (
        btree_map(text(), text(), 0..3),
        btree_map(text(), tier, 0..2),
        vec(item, 0..3),
        btree_map(text(), assumption, 0..2),
        btree_map(text(), related, 0..2),
    )
        .prop_map(|(derived, tiers, items, assumptions, related)| Brief {
            derived: derived.into_iter().collect(),
            tiers: tiers.into_iter().map(|(name, t)| TierBrief { name, ..t }).collect(),
            items,
            assumptions: assumptions.into_iter().map(|(name, a)| AssumptionBrief { name, ..a }).collect(),
            related: related.into_iter().map(|(name, r)| RelatedBrief { name, ..r }).collect(),
            ..Brief::new()
        })
        .boxed()
}

/// Anything that a name in a list can be.
fn one_of<T: Clone + std::fmt::Debug + 'static>(all: &[(&'static str, T)]) -> BoxedStrategy<T> {
    proptest::sample::select(all.iter().map(|(_, value)| value.clone()).collect::<Vec<_>>()).boxed()
}

fn side() -> BoxedStrategy<Option<Side>> {
    proptest::option::of(prop_oneof![Just(Side::High), Just(Side::Low)]).boxed()
}

fn rule(form: Form) -> BoxedStrategy<RuleBrief> {
    use proptest::option::of;
    let bounds = proptest::array::uniform5(of(text()));
    let shows: Vec<String> = match form {
        Form::Symbol => (1..=5).map(|step| step.to_string()).collect(),
        _ => pivvel::tone_names().map(str::to_string).collect(),
    };
    let show = of(proptest::sample::select(shows));
    (of(text()), show, bounds, side(), any::<[bool; 2]>(), of(text()))
        .prop_map(|(name, show, [from, below, is, top, bottom], mean, [blank, share], when)| RuleBrief {
            name,
            show,
            from,
            below,
            is,
            top,
            bottom,
            mean,
            blank,
            when,
            unit: if share { Unit::Share } else { Unit::Position },
        })
        .boxed()
}

fn emphasis() -> BoxedStrategy<EmphasisBrief> {
    use proptest::option::of;
    let yardstick = prop_oneof![
        Just(YardstickOf::Shown),
        Just(YardstickOf::All),
        "[a-z]{5,8}".prop_map(|stem| YardstickOf::Kept(format!("{stem}.json"))),
    ];
    let names_of =
        |all: Vec<&'static str>| of(proptest::sample::select(all)).prop_map(|name| name.map(str::to_string));
    let texts = (text(), proptest::array::uniform7(of(text())));
    let lists = (names(), one_of(&PeersOf::NAMES), yardstick, any::<[bool; 3]>());
    let scale = (of((text(), text())), of(2..9u8), side());
    let looks = (names_of(pivvel::palette_names().collect()), names_of(pivvel::symbol_names().collect()));
    let rules =
        one_of(&Form::NAMES).prop_flat_map(|form| (Just(form), proptest::collection::vec(rule(form), 0..3)));
    (texts, lists, scale, looks, rules)
        .prop_map(|((on, texts), lists, (clip, steps, good), (palette, symbols), (form, rules))| {
            let [by, only, about, low, high, along, link] = texts;
            let (levels, peers, yardstick, [whole_row, by_rank, hide_figure]) = lists;
            EmphasisBrief {
                on,
                form,
                by,
                only,
                levels,
                whole_row,
                peers,
                yardstick,
                by_rank,
                about,
                clip,
                low,
                high,
                steps,
                rules,
                good,
                palette,
                symbols,
                hide_figure,
                along,
                link,
            }
        })
        .boxed()
}

fn view() -> BoxedStrategy<ViewBrief> {
    use proptest::option::of;
    let grid = proptest::collection::btree_map((1..9u32, 1..9u32), text(), 0..3);
    let lists = (of(names()), of(names()), names());
    let texts = proptest::array::uniform4(of(text()));
    (one_of(&ViewForm::NAMES), lists, texts, any::<bool>(), grid)
        .prop_map(|(form, (rows, columns, measures), [title, filter, per, along], own_scales, grid)| {
            let mut grid: Vec<_> = grid.into_iter().map(|(place, member)| (member, place)).collect();
            grid.sort();
            grid.dedup_by(|a, b| a.0 == b.0);
            ViewBrief { title, form, rows, columns, filter, measures, per, own_scales, along, grid }
        })
        .boxed()
}

pub(crate) fn brief() -> BoxedStrategy<Brief> {
    use proptest::collection::{btree_map, vec};
    use proptest::option::of;
    let totals = btree_map(prop_oneof![Just(String::new()), text()], placement(), 0..3);
    let heads = (of(text()), of(text()), names(), names(), of(text()), names());
    let more =
        (totals, vec(emphasis(), 0..3), btree_map(text(), text(), 0..3), any::<bool>(), vec(view(), 0..2));
    (heads, measures(), dimensions(), sources(), more)
        .prop_map(|((title, source, rows, columns, filter, to), measures, dimensions, sources, more)| {
            let (totals, emphasis, kinds, blank, views) = more;
            Brief {
                title,
                source,
                rows,
                columns,
                filter,
                to,
                measures,
                dimensions,
                totals: totals.into_iter().collect(),
                emphasis,
                views,
                kinds: kinds.into_iter().collect(),
                bad_values: if blank { BadValues::Blank } else { BadValues::Stop },
                ..sources
            }
        })
        .boxed()
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 80, ..ProptestConfig::default() })]

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
