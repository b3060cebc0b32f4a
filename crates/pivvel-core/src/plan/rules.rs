//! Rules of an emphasis: bounds in one unit each, and what can be found wrong with them before any line is
//! read: which can never match, and where none does.

use super::cells::CellScope;
use super::layout;
use super::model::{Bounds, BoundsOf, Edge, PlannedRule};
use crate::brief::{Amount, MeanSide, RuleBrief, Template, Unit};
use crate::error::{Error, Result};

use crate::model::{Part, Sentence, Type, Value, date_from_text};

impl PlannedRule {
    /// Its name in the legend as data, for translation; `None` where the brief names it.
    pub fn default_name(&self) -> Option<&Sentence> {
        self.default_name.as_ref()
    }

    /// Whether nothing but bounds decides.
    fn is_bounds_only(&self) -> bool {
        self.bounds.is_any()
            && self.count.is_none()
            && self.mean.is_none()
            && self.when.is_none()
            && !self.blank
    }

    /// Whether it matches whatever a value may be.
    fn is_open(&self) -> bool {
        !self.bounds.is_any()
            && self.count.is_none()
            && self.mean.is_none()
            && self.when.is_none()
            && !self.blank
    }
}

/// Checks the rules of an emphasis whose deciding formula gives this.
pub(super) fn plan_rules(
    place: &str,
    rules: &[RuleBrief],
    ty: Type,
    scope: &mut CellScope<'_>,
) -> Result<Vec<PlannedRule>> {
    let one =
        |(i, rule): (usize, &RuleBrief)| plan_rule(&format!("{place}, rule {}", i + 1), rule, ty, scope);
    rules.iter().enumerate().map(one).collect()
}

fn plan_rule(place: &str, rule: &RuleBrief, ty: Type, scope: &mut CellScope<'_>) -> Result<PlannedRule> {
    let bounds = bounds(place, rule, ty, scope)?;
    if rule.blank && (bounds.is_any() || rule.top.is_some() || rule.bottom.is_some() || rule.mean.is_some()) {
        return Err(Error::request(place, "a blank has no value, so blank = true goes with no bound"));
    }
    let count = match (&rule.top, &rule.bottom) {
        (Some(_), Some(_)) => return Err(Error::request(place, "it is either top or bottom")),
        (Some(top), _) => Some((layout::count(&format!("{place}, top"), top, scope)?, false)),
        (_, Some(bottom)) => Some((layout::count(&format!("{place}, bottom"), bottom, scope)?, true)),
        _ => None,
    };
    let when = rule.when.as_ref().map(|when| scope.condition(&format!("{place}, when"), when)).transpose()?;
    let sentence = sentence(rule);
    let words = sentence.to_string();
    Ok(PlannedRule {
        name: rule.name.as_ref().map_or_else(|| words.clone(), Template::to_string),
        show: rule.show.clone(),
        words,
        default_name: rule.name.is_none().then_some(sentence),
        bounds,
        count,
        mean: rule.mean,
        blank: rule.blank,
        when,
    })
}

fn bounds(place: &str, rule: &RuleBrief, ty: Type, scope: &CellScope<'_>) -> Result<Bounds> {
    let mut bounds = Bounds::default();
    let mut percent: Option<(bool, &Amount)> = None;
    // Each key with whether it is the low edge, and whether that is after the value.
    let given = [
        ("from", &rule.from, true, false),
        ("above", &rule.above, true, true),
        ("below", &rule.below, false, false),
        ("up_to", &rule.up_to, false, true),
    ];
    let mut unit = |amount, is_percent| match percent.replace((is_percent, amount)) {
        Some((other, first)) if other != is_percent => Err(Error::request(
            place,
            format!(
                "{first} and {amount} mix a position on the scale with a true value; write both as percentages or both as numbers"
            ),
        )),
        _ => Ok(()),
    };
    for (key, amount, is_low, after) in given {
        let Some(amount) = amount else { continue };
        let (value, is_percent) = bound(&format!("{place}, {key}"), amount, ty, scope)?;
        unit(amount, is_percent)?;
        let side = if is_low { &mut bounds.low } else { &mut bounds.high };
        if side.replace(Edge { value, after }).is_some() {
            let both = if is_low { "from and above" } else { "below and up_to" };
            return Err(Error::request(place, format!("it has both {both}; leave one out")));
        }
    }
    if let Some(amount) = &rule.is {
        let (value, is_percent) = bound(&format!("{place}, is"), amount, ty, scope)?;
        unit(amount, is_percent)?;
        if bounds.is_any() {
            return Err(Error::request(place, "it has is and another bound; leave one out"));
        }
        bounds = Bounds { low: Some(Edge::before(value)), high: Some(Edge::after(value)), ..bounds };
    }
    bounds.of = match (percent.is_some_and(|(percent, _)| percent), rule.unit) {
        (true, Unit::Position) => BoundsOf::Positions,
        (true, Unit::Percentile) => BoundsOf::Percentiles,
        (false, Unit::Percentile) if bounds.is_any() => {
            return Err(Error::request(place, "a percentile is written as a percentage, like 25%"));
        }
        _ => BoundsOf::Values,
    };
    if bounds.percentiles().any(|share| !(0.0..=1.0).contains(&share)) {
        return Err(Error::request(place, "percentiles go from 0% to 100%"));
    }
    if bounds.low.zip(bounds.high).is_some_and(|(low, high)| low.order(&high).is_ge()) {
        return Err(Error::request(place, format!("nothing is {}", sentence(rule))));
    }
    Ok(bounds)
}

/// A bound, and whether it was written as a percentage.
fn bound(place: &str, amount: &Amount, ty: Type, scope: &CellScope<'_>) -> Result<(Value, bool)> {
    if ty == Type::Day {
        let day = date_from_text(&amount.to_string()).map(|day| (Value::Date(day), false));
        return day
            .ok_or_else(|| Error::request(place, format!("{amount} is no date; write it like 2025-01-31")));
    }
    scope.assumptions.amount(amount).value().ok_or_else(|| {
        let message =
            format!("{amount} is no number, nor an assumption that is one; write it like 1000 or 25%");
        Error::request(place, message)
    })
}

/// What a rule says.
fn sentence(rule: &RuleBrief) -> Sentence {
    let of = |amount: &Amount| -> Part {
        match (amount.is_percent(), rule.unit) {
            (true, Unit::Position) => {
                Sentence::from("{amount} of the scale").with("amount", amount.to_string()).into()
            }
            (true, Unit::Percentile) => {
                let number = amount.to_string().replace('%', "");
                Sentence::from("percentile {number}").with("number", number).into()
            }
            _ => amount.to_string().into(),
        }
    };
    let mut parts: Vec<Sentence> = Vec::new();
    let both = |phrase, low: &Amount, high: &Amount| {
        // Of positions the scale is named once.
        let low = if rule.unit == Unit::Percentile { of(low) } else { low.to_string().into() };
        Sentence::from(phrase).with("low", low).with("high", of(high))
    };
    parts.extend(match (&rule.from, &rule.above, &rule.below, &rule.up_to) {
        (Some(low), _, Some(high), _) => Some(both("{low} to below {high}", low, high)),
        (Some(low), _, _, Some(high)) => Some(both("{low} to {high}", low, high)),
        (_, Some(low), Some(high), _) => Some(both("above {low} to below {high}", low, high)),
        (_, Some(low), _, Some(high)) => Some(both("above {low} to {high}", low, high)),
        (Some(low), ..) => Some(Sentence::from("{low} or more").with("low", of(low))),
        (_, Some(low), ..) => Some(Sentence::from("above {low}").with("low", of(low))),
        (.., Some(high), _) => Some(Sentence::from("below {high}").with("high", of(high))),
        (.., Some(high)) => Some(Sentence::from("{high} or less").with("high", of(high))),
        _ => None,
    });
    parts.extend(rule.is.as_ref().map(|is| Sentence::from("exactly {amount}").with("amount", of(is))));
    let counted = [("top {amount}", &rule.top), ("bottom {amount}", &rule.bottom)];
    for (phrase, amount) in
        counted.into_iter().filter_map(|(phrase, amount)| Some((phrase, amount.as_ref()?)))
    {
        parts.push(Sentence::from(phrase).with("amount", amount.to_string()));
    }
    parts.extend(rule.mean.map(|side| match side {
        MeanSide::Above => Sentence::from("above the mean"),
        MeanSide::Below => Sentence::from("below the mean"),
    }));
    if rule.blank {
        parts.push("blank".into());
    }
    let when =
        rule.when.as_ref().map(|when| Sentence::from("{condition}").with("condition", when.to_string()));
    let all = parts.into_iter().chain(when);
    let both =
        |first, second| Sentence::from("{first} and {second}").with("first", first).with("second", second);
    all.reduce(both).unwrap_or_else(|| "anything else".into())
}

/// What the analyst most likely did not mean: rules that never match because earlier ones take all
/// that they would, and values that no rule is for.
pub(super) fn doubts(place: &str, rules: &[PlannedRule]) -> Vec<String> {
    let mut doubts = Vec::new();
    for (i, rule) in rules.iter().enumerate() {
        if let Some(open) = rules[..i].iter().position(PlannedRule::is_open) {
            let message = format!(
                "{place}, rule {} ({}) is never reached: rule {} matches anything",
                i + 1,
                rule.name,
                open + 1
            );
            doubts.push(message);
            continue;
        }
        let taken = covered(rules[..i].iter().filter(|r| r.is_bounds_only()), rule.bounds.of);
        if rule.bounds.is_any() && taken.iter().any(|piece| holds(piece, &range(&rule.bounds))) {
            doubts.push(format!(
                "{place}, rule {} ({}) is never reached: earlier rules take all of it",
                i + 1,
                rule.name
            ));
        }
    }
    let bounds_only: Vec<&PlannedRule> = rules.iter().filter(|r| r.is_bounds_only()).collect();
    if bounds_only.len() < 2 || bounds_only.len() < rules.iter().filter(|r| !r.blank).count() {
        return doubts;
    }
    let unit = bounds_only[0].bounds.of;
    for pair in covered(bounds_only.into_iter(), unit).windows(2) {
        if let (Some(end), Some(start)) = (pair[0].1, pair[1].0) {
            let shown = |edge: Edge| {
                let percent = || format!("{} %", edge.value.as_f64() * 100.0);
                if unit == BoundsOf::Values { edge.value.to_string() } else { percent() }
            };
            let gap = match (end.after, start.after) {
                (false, true) if end.value.order(&start.value).is_eq() => format!("exactly {}", shown(end)),
                (false, false) => format!("values from {} to below {}", shown(end), shown(start)),
                (false, true) => format!("values from {} to {}", shown(end), shown(start)),
                (true, false) => format!("values above {} and below {}", shown(end), shown(start)),
                (true, true) => format!("values above {} up to {}", shown(end), shown(start)),
            };
            doubts.push(format!("{place}: no rule is for {gap}"));
        }
    }
    doubts
}

type Range = (Option<Edge>, Option<Edge>);

fn range(bounds: &Bounds) -> Range {
    (bounds.low, bounds.high)
}

fn holds(outer: &Range, inner: &Range) -> bool {
    outer.0.is_none_or(|low| inner.0.is_some_and(|own| own.order(&low).is_ge()))
        && outer.1.is_none_or(|high| inner.1.is_some_and(|own| own.order(&high).is_le()))
}

/// What rules cover together, as ranges that do not touch, lowest first. Single values count only where they touch a
/// range, as zero does between what is below and what is above it.
fn covered<'r>(rules: impl Iterator<Item = &'r PlannedRule>, of: BoundsOf) -> Vec<Range> {
    let mut ranges: Vec<Range> =
        rules.filter(|rule| rule.bounds.of == of).map(|rule| range(&rule.bounds)).collect();
    ranges.sort_by(|(a, _), (b, _)| match (a, b) {
        (Some(a), Some(b)) => a.order(b),
        (a, b) => a.is_some().cmp(&b.is_some()),
    });
    let mut joined: Vec<Range> = Vec::new();
    for (low, high) in ranges {
        let touches = joined.last().is_some_and(|(_, end)| match (end, low) {
            (Some(end), Some(low)) => low.order(end).is_le(),
            _ => true,
        });
        match joined.last_mut() {
            Some((_, end)) if touches => {
                *end = match (*end, high) {
                    (Some(a), Some(b)) => Some(if a.order(&b).is_ge() { a } else { b }),
                    _ => None,
                };
            }
            _ => joined.push((low, high)),
        }
    }
    let is_single =
        |(low, high): &Range| low.zip(*high).is_some_and(|(low, high)| low.value.order(&high.value).is_eq());
    joined.retain(|range| !is_single(range));
    joined
}
