//! Briefs as text: what is read, what is refused, and that writing keeps everything.

use pivvel::brief::{
    Amount, Apply, AssumptionBrief, BadValues, DimensionBrief, Direction, EmphasisBrief, Figure, FillBrief,
    Filled, FilledCells, Form, ItemBrief, MeanSide, MeasureBrief, Negative, NumberFormat, Order, OrderBy,
    PaletteBrief, PaletteName, PaletteOf, PanelScale, PeersOf, Placement, Reach, RelatedBrief, RuleBrief,
    ScaleBy, Scaling, Show, Side, SymbolSet, Template, TierBrief, Tone, TopBrief, TotalsOf, Unit, ViewBrief,
    ViewForm, YardstickOf,
};
use pivvel::formula::Formula;
use pivvel::{Brief, Decimal, brief};
use proptest::prelude::*;

/// Every wrong brief gets one message, with its line.
#[test]
fn wrong_briefs_say_where_and_what() {
    let cases = [
        "rows = [\"a\"]\ncolums = [\"b\"]",
        "rows = 3",
        "[dimensions.coast]\nonly = []",
        "rows = [1]",
        "title = ",
        "[measures]\nm = 1",
        "[measures]\nm = { label = \"x\" }",
        "[measures]\nm = { formula = \"x\", format = \"monney\" }",
        "[measures]\nm = { formula = \"x\", format = { decimals = 40 } }",
        "[dimensions.sold_on.quarter]\nlabel = \"x\"",
        "[[emphasis]]\nas = \"tint\"",
        "[[emphasis]]\non = \"m\"\nas = \"tnt\"",
        "[palettes]\nhouse = { hi = \"teal\" }",
        "[[emphasis]]\non = \"m\"\npeers = \"sibling\"",
        "[[emphasis]]\non = \"m\"\nclip = [\"5%\"]",
        "[[emphasis]]\non = \"m\"\nsteps = \"three\"",
        "[[emphasis]]\non = \"m\"\nrules = [{ below = 0, shows = \"loss\" }]",
        "fill = [{ members = [\"A\"] }]",
        "[[emphasis]]\non = \"m\"\nas = \"symbol\"\nrules = [{ below = 0, show = 9 }]",
        "[[emphasis]]\non = \"m\"\nrules = \"below 0\"",
        "[[views]]\nas = \"bar\"",
        "[[views]]\ngrid = { A = [0, 1] }",
        "[[views]]\ngrid = { A = [1, 1], B = [1, 1] }",
        "totals = \"of\"",
        "bad_values = \"stopp\"",
        "[measures]\nm = \"sum(amount\"",
        "where = \"coast = \"",
        "[tiers.size]\nof = \"yard\"\nby = \"sum(amount)\"",
        "low = 1",
        "[[emphasis]]\non = \"m\"\nlow = 0.1234567890123456789",
    ];
    let mut messages = String::new();
    for text in cases {
        let error = brief::from_toml("b.toml", text).unwrap_err();
        assert!(error.is_request());
        messages += &format!("{text}\n→ {error}\n\n");
    }
    insta::assert_snapshot!(messages);
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

fn amount() -> BoxedStrategy<Amount> {
    let number = (-99_999..99_999i128, 0..4u8, any::<bool>()).prop_map(|(digits, scale, percent)| {
        Amount::Number { number: Decimal::new(digits, scale + if percent { 2 } else { 0 }), percent }
    });
    // A text that reads as a number is one.
    prop_oneof![number, "[a-z]{1,6}".prop_map(Amount::Text)].boxed()
}

fn template() -> BoxedStrategy<Template> {
    prop_oneof![text(), (text(), text()).prop_map(|(a, b)| format!("{a} {{{b}}}"))]
        .prop_map(Template::from)
        .boxed()
}

fn formula() -> BoxedStrategy<Formula> {
    let texts = prop_oneof![
        "[a-z]{1,6}x",
        "[a-z]{1,6}x [-+*/] [a-z]{1,6}x",
        "sum\\([a-z]{1,6}x where [a-z]{1,6}x = '[a-z ]{1,6}'\\)",
        "[a-z]{1,6}x at parent",
    ];
    texts.prop_map(Formula::from).boxed()
}

fn words<T: Copy + std::fmt::Debug + 'static>(all: &'static [(&'static str, T)]) -> BoxedStrategy<T> {
    proptest::sample::select(all).prop_map(|(_, value)| value).boxed()
}

fn measures() -> BoxedStrategy<Vec<MeasureBrief>> {
    let levels = proptest::collection::btree_map(text(), proptest::option::of(formula()), 0..3);
    let measure = (formula(), proptest::option::of(template()), format(), any::<[bool; 2]>(), levels);
    let measure = (measure, proptest::option::of(words(Filled::NAMES)));
    let measure =
        measure.prop_map(|((formula, label, format, [totals, hidden], levels), fill)| MeasureBrief {
            fill,
            label,
            format,
            totals,
            hidden,
            levels: levels.into_iter().map(|(level, formula)| (level.into(), formula)).collect(),
            ..MeasureBrief::new("", formula)
        });
    let named = |(name, m)| MeasureBrief { name, ..m };
    proptest::collection::btree_map(text(), measure, 0..3)
        .prop_map(move |all| all.into_iter().map(named).collect())
        .boxed()
}

fn dimensions() -> BoxedStrategy<Vec<DimensionBrief>> {
    use proptest::option::of;
    let top = (amount(), formula(), any::<bool>(), of(template()));
    let top = top.prop_map(|(count, by, overall, others)| TopBrief { count, by, overall, others });
    let labels = proptest::collection::btree_map(text(), template(), 0..2);
    let colours = proptest::collection::btree_map(text(), text(), 0..2);
    let by = prop_oneof![
        Just(OrderBy::Natural),
        Just(OrderBy::Label),
        formula().prop_map(OrderBy::Cells),
        proptest::collection::vec(text(), 1..3).prop_map(OrderBy::Members)
    ];
    let order = (by, any::<bool>()).prop_map(|(by, down)| {
        let down = down && !matches!(by, OrderBy::Members(_));
        Order { by, direction: if down { Direction::Descending } else { Direction::Ascending } }
    });
    let tops = (of(top.clone()), of(top));
    let dimension = (
        of(template()),
        of(order),
        tops,
        of(formula()),
        names(),
        names(),
        words(TotalsOf::NAMES),
        (labels, colours, proptest::option::of(text())),
    );
    let dimension = dimension.prop_map(
        |(label, order, (top, bottom), having, only, except, totals_of, (labels, colours, colours_of))| {
            DimensionBrief {
                name: String::new(),
                label,
                order,
                top,
                bottom,
                having,
                only,
                except,
                totals_of,
                labels: labels.into_iter().collect(),
                colours: colours.into_iter().collect(),
                colours_of,
            }
        },
    );
    let named = |(name, d)| DimensionBrief { name, ..d };
    proptest::collection::btree_map(text(), dimension, 0..3)
        .prop_map(move |all| all.into_iter().map(named).collect())
        .boxed()
}

/// The parts of a brief that say what is computed before there are cells.
fn sources() -> BoxedStrategy<Brief> {
    use proptest::collection::{btree_map, vec};
    use proptest::option::of;
    let tier = (text(), formula(), vec(amount(), 1..3), any::<bool>(), vec(template(), 0..3), names());
    let tier = tier.prop_map(|(of, by, amounts, shares, labels, within)| {
        let (cuts, quantiles) = if shares { (Vec::new(), amounts) } else { (amounts, Vec::new()) };
        TierBrief { name: String::new(), of, by, cuts, quantiles, labels, within }
    });
    let item = (text(), text(), formula(), of(format()), any::<bool>(), of(words(Apply::NAMES)));
    let item = item.prop_map(|(dimension, name, formula, format, hidden, apply)| ItemBrief {
        dimension,
        name,
        formula,
        format,
        hidden,
        apply,
    });
    let assumption = (amount(), of(amount()), of(amount()), of(amount()), vec(amount(), 0..3));
    let assumption = assumption.prop_map(|(value, low, high, step, choices)| AssumptionBrief {
        name: String::new(),
        value,
        low,
        high,
        step,
        choices,
    });
    let fill = (vec(text(), 1..3), names(), of(text()), of(text()), of(text()));
    let fill =
        fill.prop_map(|(of, members, related, first, last)| FillBrief { of, members, related, first, last });
    let related = (text(), btree_map(text(), text(), 1..3));
    let related = related.prop_map(|(source, keys)| RelatedBrief {
        name: String::new(),
        source,
        keys: keys.into_iter().collect(),
    });
    (
        btree_map(text(), formula(), 0..3),
        btree_map(text(), tier, 0..2),
        vec(item, 0..3),
        btree_map(text(), assumption, 0..2),
        btree_map(text(), related, 0..2),
        vec(fill, 0..3),
        btree_map(text(), (text(), of(text())), 0..2),
    )
        .prop_map(|(derived, tiers, items, assumptions, related, fill, palettes)| Brief {
            fill,
            palettes: palettes
                .into_iter()
                .map(|(name, (high, low))| PaletteBrief { name, high, low })
                .collect(),
            derived: derived.into_iter().collect(),
            tiers: tiers.into_iter().map(|(name, t)| TierBrief { name, ..t }).collect(),
            items,
            assumptions: assumptions.into_iter().map(|(name, a)| AssumptionBrief { name, ..a }).collect(),
            related: related.into_iter().map(|(name, r)| RelatedBrief { name, ..r }).collect(),
            ..Brief::new()
        })
        .boxed()
}

fn rule(form: Form) -> BoxedStrategy<RuleBrief> {
    use proptest::option::of;
    let bounds = proptest::array::uniform7(of(amount()));
    let shows: Vec<Show> = match form {
        Form::Symbol => (1..=5).map(Show::Symbol).collect(),
        _ => {
            let palettes = [PaletteName::Moor.into(), PaletteOf::Own("own".into())].map(Show::Palette);
            Tone::NAMES.iter().map(|(_, tone)| Show::Tone(*tone)).chain(palettes).collect()
        }
    };
    let looks = (of(proptest::sample::select(shows)), of(words(MeanSide::NAMES)), words(Unit::NAMES));
    (of(template()), bounds, looks, any::<bool>(), of(formula()))
        .prop_map(|(name, bounds, (show, mean, unit), blank, when)| {
            let [from, above, below, up_to, is, top, bottom] = bounds;
            RuleBrief { name, show, from, above, below, up_to, is, top, bottom, mean, blank, when, unit }
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
    let texts = (of(text()), text(), of(text()), of(template()));
    let formulas = proptest::array::uniform3(of(formula()));
    let lists = (
        names(),
        words(PeersOf::NAMES),
        (yardstick, words(FilledCells::NAMES)),
        words(Reach::NAMES),
        words(ScaleBy::NAMES),
    );
    let ends = (of((amount(), amount())), of(amount()), of(amount()));
    let palette = prop_oneof![
        words(PaletteName::NAMES).prop_map(PaletteOf::Named),
        "own [a-z]{1,4}".prop_map(PaletteOf::Own),
    ];
    let looks = (of(palette), of(words(SymbolSet::NAMES)));
    let looks = (looks, of(2..9u8), of(words(Side::NAMES)), words(Figure::NAMES));
    let rules =
        words(Form::NAMES).prop_flat_map(|form| (Just(form), proptest::collection::vec(rule(form), 0..3)));
    (texts, formulas, lists, ends, looks, rules)
        .prop_map(
            |((name, on, along, link), [by, only, about], lists, (clip, low, high), looks, (form, rules))| {
                let (levels, peers, (yardstick, filled), reach, scale) = lists;
                let ((palette, symbols), steps, good, figure) = looks;
                EmphasisBrief {
                    name,
                    on,
                    form,
                    by,
                    only,
                    levels: levels.into_iter().map(Into::into).collect(),
                    reach,
                    peers,
                    yardstick,
                    filled,
                    scale,
                    about,
                    clip,
                    low,
                    high,
                    steps,
                    good,
                    palette,
                    symbols,
                    figure,
                    along,
                    link,
                    rules,
                }
            },
        )
        .boxed()
}

fn view() -> BoxedStrategy<ViewBrief> {
    use proptest::option::of;
    let grid = proptest::collection::btree_map((1..9u32, 1..9u32), text(), 0..3);
    let lists = (of(names()), of(names()), names());
    let texts = ((of(template()), of(text()), of(text())), of(formula()), words(PanelScale::NAMES));
    (words(ViewForm::NAMES), lists, texts, grid)
        .prop_map(|(form, (rows, columns, measures), ((title, per, along), filter, scale), grid)| {
            let mut grid: Vec<_> = grid.into_iter().map(|(place, member)| (member, place)).collect();
            grid.sort();
            grid.dedup_by(|a, b| a.0 == b.0);
            ViewBrief { title, form, rows, columns, filter, measures, per, scale, along, grid }
        })
        .boxed()
}

pub(crate) fn brief() -> BoxedStrategy<Brief> {
    use proptest::collection::{btree_map, vec};
    use proptest::option::of;
    let totals = btree_map(prop_oneof![Just(String::new()), text()], placement(), 0..3);
    let heads = (of(template()), of(text()), names(), names(), of(formula()), names());
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
        let text = brief::to_toml(&brief);
        match brief::from_toml("again", &text) {
            Ok(again) => prop_assert_eq!(again, brief, "{}", text),
            Err(error) => prop_assert!(false, "{error}\n{text}"),
        }
    }

    /// No text makes the reader panic.
    #[test]
    fn reading_never_panics(text in "\\PC{0,80}", brief in brief(), cut: prop::sample::Index) {
        let _ = brief::from_toml("any", &text);
        let written = brief::to_toml(&brief);
        let at = written.char_indices().map(|(i, _)| i).nth(cut.index(written.chars().count().max(1))).unwrap_or(0);
        let _ = brief::from_toml("cut", &written[..at]);
    }
}
