//! Formulas over cells: names are measures, assumptions and dimensions of the layout, calls are
//! aggregates of lines or of groups of cells, and `at` reads a related cell.

use std::ops::Range;

use super::aggregates::{AggregateCall, KeptValues, lines_aggregate};
use super::model::{Assumptions, Choice, Dimension, Measure};
use crate::aggregates::Function;
use crate::brief::{Level, MeasureBrief, Template};
use crate::error::{Error, Result, unknown_function, unknown_name};
use crate::formula::{
    CellFormula, CellLeaf, Checked, Clause, Columns, Expr, Formula, Group, Name, Place, Ranking, Relation,
    Scope, Shift, Spot, Ties, TypedExpr, Way, check, check_formula, check_number, composed, composed_names,
    function_names, with_quotes_hint,
};
use crate::grouping::{Aggregate, Grouping};
use crate::model::{AxisSide, ByGrain, DatePart, Grain, Type};

/// How deep measures may build on one another.
const DEEPEST: usize = 60;

/// Checks measures, and gathers what they need of the lines.
pub(super) struct CellScope<'a> {
    pub(super) columns: &'a mut Columns,
    pub(super) grouping: &'a mut Grouping,
    pub(super) aggregates: &'a mut Vec<Aggregate>,
    pub(super) rows: &'a [Dimension],
    pub(super) across: &'a [Dimension],
    pub(super) assumptions: &'a Assumptions,
    briefs: &'a [MeasureBrief],
    done: Vec<Option<Measure>>,
    /// The measures that are being checked, each for the sake of the one before it.
    under_way: Vec<usize>,
    /// Measures in an order in which each comes after those that it builds on.
    order: Vec<usize>,
    /// What was wrong with another measure than the one whose text is read.
    failed: Option<Error>,
    /// How each aggregate is written.
    aggregate_texts: Vec<String>,
}

impl<'a> CellScope<'a> {
    pub(super) fn new(
        (columns, grouping, aggregates): (&'a mut Columns, &'a mut Grouping, &'a mut Vec<Aggregate>),
        (rows, across): (&'a [Dimension], &'a [Dimension]),
        assumptions: &'a Assumptions,
        briefs: &'a [MeasureBrief],
    ) -> CellScope<'a> {
        let done = briefs.iter().map(|_| None).collect();
        CellScope {
            columns,
            grouping,
            aggregates,
            rows,
            across,
            assumptions,
            briefs,
            done,
            under_way: Vec::new(),
            order: Vec::new(),
            failed: None,
            aggregate_texts: Vec::new(),
        }
    }

    /// Checks every measure.
    pub(super) fn measures(&mut self) -> Result<()> {
        for i in 0..self.briefs.len() {
            let brief = &self.briefs[i];
            let place = format!("measure {}", brief.name);
            if brief.name.trim().is_empty() {
                return Err(Error::request(
                    "measure",
                    "a measure needs a name, as in \"sales = sum(amount)\"",
                ));
            }
            if self.briefs[..i].iter().any(|b| b.name == brief.name) {
                return Err(Error::request(place, "there is another measure of this name"));
            }
        }
        (0..self.briefs.len()).try_for_each(|i| self.measure(i))
    }

    /// The measures, the order in which they are computed, and how their aggregates are written.
    pub(super) fn finish(self) -> (Vec<Measure>, Vec<usize>, Vec<String>) {
        (self.done.into_iter().flatten().collect(), self.order, self.aggregate_texts)
    }

    fn measure(&mut self, i: usize) -> Result<()> {
        if self.done[i].is_some() {
            return Ok(());
        }
        let brief = &self.briefs[i];
        let place = format!("measure {}", brief.name);
        self.under_way.push(i);
        let cell = self.formula(&place, &brief.formula)?;
        if !(cell.ty.is_number() || cell.ty == Type::Day) {
            let message = format!("a measure gives a number or a date, and this gives {}", cell.ty.words());
            return Err(brief.formula.error_as_a_whole(&place, message));
        }
        let mut levels: Vec<(Level, Option<CellFormula>)> = Vec::new();
        for (level, formula) in &brief.levels {
            let place = format!("{place} at level {level}");
            let formula = match formula {
                None => None,
                Some(written) => {
                    let formula = self.formula(&place, written)?;
                    let fits = formula.ty == cell.ty || formula.ty.is_number() && cell.ty.is_number();
                    if !fits {
                        let message = format!(
                            "this gives {}, and the measure gives {}",
                            formula.ty.words(),
                            cell.ty.words()
                        );
                        return Err(written.error_as_a_whole(&place, message));
                    }
                    Some(formula)
                }
            };
            levels.push((level.clone(), formula));
        }
        // All formulas of a measure give one type, so that its values can be compared.
        let ty = levels.iter().filter_map(|(_, f)| f.as_ref()).fold(cell.ty, |all, f| match (all, f.ty) {
            (Type::Exact { scale: a }, Type::Exact { scale: b }) => Type::Exact { scale: a.max(b) },
            (Type::Exact { .. } | Type::Float, Type::Float) | (Type::Float, _) => Type::Float,
            (all, _) => all,
        });
        let levels = levels.into_iter().map(|(level, f)| (level, f.map(|f| f.converted(ty)))).collect();
        self.under_way.pop();
        self.order.push(i);
        self.done[i] = Some(Measure {
            without_lines: None,
            name: brief.name.clone(),
            label: brief.label.as_ref().map_or_else(|| brief.name.clone(), Template::to_string),
            formula: brief.formula.clone(),
            format: brief.format.clone(),
            totals: brief.totals,
            hidden: brief.hidden,
            cell: cell.converted(ty),
            levels,
            level_specs: brief.levels.clone(),
            grains: ByGrain::new(Grain::new(self.rows.len(), self.across.len()), |_| Choice::Main),
        });
        Ok(())
    }

    /// A formula over cells.
    pub(super) fn formula(&mut self, place: &str, formula: &Formula) -> Result<CellFormula> {
        let checked = check_formula(place, formula, self);
        match self.failed.take() {
            Some(error) => Err(error),
            None => checked,
        }
    }

    /// The same where a condition is wanted.
    pub(super) fn condition(&mut self, place: &str, formula: &Formula) -> Result<CellFormula> {
        let checked = self.formula(place, formula)?;
        if checked.ty == Type::Condition {
            return Ok(checked);
        }
        let message = format!("a condition is wanted, and this is {}", checked.ty.words());
        Err(formula.error_as_a_whole(place, message))
    }

    /// Whether a formula depends on the order in which members are shown.
    pub(super) fn is_ordered(&self, formula: &CellFormula) -> bool {
        let mut ordered = false;
        formula.leaves(&mut |leaf| {
            ordered |= match leaf {
                CellLeaf::Aggregate(_) | CellLeaf::Label(_) => false,
                CellLeaf::Measure(i) => self.done[*i].as_ref().is_some_and(|m| self.is_ordered(&m.cell)),
                CellLeaf::Rank(inner, ranking) => ranking.ties == Ties::Order || self.is_ordered(inner),
                CellLeaf::Running(inner, way) | CellLeaf::Moving(_, inner, way, _) => {
                    self.is_shown_order(way.spot) || self.is_ordered(inner)
                }
                CellLeaf::At(inner, Relation::End { spot, .. }) => {
                    self.is_shown_order(*spot) || self.is_ordered(inner)
                }
                CellLeaf::At(inner, _) | CellLeaf::Among(_, inner, _) => self.is_ordered(inner),
            }
        });
        ordered
    }

    /// Whether members of a dimension are taken in the order in which they are shown, for lack of a
    /// calendar's.
    fn is_shown_order(&self, spot: Spot) -> bool {
        let dimensions = spot.side.pick(self.rows, self.across);
        dimensions[spot.level - 1].kind != crate::model::Kind::Date
    }

    /// Whether a measure of this name is hidden; nothing where there is none.
    pub(super) fn is_hidden(&self, name: &str) -> Option<bool> {
        self.briefs.iter().find(|measure| measure.name == name).map(|measure| measure.hidden)
    }

    /// The names of the measures.
    pub(super) fn measure_names(&self) -> impl Iterator<Item = &'a str> {
        self.briefs.iter().map(|measure| measure.name.as_str())
    }

    /// The place of a measure among those that are shown.
    pub(super) fn shown_place(&self, name: &str) -> Option<usize> {
        self.briefs.iter().filter(|measure| !measure.hidden).position(|measure| measure.name == name)
    }

    /// Where a dimension stands in the layout.
    pub(super) fn spot(&self, name: &str) -> Option<Spot> {
        self.spots().find(|(_, dimension)| dimension.name == name).map(|(spot, _)| spot)
    }

    /// Whether a name means something over cells.
    pub(super) fn resolves(&self, name: &str) -> bool {
        self.is_hidden(name).is_some() || self.assumptions.value(name).is_some() || self.spot(name).is_some()
    }

    fn spots(&self) -> impl Iterator<Item = (Spot, &'a Dimension)> {
        let spot = |side| move |(i, d): (usize, &'a Dimension)| (Spot { side, level: i + 1 }, d);
        self.rows
            .iter()
            .enumerate()
            .map(spot(AxisSide::Rows))
            .chain(self.across.iter().enumerate().map(spot(AxisSide::Columns)))
    }

    /// A dimension of the layout; a part of a date alone is enough where it is clear.
    fn dimension(&self, name: &Name, span: &Range<usize>) -> Checked<(Spot, &'a Dimension)> {
        let whole = name.whole();
        if let Some(found) = self.spots().find(|(_, d)| d.name == whole) {
            return Ok(found);
        }
        let of_part = |d: &Dimension| d.period().is_some_and(|part| part.name() == whole);
        let by_part: Vec<_> = self.spots().filter(|(_, d)| of_part(d)).collect();
        match by_part.as_slice() {
            [one] => Ok(*one),
            [] => {
                let message = unknown_name(
                    "dimension of the layout",
                    &whole,
                    self.spots().map(|(_, d)| d.name.as_str()),
                );
                Err((span.clone(), message))
            }
            [(_, a), (_, b), ..] => Err((
                span.clone(),
                format!("{whole} may be {} or {}; write the whole name", a.name, b.name).into(),
            )),
        }
    }

    /// A part of a date to move by, and the outermost dimension that moves with it. The part need not
    /// be in the layout where only one date is: a month has a quarter before its own.
    fn periods(&self, name: &Name, span: &Range<usize>) -> Checked<(Spot, DatePart)> {
        let missing = match self.dimension(name, span) {
            Ok((spot, dimension)) => {
                return match dimension.period() {
                    Some(part) if !part.is_cyclic() => Ok((spot, part)),
                    _ => {
                        let message =
                            format!("{} is not made of running periods such as quarters", dimension.name);
                        Err((span.clone(), message.into()))
                    }
                };
            }
            Err(missing) => missing,
        };
        let Some(part) = name.whole().parse::<DatePart>().ok().filter(|part| !part.is_cyclic()) else {
            return Err(missing);
        };
        let running = |(_, d): &(Spot, &Dimension)| d.period().is_some_and(|part| !part.is_cyclic());
        let mut dates = self.spots().filter(running);
        // Nothing that is coarser than a month moves by a month.
        let moves =
            |(_, d): (Spot, &Dimension)| d.period().is_some_and(|own| own.fineness() >= part.fineness());
        if !self.spots().filter(running).any(moves) {
            return Err(missing);
        }
        let Some((spot, first)) = dates.next() else { return Err(missing) };
        match dates.find(|(_, other)| other.date_column() != first.date_column()) {
            None => Ok((spot, part)),
            Some((_, other)) => {
                let message = format!(
                    "{name} may be of {} or {}; write the whole name",
                    first.date_column(),
                    other.date_column()
                );
                Err((span.clone(), message.into()))
            }
        }
    }

    fn aggregate_place(&mut self, aggregate: Aggregate, text: &str) -> usize {
        self.aggregates.iter().position(|known| *known == aggregate).unwrap_or_else(|| {
            self.aggregates.push(aggregate);
            self.aggregate_texts.push(text.to_string());
            self.aggregates.len() - 1
        })
    }

    /// An aggregate of lines.
    fn aggregate(&mut self, function: Function, call: &AggregateCall<'_>) -> Checked<CellFormula> {
        let Grouping { values, finer, .. } = &mut *self.grouping;
        let aggregate = lines_aggregate(function, call, self.columns, &mut KeptValues { values, finer })?;
        let text = call.text();
        Ok(aggregate.map(&mut |aggregate| CellLeaf::Aggregate(self.aggregate_place(aggregate, &text))))
    }

    fn rank(&mut self, call: &AggregateCall<'_>, percent: bool) -> Checked<CellFormula> {
        call.allow(if percent { &["among", "lowest first"] } else { &["among", "lowest first", "ties"] })?;
        let value = check_number(call.one()?, self)?;
        let mut ranking = Ranking { group: Group::Siblings, lowest_first: false, ties: Ties::Low, percent };
        for clause in call.clauses {
            match clause {
                Clause::Among(group) => ranking.group = *group,
                Clause::LowestFirst => ranking.lowest_first = true,
                Clause::Ties(ties) => ranking.ties = *ties,
                _ => {}
            }
        }
        let ty = if percent || ranking.ties == Ties::Mean { Type::Float } else { Type::Exact { scale: 0 } };
        Ok(TypedExpr::leaf(CellLeaf::Rank(Box::new(value), ranking), ty))
    }

    fn along(&mut self, call: &AggregateCall<'_>) -> Checked<Way> {
        let found = call.clauses.iter().find_map(|clause| match clause {
            Clause::Along(name, throughout) => Some((name, *throughout)),
            _ => None,
        });
        let Some((name, throughout)) = found else {
            return Err((
                call.span.clone(),
                format!("{} goes along a dimension: say along month", call.function).into(),
            ));
        };
        Ok(Way { spot: self.dimension(name, call.span)?.0, throughout })
    }

    fn moving(&mut self, call: &AggregateCall<'_>) -> Checked<CellFormula> {
        call.allow(&["over", "along"])?;
        let [name, value] = call.arguments else {
            return Err(call.usage("moving(mean sales over 3 along month)"));
        };
        let named = name.to_string();
        let Some(function) = Function::named(&named) else {
            return Err((name.span.clone(), unknown_function("aggregate", &named, Function::names())));
        };
        let over = call.clauses.iter().find_map(|c| if let Clause::Over(n) = c { Some(*n) } else { None });
        let Some(over) = over else {
            return Err((call.span.clone(), "moving takes in a number of periods: say over 3".into()));
        };
        let way = self.along(call)?;
        let value = check_number(value, self)?;
        let ty = function.result_type(value.ty).map_err(|wanted| call.misfit(name, value.ty, wanted))?;
        Ok(TypedExpr::leaf(CellLeaf::Moving(function, Box::new(value), way, over), ty))
    }
}

impl Scope for CellScope<'_> {
    type Leaf = CellLeaf;

    fn name(&mut self, name: &Name, span: &Range<usize>) -> Checked<CellFormula> {
        let whole = name.whole();
        if let Some(i) = self.briefs.iter().position(|m| m.name == whole) {
            if let Some(at) = self.under_way.iter().position(|under_way| *under_way == i) {
                let chain: Vec<&str> =
                    self.under_way[at..].iter().map(|i| self.briefs[*i].name.as_str()).collect();
                let message = match chain.as_slice() {
                    [own] if self.columns.knows(own) => {
                        format!(
                            "a measure needs an aggregate, and {own} is a column; did you mean sum({name})?"
                        )
                    }
                    [own] => format!("{own} builds on itself"),
                    chain => format!("{whole} builds on itself by way of {}", chain[1..].join(", ")),
                };
                return Err((span.clone(), message.into()));
            }
            if self.under_way.len() >= DEEPEST {
                return Err((
                    span.clone(),
                    format!("measures build on one another more than {DEEPEST} deep").into(),
                ));
            }
            if let Err(error) = self.measure(i) {
                self.failed.get_or_insert(error);
                return Err((span.clone(), "".into()));
            }
            let ty = self.done[i].as_ref().map_or(Type::Nothing, |measure| measure.cell.ty);
            return Ok(TypedExpr::leaf(CellLeaf::Measure(i), ty));
        }
        if let Some(formula) = self.assumptions.formula(&whole) {
            return Ok(formula);
        }
        if let Some((spot, _)) = self.spots().find(|(_, d)| d.name == whole) {
            return Ok(TypedExpr::leaf(CellLeaf::Label(spot), Type::Text));
        }
        if self.columns.knows(&name.base) {
            let message = format!(
                "{name} is a column of the lines, of which a cell has many; a measure is an aggregate: did you mean sum({name})?"
            );
            return Err((span.clone(), message.into()));
        }
        let known = self.briefs.iter().map(|m| m.name.as_str()).chain(self.assumptions.names());
        let dimensions = self.spots().map(|(_, d)| d.name.as_str());
        let message = unknown_name("measure", &whole, known.chain(dimensions));
        Err((span.clone(), with_quotes_hint(message, name, span)))
    }

    fn call(
        &mut self,
        function: &str,
        arguments: &[Expr],
        clauses: &[Clause],
        span: &Range<usize>,
    ) -> Checked<CellFormula> {
        let call = AggregateCall { function, arguments, clauses, span };
        match function {
            "rank" => return self.rank(&call, false),
            "percent_rank" => return self.rank(&call, true),
            "running" => {
                call.allow(&["along"])?;
                let way = self.along(&call)?;
                let value = check_number(call.one()?, self)?;
                let ty = value.ty;
                return Ok(TypedExpr::leaf(CellLeaf::Running(Box::new(value), way), ty));
            }
            "moving" => return self.moving(&call),
            _ => {}
        }
        if let Some(formula) = composed(function, arguments, clauses, span) {
            return check(&formula.map_err(|message| (span.clone(), message.into()))?, self);
        }
        let Some(known) = Function::named(function) else {
            let more = ["rank", "percent_rank", "running", "moving"];
            let known = Function::names().chain(composed_names()).chain(more).chain(function_names());
            return Err((span.clone(), unknown_function("function", function, known)));
        };
        let group =
            clauses.iter().find_map(|c| if let Clause::Among(group) = c { Some(*group) } else { None });
        match group {
            None => self.aggregate(known, &call),
            Some(group) => {
                call.allow(&["among"])?;
                let (known, argument) = call.of(known)?;
                let value = check_number(argument, self)?;
                let ty =
                    known.result_type(value.ty).map_err(|wanted| call.misfit(argument, value.ty, wanted))?;
                Ok(TypedExpr::leaf(CellLeaf::Among(known, Box::new(value), group), ty))
            }
        }
    }

    fn at(&mut self, value: &Expr, place: &Place, span: &Range<usize>) -> Checked<CellFormula> {
        let relation = match place {
            Place::Parent => Relation::Parent { side: AxisSide::Rows },
            Place::ColumnParent => Relation::Parent { side: AxisSide::Columns },
            Place::RowTotal => Relation::Total { side: AxisSide::Columns },
            Place::ColumnTotal => Relation::Total { side: AxisSide::Rows },
            Place::GrandTotal => Relation::GrandTotal,
            Place::Level(name) => Relation::Level(self.dimension(name, span)?.0),
            Place::Member(name, label) => Relation::Member(self.dimension(name, span)?.0, label.clone()),
            Place::Shifted(name, by) => {
                let (spot, unit) = self.periods(name, span)?;
                Relation::Shift(Shift { spot, named: unit, unit, by: *by })
            }
            Place::YearBefore(name) => {
                let (spot, named) = self.periods(name, span)?;
                Relation::Shift(Shift { spot, named, unit: DatePart::Year, by: -1 })
            }
            Place::End { along, last, of_all } => {
                Relation::End { spot: self.dimension(along, span)?.0, last: *last, of_all: *of_all }
            }
        };
        let value = check(value, self)?;
        if !(value.ty.is_number() || value.ty == Type::Day) {
            return Err((
                span.clone(),
                format!("at reads a number or a date, and this is {}", value.ty.words()).into(),
            ));
        }
        let ty = value.ty;
        Ok(TypedExpr::leaf(CellLeaf::At(Box::new(value), relation), ty))
    }
}
