//! Tiers: classes of the members of a dimension by an aggregate, used like a dimension.

use std::ops::Range;

use super::cells::CellScope;
use super::model::{AxisKey, Dimension, Measure, Pick, PlannedTier, TierKey};
use crate::brief::{Amount, Brief, Order, Template};
use crate::error::{Error, Result};
use crate::formula::{CellFormula, CellLeaf, Columns, Expr, LineFormula, Node, Operator};
use crate::grouping::Key;
use crate::model::{Kind, Value};

/// What each tier is made of, in formulas over lines.
pub(super) type TierSources = Vec<(Vec<Key>, Key)>;

/// Checks tiers but for what they are classified by.
pub(super) fn plan_tiers(brief: &Brief, columns: &Columns) -> Result<(Vec<PlannedTier>, TierSources)> {
    let mut tiers: Vec<PlannedTier> = Vec::new();
    for tier in &brief.tiers {
        let place = format!("tier {}", tier.name);
        let wrong = |message: String| Err(Error::request(&place, message));
        if columns.knows(&tier.name) || tiers.iter().any(|known| known.name == tier.name) {
            return wrong(format!("there is another dimension called {}", tier.name));
        }
        let (given, quantiles) = match (tier.cuts.as_slice(), tier.quantiles.as_slice()) {
            ([], []) => return wrong("it has no cuts, as in cuts = [1000, 5000]".into()),
            (given, []) => (given, false),
            ([], given) => (given, true),
            _ => return wrong("it has cuts or quantiles, never both".into()),
        };
        let cuts = cuts_of(given, quantiles).map_err(|message| Error::request(&place, message))?;
        let wanted = cuts.len() + 1;
        let labels = if tier.labels.is_empty() {
            made_labels(given)
        } else {
            tier.labels.iter().map(Template::to_string).collect()
        };
        if labels.len() != wanted {
            return wrong(format!(
                "{} cuts make {wanted} tiers, and {} labels are given",
                cuts.len(),
                labels.len()
            ));
        }
        tiers.push(PlannedTier {
            name: tier.name.clone(),
            of: tier.of.clone(),
            by: tier.by.clone(),
            within: tier.within.clone(),
            labels,
            cuts,
            quantiles,
            by_formula: None,
        });
    }
    let mut sources = Vec::new();
    let mut columns = columns.clone();
    for tier in &tiers {
        let place = format!("tier {}", tier.name);
        let mut key = |name: &String| {
            let formula = columns.dimension(name).map_err(|message| Error::remarked(&place, message))?;
            Ok::<Key, Error>(Key { name: name.clone(), formula })
        };
        let within = tier.within.iter().map(&mut key).collect::<Result<Vec<Key>>>()?;
        let of = key(&tier.of)?;
        sources.push((within, of));
    }
    Ok((tiers, sources))
}

/// The cuts, which go upward; what is wrong with them.
fn cuts_of(given: &[Amount], quantiles: bool) -> Result<Vec<Value>, String> {
    let mut cuts = Vec::new();
    for cut in given {
        match cut.value() {
            Some((value, percent)) if percent == quantiles => cuts.push(value),
            Some(_) if quantiles => {
                return Err(format!("{cut} is no share, as 25% is; cuts are values or shares, never a mix"));
            }
            Some(_) => return Err(format!("{cut} is a share; cuts are values or shares, never a mix")),
            None => return Err(format!("{cut} is not a number")),
        }
    }
    if let Some(pair) = cuts.windows(2).find(|pair| !pair[0].order(&pair[1]).is_lt()) {
        return Err(format!("cuts go upward, and {} does not stand above {}", pair[1], pair[0]));
    }
    let outside = |cut: &Value| !(0.0..=1.0).contains(&cut.as_f64());
    match quantiles && cuts.iter().any(outside) {
        true => Err("a share is from 0% to 100%".into()),
        false => Ok(cuts),
    }
}

fn made_labels(cuts: &[Amount]) -> Vec<String> {
    let below = cuts.first().map(|cut| format!("below {cut}"));
    let between = cuts.windows(2).map(|pair| format!("{} to {}", pair[0], pair[1]));
    below.into_iter().chain(between).chain(cuts.last().map(|cut| format!("from {cut}"))).collect()
}

/// The dimensions of an axis, and the keys that the scan groups by for them.
pub(super) fn plan_axis(
    axis: &str,
    names: &[String],
    tiers: &[PlannedTier],
    sources: &TierSources,
    columns: &mut Columns,
    keys: &mut Vec<Key>,
) -> Result<(Vec<Dimension>, Vec<AxisKey>)> {
    let (mut dimensions, mut axis_keys) = (Vec::new(), Vec::new());
    for name in names {
        let (kind, part) = match tiers.iter().position(|tier| tier.name == *name) {
            Some(tier) => {
                axis_keys.push(AxisKey::Tier(hidden_key(tier, sources, columns, keys)?));
                (Kind::Text, None)
            }
            None => {
                let more = tiers.iter().map(|tier| tier.name.as_str());
                let formula = columns.dimension(name).map_err(|message| {
                    match crate::suggest::nearest(name, &more.collect::<Vec<_>>()) {
                        Some(near) => Error::unknown(axis, "column", name, [near]),
                        None => Error::remarked(axis, message),
                    }
                })?;
                let key = Key { name: name.clone(), formula };
                let found = key.kind();
                axis_keys.push(AxisKey::Key(keys.len()));
                keys.push(key);
                found
            }
        };
        dimensions.push(Dimension {
            name: name.clone(),
            label: name.clone(),
            order: Order::default(),
            labels: Vec::new(),
            colours: Vec::new(),
            family: None,
            kind,
            part,
            pick: Pick::default(),
            order_by: None,
        });
    }
    Ok((dimensions, axis_keys))
}

/// Adds the keys that a tier is found by, where they are not among the axis's keys yet.
pub(super) fn hidden_key(
    tier: usize,
    sources: &TierSources,
    columns: &mut Columns,
    keys: &mut Vec<Key>,
) -> Result<TierKey> {
    let (within, of) = &sources[tier];
    let mut place = |key: &Key| -> Result<usize> {
        if let Some(place) = keys.iter().position(|known| known.name == key.name) {
            return Ok(place);
        }
        // Found again, so that its column is among those that are read.
        let formula: LineFormula =
            columns.dimension(&key.name).map_err(|message| Error::remarked("tiers", message))?;
        keys.push(Key { name: key.name.clone(), formula });
        Ok(keys.len() - 1)
    };
    let within = within.iter().map(&mut place).collect::<Result<_>>()?;
    Ok(TierKey { tier, within, of: place(of)? })
}

/// Checks what tiers are classified by.
pub(super) fn plan_by(brief: &Brief, tiers: &mut [PlannedTier], scope: &mut CellScope<'_>) -> Result<()> {
    for (tier, spec) in tiers.iter_mut().zip(&brief.tiers) {
        let place = format!("tier {}", tier.name);
        let formula = scope.formula(&place, &spec.by)?;
        if !formula.ty.is_number() {
            let message = format!("a number is wanted, and this gives {}", formula.ty.words());
            return Err(spec.by.error_as_a_whole(&place, message));
        }
        tier.by_formula = Some(formula);
    }
    Ok(())
}

/// A tier's members are known before there are cells, so what classifies them reads no other cell.
pub(super) fn check_by(brief: &Brief, tiers: &[PlannedTier], measures: &[Measure]) -> Result<()> {
    fn reads_aggregates_only(formula: &CellFormula, measures: &[Measure]) -> bool {
        let mut all = true;
        formula.leaves(&mut |leaf| match leaf {
            CellLeaf::Aggregate(_) => {}
            CellLeaf::Measure(i) => all &= reads_aggregates_only(&measures[*i].cell, measures),
            _ => all = false,
        });
        all
    }
    for (tier, spec) in tiers.iter().zip(&brief.tiers) {
        if tier.by_formula.as_ref().is_some_and(|formula| !reads_aggregates_only(formula, measures)) {
            let message = "a tier is found before there are cells, so it goes by aggregates of lines alone";
            return Err(spec.by.error_as_a_whole(&format!("tier {}", tier.name), message));
        }
    }
    Ok(())
}

/// By the place of a tier: whether each of its classes is kept; the last value is for members without one.
type TierConditions = Vec<(usize, Vec<bool>)>;

/// Splits a condition into the part over lines and the parts over tiers, which are joined by `and`.
pub(super) fn split_condition(expr: &Expr, tiers: &[PlannedTier]) -> Result<(Option<Expr>, TierConditions)> {
    let names_tier = |expr: &Expr| tiers.iter().position(|tier| mentions(expr, &tier.name));
    let Some(tier) = names_tier(expr) else { return Ok((Some(expr.clone()), Vec::new())) };
    if let Node::Binary(Operator::And, left, right) = &expr.node {
        let (a, mut of_tiers) = split_condition(left, tiers)?;
        let (b, more) = split_condition(right, tiers)?;
        of_tiers.extend(more);
        let of_lines = match (a, b) {
            (Some(a), Some(b)) => Some(Expr {
                node: Node::Binary(Operator::And, Box::new(a), Box::new(b)),
                span: expr.span.clone(),
            }),
            (a, b) => a.or(b),
        };
        return Ok((of_lines, of_tiers));
    }
    // Members without a tier come last. Their label is empty, as that of every blank member.
    let labels = tiers[tier].labels.iter().map(String::as_str).chain([""]);
    let keeps: Result<Vec<bool>> = labels.map(|label| keeps(expr, &tiers[tier], label)).collect();
    Ok((None, vec![(tier, keeps?)]))
}

fn mentions(expr: &Expr, name: &str) -> bool {
    let mut found = false;
    expr.walk(&mut |expr| found |= matches!(&expr.node, Node::Name(known) if known.whole() == name));
    found
}

/// Whether a condition on a tier keeps the one of this label.
fn keeps(expr: &Expr, tier: &PlannedTier, label: &str) -> Result<bool> {
    let place = "where";
    let wrong = |span: &Range<usize>| {
        let name = &tier.name;
        let message = format!(
            "a condition on tier {name} stands by itself or between and: {name} = '…', {name} <> '…', {name} in (…), {name} is blank"
        );
        Err(Error::formula(place, expr.to_string(), span.clone(), message))
    };
    let is_tier = |expr: &Expr| matches!(&expr.node, Node::Name(name) if name.whole() == tier.name);
    let named = |expr: &Expr| match &expr.node {
        Node::Text(text) if text.is_empty() || tier.labels.contains(text) => Ok(text == label),
        Node::Text(text) => {
            let known = tier.labels.iter().map(String::as_str);
            Err(Error::unknown(place, &format!("tier of {}", tier.name), text, known))
        }
        _ => wrong(&(0..0)),
    };
    match &expr.node {
        Node::Binary(Operator::Equal, a, b) if is_tier(a) => named(b),
        Node::Binary(Operator::NotEqual, a, b) if is_tier(a) => Ok(!named(b)?),
        Node::In(a, list) if is_tier(a) => {
            Ok(list.iter().map(named).collect::<Result<Vec<bool>>>()?.contains(&true))
        }
        Node::IsBlank(a) if is_tier(a) => Ok(label.is_empty()),
        Node::Not(inner) => Ok(!keeps(inner, tier, label)?),
        _ => wrong(&(0..0)),
    }
}
