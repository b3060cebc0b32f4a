//! Briefs as text: what is read, what is refused, and that writing keeps everything.

use std::collections::{BTreeMap, BTreeSet};

use pivvel::brief::{
    Amount, Apply, AssumptionBrief, BadValues, ControlBrief, DimensionBrief, Direction, EmphasisBrief,
    Figure, FillBrief, Filled, FilledCells, Form, ItemBrief, MeanSide, MeasureBrief, Negative, NumberFormat,
    Order, OrderBy, PageBrief, PaletteBrief, PaletteName, PaletteOf, PanelScale, PeersOf, Placement, Reach,
    RelatedBrief, RuleBrief, ScaleBy, Scaling, Show, Side, SymbolSet, Template, TierBrief, Tone, TopBrief,
    TotalsOf, Unit, ViewBrief, ViewForm, YardstickOf,
};
use pivvel::formula::Formula;
use pivvel::{Brief, Decimal, brief};
use proptest::prelude::*;
use proptest::strategy::ValueTree;
use proptest::test_runner::TestRunner;
use serde_json::{Value, json};

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

/// With what is there of a key that may be absent.
fn with<T, V>(of: T, value: Option<V>, set: impl Fn(T, V) -> T) -> T {
    value.into_iter().fold(of, set)
}

type Levels = BTreeMap<String, Option<Formula>>;

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
        .prop_map(|(decimals, scaling, marks, before, brackets, blank)| {
            let format = NumberFormat::default().decimals(decimals).scaling(scaling).marks(marks);
            let negative = if brackets { Negative::Brackets } else { Negative::Minus };
            format.before(before).blank(blank).negative(negative)
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
    type Rest = ((Formula, Option<Template>, NumberFormat, [bool; 2], Levels), Option<Filled>);
    let named = |(name, ((formula, label, format, [totals, hidden], levels), fill)): (String, Rest)| {
        let measure = MeasureBrief::new(name, formula).format(format);
        let measure = measure.totals(totals).hidden(hidden);
        let measure = measure.levels(levels.into_iter().map(|(level, formula)| (level.into(), formula)));
        with(with(measure, label, MeasureBrief::label), fill, MeasureBrief::fill)
    };
    proptest::collection::btree_map(text(), measure, 0..3)
        .prop_map(move |all| all.into_iter().map(named).collect())
        .boxed()
}

fn dimensions() -> BoxedStrategy<Vec<DimensionBrief>> {
    use proptest::option::of;
    let top = (amount(), formula(), any::<bool>(), of(template()));
    let top = top.prop_map(|(count, by, overall, others)| {
        with(TopBrief::new(count, by).overall(overall), others, TopBrief::others)
    });
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
        Order::new(by, if down { Direction::Descending } else { Direction::Ascending })
    });
    let tops = of((top, any::<bool>()));
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
    let named = |(name, dimension)| {
        let (label, order, top, having, only, except, totals_of, more) = dimension;
        let (labels, colours, colours_of): (BTreeMap<_, _>, BTreeMap<_, _>, _) = more;
        let own = DimensionBrief::new(name).only(only).except(except).totals_of(totals_of);
        let own = own.labels(labels).colours(colours);
        let own = with(with(own, label, DimensionBrief::label), order, DimensionBrief::order);
        let own = with(own, top, |own, (top, lowest)| if lowest { own.bottom(top) } else { own.top(top) });
        with(with(own, having, DimensionBrief::having), colours_of, DimensionBrief::colours_of)
    };
    proptest::collection::btree_map(text(), dimension, 0..3)
        .prop_map(move |all| all.into_iter().map(named).collect())
        .boxed()
}

/// The parts of a brief that say what is computed before there are cells.
fn sources() -> BoxedStrategy<Brief> {
    use proptest::collection::{btree_map, vec};
    use proptest::option::of;
    let tier = (text(), formula(), vec(amount(), 1..3), any::<bool>(), vec(template(), 0..3), names());
    let tier_of = |(name, (of, by, amounts, shares, labels, within))| {
        let (of, by): (String, Formula) = (of, by);
        let own = TierBrief::new(name, of, by).labels::<Template>(labels).within::<String>(within);
        if shares { own.quantiles::<Amount>(amounts) } else { own.cuts::<Amount>(amounts) }
    };
    let item = (text(), text(), formula(), of(format()), any::<bool>(), of(words(Apply::NAMES)));
    let item = item.prop_map(|(dimension, name, formula, format, hidden, apply)| {
        let own = ItemBrief::new(dimension, name, formula).hidden(hidden);
        with(with(own, format, ItemBrief::format), apply, ItemBrief::apply)
    });
    let assumption = (amount(), of(amount()), of(amount()), of(amount()), vec(amount(), 0..3));
    let assumed = |(name, (value, low, high, step, choices))| {
        let own = AssumptionBrief::new(name, value).choices::<Amount>(choices);
        let own = with(with(own, low, AssumptionBrief::low), high, AssumptionBrief::high);
        with(own, step, AssumptionBrief::step)
    };
    let fill = (vec(text(), 1..3), names(), of(text()), of(text()), of(text()));
    let fill = fill.prop_map(|(of, members, related, first, last)| {
        let own = FillBrief::together(of).members(members);
        with(with(with(own, related, FillBrief::related), first, FillBrief::first), last, FillBrief::last)
    });
    let related = (text(), btree_map(text(), text(), 1..3));
    let table = |(name, (source, keys))| {
        let keys: BTreeMap<String, String> = keys;
        RelatedBrief::new::<&str>(name, source, []).keys(keys)
    };
    let house = |(name, (high, low))| with(PaletteBrief::new(name, high), low, PaletteBrief::low);
    (
        btree_map(text(), formula(), 0..3),
        btree_map(text(), tier, 0..2),
        vec(item, 0..3),
        btree_map(text(), assumption, 0..2),
        btree_map(text(), related, 0..2),
        vec(fill, 0..3),
        btree_map(text(), (text(), of(text())), 0..2),
    )
        .prop_map(move |(derived, tiers, items, assumptions, related, fill, palettes)| {
            let brief = Brief::new().derived(derived).tiers(tiers.into_iter().map(tier_of)).items(items);
            let brief = brief.assumptions(assumptions.into_iter().map(assumed));
            let brief = brief.palettes(palettes.into_iter().map(house));
            let brief = related.into_iter().map(table).fold(brief, Brief::related);
            fill.into_iter().fold(brief, Brief::fill)
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
            let own = RuleBrief::new().blank(blank).unit(unit);
            let own = with(with(own, name, RuleBrief::named), show, RuleBrief::show);
            let own = with(with(own, from, RuleBrief::at_least), above, RuleBrief::above);
            let own = with(with(own, below, RuleBrief::below), up_to, RuleBrief::up_to);
            let own = with(with(own, is, RuleBrief::is), top, RuleBrief::top);
            let own = with(with(own, bottom, RuleBrief::bottom), mean, RuleBrief::mean);
            with(own, when, RuleBrief::when)
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
                let own = EmphasisBrief::new(on, form).levels(levels).reach(reach).peers(peers).scale(scale);
                let own = own.yardstick(yardstick).filled(filled).figure(figure).rules(rules);
                let own = with(with(own, name, EmphasisBrief::named), by, EmphasisBrief::by);
                let own = with(with(own, only, EmphasisBrief::only), about, EmphasisBrief::about);
                let own = with(with(own, clip, EmphasisBrief::clip), low, EmphasisBrief::low);
                let own = with(with(own, high, EmphasisBrief::high), steps, EmphasisBrief::steps);
                let own = with(with(own, good, EmphasisBrief::good), palette, EmphasisBrief::palette);
                let own = with(with(own, symbols, EmphasisBrief::symbols), along, EmphasisBrief::along);
                with(own, link, EmphasisBrief::link)
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
            let own = ViewBrief::new(form).measures(measures).scale(scale).grid(grid);
            let own = with(with(own, title, ViewBrief::title), filter, ViewBrief::filter);
            let own = with(with(own, rows, ViewBrief::rows), columns, ViewBrief::columns);
            with(with(own, per, ViewBrief::per), along, ViewBrief::along)
        })
        .boxed()
}

pub(crate) fn brief() -> BoxedStrategy<Brief> {
    use proptest::collection::{btree_map, vec};
    use proptest::option::of;
    let totals = btree_map(prop_oneof![Just(String::new()), text()], placement(), 0..3);
    let heads = (of(template()), of(text()), names(), names(), of(formula()), names());
    let control = (text(), of(template()), any::<bool>());
    let control = control.prop_map(|(name, label, several)| {
        with(ControlBrief::new(name).several(several), label, ControlBrief::label)
    });
    let page = (vec(control, 0..2), any::<bool>(), of(text()));
    let more = (
        totals,
        vec(emphasis(), 0..3),
        btree_map(text(), text(), 0..3),
        any::<bool>(),
        vec(view(), 0..2),
        page,
    );
    (heads, measures(), dimensions(), sources(), more)
        .prop_map(|((title, source, rows, columns, filter, to), measures, dimensions, sources, more)| {
            let (totals, emphasis, kinds, blank, views, (controls, script, appearance)) = more;
            let brief = sources.rows(rows).columns(columns).to(to).measures(measures).dimensions(dimensions);
            let brief = brief.totals(totals).emphasis(emphasis).views(views).kinds(kinds);
            let brief = brief.bad_values(if blank { BadValues::Blank } else { BadValues::Stop });
            let brief = brief.page(PageBrief::new().controls(controls).script(script));
            let brief = with(brief, appearance, Brief::appearance);
            with(with(with(brief, title, Brief::title), source, Brief::source), filter, Brief::filter)
        })
        .boxed()
}

/// The keys of tables, wherever they stand.
fn keys(of: &Value, all: &mut BTreeSet<String>) {
    match of {
        Value::Object(table) => table.iter().for_each(|(key, value)| {
            all.insert(key.clone());
            keys(value, all);
        }),
        Value::Array(list) => list.iter().for_each(|value| keys(value, all)),
        _ => {}
    }
}

/// The keys that the schema of briefs knows.
fn known_keys(schema: &Value, all: &mut BTreeSet<String>) {
    if let Some(Value::Object(known)) = schema.get("properties") {
        all.extend(known.keys().cloned());
    }
    match schema {
        Value::Object(parts) => parts.values().for_each(|part| known_keys(part, all)),
        Value::Array(parts) => parts.iter().for_each(|part| known_keys(part, all)),
        _ => {}
    }
}

/// A key that is added is tried by the properties below, or missing here.
#[test]
fn random_briefs_have_every_key() {
    let (mut known, mut met) = (BTreeSet::new(), BTreeSet::new());
    known_keys(&serde_json::from_str(brief::schema()).unwrap(), &mut known);
    let (briefs, mut runner) = (brief(), TestRunner::deterministic());
    for _ in 0..200 {
        let brief = briefs.new_tree(&mut runner).unwrap().current();
        keys(&serde_json::to_value(&brief).unwrap(), &mut met);
    }
    let missing: Vec<&String> = known.difference(&met).collect();
    assert!(known.len() > 80 && missing.is_empty(), "{} known, missing {missing:?}", known.len());
}

/// What getters give of a part, and what it is written as: the same, or nothing where it is as a new part has it.
macro_rules! read_as_written {
    ($of:expr, $new:expr, $($get:ident = $key:literal),+ $(,)?) => {{
        let (of, new) = ($of, $new);
        let written = serde_json::to_value(of).unwrap();
        $(
            let (own, usual) = (json!(of.$get()), json!(new.$get()));
            match written.get($key) {
                Some(written) => assert_eq!(*written, own, "{} of {of:?}", $key),
                None => assert_eq!(own, usual, "{} of {of:?}", $key),
            }
        )+
    }};
}

/// Each getter gives what its key is written with.
#[test]
fn getters_give_what_is_written() {
    let (briefs, mut runner) = (brief(), TestRunner::deterministic());
    for _ in 0..60 {
        let brief = briefs.new_tree(&mut runner).unwrap().current();
        read_as_written!(
            &brief,
            Brief::new(),
            get_title = "title",
            get_source = "source",
            get_rows = "rows",
            get_columns = "columns",
            get_filter = "where",
            get_items = "items",
            get_fill = "fill",
            get_emphasis = "emphasis",
            get_views = "views",
            get_page = "page",
            get_appearance = "appearance",
            get_bad_values = "bad_values",
            get_to = "to",
        );
        read_as_written!(
            brief.get_page(),
            PageBrief::new(),
            get_controls = "controls",
            get_script = "script",
        );
        for item in brief.get_items() {
            read_as_written!(
                item,
                ItemBrief::default(),
                get_dimension = "dimension",
                get_name = "name",
                get_formula = "formula",
                get_format = "format",
                get_hidden = "hidden",
                get_apply = "apply",
            );
        }
        for own in brief.get_dimensions() {
            read_as_written!(
                own,
                DimensionBrief::default(),
                get_label = "label",
                get_order = "order",
                get_top = "top",
                get_bottom = "bottom",
                get_having = "having",
                get_only = "only",
                get_except = "except",
                get_totals_of = "totals_of",
                get_colours_of = "colours_of",
            );
            for top in own.get_top().into_iter().chain(own.get_bottom()) {
                read_as_written!(
                    top,
                    TopBrief::new(1, "x"),
                    get_count = "count",
                    get_by = "by",
                    get_overall = "overall",
                    get_others = "others",
                );
            }
        }
        for tier in brief.get_tiers() {
            read_as_written!(
                tier,
                TierBrief::default(),
                get_of = "of",
                get_by = "by",
                get_cuts = "cuts",
                get_quantiles = "quantiles",
                get_labels = "labels",
                get_within = "within",
            );
        }
        for own in brief.get_assumptions() {
            read_as_written!(
                own,
                AssumptionBrief::default(),
                get_value = "value",
                get_low = "low",
                get_high = "high",
                get_step = "step",
                get_choices = "choices",
            );
        }
        for emphasis in brief.get_emphasis() {
            read_as_written!(
                emphasis,
                EmphasisBrief::default(),
                get_name = "name",
                get_on = "on",
                get_form = "as",
                get_by = "by",
                get_only = "where",
                get_levels = "levels",
                get_reach = "reach",
                get_peers = "peers",
                get_yardstick = "yardstick",
                get_filled = "filled",
                get_scale = "scale",
                get_clip = "clip",
                get_low = "low",
                get_high = "high",
                get_steps = "steps",
                get_good = "good",
                get_palette = "palette",
                get_symbols = "symbols",
                get_figure = "figure",
                get_along = "along",
                get_link = "link",
                get_rules = "rules",
            );
            for rule in emphasis.get_rules() {
                read_as_written!(
                    rule,
                    RuleBrief::new(),
                    get_name = "name",
                    get_show = "show",
                    get_from = "from",
                    get_above = "above",
                    get_below = "below",
                    get_up_to = "up_to",
                    get_is = "is",
                    get_top = "top",
                    get_bottom = "bottom",
                    get_mean = "mean",
                    get_blank = "blank",
                    get_when = "when",
                    get_unit = "unit",
                );
            }
        }
        for view in brief.get_views() {
            read_as_written!(
                view,
                ViewBrief::default(),
                get_title = "title",
                get_form = "as",
                get_rows = "rows",
                get_columns = "columns",
                get_filter = "where",
                get_measures = "measures",
                get_per = "per",
                get_scale = "scale",
                get_along = "along",
            );
        }
    }
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
