//! Formulas as texts of a brief.

use std::fmt;

use serde::de::{Deserialize, Deserializer, Error, Visitor};

use crate::formula::Formula;

/// A formula from its text. One with an assumption in braces is read once what is assumed is known.
pub(super) fn formula(text: &str) -> Result<Formula, String> {
    let formula = Formula::from(text);
    match formula.tree("") {
        Err(error) if !text.contains('{') => Err(error.to_string()),
        _ => Ok(formula),
    }
}

impl<'de> Deserialize<'de> for Formula {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Formula, D::Error> {
        struct Checked;

        impl Visitor<'_> for Checked {
            type Value = Formula;

            fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                f.write_str("a formula")
            }

            fn visit_str<E: Error>(self, text: &str) -> Result<Formula, E> {
                formula(text).map_err(E::custom)
            }
        }

        deserializer.deserialize_str(Checked)
    }
}

impl serde::Serialize for Formula {
    fn serialize<S: serde::Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_str(self)
    }
}

super::words::schema!(Formula is { "type": "string" });

/// What stands for no formula at a level.
pub(crate) const NO_FORMULA: &str = "none";

/// Formulas by level, of which `none` is none.
pub(super) mod formula_levels {
    use serde::{Deserializer, Serializer};

    use super::NO_FORMULA;
    use crate::brief::level::Level;
    use crate::formula::Formula;

    pub(in crate::brief) fn serialize<S: Serializer>(
        all: &[(Level, Option<Formula>)],
        serializer: S,
    ) -> Result<S::Ok, S::Error> {
        let text =
            |formula: &Option<Formula>| formula.as_ref().map_or(NO_FORMULA.to_string(), ToString::to_string);
        serializer.collect_map(all.iter().map(|(level, formula)| (level, text(formula))))
    }

    pub(in crate::brief) fn deserialize<'de, D: Deserializer<'de>>(
        deserializer: D,
    ) -> Result<Vec<(Level, Option<Formula>)>, D::Error> {
        let pairs: Vec<(String, Formula)> = crate::brief::lists::pairs::deserialize(deserializer)?;
        let formula = |formula: Formula| (!formula.is_named(NO_FORMULA)).then_some(formula);
        Ok(pairs.into_iter().map(|(level, text)| (level.into(), formula(text))).collect())
    }
}
