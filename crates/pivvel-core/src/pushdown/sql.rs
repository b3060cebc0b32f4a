//! Formulas over lines as SQL, as far as a database computes them to the last digit as it is done
//! here. What it does not is left to be read and computed here.
//!
//! Exact numbers are numbers of the database where it has decimals, and whole digits at the scale of
//! the formula where it has none. A blank is NULL; of texts, an empty one.

use crate::formula::{Blanks, LineFormula, LineLeaf, Operator, Step};
use crate::lines::{Guarded, SqlColumn, SqlTable};
use crate::model::{DatePart, Decimal, Type, pow10};

/// Why a formula is not computed by the database.
pub(super) type Reason = String;

type Sql = Result<String, Reason>;

/// Writes formulas, and keeps the values that they bind.
pub(super) struct Writer<'a> {
    table: &'a SqlTable,
    /// Place in the table of each slot.
    slots: &'a [usize],
    pub(super) values: Vec<String>,
    /// Conditions that no line may meet, so that the result is what it would be here.
    pub(super) guards: Vec<String>,
}

impl<'a> Writer<'a> {
    pub(super) fn new(table: &'a SqlTable, slots: &'a [usize]) -> Writer<'a> {
        Writer { table, slots, values: Vec::new(), guards: Vec::new() }
    }

    fn has_decimals(&self) -> bool {
        self.table.dialect.has_decimals()
    }

    /// A value that is bound, never written into the statement.
    fn bind(&mut self, value: String) -> String {
        self.values.push(value);
        self.table.dialect.bound(self.values.len())
    }

    /// Sees to it that no line meets a condition.
    fn guard(&mut self, condition: String) {
        if !self.guards.contains(&condition) {
            self.guards.push(condition);
        }
    }

    fn column(&mut self, slot: usize) -> Result<&'a SqlColumn, Reason> {
        let column = &self.table.columns[self.slots[slot]];
        column.guard.iter().for_each(|guard| self.guard(guard.clone()));
        match column.kept_as_is {
            true => Ok(column),
            false => Err(format!("column {} is kept otherwise than it is read", column.name)),
        }
    }

    /// What a key is grouped by.
    pub(super) fn key(&mut self, formula: &LineFormula) -> Sql {
        match (&formula.step, formula.ty) {
            // NULL and an empty text are one member in the end.
            (Step::Leaf(LineLeaf::Column(slot)), Type::Text) => {
                let own = &self.column(*slot)?.sql;
                match self.table.dialect.text_key(own) {
                    Some(key) => Ok(key),
                    None => self.text(formula),
                }
            }
            (_, Type::Text) => self.text(formula),
            (_, Type::Condition) => self.truth(formula),
            _ => self.number(formula),
        }
    }

    /// A value, and another one in place of NULL. CASE is sent on to where parts of a table are; other
    /// words for it are not.
    fn filled(sql: &str, otherwise: &str) -> String {
        format!("CASE WHEN {sql} IS NULL THEN {otherwise} ELSE {sql} END")
    }

    /// An exact number, a day counted from 1970-01-01 or a period; NULL for a blank.
    pub(super) fn number(&mut self, formula: &LineFormula) -> Sql {
        if formula.ty == Type::Float {
            return Err("floating point is added up here, where the order of lines does not matter".into());
        }
        Ok(match &formula.step {
            Step::Leaf(LineLeaf::Column(slot)) => self.column_number(*slot, formula.ty)?,
            Step::Leaf(LineLeaf::Part(slot, part)) => self.part(*slot, *part)?,
            Step::Leaf(LineLeaf::PartOf(..)) => return Err("it takes a part of a computed date".into()),
            Step::Leaf(LineLeaf::Presence(inner)) => {
                let blank = self.is_blank(inner)?;
                format!("CASE WHEN NOT {blank} THEN 1 END")
            }
            Step::Leaf(LineLeaf::Hash(_)) => return Err("estimates are made here".into()),
            Step::Leaf(LineLeaf::Where(inner, condition)) => {
                let (condition, inner) = (self.truth(condition)?, self.number(inner)?);
                format!("CASE WHEN {condition} THEN {inner} END")
            }
            Step::Digits(digits) => self.digits(*digits, formula.ty),
            Step::Nothing => "NULL".into(),
            Step::Negate(inner) => format!("(-{})", self.number(inner)?),
            Step::Convert(inner) => {
                let own = self.number(inner)?;
                self.lifted(own, formula.ty.scale() - inner.ty.scale())?
            }
            Step::Arithmetic(operator, blanks, left, right) => {
                self.arithmetic(*operator, *blanks, formula, left, right)?
            }
            Step::Case(branches, otherwise) => {
                let mut sql = String::from("CASE");
                for (condition, value) in branches {
                    sql += &format!(" WHEN {} THEN {}", self.truth(condition)?, self.number(value)?);
                }
                format!("{sql} ELSE {} END", self.number(otherwise)?)
            }
            Step::Apply(call, arguments) => {
                let function = call
                    .function
                    .sql()
                    .ok_or_else(|| format!("{} is computed here", call.function.name()))?;
                let all: Result<Vec<String>, Reason> = arguments.iter().map(|a| self.number(a)).collect();
                format!("{function}({})", all?.join(", "))
            }
            _ => return Err("it is no number".into()),
        })
    }

    fn column_number(&mut self, slot: usize, ty: Type) -> Sql {
        let column = self.column(slot)?;
        let guarded = match ty {
            Type::Day => self.table.dialect.part(&column.sql, DatePart::Day),
            ty => self.table.dialect.number(column, ty.scale()).ok_or("its scale is too fine")?,
        };
        Ok(self.guarded(guarded))
    }

    /// What is read, once its conditions are noted.
    fn guarded(&mut self, Guarded { sql, guards }: Guarded) -> String {
        guards.into_iter().for_each(|guard| self.guard(guard));
        sql
    }

    /// A period of a day, numbered as it is here.
    fn part(&mut self, slot: usize, part: DatePart) -> Sql {
        let own = &self.column(slot)?.sql;
        Ok(self.guarded(self.table.dialect.part(own, part)))
    }

    fn digits(&mut self, digits: i128, ty: Type) -> String {
        let is_day = matches!(ty, Type::Day | Type::Period(_));
        let scale = if is_day || !self.has_decimals() { 0 } else { ty.scale() };
        let bound = self.bind(Decimal::new(digits, scale).to_string());
        self.table.dialect.bound_number(&bound, is_day)
    }

    /// The same number with so many more digits after the point.
    fn lifted(&self, sql: String, by: u8) -> Sql {
        if self.has_decimals() || by == 0 {
            return Ok(sql);
        }
        Ok(format!("({sql} * {})", pow10(by).filter(|unit| *unit < 1 << 60).ok_or("its scale is too fine")?))
    }

    fn arithmetic(
        &mut self,
        operator: Operator,
        blanks: Blanks,
        whole: &LineFormula,
        left: &LineFormula,
        right: &LineFormula,
    ) -> Sql {
        let sign = match operator {
            Operator::Add => "+",
            Operator::Subtract => "-",
            Operator::Multiply => "*",
            _ => return Err("it divides".into()),
        };
        let (mut a, mut b) = (self.number(left)?, self.number(right)?);
        if operator != Operator::Multiply {
            a = self.lifted(a, whole.ty.scale() - left.ty.scale())?;
            b = self.lifted(b, whole.ty.scale() - right.ty.scale())?;
        }
        let sql = match blanks {
            Blanks::Propagate => format!("({a} {sign} {b})"),
            Blanks::AsNothing => format!(
                "CASE WHEN {a} IS NOT NULL OR {b} IS NOT NULL THEN {} {sign} {} END",
                Self::filled(&a, "0"),
                Self::filled(&b, "0")
            ),
        };
        let guard = self.table.dialect.computed_guard(&sql);
        guard.into_iter().for_each(|guard| self.guard(guard));
        Ok(sql)
    }

    /// Yes, no, or NULL for neither.
    pub(super) fn truth(&mut self, formula: &LineFormula) -> Sql {
        Ok(match &formula.step {
            Step::Leaf(LineLeaf::Column(slot)) => match self.table.dialect.has_conditions() {
                true => self.column(*slot)?.sql.clone(),
                false => return Err("yes and no are kept as text there".into()),
            },
            Step::Not(inner) => format!("(NOT {})", self.truth(inner)?),
            Step::Logical(operator, left, right) => {
                let word = if *operator == Operator::And { "AND" } else { "OR" };
                format!("({} {word} {})", self.truth(left)?, self.truth(right)?)
            }
            Step::IsBlank(inner) => self.is_blank(inner)?,
            Step::Compare(operator, left, right) => {
                let sign = match operator {
                    Operator::Equal => "=",
                    Operator::NotEqual => "<>",
                    Operator::Less => "<",
                    Operator::LessOrEqual => "<=",
                    Operator::Greater => ">",
                    Operator::GreaterOrEqual => ">=",
                    _ => return Err("it is no comparison".into()),
                };
                if left.ty == Type::Text {
                    // The bytes of texts decide which one comes first.
                    let orders = !matches!(operator, Operator::Equal | Operator::NotEqual);
                    let by = if orders { self.table.dialect.by_bytes() } else { "" };
                    return Ok(format!("(({}){by} {sign} ({}){by})", self.text(left)?, self.text(right)?));
                }
                let common = left.ty.scale().max(right.ty.scale());
                let (a, b) = (self.number(left)?, self.number(right)?);
                let a = self.lifted(a, common - left.ty.scale())?;
                let b = self.lifted(b, common - right.ty.scale())?;
                format!("({a} {sign} {b})")
            }
            _ => return Err("it is no condition".into()),
        })
    }

    /// Whether a formula of any type gives nothing: yes or no, never NULL.
    fn is_blank(&mut self, formula: &LineFormula) -> Sql {
        Ok(match formula.ty {
            Type::Text => format!("(({}) = '')", self.text(formula)?),
            Type::Condition => format!("({} IS NULL)", self.truth(formula)?),
            Type::Float => match &formula.step {
                Step::Leaf(LineLeaf::Column(slot)) => format!("({} IS NULL)", self.column(*slot)?.sql),
                _ => return Err("it computes with floating point".into()),
            },
            _ => format!("({} IS NULL)", self.number(formula)?),
        })
    }

    /// A text, empty for a blank and never NULL.
    fn text(&mut self, formula: &LineFormula) -> Sql {
        Ok(match &formula.step {
            Step::Leaf(LineLeaf::Column(slot)) => {
                let own = &self.column(*slot)?.sql;
                self.guarded(self.table.dialect.text(own))
            }
            Step::Leaf(LineLeaf::Where(inner, condition)) => {
                let (condition, inner) = (self.truth(condition)?, self.text(inner)?);
                format!("CASE WHEN {condition} THEN {inner} ELSE '' END")
            }
            Step::Word(word) => {
                let bound = self.bind(word.clone());
                self.table.dialect.bound_text(&bound)
            }
            Step::Case(branches, otherwise) => {
                let mut sql = String::from("CASE");
                for (condition, value) in branches {
                    sql += &format!(" WHEN {} THEN {}", self.truth(condition)?, self.text(value)?);
                }
                format!("{sql} ELSE {} END", self.text(otherwise)?)
            }
            Step::Apply(..) => return Err("its functions of text are computed here".into()),
            _ => return Err("it is no text".into()),
        })
    }
}
