//! Tiers: members are classified once the leaf groups are known, and the keys that they were
//! found by are made one. No line is read again.

use std::sync::Arc;

use crate::aggregates::{Function, Share};
use crate::error::{Error, Result};
use crate::formula::{CellFormula, CellLeaf, Evaluate, Texts, Values, evaluate};
use crate::grouping::{AxisPaths, LeafGroups, States};
use crate::lines::{Member, MemberId, Members};
use crate::model::{AxisSide, CellValues, Overflow, Value};
use crate::plan::{AxisKey, Plan, PlannedTier, TierKey};
use crate::rollup::{Collapsed, collapse, combined, without_empty_paths};

/// Leaf groups whose keys are the layout's dimensions, tiers among them.
///
/// # Errors
/// A sum that outgrows 38 digits.
pub(crate) fn settle_tiers(plan: &Plan, leaves: LeafGroups) -> Result<LeafGroups> {
    let without_tiers = |keys: &[AxisKey]| keys.iter().all(|key| matches!(key, AxisKey::Key(_)));
    if without_tiers(&plan.row_keys) && without_tiers(&plan.column_keys) {
        return Ok(leaves);
    }
    let collapsed = |keys: &[AxisKey], side: AxisSide| -> Result<Vec<Collapsed>> {
        let paths = side.pick(&leaves.rows, &leaves.columns);
        let one = |key: &AxisKey| {
            Ok(match key {
                AxisKey::Key(place) => Collapsed::Key(*place),
                AxisKey::Tier(tier) => {
                    let tiers = classify(plan, &leaves, paths, side, tier)?;
                    let (members, own) = members_of(&plan.tiers[tier.tier], &tiers);
                    Collapsed::Made(members, own)
                }
                AxisKey::Filter(tier, keeps) => {
                    let tiers = classify(plan, &leaves, paths, side, tier)?;
                    let none = keeps.len() - 1;
                    Collapsed::Filter(tiers.into_iter().map(|tier| keeps[tier.unwrap_or(none)]).collect())
                }
            })
        };
        keys.iter().map(one).collect()
    };
    let (rows, row_targets) = collapse(&leaves.rows, &collapsed(&plan.row_keys, AxisSide::Rows)?);
    let (columns, column_targets) =
        collapse(&leaves.columns, &collapsed(&plan.column_keys, AxisSide::Columns)?);
    let settled = leaves.regrouped((rows, &row_targets), (columns, &column_targets));
    settled.and_then(without_empty_paths).map_err(|_| Error::overflow("the totals"))
}

/// The tier of every deepest path; none where what they are classified by is blank.
fn classify(
    plan: &Plan,
    leaves: &LeafGroups,
    paths: &AxisPaths,
    side: AxisSide,
    key: &TierKey,
) -> Result<Vec<Option<usize>>> {
    let tier = &plan.tiers[key.tier];
    let overflow = || Error::overflow(format!("tier {}", tier.name));
    let levels: Vec<usize> = key.within.iter().copied().chain([key.of]).collect();
    let (numbers, count) = combined(paths, &levels);
    let into: Vec<u32> = leaves
        .groups
        .pairs()
        .iter()
        .map(|(row, column)| numbers[side.pick(*row, *column) as usize])
        .collect();
    let states = leaves.states.merged(&into, count).map_err(|_| overflow())?;
    let Some(by) = &tier.by_formula else { return Ok(vec![None; numbers.len()]) };
    let values = evaluate(by, &mut OfMembers { plan, states: &states }).map_err(|_| overflow())?;
    // Members that are classified together.
    let (within, groups) = combined(paths, &key.within);
    let mut group_of = vec![0; count];
    numbers.iter().zip(&within).for_each(|(number, group)| group_of[*number as usize] = *group as usize);
    // Lines that hold nothing in the dimension are no member of it: they have no tier, and cut none.
    let (of, known) = (paths.members_at(key.of), &paths.members[key.of]);
    let mut named = vec![false; count];
    numbers.iter().zip(&of).for_each(|(number, of)| named[*number as usize] = !known.is_blank(MemberId(*of)));
    let mut members: Vec<Vec<Value>> = vec![Vec::new(); groups];
    for ((value, group), _) in values.iter().zip(&group_of).zip(&named).filter(|(_, named)| **named) {
        members[*group].extend(value);
    }
    let cuts: Vec<Vec<Value>> =
        members.iter().map(|values| cuts(tier, values)).collect::<Result<_, _>>().map_err(|_| overflow())?;
    let tier_of = |(path, number): (usize, &u32)| {
        let value = values.get(*number as usize).filter(|_| !known.is_blank(MemberId(of[path])))?;
        // A value on a cut belongs to the tier above it.
        Some(cuts[group_of[*number as usize]].iter().filter(|cut| !value.order(cut).is_lt()).count())
    };
    Ok(numbers.iter().enumerate().map(tier_of).collect())
}

/// The cuts as values.
fn cuts(tier: &PlannedTier, values: &[Value]) -> Result<Vec<Value>, Overflow> {
    if !tier.quantiles {
        return Ok(tier.cuts.clone());
    }
    let at = |share: &Value| {
        let Value::Exact(share) = *share else { return Ok(None) };
        let Some(share) = Share::new(share) else { return Ok(None) };
        Function::quantile(share).of_values(values)
    };
    let all: Result<Vec<Option<Value>>, Overflow> = tier.cuts.iter().map(at).collect();
    Ok(all?.into_iter().flatten().collect())
}

/// The members that tiers make, and which of them every path is under.
fn members_of(tier: &PlannedTier, tiers: &[Option<usize>]) -> (Members, Vec<u32>) {
    let labels = tier.labels.iter().enumerate();
    let mut members: Vec<Member> =
        labels.map(|(i, label)| Member::Tier(i as u32, label.as_str().into())).collect();
    let blank = members.len() as u32;
    if tiers.iter().any(Option::is_none) {
        members.push(Member::Blank);
    }
    (Members::new(members), tiers.iter().map(|tier| tier.map_or(blank, |tier| tier as u32)).collect())
}

/// The members of a dimension as cells that a formula runs over.
struct OfMembers<'a> {
    plan: &'a Plan,
    states: &'a States,
}

impl Evaluate for OfMembers<'_> {
    type Leaf = CellLeaf;
    type Error = Overflow;

    fn cells(&self) -> usize {
        self.states.len()
    }

    fn values(&mut self, leaf: &CellLeaf) -> Result<Values, Overflow> {
        match leaf {
            CellLeaf::Aggregate(place) => self.states.finish(&self.plan.aggregates[*place]).map(Arc::new),
            CellLeaf::Measure(place) => {
                let formula: &CellFormula = &self.plan.measures[*place].cell;
                evaluate(formula, &mut OfMembers { plan: self.plan, states: self.states })
            }
            _ => Ok(Arc::new(CellValues::blank(self.states.len()))),
        }
    }

    fn texts(&mut self, _: &CellLeaf) -> Result<Texts, Overflow> {
        Ok(Arc::new(vec![None; self.states.len()]))
    }

    fn divided_by_zero(&mut self, _: usize) {}
}
