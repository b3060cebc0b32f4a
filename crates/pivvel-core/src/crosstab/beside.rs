//! What is read from further cross-tabs of the same lines.

use std::collections::HashMap;

use super::table::CrossTab;
use super::trend::{Labels, Trend};
use crate::brief::{Brief, Form, MeasureBrief};
use crate::eval::period_places;
use crate::lines::{Member, MemberId, Members};
use crate::model::{AxisSide, Notice, NoticeCode, Value};
use crate::plan::{Plan, PlannedEmphasis};
use crate::rollup::{Axis, ColumnEntry, Entry, OfAxis, RowEntry, Rows};

/// The brief of the cross-tab that a trend is read from: the same rows, with the periods as columns.
pub(super) fn trend_brief(brief: &Brief, planned: &PlannedEmphasis, along: &str) -> Brief {
    let mut own = brief.clone();
    own.columns = vec![along.to_string()];
    own.emphasis = Vec::new();
    own.views = Vec::new();
    own.items.retain(|item| own.rows.contains(&item.dimension) || item.dimension == along);
    own.dimensions.retain(|d| own.rows.contains(&d.name));
    own.dimensions.iter_mut().for_each(|d| d.colours_of = None);
    own.totals = Vec::new();
    let hide = |m: MeasureBrief| MeasureBrief { hidden: m.name != planned.spec.on, ..m };
    own.measures = own.measures.into_iter().map(hide).collect();
    own
}

/// Reads a trend from the cross-tab with periods as columns.
pub(super) fn trends(of: &CrossTab, place: usize, planned: &PlannedEmphasis, by_period: &CrossTab) -> Trend {
    let periods: Vec<ColumnEntry> =
        by_period.columns().entries().iter().copied().filter(|e| e.level() == 1).collect();
    let label = |entry: &ColumnEntry| by_period.columns().path(*entry)[0].label().to_string();
    let mut trend = Trend {
        emphasis: place,
        measure: planned.measure.unwrap_or(0),
        periods: periods.iter().map(label).collect(),
        places: period_places(by_period.columns(), &periods),
        ends: HashMap::new(),
        rows: HashMap::new(),
        classes: HashMap::new(),
    };
    let same: Vec<Vec<Option<MemberId>>> = (0..of.rows().depth())
        .map(|level| same_members(of.rows().members(level), by_period.rows().members(level)))
        .collect();
    for row in of.rows().entries() {
        if !planned.grains.iter().any(|grain| grain.row == row.level()) {
            continue;
        }
        let Some(own) = same_entry(of.rows(), *row, by_period.rows(), &same) else { continue };
        let value = |period: &ColumnEntry| by_period.cell(own, *period).and_then(|cell| cell.value(0));
        let values: Vec<Option<Value>> = periods.iter().map(value).collect();
        let class = of.rows().class(row.level(), row.node);
        let ends = trend.ends.entry((row.level(), class)).or_insert((f64::INFINITY, f64::NEG_INFINITY));
        for value in values.iter().flatten() {
            *ends = (ends.0.min(value.as_f64()), ends.1.max(value.as_f64()));
        }
        if values.iter().flatten().count() > 1 {
            trend.classes.insert(*row, class);
            trend.rows.insert(*row, values);
        }
    }
    trend
}

/// The members of one list by those of another one.
fn same_members(of: &Members, other: &Members) -> Vec<Option<MemberId>> {
    // An item's place depends on which other items the layout has.
    let alike = |members: &Members, id: MemberId| match members.member(id).into_owned() {
        Member::Calculated(_, label) => Member::Calculated(0, label),
        member => member,
    };
    let known: HashMap<Member, MemberId> = other.in_order().map(|id| (alike(other, id), id)).collect();
    (0..of.len()).map(|i| known.get(&alike(of, MemberId(i as u32))).copied()).collect()
}

/// The entry of another axis that the same members lead to.
fn same_entry<S: OfAxis>(
    axis: &Axis<S>,
    entry: Entry<S>,
    other: &Axis<Rows>,
    same: &[Vec<Option<MemberId>>],
) -> Option<RowEntry> {
    let mut node = 0;
    for (level, member) in axis.path(entry).iter().enumerate() {
        node = other.child(level + 1, node, same[level][member.id().index()]?)?;
    }
    Some(Entry::at(entry.level(), node))
}

/// The brief of a cross-tab of the same lines with other rows and nothing else.
pub(super) fn brief_of_rows(brief: &Brief, rows: Vec<String>) -> Brief {
    Brief {
        rows,
        filter: brief.filter.clone(),
        derived: brief.derived.clone(),
        related: brief.related.clone(),
        assumptions: brief.assumptions.clone(),
        tiers: brief.tiers.clone(),
        kinds: brief.kinds.clone(),
        page: brief.page.clone(),
        bad_values: brief.bad_values,
        ..Brief::new()
    }
}

impl Labels {
    /// The brief of the cross-tab that these are read from: the axis of the dimension down to it, with
    /// the column below.
    pub(crate) fn brief(brief: &Brief, (side, level): (AxisSide, usize), column: &str) -> Brief {
        let axis = side.pick(&brief.rows, &brief.columns);
        let mut rows: Vec<String> = axis[..level].to_vec();
        rows.push(column.to_string());
        brief_of_rows(brief, rows)
    }

    pub(crate) fn read(
        of: &CrossTab,
        emphasis: usize,
        column: &str,
        (side, level): (AxisSide, usize),
        found: &CrossTab,
    ) -> Labels {
        match side {
            AxisSide::Rows => Labels::of_axis(of.rows(), emphasis, column, level, found),
            AxisSide::Columns => Labels::of_axis(of.columns(), emphasis, column, level, found),
        }
    }

    fn of_axis<S: OfAxis>(
        axis: &Axis<S>,
        emphasis: usize,
        column: &str,
        level: usize,
        found: &CrossTab,
    ) -> Labels {
        let same: Vec<Vec<Option<MemberId>>> =
            (0..level).map(|i| same_members(axis.members(i), found.rows().members(i))).collect();
        let mut labels: HashMap<u32, Vec<String>> = HashMap::new();
        for entry in found.rows().entries().iter().filter(|entry| entry.level() == level + 1) {
            if let Some((parent, member)) = found.rows().parent(*entry).zip(found.rows().path(*entry).pop())
                && !member.is_blank()
            {
                labels.entry(parent.node).or_default().push(member.label().to_string());
            }
        }
        let (mut by_entry, mut unsettled) = (HashMap::new(), (0, String::new()));
        for entry in axis.entries().iter().filter(|entry| entry.level() == level) {
            let own = same_entry(axis, *entry, found.rows(), &same);
            match own.and_then(|own| labels.get(&own.node)).map(Vec::as_slice) {
                Some([one]) => drop(by_entry.insert((level, entry.node), one.clone())),
                Some([_, _, ..]) => {
                    unsettled.0 += 1;
                    if unsettled.0 == 1 {
                        unsettled.1 =
                            axis.path(*entry).pop().map_or(String::new(), |m| m.label().to_string());
                    }
                }
                _ => {}
            }
        }
        Labels { emphasis, column: column.to_string(), by_entry, unsettled }
    }

    /// That members have no link because the column says several things of them.
    pub(crate) fn notice(&self, place: &str) -> Option<Notice> {
        unsettled(place, "link", &self.column, (self.unsettled.0, &self.unsettled.1))
    }
}

/// That members go without something, because a column says several things of them.
pub(super) fn unsettled(
    place: &str,
    what: &str,
    column: &str,
    (count, first): (usize, &str),
) -> Option<Notice> {
    let which = match count {
        0 => return None,
        1 => format!("{first} has no {what}"),
        more => format!("{first} and {} more have no {what}", more - 1),
    };
    let message = format!("{place}: {which}, because {column} has several values there");
    Some(Notice::author(NoticeCode::NotUsed, message))
}

impl PlannedEmphasis {
    /// The columns beside those of the layout that a link on a dimension names.
    pub(super) fn columns_beside(&self, plan: &Plan) -> Vec<String> {
        let (Form::Link, Some((side, level)), Some(link)) = (self.spec.form, self.linked, &self.spec.link)
        else {
            return Vec::new();
        };
        let dimensions = side.pick(&plan.rows, &plan.columns);
        let mut names: Vec<String> = link.holes().map(str::to_string).collect();
        names.retain(|name| !dimensions[..level].iter().any(|d| d.name == *name));
        names.sort_unstable();
        names.dedup();
        names
    }
}
