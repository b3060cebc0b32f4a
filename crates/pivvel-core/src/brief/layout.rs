//! The part of a plan that arranges: order of members, places of totals, grains that stand out.

use super::plan::{Dimension, Plan};
use super::spec::{Brief, Form, Placement};
use crate::error::{Error, Result, unknown_message};
use crate::formula::Columns;

/// The order of a dimension's members under one parent.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Order {
    /// What they are sorted by.
    pub by: OrderBy,
    /// Which way.
    pub direction: Direction,
}

/// What members are sorted by.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub enum OrderBy {
    /// Their natural order: the calendar's for dates and names of months and weekdays, numbers by
    /// size, texts by label.
    #[default]
    Natural,
    /// Their labels, as text.
    Label,
    /// A measure, by its place, in the total of the other axis.
    Measure(usize),
}

/// Which way members are sorted. The blank member and blank values come last either way.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Direction {
    /// Lowest first.
    #[default]
    Ascending,
    /// Highest first.
    Descending,
}

/// A measure that is tinted, and at which grains.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TintPlan {
    /// The measure's place.
    pub measure: usize,
    /// The grains, as (row level, column level); level 0 is the total.
    pub grains: Vec<(usize, usize)>,
}

/// The total column and the total row, as totals and levels name them.
const ROW_TOTAL: &str = "row total";
const COLUMN_TOTAL: &str = "column total";
const GRAND_TOTAL: &str = "grand total";

/// Whether a name that is not in the layout could be: then it is told and kept, not refused.
fn could_be(name: &str, columns: &mut Columns) -> bool {
    columns.find_dimension(name).is_ok()
}

pub(super) fn describe_dimensions(
    brief: &Brief,
    plan: &mut Plan,
    columns: &mut Columns,
    warnings: &mut Vec<String>,
) -> Result<()> {
    for said in &brief.dimensions {
        let place = format!("dimension {}", said.name);
        let order = match &said.order {
            Some(text) => Some(order(&place, text, plan)?),
            None => None,
        };
        let mut all = plan.rows.iter_mut().chain(&mut plan.columns);
        if let Some(dimension) = all.find(|d| d.name == said.name) {
            dimension.label = said.label.clone().unwrap_or_else(|| dimension.name.clone());
            dimension.order = order.unwrap_or_default();
            continue;
        }
        drop(all);
        if !could_be(&said.name, columns) {
            return Err(not_in_layout("sort", &said.name, plan, []));
        }
        warnings.push(format!("{place} is not in the layout; what is said about it is kept and not used"));
    }
    Ok(())
}

fn order(place: &str, text: &str, plan: &Plan) -> Result<Order> {
    let (by, direction) = match text.trim().rsplit_once(char::is_whitespace) {
        Some((by, "desc")) => (by.trim(), Direction::Descending),
        Some((by, "asc")) => (by.trim(), Direction::Ascending),
        _ => (text.trim(), Direction::Ascending),
    };
    let by = match by {
        "calendar" => OrderBy::Natural,
        "label" => OrderBy::Label,
        measure => match plan.measures.iter().position(|m| m.name == measure) {
            Some(place) => OrderBy::Measure(place),
            None => {
                let known =
                    ["label", "calendar"].into_iter().chain(plan.measures.iter().map(|m| m.name.as_str()));
                let message = unknown_message("order or measure", measure, known);
                return Err(Error::request(place, message));
            }
        },
    };
    Ok(Order { by, direction })
}

fn not_in_layout<'a>(
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
    warnings: &mut Vec<String>,
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
                    _ if could_be(name, columns) => {
                        warnings.push(format!("totals: {name} is not in the layout; kept and not used"));
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
                    None => {
                        let message =
                            format!("{name} is the deepest level of its axis, so it has no subtotals");
                        return Err(Error::request("totals", message));
                    }
                }
            }
        }
    }
    Ok((rows, across))
}

pub(super) fn plan_tints(
    brief: &Brief,
    plan: &Plan,
    columns: &mut Columns,
    warnings: &mut Vec<String>,
) -> Result<Vec<TintPlan>> {
    let mut tints: Vec<TintPlan> = Vec::new();
    for emphasis in &brief.emphasis {
        let Form::Tint = emphasis.form;
        let measure = plan.measure("tint", &emphasis.on)?;
        let grains = grains(&emphasis.levels, &emphasis.on, plan, columns, warnings)?;
        if tints.iter().any(|tint| tint.measure == measure && tint.grains.iter().any(|g| grains.contains(g)))
        {
            let message = format!("{} is tinted twice at the same level", emphasis.on);
            return Err(Error::request("tint", message));
        }
        tints.push(TintPlan { measure, grains });
    }
    Ok(tints)
}

/// The grains that a list of levels means.
///
/// Levels of one axis go with every level of the other that is not its grand total; an axis that
/// no level is named of stands at all its levels but the grand total. `row total`, `column total`
/// and `grand total` add these. An axis without dimensions has its total only, which then is no
/// grand total of anything and counts like a level.
fn grains(
    levels: &[String],
    measure: &str,
    plan: &Plan,
    columns: &mut Columns,
    warnings: &mut Vec<String>,
) -> Result<Vec<(usize, usize)>> {
    let (mut rows, mut across, mut totals) = (Vec::new(), Vec::new(), Vec::new());
    let mut gone = 0;
    for name in levels {
        let on = |dimensions: &[Dimension]| dimensions.iter().position(|d| d.name == *name);
        match (name.as_str(), on(&plan.rows), on(&plan.columns)) {
            (_, Some(level), _) => rows.push(level + 1),
            (_, _, Some(level)) => across.push(level + 1),
            (ROW_TOTAL | COLUMN_TOTAL | GRAND_TOTAL, ..) => totals.push(name.as_str()),
            (name, ..) if could_be(name, columns) => {
                gone += 1;
                let message = format!(
                    "tint on {measure} names level {name}, which is not in the layout; kept and not used"
                );
                warnings.push(message);
            }
            _ => return Err(not_in_layout("levels", name, plan, [ROW_TOTAL, COLUMN_TOTAL, GRAND_TOTAL])),
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
        grains.extend(rows.iter().flat_map(|r| across.iter().map(move |c| (*r, *c))));
    }
    for total in totals {
        match total {
            ROW_TOTAL => grains.extend(rows.iter().map(|r| (*r, 0))),
            COLUMN_TOTAL => grains.extend(across.iter().map(|c| (0, *c))),
            _ => grains.push((0, 0)),
        }
    }
    grains.sort_unstable();
    grains.dedup();
    Ok(grains)
}
