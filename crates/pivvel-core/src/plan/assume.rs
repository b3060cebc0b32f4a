//! Assumptions: what-if values by name, in formulas and in the texts of a brief.

use super::model::Assumptions;
use crate::brief::{Amount, AssumptionBrief, Brief, NO_FORMULA, Part, Template};
use crate::error::{Error, Result};
use crate::formula::{Step, TypedExpr};
use crate::model::Type;

impl Assumptions {
    /// Checks every assumption's value.
    pub(super) fn new(briefs: &[AssumptionBrief]) -> Result<Assumptions> {
        let mut known: Vec<(String, Amount)> = Vec::new();
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
            Amount::Number { number, .. } => {
                TypedExpr { step: Step::Digits(number.digits), ty: Type::Exact { scale: number.scale } }
            }
            Amount::Text(text) => TypedExpr { step: Step::Word(text.clone()), ty: Type::Text },
        })
    }

    /// The value of a name.
    pub(crate) fn value(&self, name: &str) -> Option<Amount> {
        self.0.iter().find(|(known, _)| known == name).map(|(_, value)| value.clone())
    }

    /// A text with every `{name}` replaced by what is assumed.
    fn fill(&self, text: &Template, written: impl Fn(&Amount) -> String) -> Template {
        text.fill(|name| self.value(name).map(|value| written(&value)))
    }

    /// An amount, or the value of the assumption that it names.
    pub(crate) fn amount(&self, amount: &Amount) -> Amount {
        match amount {
            Amount::Text(name) => self.value(name).unwrap_or_else(|| amount.clone()),
            Amount::Number { .. } => amount.clone(),
        }
    }
}

fn check(place: &str, brief: &AssumptionBrief) -> Result<()> {
    let wrong = |message: String| Err(Error::request(place, message));
    if let (Some(low), Some(high)) = (&brief.low, &brief.high)
        && below(high, low)
    {
        return wrong(format!("it is from {} to {}, which nothing is", low.words(), high.words()));
    }
    if let Amount::Text(text) = &brief.value
        && (brief.low.is_some() || brief.high.is_some())
    {
        return wrong(format!("{text} is no number, and only a number has bounds"));
    }
    match (&brief.low, &brief.high) {
        (Some(low), _) if below(&brief.value, low) => {
            wrong(format!("{} is below {}, the lowest that is allowed", brief.value.words(), low.words()))
        }
        (_, Some(high)) if below(high, &brief.value) => {
            wrong(format!("{} is above {}, the highest that is allowed", brief.value.words(), high.words()))
        }
        _ if brief.choices.is_empty() || brief.choices.iter().any(|choice| is_same(choice, &brief.value)) => {
            Ok(())
        }
        _ => {
            let known: Vec<String> = brief.choices.iter().map(Amount::to_string).collect();
            let value = brief.value.to_string();
            Err(Error::unknown(place, "choice", &value, known.iter().map(String::as_str)))
        }
    }
}

/// Whether two values are one: `4%` is `0.04`.
pub(crate) fn is_same(a: &Amount, b: &Amount) -> bool {
    match (a.number(), b.number()) {
        (Some(a), Some(b)) => a == b,
        _ => a.to_string() == b.to_string(),
    }
}

fn below(a: &Amount, b: &Amount) -> bool {
    a.number().zip(b.number()).is_some_and(|(a, b)| a < b)
}

impl Brief {
    /// Sets an assumption to another value, as `--assume name=value` does.
    ///
    /// # Errors
    /// A name that is no assumption of this brief; a number where a text is, or the other way round.
    pub fn assume(&mut self, name: &str, value: Amount) -> Result<()> {
        let known: Vec<String> = self.assumptions.iter().map(|a| a.name.clone()).collect();
        let Some(assumption) = self.assumptions.iter_mut().find(|a| a.name == name) else {
            return Err(Error::unknown("assume", "assumption", name, known.iter().map(String::as_str)));
        };
        assumption.value = match (&assumption.value, value) {
            (Amount::Number { .. }, Amount::Text(text)) => {
                return Err(Error::request(
                    format!("assumption {name}"),
                    format!("a number is wanted, not {text}"),
                ));
            }
            (Amount::Text(_), number @ Amount::Number { .. }) => Amount::Text(number.to_string()),
            (_, value) => value,
        };
        Ok(())
    }

    /// The brief with every `{name}` in it replaced by what is assumed.
    ///
    /// ```
    /// # use pivvel_core as pivvel;
    /// use pivvel::Brief;
    /// use pivvel::brief::AssumptionBrief;
    ///
    /// let brief = Brief::new().rows(["{view}"]).assumption(AssumptionBrief::new("view", "coast"));
    /// assert_eq!(brief.assumed()?.get_rows(), ["coast"]);
    /// # Ok::<(), pivvel::Error>(())
    /// ```
    ///
    /// # Errors
    /// A value of an assumption that is not allowed.
    pub fn assumed(&self) -> Result<Brief> {
        Ok(self.settled(&Assumptions::new(&self.assumptions)?))
    }

    /// The brief with every `{name}` in its layout, texts and formulas replaced by what is assumed.
    pub(super) fn settled(&self, assumptions: &Assumptions) -> Brief {
        let mut brief = self.clone();
        if assumptions.0.is_empty() {
            return brief;
        }
        let fill = |text: &str| assumptions.fill(&text.into(), Amount::to_string).to_string();
        brief.each_part(&mut |part| match part {
            Part::Name(name) => *name = fill(name),
            Part::Order(order) => *order = fill(&order.to_string()).into(),
            Part::Level(level) => *level = fill(&level.to_string()).into(),
            Part::Text(text) => *text = assumptions.fill(text, Amount::words),
            Part::Formula(formula) if formula.as_str().contains('{') => {
                *formula = fill(formula.as_str()).into();
            }
            Part::Amount(amount) if amount.number().is_none() => {
                *amount = fill(&amount.to_string()).as_str().into();
            }
            Part::Formula(_) | Part::Amount(_) => {}
        });
        // What is assumed may be that there is no formula.
        for (_, formula) in brief.measures.iter_mut().flat_map(|measure| &mut measure.levels) {
            *formula = formula.take().filter(|formula| !formula.is_named(NO_FORMULA));
        }
        brief
    }
}
