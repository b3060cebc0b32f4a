//! Conditions on lines from the members of a cell, so that a source can leave out most of the others.

use super::trace::Trace;
use crate::crosstab::{Build, Job};
use crate::error::Result;
use crate::formula::{LineFormula, Operator, Step, TypedExpr};
use crate::grouping::Key;
use crate::lines::{LineSource, Member};
use crate::model::Type;
use crate::plan::{AxisKey, Plan};
use crate::rollup::{Axis, Either, Entry};

impl Trace {
    /// Lets a source leave out lines that are not behind any of the entries, where these are single
    /// members of the lines. What it gives all the same is sifted.
    pub(super) fn narrow(
        &self,
        rows: &[Entry<Either>],
        columns: &[Entry<Either>],
        source: &mut dyn LineSource,
    ) -> Result<()> {
        let mut plan = self.plan.clone();
        let Plan { grouping, row_keys, column_keys, .. } = &mut plan;
        let frame = &self.inside.frame;
        let conditions = members(&frame.rows, rows, row_keys, &grouping.rows).chain(members(
            &frame.columns,
            columns,
            column_keys,
            &grouping.columns,
        ));
        let all: Vec<LineFormula> = grouping.filter.take().into_iter().chain(conditions).collect();
        let both = |a, b| TypedExpr {
            step: Step::Logical(Operator::And, Box::new(a), Box::new(b)),
            ty: Type::Condition,
        };
        grouping.filter = all.into_iter().reduce(both);
        Build::new().narrow(&[Job::of(plan)], source).map(drop)
    }
}

/// That lines are of the members on the way to an entry, where it is the only one.
fn members<'a>(
    axis: &'a Axis<Either>,
    entries: &'a [Entry<Either>],
    keys: &'a [AxisKey],
    formulas: &'a [Key],
) -> impl Iterator<Item = LineFormula> + use<'a> {
    let path = if let [only] = entries { axis.path(*only) } else { Vec::new() };
    path.into_iter().zip(keys).filter_map(|(member, key)| {
        let AxisKey::Key(place) = key else { return None };
        is_member(&formulas[*place].formula, &member.member())
    })
}

/// That a formula gives a member; none where no source is helped by that.
fn is_member(formula: &LineFormula, member: &Member) -> Option<LineFormula> {
    let (step, ty) = match member {
        Member::Text(text) => (Step::Word(text.to_string()), Type::Text),
        Member::Period(period) => (Step::Digits(period.number().into()), formula.ty),
        Member::Number(number) => (Step::Digits(number.digits), Type::Exact { scale: number.scale }),
        _ => return None,
    };
    let constant = TypedExpr { step, ty };
    let equal = Step::Compare(Operator::Equal, Box::new(formula.clone()), Box::new(constant));
    (formula.ty == ty).then_some(TypedExpr { step: equal, ty: Type::Condition })
}
