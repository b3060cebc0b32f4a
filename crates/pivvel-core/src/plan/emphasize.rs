//! Emphasis checked against a layout: formulas resolved, levels turned into grains, and what names
//! something that is gone kept, with a notice.

use super::cells::CellScope;
use super::layout::spot_of;
use super::model::{
    BoundsOf, Count, Edge, Measure, Middle, Plan, PlannedEmphasis, PlannedRule, YardstickSpec,
};
use super::rules;
use crate::aggregates::Function;
use crate::brief::{
    Amount, Brief, EmphasisBrief, Form, Level, MeanSide, PaletteBrief, PaletteName, PaletteOf, PeersOf, Show,
    Template, Tone, YardstickOf,
};
use crate::error::{Error, Result};
use crate::formula::{CellLeaf, Columns, Expr, Formula, Node, Operator, Spot, Step};
use crate::model::{Grain, Notice, NoticeCode, Type};

/// The fewest and the most steps that symbols come in, and the most that a scale is cut into.
const STEPS: [u8; 3] = [3, 5, 12];

/// Checks what stands out, as far as formulas go. What names a measure or a dimension that is gone
/// from the layout gets a notice and is left out.
pub(super) fn plan_emphasis(
    brief: &Brief,
    scope: &mut CellScope<'_>,
    notices: &mut Vec<Notice>,
) -> Result<Vec<PlannedEmphasis>> {
    check_names(&brief.palettes)?;
    let mut planned = Vec::new();
    for (i, spec) in brief.emphasis.iter().enumerate() {
        let number = (i + 1).to_string();
        let own = spec.name.as_ref().unwrap_or(&number);
        let place = format!("emphasis {own} ({} on {})", spec.form.name(), spec.on);
        let is_earlier = |other: &EmphasisBrief| other.name.is_some() && other.name == spec.name;
        if brief.emphasis[..i].iter().any(is_earlier) {
            return Err(Error::request(place, "there is another emphasis of this name"));
        }
        match gone(spec, scope)? {
            Some(why) => {
                let message = format!("{place}: {why}; kept and not used");
                notices.push(Notice::author(NoticeCode::NotUsed, message));
            }
            None => {
                check_palettes(&place, spec, &brief.palettes)?;
                planned.push(plan_one(place, spec, scope)?);
            }
        }
    }
    Ok(planned)
}

/// Why an emphasis cannot be used in this layout, though it could in another one.
fn gone(spec: &EmphasisBrief, scope: &mut CellScope<'_>) -> Result<Option<String>> {
    let on_dimension = spec.form == Form::Link && scope.spot(&spec.on).is_some();
    if !on_dimension {
        match scope.is_hidden(&spec.on) {
            Some(false) => {}
            Some(true) => return Ok(Some(format!("measure {} is not shown", spec.on))),
            None => {
                let known: Vec<&str> = scope.measure_names().collect();
                let near = crate::suggest::nearest(&spec.on, &known);
                let near = near.map(|near| format!(" (did you mean {near}?)")).unwrap_or_default();
                return Ok(Some(format!("unknown measure {}{near}", spec.on)));
            }
        }
    }
    let whens = spec.rules.iter().filter_map(|rule| rule.when.as_ref());
    let about = spec.about.iter().filter(|about| !about.is_named("mean") && !about.is_named("median"));
    for formula in spec.by.iter().chain(&spec.only).chain(about).chain(whens) {
        let Some(expr) = formula.expr() else { continue };
        let mut away = None;
        let has_call = expr.has_call();
        expr.walk(&mut |part| {
            if let Node::Name(name) = &part.node
                && away.is_none()
            {
                let name = name.whole();
                let resolved = scope.resolves(&name);
                // A column of the lines within an aggregate is no dimension that is gone.
                let aggregated = scope.columns.knows(name.split('.').next().unwrap_or(&name)) && has_call;
                let could_be = scope.columns.dimension(&name).is_ok() || formula.is_named(&name);
                if !resolved && !aggregated && could_be {
                    away = Some(name);
                }
            }
        });
        if let Some(name) = away {
            let known: Vec<&str> = scope.measure_names().collect();
            let near =
                crate::suggest::nearest(&name, &known).filter(|_| scope.columns.dimension(&name).is_err());
            return Ok(Some(match near {
                Some(near) => format!("unknown measure {name} (did you mean {near}?)"),
                None if scope.columns.dimension(&name).is_ok() => format!("{name} is not in the layout"),
                None => format!("unknown measure {name}"),
            }));
        }
    }
    Ok(None)
}

fn plan_one(place: String, spec: &EmphasisBrief, scope: &mut CellScope<'_>) -> Result<PlannedEmphasis> {
    check_parts(&place, spec)?;
    let mut planned = PlannedEmphasis {
        spec: spec.clone(),
        measure: scope.shown_place(&spec.on),
        linked: None,
        grains: Vec::new(),
        rules: Vec::new(),
        along: spec.along.clone(),
        basis: None,
        condition: None,
        middle: None,
        ends: [None, None],
        wanted: YardstickSpec::default(),
        compared: Vec::new(),
        place,
    };
    let place = planned.place.clone();
    if planned.measure.is_none() {
        planned.linked = scope.spot(&spec.on).map(|spot| (spot.side, spot.level));
    }
    if let Some(only) = &spec.only {
        planned.condition = Some(scope.condition(&format!("{place}, where"), only)?);
        planned.compared = compared(only.tree(&place)?, scope);
    }
    for when in spec.rules.iter().filter_map(|rule| rule.when.as_ref()) {
        planned.compared.extend(compared(when.tree(&place)?, scope));
    }
    if planned.linked.is_none() {
        plan_scale(&place, spec, &mut planned, scope)?;
    }
    Ok(planned)
}

/// What decides, its middle and its ends, and the rules.
fn plan_scale(
    place: &str,
    spec: &EmphasisBrief,
    planned: &mut PlannedEmphasis,
    scope: &mut CellScope<'_>,
) -> Result<()> {
    let by = spec.by.clone().unwrap_or_else(|| Formula::named(&spec.on));
    let mut basis = scope.formula(&format!("{place}, by"), &by)?;
    if !(basis.ty.is_number() || basis.ty == Type::Day) {
        let message = format!("a number or a date decides, and this gives {}", basis.ty.words());
        return Err(by.error_as_a_whole(&format!("{place}, by"), message));
    }
    if let Some(about) = &spec.about {
        let place = format!("{place}, about");
        if basis.ty == Type::Day {
            return Err(Error::request(place, "dates have no middle to be about"));
        }
        let middle = middle(&place, about, scope)?;
        if middle == Middle::Formula {
            basis = scope.formula(&place, &less(&by, about, &place)?)?;
        }
        planned.middle = Some(middle);
        planned.wanted.median = middle == Middle::Median;
    }
    planned.ends = [end(place, "low", &spec.low, scope)?, end(place, "high", &spec.high, scope)?];
    if let [Some(low), Some(high)] = planned.ends
        && low >= high
    {
        return Err(Error::request(
            place,
            format!("its scale goes from {low} to {high}, which is no way up"),
        ));
    }
    planned.wanted.clip = spec.clip.as_ref().map(|(low, high)| clip(place, low, high)).transpose()?;
    planned.rules = rules::plan_rules(place, &spec.rules, basis.ty, scope)?;
    planned.wanted.cuts =
        planned.rules.iter().map(|rule| rule.count.unwrap_or((Count::All, false))).collect();
    planned.wanted.percentiles = planned.rules.iter().flat_map(|rule| rule.bounds.percentiles()).collect();
    if basis.ty == Type::Day && !planned.wanted.percentiles.is_empty() {
        return Err(Error::request(place, "dates have no percentiles"));
    }
    planned.basis = Some(basis);
    Ok(())
}

/// The middle that positions are about: a number, an assumption that is one, the mean, the median, or a formula.
fn middle(place: &str, about: &Formula, scope: &mut CellScope<'_>) -> Result<Middle> {
    let tree = about.tree(place)?;
    let number = match &tree.node {
        Node::Name(name) => scope.assumptions.value(&name.whole()).and_then(|value| value.number()),
        _ => tree.constant(),
    };
    if let Some(number) = number {
        return Ok(Middle::Value(number.as_f64()));
    }
    if about.is_named("mean") {
        return Ok(Middle::Mean);
    }
    if about.is_named("median") {
        return Ok(Middle::Median);
    }
    let ty = scope.formula(place, about)?.ty;
    if !ty.is_number() {
        let message = format!("a number is wanted, and this gives {}", ty.words());
        return Err(about.error_as_a_whole(place, message));
    }
    Ok(Middle::Formula)
}

/// `by` less `about`; what has no middle has no place about it.
fn less(by: &Formula, about: &Formula, place: &str) -> Result<Formula> {
    let [by, about] = [by.tree(place)?, about.tree(place)?].map(|expr| Box::new(expr.clone()));
    let blank = |of: &Expr| Expr::from(Node::IsBlank(Box::new(of.clone())));
    let either = Node::Binary(Operator::Or, Box::new(blank(&about)), Box::new(blank(&by)));
    let less = Node::Binary(Operator::Subtract, by, about);
    let branches = vec![(either.into(), Node::Blank.into())];
    Ok(Expr::from(Node::Case { branches, otherwise: Some(Box::new(less.into())) }).into())
}

/// Parts of an emphasis that do not go together.
fn check_parts(place: &str, spec: &EmphasisBrief) -> Result<()> {
    let wrong = |message: &str| Err(Error::request(place, message));
    for show in spec.rules.iter().filter_map(|rule| rule.show.as_ref()) {
        match (show, spec.form) {
            (Show::Tone(_) | Show::Palette(_), Form::Symbol) => {
                return wrong(&format!("{show} is no symbol; show the number of one, from 1 to 5"));
            }
            (Show::Symbol(number), form) if form != Form::Symbol => {
                return wrong(&format!("{number} is no tone; show one of {}", tones()));
            }
            _ => {}
        }
    }
    if let Some(steps) = spec.steps {
        let [least, most_symbols, most] = STEPS;
        if spec.form == Form::Symbol && !(least..=most_symbols).contains(&steps) {
            return wrong("symbols come in 3, 4 or 5 steps");
        }
        if !(2..=most).contains(&steps) {
            return wrong("a scale is cut into 2 to 12 steps");
        }
    }
    match spec.form {
        Form::Trend if spec.along.is_none() => {
            return wrong("a trend goes along periods: say along = \"sold_on.month\"");
        }
        Form::Link if spec.link.is_none() => {
            return wrong("it says where it leads: link = \"https://example.test/{harbour}\"");
        }
        Form::Link => check_link(place, spec.link.as_ref())?,
        _ => {}
    }
    if spec.is_by_rank() && spec.yardstick != YardstickOf::Shown {
        return wrong("a scale by rank ranks the cells that are shown; leave yardstick out");
    }
    if spec.is_by_rank()
        && (spec.about.is_some() || spec.clip.is_some() || spec.low.is_some() || spec.high.is_some())
    {
        return wrong("a scale by rank has no middle, clip or ends");
    }
    Ok(())
}

fn tones() -> String {
    Tone::NAMES.iter().map(|(name, _)| *name).collect::<Vec<_>>().join(", ")
}

/// That palettes are there, and have both ends where a scale is about a middle.
fn check_palettes(place: &str, spec: &EmphasisBrief, own: &[PaletteBrief]) -> Result<()> {
    let named =
        || PaletteName::NAMES.iter().map(|(name, _)| *name).chain(own.iter().map(|own| own.name.as_str()));
    let find = |name: &str| own.iter().find(|own| own.name == name);
    if let Some(PaletteOf::Own(name)) = &spec.palette {
        let palette = find(name).ok_or_else(|| Error::unknown(place, "palette", name, named()))?;
        if spec.about.is_some() && palette.low.is_none() {
            let message = format!(
                "a scale about a middle has two ends, and palette {name} has one colour; give it a low one, too: \
                 {{ low = …, high = … }}"
            );
            return Err(Error::request(place, message));
        }
    }
    for (i, rule) in spec.rules.iter().enumerate() {
        if let Some(Show::Palette(PaletteOf::Own(name))) = &rule.show
            && find(name).is_none()
        {
            let known = Tone::NAMES.iter().map(|(name, _)| *name).chain(named());
            let place = format!("{place}, rule {}, show", i + 1);
            return Err(Error::unknown(place, "tone or palette", name, known));
        }
    }
    Ok(())
}

/// That no palette of a brief has the name of one that there is, or of a tone.
fn check_names(palettes: &[PaletteBrief]) -> Result<()> {
    let is_taken = |palette: &&PaletteBrief| {
        palette.name.parse::<PaletteName>().is_ok() || palette.name.parse::<Tone>().is_ok()
    };
    match palettes.iter().find(is_taken) {
        Some(PaletteBrief { name, .. }) => Err(Error::request(
            format!("palettes.{name}"),
            "there is a palette or a tone of this name; choose another one",
        )),
        None => Ok(()),
    }
}

/// The schemes that links may have.
pub(crate) const SCHEMES: [&str; 3] = ["http:", "https:", "mailto:"];

/// A link begins with its scheme, or is wholly what a dimension's label says.
fn check_link(place: &str, link: Option<&Template>) -> Result<()> {
    let link = link.cloned().unwrap_or_default();
    let lower = link.as_str().to_lowercase();
    if link.only_hole().is_some() || SCHEMES.iter().any(|scheme| lower.starts_with(scheme)) {
        return Ok(());
    }
    let message = format!("{link} is no link that a page may hold; it begins with http:, https: or mailto:");
    Err(Error::request(place, message))
}

fn end(place: &str, key: &str, end: &Option<Amount>, scope: &CellScope<'_>) -> Result<Option<f64>> {
    let Some(end) = end else { return Ok(None) };
    match scope.assumptions.amount(end).value() {
        Some((value, _)) => Ok(Some(value.as_f64())),
        None => Err(Error::request(format!("{place}, {key}"), format!("{end} is no number"))),
    }
}

fn clip(place: &str, low: &Amount, high: &Amount) -> Result<(f64, f64)> {
    let share = |end: &Amount| end.value().filter(|(_, percent)| *percent).map(|(value, _)| value.as_f64());
    match (share(low), share(high)) {
        (Some(low), Some(high)) if 0.0 <= low && low < high && high <= 1.0 => Ok((low, high)),
        _ => {
            let message =
                format!("clip says two shares of the peers, as in [\"5%\", \"95%\"], not {low} and {high}");
            Err(Error::request(place, message))
        }
    }
}

/// The members that a condition compares a dimension's label with.
fn compared(expr: &Expr, scope: &CellScope<'_>) -> Vec<(Spot, String)> {
    let mut found = Vec::new();
    let spot = |expr: &Expr| match &expr.node {
        Node::Name(name) => scope.spot(&name.whole()),
        _ => None,
    };
    let text = |expr: &Expr| if let Node::Text(text) = &expr.node { Some(text.clone()) } else { None };
    expr.walk(&mut |part| match &part.node {
        Node::Binary(Operator::Equal | Operator::NotEqual, a, b) => {
            let pair = spot(a).zip(text(b)).or_else(|| spot(b).zip(text(a)));
            found.extend(pair);
        }
        Node::In(a, list) => {
            found.extend(
                spot(a).into_iter().flat_map(|spot| list.iter().filter_map(move |l| Some((spot, text(l)?)))),
            );
        }
        _ => {}
    });
    found
}

/// Resolves the levels of what stands out, and tells what was most likely not meant.
pub(super) fn choose_grains(
    all: &mut [PlannedEmphasis],
    plan: &Plan,
    columns: &mut Columns,
    notices: &mut Vec<Notice>,
) -> Result<()> {
    for i in 0..all.len() {
        let emphasis = &all[i];
        let along = emphasis.along.clone();
        if let Some(along) = along.filter(|along| columns.dimension(along).is_err()) {
            let message = format!("{along} is no part of a date that lines have, as sold_on.month would be");
            return Err(Error::request(format!("{}, along", emphasis.place), message));
        }
        if emphasis.linked.is_some() {
            continue;
        }
        let mut grains = grains(&emphasis.spec.levels, &emphasis.place, plan, columns, notices)?;
        if emphasis.spec.is_whole_row() {
            // A whole row is all of its cells, its total too.
            let across = 0..=plan.columns.len();
            let row =
                |grain: &Grain| across.clone().map(|column| Grain { column, ..*grain }).collect::<Vec<_>>();
            grains = grains.iter().flat_map(row).collect();
            grains.sort_unstable();
            grains.dedup();
        }
        let own = &all[i].spec;
        let for_all_cells = |spec: &EmphasisBrief| spec.only.is_none() && spec.rules.is_empty();
        let same = |other: &&PlannedEmphasis| {
            let spec = &other.spec;
            spec.form == own.form
                && spec.on == own.on
                && spec.is_whole_row() == own.is_whole_row()
                && for_all_cells(spec)
        };
        if let Some(twice) =
            all[..i].iter().filter(same).find(|other| other.grains.iter().any(|g| grains.contains(g)))
        {
            let message =
                format!("{} takes all of its cells at one level, so this is never used", twice.place);
            return Err(Error::request(&all[i].place, message));
        }
        let gaps = rules::doubts(&all[i].place, &all[i].rules).into_iter();
        notices.extend(gaps.map(|gap| Notice::author(NoticeCode::RuleGap, gap)));
        let mixed = mixed_levels(&all[i], &grains, plan);
        notices.extend(mixed.map(|mixed| Notice::author(NoticeCode::Mixed, mixed)));
        all[i].grains = grains;
    }
    Ok(())
}

/// What would put several levels on one scale.
fn mixed_levels(emphasis: &PlannedEmphasis, grains: &[Grain], plan: &Plan) -> Option<String> {
    let spec = &emphasis.spec;
    let mut levels: Vec<Grain> = grains.iter().map(|grain| emphasis.deciding(*grain)).collect();
    levels.dedup();
    if levels.len() < 2 || !emphasis.has_scale() {
        return None;
    }
    let place = &emphasis.place;
    if spec.peers == PeersOf::All {
        return Some(format!(
            "{place} scales totals with their parts (peers = \"all\"): parts will look small"
        ));
    }
    // Whoever named levels knows which they are.
    if !spec.levels.is_empty() {
        return None;
    }
    let measure: Vec<&Measure> = plan.measures.iter().filter(|m| !m.hidden).collect();
    let adds_up = spec.by.is_none() && emphasis.measure.is_some_and(|m| is_sum(measure[m]));
    let fixed = spec.low.is_some() || spec.high.is_some();
    let valued = emphasis
        .rules
        .iter()
        .any(|r| r.bounds.of == BoundsOf::Values && r.bounds.is_any() && !r.bounds.is_single());
    if adds_up && (fixed || valued && spec.about.is_none()) && !only_signs(&emphasis.rules, fixed) {
        let what = if fixed { "has fixed ends" } else { "has rules with true values" };
        return Some(format!(
            "{place} {what} at {} levels alike, and subtotals are larger than their parts; say levels",
            levels.len()
        ));
    }
    None
}

/// Whether a measure is larger at a subtotal than at its parts: a sum or a count by itself.
fn is_sum(measure: &Measure) -> bool {
    let single = matches!(measure.cell.step, Step::Leaf(CellLeaf::Aggregate(_)));
    let adds_up = |expr: &Expr| match &expr.node {
        Node::Call { function, .. } => Function::named(function).is_some_and(|function| function.adds_up),
        _ => false,
    };
    single && measure.formula.expr().is_some_and(adds_up)
}

/// Whether the only value that rules compare with is zero, which is the same at every level.
fn only_signs(rules: &[PlannedRule], fixed: bool) -> bool {
    let zero = |edge: Option<Edge>| edge.is_none_or(|edge| edge.value.as_f64() == 0.0);
    let is_sign = |r: &PlannedRule| r.bounds.is_single() || zero(r.bounds.low) && zero(r.bounds.high);
    !fixed && rules.iter().all(is_sign)
}

/// The grains that a list of levels means.
///
/// Levels of one axis go with every level of the other that is not its grand total; an axis that
/// no level is named of stands at all its levels but the grand total. `row total`, `column total`
/// and `grand total` add these. An axis without dimensions has its total only, which then is no
/// grand total of anything and counts like a level.
fn grains(
    levels: &[Level],
    place: &str,
    plan: &Plan,
    columns: &mut Columns,
    notices: &mut Vec<Notice>,
) -> Result<Vec<Grain>> {
    let (mut rows, mut across, mut totals) = (Vec::new(), Vec::new(), Vec::new());
    let mut gone = 0;
    for level in levels {
        match (level, spot_of(level, &format!("{place}, levels"), plan, columns)?) {
            (Level::Dimension(_), Some((Some(row), _))) => rows.push(row),
            (Level::Dimension(_), Some((None, column))) => across.extend(column),
            (total, Some(_)) => totals.push(total),
            (_, None) => {
                gone += 1;
                let message =
                    format!("{place} names level {level}, which is not in the layout; kept and not used");
                notices.push(Notice::author(NoticeCode::NotInLayout, message));
            }
        }
    }
    if gone == levels.len() && gone > 0 {
        return Ok(Vec::new());
    }
    let inner = !rows.is_empty() || !across.is_empty() || totals.is_empty();
    let default = |depth: usize| if depth == 0 { vec![0] } else { (1..=depth).collect() };
    if rows.is_empty() {
        rows = default(plan.rows.len());
    }
    if across.is_empty() {
        across = default(plan.columns.len());
    }
    let mut grains = Vec::new();
    if inner {
        grains.extend(rows.iter().flat_map(|r| across.iter().map(move |c| Grain::new(*r, *c))));
    }
    for total in totals {
        match total {
            Level::RowTotal => grains.extend(rows.iter().map(|r| Grain::new(*r, 0))),
            Level::ColumnTotal => grains.extend(across.iter().map(|c| Grain::new(0, *c))),
            _ => grains.push(Grain::TOTAL),
        }
    }
    grains.sort_unstable();
    grains.dedup();
    Ok(grains)
}

impl PlannedEmphasis {
    /// Its rules from the lowest values up; those that no value orders stay where they are written, the
    /// top of the peers last and the bottom first.
    pub fn rules_upward(&self) -> Vec<usize> {
        let weight = |rule: &PlannedRule| match (rule.bounds.low, rule.bounds.high, rule.count, rule.mean) {
            (Some(low), ..) => (1, low.value.as_f64()),
            (None, Some(_), ..) => (1, f64::NEG_INFINITY),
            (_, _, Some((_, true)), _) | (_, _, _, Some(MeanSide::Below)) => (0, 0.0),
            (_, _, Some((_, false)), _) | (_, _, _, Some(MeanSide::Above)) => (2, 0.0),
            _ => (1, f64::NAN),
        };
        let mut order: Vec<usize> = (0..self.rules.len()).collect();
        order.sort_by(|a, b| {
            let ((x, a), (y, b)) = (weight(&self.rules[*a]), weight(&self.rules[*b]));
            x.cmp(&y).then_with(|| a.partial_cmp(&b).unwrap_or(std::cmp::Ordering::Equal))
        });
        order
    }
}
