//! The columns that formulas and dimensions may name, and which of them a plan needs.

use std::ops::Range;
use std::sync::Arc;

use arrow_schema::{Field, Schema};

use super::check::{Scope, Step, TypedExpr, function_names};
use super::composed::composed_names;
use super::expr::Checked;
use super::expr::{Clause, Expr, Name, Place};
use super::line::{LineFormula, LineLeaf};
use crate::aggregates::Function;
use crate::error::{Remark, Result, unknown_function, unknown_name};
use crate::model::Type;
use crate::model::{DatePart, Kind, NO_WORD, YES_WORD};

/// A source's columns while a plan is made: names are looked up here, and every column that is
/// found gets a slot in the batches that the scan will be given.
#[derive(Debug, Clone, Default)]
pub(crate) struct Columns {
    known: Vec<(String, Option<Kind>, String)>,
    /// What members of columns of yes and no are called, no first, by the columns' places.
    words: Vec<Option<[String; 2]>>,
    needed: Vec<usize>,
    /// Names that stand for a formula: columns that the brief derives, and assumptions.
    derived: Vec<(String, LineFormula)>,
}

impl Columns {
    pub(crate) fn new(schema: &Schema) -> Columns {
        let known = schema.fields().iter().map(|field| {
            let data_type = field.data_type();
            (field.name().clone(), Kind::of(data_type), data_type.to_string())
        });
        let words = |field: &Arc<Field>| {
            let word = |key: &str| field.metadata().get(key).cloned();
            Some([word(NO_WORD)?, word(YES_WORD)?])
        };
        let words = schema.fields().iter().map(words).collect();
        Columns { known: known.collect(), words, ..Columns::default() }
    }

    /// The same with slots for some columns before any other.
    pub(crate) fn after(mut self, needed: &[usize]) -> Columns {
        self.needed = needed.to_vec();
        self
    }

    /// Places in the schema of the columns that were found so far, by slot.
    pub(crate) fn needed(&self) -> &[usize] {
        &self.needed
    }

    /// Names of the columns that were found so far, by slot.
    pub(crate) fn needed_names(&self) -> impl Iterator<Item = &str> {
        self.needed.iter().map(|i| self.known[*i].0.as_str())
    }

    /// Lets a name stand for a formula.
    ///
    /// # Errors
    /// A name that is taken.
    pub(crate) fn derive(&mut self, name: &str, formula: LineFormula) -> Result<(), String> {
        if self.names().any(|known| known == name) {
            return Err(format!("there is a column {name} already"));
        }
        self.derived.push((name.to_string(), formula));
        Ok(())
    }

    /// Whether a name means something.
    pub(crate) fn knows(&self, name: &str) -> bool {
        self.place(name).is_some() || self.derived.iter().any(|(known, _)| known == name)
    }

    /// The place of the column of a name; of a name with `_` where the column has spaces or marks, if it is the only one.
    fn place(&self, name: &str) -> Option<usize> {
        let exact = self.known.iter().position(|(known, ..)| known == name);
        exact.or_else(|| {
            let plain = |known: &str| {
                known.chars().map(|c| if c.is_alphanumeric() { c } else { '_' }).eq(name.chars())
            };
            let mut alike = self.known.iter().enumerate().filter(|(_, (known, ..))| plain(known));
            let (place, _) = alike.next()?;
            alike.next().is_none().then_some(place)
        })
    }

    /// What the lines hold under a name that formulas can use.
    pub(crate) fn names(&self) -> impl Iterator<Item = &str> {
        self.known
            .iter()
            .map(|(name, ..)| name.as_str())
            .chain(self.derived.iter().map(|(name, _)| name.as_str()))
    }

    /// The formula that a name stands for.
    pub(crate) fn resolve(&mut self, name: &Name) -> Result<LineFormula, Remark> {
        // A column may have a dot in its own name.
        let whole = name.whole();
        let base =
            if name.part.is_some() && self.knows(&whole) { whole.as_str() } else { name.base.as_str() };
        let found = match self.derived.iter().find(|(known, _)| known == base) {
            Some((_, formula)) => formula.clone(),
            None => {
                let (slot, kind) = self.find(base)?;
                TypedExpr::leaf(LineLeaf::Column(slot), Type::of(kind))
            }
        };
        match &name.part {
            Some(part) if base == name.base => date_part(found, base, part),
            _ => Ok(found),
        }
    }

    /// A dimension: a column, a derived one, or a part of a date as in `sold_on.quarter`.
    pub(crate) fn dimension(&mut self, name: &str) -> Result<LineFormula, Remark> {
        let split = name.rsplit_once('.').filter(|(base, _)| !self.knows(name) && self.knows(base));
        let name = match split {
            Some((base, part)) => Name { base: base.into(), part: Some(part.into()) },
            None => Name { base: name.into(), part: None },
        };
        let found = self.resolve(&name)?;
        Ok(self.named(found))
    }

    /// A column of yes and no as the words that stand in it.
    fn named(&self, found: LineFormula) -> LineFormula {
        let Step::Leaf(LineLeaf::Column(slot)) = found.step else { return found };
        let Some([no, yes]) = &self.words[self.needed[slot]] else { return found };
        let word = |word: &String| TypedExpr { step: Step::Word(word.clone()), ty: Type::Text };
        let nothing = TypedExpr { step: Step::Nothing, ty: Type::Text };
        let is_no = TypedExpr { step: Step::Not(Box::new(found.clone())), ty: Type::Condition };
        let branches = vec![(found, word(yes)), (is_no, word(no))];
        TypedExpr { step: Step::Case(branches, Box::new(nothing)), ty: Type::Text }
    }

    fn find(&mut self, name: &str) -> Result<(usize, Kind), Remark> {
        let Some(place) = self.place(name) else {
            return Err(unknown_name("column", name, self.names()));
        };
        let (_, kind, data_type) = &self.known[place];
        let Some(kind) = *kind else {
            return Err(format!("column {name} is of type {data_type}, which cannot be used here").into());
        };
        let slot = self.needed.iter().position(|needed| *needed == place).unwrap_or_else(|| {
            self.needed.push(place);
            self.needed.len() - 1
        });
        Ok((slot, kind))
    }
}

fn date_part(found: LineFormula, base: &str, part: &str) -> Result<LineFormula, Remark> {
    if found.ty != Type::Day {
        let words = found.ty.words();
        return Err(format!("only dates have parts such as .{part}, and {base} is {words}").into());
    }
    let Ok(part) = part.parse::<DatePart>() else {
        return Err(unknown_name("part of a date", part, DatePart::ALL.iter().map(|(_, name)| *name)));
    };
    let leaf = match found.step {
        Step::Leaf(LineLeaf::Column(slot)) => LineLeaf::Part(slot, part),
        _ => LineLeaf::PartOf(Box::new(found), part),
    };
    Ok(TypedExpr::leaf(leaf, Type::Period(part)))
}

/// What is wrong with a name, and how a text is written where it stood in double quotes.
pub(crate) fn with_quotes_hint(remark: Remark, name: &Name, span: &Range<usize>) -> Remark {
    let whole = name.whole();
    if span.len() <= whole.len() {
        return remark;
    }
    remark.of_unknown_name(|message| {
        let begin = if message.ends_with('?') { " If" } else { "; if" };
        format!("{message}{begin} a text is meant, it goes in single quotes: '{}'", whole.replace('\'', "''"))
    })
}

impl Scope for Columns {
    type Leaf = LineLeaf;

    fn name(&mut self, name: &Name, span: &Range<usize>) -> Checked<LineFormula> {
        self.resolve(name).map_err(|message| (span.clone(), with_quotes_hint(message, name, span)))
    }

    fn call(
        &mut self,
        function: &str,
        _: &[Expr],
        _: &[Clause],
        span: &Range<usize>,
    ) -> Checked<LineFormula> {
        let message = match Function::named(function).is_some()
            || composed_names().any(|name| name == function)
        {
            true => {
                format!("{function}(…) takes many lines, and cannot stand in a formula over one line").into()
            }
            false => unknown_function("function of one line", function, function_names()),
        };
        Err((span.clone(), message))
    }

    fn at(&mut self, _: &Expr, _: &Place, span: &Range<usize>) -> Checked<LineFormula> {
        Err((span.clone(), "at reads another cell, and this formula is over one line".into()))
    }
}
