//! Assumptions: what-if values by name, in formulas and in the texts of a brief.

use super::model::Assumptions;
use crate::brief::{Assumed, AssumptionBrief, Brief, DimensionBrief, EmphasisBrief, RuleBrief};
use crate::error::{Error, Result, unknown_message};
use crate::formula::{Step, Type, TypedExpr};
use crate::model::rescale;

impl Assumptions {
    /// Checks every assumption's value.
    pub(super) fn new(briefs: &[AssumptionBrief]) -> Result<Assumptions> {
        let mut known: Vec<(String, Assumed)> = Vec::new();
        for brief in briefs {
            let place = format!("assumption {}", brief.name);
            if known.iter().any(|(name, _)| *name == brief.name) {
                return Err(Error::request(place, "there is another assumption of this name"));
            }
            check(&place, brief)?;
            known.push((brief.name.clone(), brief.value.clone()));
        }
        Ok(Assumptions(known))
    }

    pub(crate) fn names(&self) -> impl Iterator<Item = &str> {
        self.0.iter().map(|(name, _)| name.as_str())
    }

    /// The constant that a name stands for.
    pub(crate) fn formula<L>(&self, name: &str) -> Option<TypedExpr<L>> {
        let (_, value) = self.0.iter().find(|(known, _)| known == name)?;
        Some(match value {
            Assumed::Number { digits, scale, .. } => {
                TypedExpr { step: Step::Digits(*digits), ty: Type::Exact { scale: *scale } }
            }
            Assumed::Text(text) => TypedExpr { step: Step::Word(text.clone()), ty: Type::Text },
        })
    }

    /// The value of a name.
    pub(crate) fn value(&self, name: &str) -> Option<Assumed> {
        self.0.iter().find(|(known, _)| known == name).map(|(_, value)| value.clone())
    }

    /// A text with every `{name}` replaced by what is assumed.
    pub(super) fn fill(&self, text: &str) -> String {
        self.0.iter().fold(text.to_string(), |text, (name, value)| {
            text.replace(&format!("{{{name}}}"), &value.to_string())
        })
    }
}

fn check(place: &str, brief: &AssumptionBrief) -> Result<()> {
    let wrong = |message: String| Err(Error::request(place, message));
    if let (Some(low), Some(high)) = (&brief.low, &brief.high)
        && below(high, low)
    {
        return wrong(format!("it is from {low} to {high}, which nothing is"));
    }
    if let Assumed::Text(text) = &brief.value {
        if brief.low.is_some() || brief.high.is_some() {
            return wrong(format!("{text} is no number, and only a number has bounds"));
        }
        if !brief.choices.is_empty() && !brief.choices.contains(text) {
            return wrong(unknown_message("choice", text, brief.choices.iter().map(String::as_str)));
        }
        return Ok(());
    }
    match (&brief.low, &brief.high) {
        (Some(low), _) if below(&brief.value, low) => {
            wrong(format!("{} is below {low}, the lowest that is allowed", brief.value))
        }
        (_, Some(high)) if below(high, &brief.value) => {
            wrong(format!("{} is above {high}, the highest that is allowed", brief.value))
        }
        _ => Ok(()),
    }
}

fn below(a: &Assumed, b: &Assumed) -> bool {
    let (Assumed::Number { digits: a, scale: s, .. }, Assumed::Number { digits: b, scale: t, .. }) = (a, b)
    else {
        return false;
    };
    let common = *s.max(t);
    rescale(*a, *s, common).zip(rescale(*b, *t, common)).is_some_and(|(a, b)| a < b)
}

impl Brief {
    /// Sets an assumption to another value, as `--assume name=value` does.
    ///
    /// # Errors
    /// A name that is no assumption of this brief; a number where a text is, or the other way round.
    pub fn assume(&mut self, name: &str, value: Assumed) -> Result<()> {
        let known: Vec<String> = self.assumptions.iter().map(|a| a.name.clone()).collect();
        let Some(assumption) = self.assumptions.iter_mut().find(|a| a.name == name) else {
            return Err(Error::unknown("assume", "assumption", name, known.iter().map(String::as_str)));
        };
        assumption.value = match (&assumption.value, value) {
            (Assumed::Number { .. }, Assumed::Text(text)) => {
                return Err(Error::request(
                    format!("assumption {name}"),
                    format!("a number is wanted, not {text}"),
                ));
            }
            (Assumed::Text(_), number @ Assumed::Number { .. }) => Assumed::Text(number.to_string()),
            (_, value) => value,
        };
        Ok(())
    }

    /// The brief with every `{name}` in its layout, texts and formulas replaced by what is assumed.
    pub(super) fn settled(&self, assumptions: &Assumptions) -> Brief {
        let mut brief = self.clone();
        if assumptions.0.is_empty() {
            return brief;
        }
        let fill = |text: &mut String| *text = assumptions.fill(text);
        brief.totals.iter_mut().for_each(|(name, _)| fill(name));
        let Brief {
            title, rows, columns, filter, measures, derived, items, dimensions, emphasis, tiers, ..
        } = &mut brief;
        title.iter_mut().chain(filter).chain(rows).chain(columns).for_each(fill);
        derived.iter_mut().for_each(|(_, formula)| fill(formula));
        for measure in measures {
            measure.label.iter_mut().chain([&mut measure.formula]).for_each(fill);
            measure
                .levels
                .iter_mut()
                .flat_map(|(level, formula)| [level].into_iter().chain(formula))
                .for_each(fill);
        }
        items.iter_mut().flat_map(|i| [&mut i.dimension, &mut i.name, &mut i.formula]).for_each(fill);
        for tier in tiers {
            let lists = tier.cuts.iter_mut().chain(&mut tier.labels).chain(&mut tier.within);
            lists.chain([&mut tier.of, &mut tier.by]).for_each(fill);
        }
        for spec in emphasis {
            let EmphasisBrief { on, by, only, levels, about, low, high, along, rules, clip, link, .. } = spec;
            let texts = by.iter_mut().chain(only).chain(levels).chain(about).chain(low).chain(high);
            let clip = clip.iter_mut().flat_map(|(low, high)| [low, high]);
            texts.chain(along).chain(link).chain(clip).chain([on]).for_each(fill);
            for RuleBrief { name, show, from, below, is, top, bottom, when, .. } in rules {
                let texts =
                    name.iter_mut().chain(show).chain(from).chain(below).chain(is).chain(top).chain(bottom);
                texts.chain(when).for_each(fill);
            }
        }
        for dimension in dimensions {
            let DimensionBrief { name, label, order, listed, top, having, only, except, labels, .. } =
                dimension;
            let lists = listed.iter_mut().chain(only).chain(except);
            lists.chain(label).chain(order).chain(having).chain([name]).for_each(fill);
            labels.iter_mut().flat_map(|(member, shown)| [member, shown]).for_each(fill);
            if let Some(top) = top {
                top.others.iter_mut().chain([&mut top.count, &mut top.by]).for_each(fill);
            }
        }
        brief
    }
}
