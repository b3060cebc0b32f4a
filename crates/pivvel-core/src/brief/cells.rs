//! Formulas over cells: names are measures, assumptions and dimensions of the layout, calls are
//! aggregates of lines or of groups of cells, and `at` reads a related cell.

use std::ops::Range;

use super::assume::Assumptions;
use super::plan::{Dimension, Measure};
use super::spec::MeasureBrief;
use crate::error::{Error, Result, unknown_message};
use crate::formula::{
    Blanks, CellFormula, CellLeaf, Checked, Clause, Columns, Expr, Function, Group, LineFormula, Name, Node,
    Operator, Place, Ranking, Relation, Scope, Spot, Step, Ties, Type, Typed, Way, check, check_formula,
    check_number, check_truth, function_names, parse,
};
use crate::grouping::{Aggregate, Finer, Grouping, Key, LineValue, keep_value};
use crate::lines::DatePart;

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
}

/// The relational words for levels in `levels` tables.
pub(super) type LevelFormula = (String, Option<CellFormula>);

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

    /// The measures, and the order in which they are computed.
    pub(super) fn finish(self) -> (Vec<Measure>, Vec<usize>) {
        (self.done.into_iter().flatten().collect(), self.order)
    }

    fn measure(&mut self, i: usize) -> Result<()> {
        if self.done[i].is_some() {
            return Ok(());
        }
        let brief = &self.briefs[i];
        let place = format!("measure {}", brief.name);
        self.under_way.push(i);
        let cell = self.formula(&place, &brief.formula)?;
        if !(cell.gives.is_number() || cell.gives == Type::Day) {
            let message =
                format!("a measure gives a number or a date, and this gives {}", cell.gives.words());
            return Err(Error::formula(place, &brief.formula, 0..brief.formula.len(), message));
        }
        let mut levels: Vec<LevelFormula> = Vec::new();
        for (level, formula) in &brief.levels {
            let place = format!("{place} at level {level}");
            let formula = match formula {
                None => None,
                Some(text) => {
                    let formula = self.formula(&place, text)?;
                    let fits =
                        formula.gives == cell.gives || formula.gives.is_number() && cell.gives.is_number();
                    if !fits {
                        let message = format!(
                            "this gives {}, and the measure gives {}",
                            formula.gives.words(),
                            cell.gives.words()
                        );
                        return Err(Error::formula(place, text, 0..text.len(), message));
                    }
                    Some(formula)
                }
            };
            levels.push((level.clone(), formula));
        }
        // All formulas of a measure give one type, so that its values can be compared.
        let gives =
            levels.iter().filter_map(|(_, f)| f.as_ref()).fold(cell.gives, |all, f| match (all, f.gives) {
                (Type::Exact { scale: a }, Type::Exact { scale: b }) => Type::Exact { scale: a.max(b) },
                (Type::Exact { .. } | Type::Float, Type::Float) | (Type::Float, _) => Type::Float,
                (all, _) => all,
            });
        let levels = levels.into_iter().map(|(level, f)| (level, f.map(|f| f.converted(gives)))).collect();
        self.under_way.pop();
        self.order.push(i);
        self.done[i] = Some(Measure {
            name: brief.name.clone(),
            label: brief.label.clone().unwrap_or_else(|| brief.name.clone()),
            formula: brief.formula.clone(),
            format: brief.format.clone(),
            totals: brief.totals,
            hidden: brief.hidden,
            cell: cell.converted(gives),
            levels,
            level_texts: brief.levels.clone(),
            grains: Vec::new(),
        });
        Ok(())
    }

    /// A formula over cells from its text.
    pub(super) fn formula(&mut self, place: &str, text: &str) -> Result<CellFormula> {
        let expr = parse(place, text)?;
        let checked = check_formula(place, text, &expr, self);
        match self.failed.take() {
            Some(error) => Err(error),
            None => checked,
        }
    }

    /// The same where a condition is wanted.
    pub(super) fn condition(&mut self, place: &str, text: &str) -> Result<CellFormula> {
        let formula = self.formula(place, text)?;
        if formula.gives == Type::Condition {
            return Ok(formula);
        }
        let message = format!("a condition is wanted, and this is {}", formula.gives.words());
        Err(Error::formula(place, text, 0..text.len(), message))
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
        let dimensions = if spot.on_rows { self.rows } else { self.across };
        dimensions[spot.level - 1].kind != crate::lines::Kind::Date
    }

    fn spots(&self) -> impl Iterator<Item = (Spot, &'a Dimension)> {
        let spot = |on_rows| move |(i, d): (usize, &'a Dimension)| (Spot { on_rows, level: i + 1 }, d);
        self.rows.iter().enumerate().map(spot(true)).chain(self.across.iter().enumerate().map(spot(false)))
    }

    /// A dimension of the layout; a part of a date alone is enough where it is clear.
    fn dimension(&self, name: &Name, span: &Range<usize>) -> Checked<(Spot, &'a Dimension)> {
        let whole = name.whole();
        if let Some(found) = self.spots().find(|(_, d)| d.name == whole) {
            return Ok(found);
        }
        let by_part: Vec<_> =
            self.spots().filter(|(_, d)| d.part.is_some_and(|part| part.name() == whole)).collect();
        match by_part.as_slice() {
            [one] => Ok(*one),
            [] => {
                let message = unknown_message(
                    "dimension in the layout",
                    &whole,
                    self.spots().map(|(_, d)| d.name.as_str()),
                );
                Err((span.clone(), message))
            }
            [(_, a), (_, b), ..] => {
                Err((span.clone(), format!("{whole} may be {} or {}; write the whole name", a.name, b.name)))
            }
        }
    }

    /// A dimension made of running periods, with its part.
    fn periods(&self, name: &Name, span: &Range<usize>) -> Checked<(Spot, DatePart)> {
        let (spot, dimension) = self.dimension(name, span)?;
        let part = dimension.part.or((dimension.kind == crate::lines::Kind::Date).then_some(DatePart::Day));
        match part {
            Some(part) if !part.is_cyclic() => Ok((spot, part)),
            _ => Err((
                span.clone(),
                format!("{} is not made of running periods such as quarters", dimension.name),
            )),
        }
    }

    fn aggregate_place(&mut self, aggregate: Aggregate) -> usize {
        self.aggregates.iter().position(|known| *known == aggregate).unwrap_or_else(|| {
            self.aggregates.push(aggregate);
            self.aggregates.len() - 1
        })
    }

    /// An aggregate of lines.
    fn aggregate(&mut self, function: Function, call: &Call<'_>) -> Checked<CellFormula> {
        if let Some(per) = call.per() {
            return self.nested(function, call, per);
        }
        if function == Function::Distinct {
            let (filter, argument) = (self.filter(call)?, call.one()?);
            call.allow(&["where"])?;
            let formula = check(argument, self.columns)?;
            let finer = self.finer(vec![Key { name: argument.to_string(), formula }], filter);
            let place = self.aggregate_place(Aggregate::Distinct { finer });
            return Ok(Typed::leaf(CellLeaf::Aggregate(place), Type::Exact { scale: 0 }));
        }
        let (aggregate, gives) = lines_aggregate(function, call, self.columns, &mut self.grouping.values)?;
        Ok(match aggregate {
            Made::Plain(aggregate) => {
                Typed::leaf(CellLeaf::Aggregate(self.aggregate_place(aggregate)), gives)
            }
            Made::Ratio(top, bottom) => {
                let [top, bottom] = [top, bottom].map(|(aggregate, gives)| {
                    Box::new(Typed::leaf(CellLeaf::Aggregate(self.aggregate_place(aggregate)), gives))
                });
                Typed {
                    step: Step::Arithmetic(Operator::Divide, Blanks::Spread, top, bottom),
                    gives: Type::Float,
                }
            }
        })
    }

    fn filter(&mut self, call: &Call<'_>) -> Checked<Option<LineFormula>> {
        call.filter().map(|condition| check_truth(condition, self.columns)).transpose()
    }

    /// `mean(sum(amount) per client)`.
    fn nested(&mut self, function: Function, call: &Call<'_>, per: &[Name]) -> Checked<CellFormula> {
        call.allow(&["per", "where"])?;
        let filter = self.filter(call)?;
        let argument = call.one()?;
        let mut keys = Vec::new();
        for name in per {
            let formula =
                self.columns.dimension(&name.whole()).map_err(|message| (call.span.clone(), message))?;
            keys.push(Key { name: name.whole(), formula });
        }
        let finer = self.finer(keys, filter);
        let mut inner = InnerScope { columns: self.columns, finer: &mut self.grouping.finer[finer] };
        let inner = check_number(argument, &mut inner)?;
        let gives =
            function.gives(inner.gives).map_err(|wanted| call.misfit(argument, inner.gives, wanted))?;
        let place = self.aggregate_place(Aggregate::Nested { function, finer, inner: Box::new(inner) });
        Ok(Typed::leaf(CellLeaf::Aggregate(place), gives))
    }

    fn finer(&mut self, keys: Vec<Key>, filter: Option<LineFormula>) -> usize {
        let all = &mut self.grouping.finer;
        all.iter().position(|finer| finer.keys == keys && finer.filter == filter).unwrap_or_else(|| {
            all.push(Finer { keys, filter, values: Vec::new() });
            all.len() - 1
        })
    }

    fn rank(&mut self, call: &Call<'_>, percent: bool) -> Checked<CellFormula> {
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
        let gives =
            if percent || ranking.ties == Ties::Mean { Type::Float } else { Type::Exact { scale: 0 } };
        Ok(Typed::leaf(CellLeaf::Rank(Box::new(value), ranking), gives))
    }

    fn along(&mut self, call: &Call<'_>) -> Checked<Way> {
        let found = call.clauses.iter().find_map(|clause| match clause {
            Clause::Along(name, throughout) => Some((name, *throughout)),
            _ => None,
        });
        let Some((name, throughout)) = found else {
            return Err((
                call.span.clone(),
                format!("{} goes along a dimension: say along month", call.function),
            ));
        };
        Ok(Way { spot: self.dimension(name, call.span)?.0, throughout })
    }

    fn moving(&mut self, call: &Call<'_>) -> Checked<CellFormula> {
        call.allow(&["over", "along"])?;
        let [name, value] = call.arguments else {
            return Err(call.usage("moving(mean sales over 3 along month)"));
        };
        let named = name.to_string();
        let Some(function) = Function::named(&named) else {
            return Err((name.span.clone(), unknown_message("aggregate", &named, Function::names())));
        };
        let over = call.clauses.iter().find_map(|c| if let Clause::Over(n) = c { Some(*n) } else { None });
        let Some(over) = over else {
            return Err((call.span.clone(), "moving takes in a number of periods: say over 3".into()));
        };
        let way = self.along(call)?;
        let value = check_number(value, self)?;
        let gives = function.gives(value.gives).map_err(|wanted| call.misfit(name, value.gives, wanted))?;
        Ok(Typed::leaf(CellLeaf::Moving(function, Box::new(value), way, over), gives))
    }
}

/// A call with its parts.
struct Call<'e> {
    function: &'e str,
    arguments: &'e [Expr],
    clauses: &'e [Clause],
    span: &'e Range<usize>,
}

impl<'e> Call<'e> {
    fn one(&self) -> Checked<&'e Expr> {
        match self.arguments {
            [one] => Ok(one),
            _ => Err(self.usage(Function::usage(self.function))),
        }
    }

    fn usage(&self, usage: &str) -> (Range<usize>, String) {
        let usage = if usage.is_empty() { format!("{}(sales)", self.function) } else { usage.to_string() };
        (self.span.clone(), format!("write it like {usage}"))
    }

    fn misfit(&self, argument: &Expr, gives: Type, wanted: &str) -> (Range<usize>, String) {
        let mut message = format!("{} wants {wanted}, and {argument} is {}", self.function, gives.words());
        if let (Type::Text, Node::Name(name)) = (gives, &argument.node) {
            message += &format!("; if it holds numbers, say --as '{}=decimal(2)'", name.whole());
        }
        (argument.span.clone(), message)
    }

    fn filter(&self) -> Option<&'e Expr> {
        self.clauses
            .iter()
            .find_map(|c| if let Clause::Where(condition) = c { Some(&**condition) } else { None })
    }

    fn per(&self) -> Option<&'e [Name]> {
        self.clauses
            .iter()
            .find_map(|c| if let Clause::Per(names) = c { Some(names.as_slice()) } else { None })
    }

    /// Refuses clauses that have no meaning for this function.
    fn allow(&self, known: &[&str]) -> Checked<()> {
        match self.clauses.iter().map(clause_name).find(|name| !known.contains(name)) {
            Some(name) => Err((self.span.clone(), format!("{name} has no meaning for {}", self.function))),
            None => Ok(()),
        }
    }
}

fn clause_name(clause: &Clause) -> &'static str {
    match clause {
        Clause::Where(_) => "where",
        Clause::WeightedBy(_) => "weighted by",
        Clause::By(_) => "by",
        Clause::Per(_) => "per",
        Clause::Over(_) => "over",
        Clause::Along(..) => "along",
        Clause::Among(_) => "among",
        Clause::LowestFirst => "lowest first",
        Clause::Ties(_) => "ties",
    }
}

/// What an aggregate of lines becomes.
enum Made {
    Plain(Aggregate),
    /// One aggregate over another: a weighted mean.
    Ratio((Aggregate, Type), (Aggregate, Type)),
}

/// An aggregate of a formula over lines, whose states `values` will keep.
fn lines_aggregate(
    function: Function,
    call: &Call<'_>,
    columns: &mut Columns,
    values: &mut Vec<LineValue>,
) -> Checked<(Made, Type)> {
    let whole = Type::Exact { scale: 0 };
    let filter = call.filter().map(|condition| check_truth(condition, columns)).transpose()?;
    let known: &[&str] = match function {
        Function::Mean => &["where", "weighted by"],
        Function::First | Function::Last => &["where", "by"],
        _ => &["where"],
    };
    call.allow(known)?;
    let mut function = function;
    let argument = match (function, call.arguments) {
        (Function::Count, []) => {
            let Some(filter) = filter else { return Ok((Made::Plain(Aggregate::Lines), whole)) };
            let formula = LineFormula::one().only_where(Some(filter));
            let value = keep_value(values, "count".into(), formula, None, function);
            return Ok((Made::Plain(Aggregate::Of { function, value }), whole));
        }
        (Function::Quantile(_), [value, share]) if call.function == "quantile" => {
            match share.node {
                Node::Number { digits, scale } if digits >= 0 && digits <= 10i128.pow(scale.into()) => {
                    function = Function::Quantile(digits as f64 / 10f64.powi(scale.into()));
                }
                _ => {
                    return Err((
                        share.span.clone(),
                        "a share from 0% to 100% is wanted, as in quantile(amount, 90%)".into(),
                    ));
                }
            }
            value
        }
        (_, [one]) if call.function != "quantile" => one,
        _ => return Err(call.usage(Function::usage(call.function))),
    };
    let formula = check(argument, columns)?;
    let gives =
        function.gives(formula.gives).map_err(|wanted| call.misfit(argument, formula.gives, wanted))?;
    let name = argument.to_string();
    if let Some(weight) =
        call.clauses.iter().find_map(|c| if let Clause::WeightedBy(w) = c { Some(w) } else { None })
    {
        let weights = check_number(weight, columns)?;
        let product_type =
            Expr::from(Node::Binary(Operator::Multiply, Box::new(argument.clone()), weight.clone()));
        let product = check(&product_type, columns)?.only_where(filter.clone());
        // Only lines that have both count.
        let both = Typed { step: Step::IsBlank(Box::new(product.clone())), gives: Type::Condition };
        let both = Typed { step: Step::Not(Box::new(both)), gives: Type::Condition };
        let weights = weights.only_where(Some(both));
        let (product_gives, weight_gives) = (product.gives, weights.gives);
        let top = keep_value(values, product_type.to_string(), product, None, Function::Sum);
        let bottom = keep_value(values, weight.to_string(), weights, None, Function::Sum);
        let sum = |value| Aggregate::Of { function: Function::Sum, value };
        return Ok((Made::Ratio((sum(top), product_gives), (sum(bottom), weight_gives)), Type::Float));
    }
    let by = call.clauses.iter().find_map(|c| if let Clause::By(by) = c { Some(by) } else { None });
    let by = match (function, by) {
        (Function::First | Function::Last, Some(by)) => {
            let by_formula = check(by, columns)?;
            if !(by_formula.gives == Type::Day || by_formula.gives.is_number()) {
                let message =
                    format!("a date decides which line is first, and this is {}", by_formula.gives.words());
                return Err((by.span.clone(), message));
            }
            Some(by_formula)
        }
        (Function::First | Function::Last, None) => return Err(call.usage(Function::usage(call.function))),
        _ => None,
    };
    let formula = match function {
        // Anything can be counted, text too; a number is not asked for.
        Function::Count => formula.only_where(filter).presence(),
        _ => formula.only_where(filter),
    };
    let value = keep_value(values, name, formula, by, function);
    Ok((Made::Plain(Aggregate::Of { function, value }), gives))
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
                    [own] => format!("{own} builds on itself"),
                    chain => format!("{whole} builds on itself by way of {}", chain[1..].join(", ")),
                };
                return Err((span.clone(), message));
            }
            if self.under_way.len() >= DEEPEST {
                return Err((
                    span.clone(),
                    format!("measures build on one another more than {DEEPEST} deep"),
                ));
            }
            if let Err(error) = self.measure(i) {
                self.failed.get_or_insert(error);
                return Err((span.clone(), String::new()));
            }
            let gives = self.done[i].as_ref().map_or(Type::Nothing, |measure| measure.cell.gives);
            return Ok(Typed::leaf(CellLeaf::Measure(i), gives));
        }
        if let Some(formula) = self.assumptions.formula(&whole) {
            return Ok(formula);
        }
        if let Some((spot, _)) = self.spots().find(|(_, d)| d.name == whole) {
            return Ok(Typed::leaf(CellLeaf::Label(spot), Type::Text));
        }
        if self.columns.knows(&name.base) {
            let message = format!(
                "{name} is a column of the lines, of which a cell has many; a measure is an aggregate: did you mean sum({name})?"
            );
            return Err((span.clone(), message));
        }
        let known = self.briefs.iter().map(|m| m.name.as_str()).chain(self.assumptions.names());
        let dimensions = self.spots().map(|(_, d)| d.name.as_str());
        Err((span.clone(), unknown_message("measure", &whole, known.chain(dimensions))))
    }

    fn call(
        &mut self,
        function: &str,
        arguments: &[Expr],
        clauses: &[Clause],
        span: &Range<usize>,
    ) -> Checked<CellFormula> {
        let call = Call { function, arguments, clauses, span };
        match function {
            "rank" => return self.rank(&call, false),
            "percent_rank" => return self.rank(&call, true),
            "running" => {
                call.allow(&["along"])?;
                let way = self.along(&call)?;
                let value = check_number(call.one()?, self)?;
                let gives = value.gives;
                return Ok(Typed::leaf(CellLeaf::Running(Box::new(value), way), gives));
            }
            "moving" => return self.moving(&call),
            _ => {}
        }
        let Some(known) = Function::named(function) else {
            let more = ["rank", "percent_rank", "running", "moving"];
            let known = Function::names().chain(more).chain(function_names());
            return Err((span.clone(), unknown_message("function", function, known)));
        };
        let group =
            clauses.iter().find_map(|c| if let Clause::Among(group) = c { Some(*group) } else { None });
        match group {
            None => self.aggregate(known, &call),
            Some(group) => {
                call.allow(&["among"])?;
                let share = match (known, arguments) {
                    (Function::Quantile(_), [_, Expr { node: Node::Number { digits, scale }, .. }]) => {
                        Function::Quantile(*digits as f64 / 10f64.powi((*scale).into()))
                    }
                    _ => known,
                };
                let [argument, ..] = arguments else {
                    return Err(call.usage(&format!("{function}(sales among siblings)")));
                };
                let value = check_number(argument, self)?;
                let gives =
                    known.gives(value.gives).map_err(|wanted| call.misfit(argument, value.gives, wanted))?;
                Ok(Typed::leaf(CellLeaf::Among(share, Box::new(value), group), gives))
            }
        }
    }

    fn at(&mut self, value: &Expr, place: &Place, span: &Range<usize>) -> Checked<CellFormula> {
        let relation = match place {
            Place::Parent => Relation::Parent { on_rows: true },
            Place::ColumnParent => Relation::Parent { on_rows: false },
            Place::RowTotal => Relation::Total { on_rows: false },
            Place::ColumnTotal => Relation::Total { on_rows: true },
            Place::GrandTotal => Relation::GrandTotal,
            Place::Level(name) => Relation::Level(self.dimension(name, span)?.0),
            Place::Member(name, label) => Relation::Member(self.dimension(name, span)?.0, label.clone()),
            Place::Shifted(name, by) => {
                let (spot, part) = self.periods(name, span)?;
                Relation::Shift(spot, part, *by)
            }
            Place::YearBefore(name) => {
                let (spot, part) = self.periods(name, span)?;
                Relation::YearBefore(spot, part)
            }
            Place::End { along, last, of_all } => {
                Relation::End { spot: self.dimension(along, span)?.0, last: *last, of_all: *of_all }
            }
        };
        let value = check(value, self)?;
        if !(value.gives.is_number() || value.gives == Type::Day) {
            return Err((
                span.clone(),
                format!("at reads a number or a date, and this is {}", value.gives.words()),
            ));
        }
        let gives = value.gives;
        Ok(Typed::leaf(CellLeaf::At(Box::new(value), relation), gives))
    }
}

/// Formulas over finer groups: aggregates of lines only.
struct InnerScope<'a> {
    columns: &'a mut Columns,
    finer: &'a mut Finer,
}

impl Scope for InnerScope<'_> {
    type Leaf = Aggregate;

    fn name(&mut self, name: &Name, span: &Range<usize>) -> Checked<Typed<Aggregate>> {
        Err((span.clone(), format!("an aggregate is wanted before per, as in mean(sum({name}) per client)")))
    }

    fn call(
        &mut self,
        function: &str,
        arguments: &[Expr],
        clauses: &[Clause],
        span: &Range<usize>,
    ) -> Checked<Typed<Aggregate>> {
        let Some(known) = Function::named(function).filter(|f| *f != Function::Distinct) else {
            return Err((
                span.clone(),
                unknown_message(
                    "aggregate before per",
                    function,
                    Function::names().filter(|n| *n != "distinct"),
                ),
            ));
        };
        let call = Call { function, arguments, clauses, span };
        let (made, gives) = lines_aggregate(known, &call, self.columns, &mut self.finer.values)?;
        Ok(match made {
            Made::Plain(aggregate) => Typed::leaf(aggregate, gives),
            Made::Ratio(top, bottom) => {
                let [top, bottom] =
                    [top, bottom].map(|(aggregate, gives)| Box::new(Typed::leaf(aggregate, gives)));
                Typed {
                    step: Step::Arithmetic(Operator::Divide, Blanks::Spread, top, bottom),
                    gives: Type::Float,
                }
            }
        })
    }

    fn at(&mut self, _: &Expr, _: &Place, span: &Range<usize>) -> Checked<Typed<Aggregate>> {
        Err((span.clone(), "at cannot stand before per: a finer group has no related cells".into()))
    }
}
