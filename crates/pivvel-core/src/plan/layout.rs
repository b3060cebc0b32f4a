//! The part of a plan that arranges: order of members, places of totals, grains that stand out.

use super::cells::CellScope;
use super::model::{Choice, Count, Dimension, Family, Pick, Plan};
use crate::brief::{Amount, Brief, DimensionBrief, Level, Order, OrderBy, Placement, Template, TotalsOf};
use crate::error::{Error, Result};
use crate::formula::{CellFormula, Columns, Formula};
use crate::model::{ByGrain, Decimal, Grain, Notice, NoticeCode, Type, rescale};

/// The total column and the total row, as totals and levels name them.
const ROW_TOTAL: &str = "row total";
const COLUMN_TOTAL: &str = "column total";

/// Whether a name that is not in the layout could be: then it is kept with a notice, not refused.
pub(super) fn could_be(name: &str, plan: &Plan, columns: &mut Columns) -> bool {
    columns.dimension(name).is_ok() || plan.tiers.iter().any(|tier| tier.name == name)
}

/// Single dimensions: their labels, order, and which members are shown.
pub(super) fn describe_dimensions(
    brief: &Brief,
    (rows, across): (&mut [Dimension], &mut [Dimension]),
    scope: &mut CellScope<'_>,
    notices: &mut Vec<Notice>,
) -> Result<()> {
    // What views show is described for them.
    let views = (0..brief.views.len()).filter_map(|view| brief.of_view(view).ok());
    let in_views: Vec<String> = views.flat_map(|view| [view.rows, view.columns].concat()).collect();
    let specs = merged(&brief.dimensions);
    for spec in &specs {
        let place = format!("dimension {}", spec.name);
        let names: Vec<String> = rows.iter().chain(across.iter()).map(|d| d.name.clone()).collect();
        let Some(dimension) = rows.iter_mut().chain(across.iter_mut()).find(|d| d.name == spec.name) else {
            let known = scope.columns.dimension(&spec.name).is_ok()
                || brief.tiers.iter().any(|t| t.name == spec.name);
            if !known {
                let known = names.iter().map(String::as_str);
                return Err(Error::unknown("dimensions", "dimension of the layout", &spec.name, known));
            }
            let gives_colours = specs.iter().any(|other| other.colours_of.as_ref() == Some(&spec.name));
            if !in_views.contains(&spec.name) && !gives_colours {
                let message = format!("{place} is not in the layout; its settings are kept and not used");
                notices.push(Notice::author(NoticeCode::NotInLayout, message));
            }
            continue;
        };
        dimension.label = spec.label.as_ref().map_or_else(|| dimension.name.clone(), Template::to_string);
        dimension.labels =
            spec.labels.iter().map(|(member, label)| (member.clone(), label.to_string())).collect();
        dimension.colours = spec.colours.clone();
        dimension.family = family(&place, spec, &specs, scope)?;
        if let Some(order) = &spec.order {
            dimension.order = order.clone();
            dimension.order_by = order_by(&place, order, scope)?;
        }
        dimension.pick = pick(&place, spec, scope)?;
    }
    Ok(())
}

/// The dimension that gives the members of another one their colours.
fn family(
    place: &str,
    spec: &DimensionBrief,
    specs: &[DimensionBrief],
    scope: &mut CellScope<'_>,
) -> Result<Option<Family>> {
    let Some(of) = &spec.colours_of else { return Ok(None) };
    let place = format!("{place}, colours_of");
    scope.columns.dimension(of).map_err(|remark| Error::remarked(place.as_str(), remark))?;
    let colours = specs.iter().find(|other| other.name == *of && of != &spec.name);
    match colours.map(|other| other.colours.clone()).filter(|colours| !colours.is_empty()) {
        Some(colours) => Ok(Some(Family { name: of.clone(), colours })),
        None => Err(Error::request(
            place,
            format!("{of} has no colours; give it some as [dimensions.{of}] colours"),
        )),
    }
}

/// One table for each dimension. Where the value of an assumption makes two names one, the later table adds to
/// the earlier one and overrides it.
fn merged(specs: &[DimensionBrief]) -> Vec<DimensionBrief> {
    let mut all: Vec<DimensionBrief> = Vec::new();
    for spec in specs {
        let Some(known) = all.iter_mut().find(|known| known.name == spec.name) else {
            all.push(spec.clone());
            continue;
        };
        let DimensionBrief {
            name: _,
            label,
            order,
            top,
            bottom,
            having,
            only,
            except,
            totals_of,
            labels,
            colours,
            colours_of,
        } = spec.clone();
        known.label = label.or(known.label.take());
        known.colours_of = colours_of.or(known.colours_of.take());
        known.order = order.or(known.order.take());
        if top.is_some() || bottom.is_some() {
            (known.top, known.bottom) = (top, bottom);
        }
        known.having = having.or(known.having.take());
        if totals_of != TotalsOf::default() {
            known.totals_of = totals_of;
        }
        for (mine, theirs) in [(&mut known.only, only), (&mut known.except, except)] {
            if !theirs.is_empty() {
                *mine = theirs;
            }
        }
        for (member, shown) in labels {
            known.labels.retain(|(known, _)| *known != member);
            known.labels.push((member, shown));
        }
        for (member, colour) in colours {
            known.colours.retain(|(known, _)| *known != member);
            known.colours.push((member, colour));
        }
    }
    all
}

/// What members are sorted by, where that is a formula.
fn order_by(place: &str, order: &Order, scope: &mut CellScope<'_>) -> Result<Option<CellFormula>> {
    match &order.by {
        OrderBy::Cells(formula) => value(&format!("{place}, order"), formula, scope).map(Some),
        OrderBy::Natural | OrderBy::Label | OrderBy::Members(_) => Ok(None),
    }
}

/// A formula over cells that gives something to compare by, and does not depend on the order that
/// it is to decide.
fn value(place: &str, written: &Formula, scope: &mut CellScope<'_>) -> Result<CellFormula> {
    let formula = scope.formula(place, written)?;
    if !(formula.ty.is_number() || formula.ty == Type::Day) {
        let message =
            format!("members are compared by a number or a date, and this gives {}", formula.ty.words());
        return Err(written.error_as_a_whole(place, message));
    }
    if scope.is_ordered(&formula) {
        let message = "this depends on the order of members, so it cannot decide it";
        return Err(written.error_as_a_whole(place, message));
    }
    Ok(formula)
}

fn pick(place: &str, spec: &DimensionBrief, scope: &mut CellScope<'_>) -> Result<Pick> {
    let mut pick = Pick {
        only: spec.only.clone(),
        except: spec.except.clone(),
        having: spec.having.clone(),
        totals_of: spec.totals_of,
        ..Pick::default()
    };
    if let Some(having) = &spec.having {
        let place = format!("{place}, having");
        let condition = scope.condition(&place, having)?;
        if scope.is_ordered(&condition) {
            let message = "this depends on the order of members, so it cannot decide which are shown";
            return Err(having.error_as_a_whole(&place, message));
        }
        pick.condition = Some(condition);
    }
    if spec.top.is_some() && spec.bottom.is_some() {
        return Err(Error::request(place, "it is either top or bottom"));
    }
    if let Some((top, lowest)) = spec.kept() {
        let word = if lowest { "bottom" } else { "top" };
        let place = format!("{place}, {word}");
        (pick.top, pick.lowest) = (Some(top.clone()), lowest);
        pick.by = Some(value(&place, &top.by, scope)?);
        pick.count = count(&place, &top.count, scope)?;
    }
    Ok(pick)
}

/// How many members: a whole number, a share, or an assumption that is one.
pub(super) fn count(place: &str, count: &Amount, scope: &CellScope<'_>) -> Result<Count> {
    let wrong = || Error::request(place, format!("{count} is no number of members; write it like 5 or 20%"));
    match scope.assumptions.amount(count) {
        Amount::Number { number: Decimal { digits, scale }, percent: true } => {
            let share = rescale(digits, scale, 4).and_then(|share| u32::try_from(share).ok());
            share.filter(|share| *share <= 10_000).map(Count::Share).ok_or_else(wrong)
        }
        Amount::Number { number: Decimal { digits, scale: 0 }, .. } => match usize::try_from(digits) {
            Ok(0) => Err(Error::request(place, "0 keeps no member; write how many to keep, like 5 or 20%")),
            Ok(count) => Ok(Count::Members(count)),
            Err(_) => Err(wrong()),
        },
        _ => Err(wrong()),
    }
}

/// Which formula each measure has at each grain.
pub(super) fn choose_grains(plan: &mut Plan, columns: &mut Columns, notices: &mut Vec<Notice>) -> Result<()> {
    let deepest = plan.deepest();
    let mut measures = std::mem::take(&mut plan.measures);
    for measure in &mut measures {
        let leaf_only =
            |grain| if measure.totals || grain == deepest { Choice::Main } else { Choice::Nothing };
        measure.grains = ByGrain::new(deepest, leaf_only);
        for (i, (level, formula)) in measure.levels.iter().enumerate() {
            let place = format!("measure {}, levels", measure.name);
            let (row, column) = match spot_of(level, &place, plan, columns)? {
                Some(spot) => spot,
                None => {
                    let message = format!(
                        "measure {} has a formula for level {level}, which is not in the layout; kept and not used",
                        measure.name
                    );
                    notices.push(Notice::author(NoticeCode::NotInLayout, message));
                    continue;
                }
            };
            let fixed = |grain: &Grain| {
                row.is_none_or(|row| row == grain.row) && column.is_none_or(|column| column == grain.column)
            };
            for grain in deepest.all().filter(fixed) {
                measure.grains[grain] = if formula.is_some() { Choice::Level(i) } else { Choice::Nothing };
            }
        }
    }
    plan.measures = measures;
    Ok(())
}

/// The row level and the column level that a level fixes, where 0 is the total; nothing where it is of a dimension
/// that is not in the layout and could be.
pub(super) fn spot_of(
    level: &Level,
    place: &str,
    plan: &Plan,
    columns: &mut Columns,
) -> Result<Option<(Option<usize>, Option<usize>)>> {
    let Level::Dimension(name) = level else {
        let total = |of: &[Level]| of.contains(level).then_some(0);
        let row = total(&[Level::ColumnTotal, Level::GrandTotal]);
        return Ok(Some((row, total(&[Level::RowTotal, Level::GrandTotal]))));
    };
    let on = |dimensions: &[Dimension]| dimensions.iter().position(|d| d.name == *name).map(|i| i + 1);
    match (on(&plan.rows), on(&plan.columns)) {
        (Some(row), _) => Ok(Some((Some(row), None))),
        (_, Some(column)) => Ok(Some((None, Some(column)))),
        _ if could_be(name, plan, columns) => Ok(None),
        _ => Err(not_in_layout(place, name, plan, Level::TOTALS.iter().map(|(total, _)| *total))),
    }
}

pub(super) fn not_in_layout<'a>(
    place: &str,
    name: &str,
    plan: &'a Plan,
    more: impl IntoIterator<Item = &'a str>,
) -> Error {
    let known = plan.rows.iter().chain(&plan.columns).map(|d| d.name.as_str()).chain(more);
    Error::unknown(place, "level", name, known)
}

/// Where totals stand on either axis, by level. Subtotals of rows stand before their members, as
/// headings that carry figures; all other totals after them.
pub(super) fn place_totals(
    brief: &Brief,
    plan: &Plan,
    columns: &mut Columns,
    notices: &mut Vec<Notice>,
) -> Result<(Vec<Placement>, Vec<Placement>)> {
    let mut rows = vec![Placement::Before; plan.rows.len()];
    rows.iter_mut().take(1).for_each(|grand| *grand = Placement::After);
    let mut across = vec![Placement::After; plan.columns.len()];
    for (name, placement) in &brief.totals {
        match name.as_str() {
            "" => {
                rows.fill(*placement);
                across.fill(*placement);
            }
            "rows" => rows.fill(*placement),
            "columns" => across.fill(*placement),
            COLUMN_TOTAL => rows.iter_mut().take(1).for_each(|grand| *grand = *placement),
            ROW_TOTAL => across.iter_mut().take(1).for_each(|grand| *grand = *placement),
            name => {
                let on = |dimensions: &[Dimension]| dimensions.iter().position(|d| d.name == name);
                let (level, totals) = match (on(&plan.rows), on(&plan.columns)) {
                    (Some(level), _) => (level, &mut rows),
                    (_, Some(level)) => (level, &mut across),
                    _ if could_be(name, plan, columns) => {
                        let message = format!("totals: {name} is not in the layout; kept and not used");
                        notices.push(Notice::author(NoticeCode::NotInLayout, message));
                        continue;
                    }
                    _ => {
                        return Err(not_in_layout(
                            "totals",
                            name,
                            plan,
                            ["rows", "columns", ROW_TOTAL, COLUMN_TOTAL],
                        ));
                    }
                };
                match totals.get_mut(level + 1) {
                    Some(total) => *total = *placement,
                    // It may have members in another layout.
                    None => {
                        let message = format!(
                            "totals: {name} is the deepest level of its axis, so it has no subtotals; kept and not used"
                        );
                        notices.push(Notice::author(NoticeCode::NotInLayout, message));
                    }
                }
            }
        }
    }
    Ok((rows, across))
}
