//! Aggregates of lines in formulas over cells: what each needs of the scan, also those of finer groups
//! within the cells, as in `mean(sum(amount) per client)` and `distinct(client)`.

use std::ops::Range;

use crate::aggregates::{Function, Keeps, Share};
use crate::error::{Remark, unknown_function};
use crate::formula::{
    Checked, Clause, Columns, Expr, LineFormula, Name, Node, Operator, Place, Scope, Step, TypedExpr, check,
    check_number, check_truth, composed, composed_names,
};
use crate::grouping::{Aggregate, Finer, Key, LineValue, keep_value};
use crate::model::Type;

/// A call with its parts.
pub(super) struct AggregateCall<'e> {
    pub(super) function: &'e str,
    pub(super) arguments: &'e [Expr],
    pub(super) clauses: &'e [Clause],
    pub(super) span: &'e Range<usize>,
}

impl<'e> AggregateCall<'e> {
    pub(super) fn one(&self) -> Checked<&'e Expr> {
        match self.arguments {
            [one] => Ok(one),
            _ => Err(self.usage(Function::usage(self.function))),
        }
    }

    /// How it is written.
    pub(super) fn text(&self) -> String {
        let (function, arguments) = (self.function.to_string(), self.arguments.to_vec());
        let node = Node::Call { function, arguments, clauses: self.clauses.to_vec() };
        Expr { node, span: self.span.clone() }.to_string()
    }

    pub(super) fn usage(&self, usage: &str) -> (Range<usize>, Remark) {
        let usage = if usage.is_empty() { format!("{}(sales)", self.function) } else { usage.to_string() };
        (self.span.clone(), format!("write it like {usage}").into())
    }

    pub(super) fn misfit(&self, argument: &Expr, ty: Type, wanted: &str) -> (Range<usize>, Remark) {
        let mut message = format!("{} wants {wanted}, and {argument} is {}", self.function, ty.words());
        if let (Type::Text, Node::Name(name)) = (ty, &argument.node) {
            message += &format!("; if it holds numbers, give {} a kind such as decimal(2)", name.whole());
        }
        (argument.span.clone(), message.into())
    }

    pub(super) fn filter(&self) -> Option<&'e Expr> {
        self.clauses
            .iter()
            .find_map(|c| if let Clause::Where(condition) = c { Some(&**condition) } else { None })
    }

    pub(super) fn per(&self) -> Option<&'e [Name]> {
        self.clauses
            .iter()
            .find_map(|c| if let Clause::Per(names) = c { Some(names.as_slice()) } else { None })
    }

    /// Refuses clauses that have no meaning for this function.
    pub(super) fn allow(&self, known: &[&str]) -> Checked<()> {
        match self.clauses.iter().map(clause_name).find(|name| !known.contains(name)) {
            Some(name) => {
                Err((self.span.clone(), format!("{name} has no meaning for {}", self.function).into()))
            }
            None => Ok(()),
        }
    }

    /// The argument, and the function with the share that a quantile names after it.
    pub(super) fn of(&self, function: Function) -> Checked<(Function, &'e Expr)> {
        let shared = function.takes_share;
        match self.arguments {
            [value, share] if shared => {
                let known = match share.node {
                    Node::Number(number) => Share::new(number),
                    _ => None,
                };
                let message = "a share from 0% to 100% is wanted, as in quantile(amount, 90%)";
                let known = known.ok_or_else(|| (share.span.clone(), Remark::from(message)))?;
                Ok((function.at(known), value))
            }
            [one] if !shared => Ok((function, one)),
            _ => Err(self.usage(Function::usage(self.function))),
        }
    }

    fn weight(&self) -> Option<&'e Expr> {
        self.clauses
            .iter()
            .find_map(|c| if let Clause::WeightedBy(weight) = c { Some(&**weight) } else { None })
    }

    fn by(&self) -> Option<&'e Expr> {
        self.clauses.iter().find_map(|c| if let Clause::By(by) = c { Some(&**by) } else { None })
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

/// Where what a scan must keep is written down: for the cells, or for groups that are finer.
pub(super) struct KeptValues<'a> {
    pub(super) values: &'a mut Vec<LineValue>,
    pub(super) finer: &'a mut Vec<Finer>,
}

impl KeptValues<'_> {
    /// The place of finer groups by keys; the same ones are kept once.
    fn finer(&mut self, keys: Vec<Key>, filter: Option<LineFormula>) -> usize {
        let known = |finer: &Finer| finer.keys == keys && finer.filter == filter;
        self.finer.iter().position(known).unwrap_or_else(|| {
            let more_than_counted = false;
            self.finer.push(Finer { keys, filter, values: Vec::new(), finer: Vec::new(), more_than_counted });
            self.finer.len() - 1
        })
    }
}

/// An aggregate of lines; a weighted mean is one over another.
pub(super) fn lines_aggregate(
    function: Function,
    call: &AggregateCall<'_>,
    columns: &mut Columns,
    kept: &mut KeptValues<'_>,
) -> Checked<TypedExpr<Aggregate>> {
    let filter = call.filter().map(|condition| check_truth(condition, columns)).transpose()?;
    if let Some(per) = call.per() {
        return nested(function, call, per, filter, columns, kept);
    }
    if function.keeps == Keeps::Keys {
        call.allow(&["where"])?;
        let argument = call.one()?;
        let formula = check(argument, columns)?;
        let finer = kept.finer(vec![Key { name: argument.to_string(), formula }], filter);
        return Ok(TypedExpr::leaf(Aggregate::Distinct { finer }, Type::Exact { scale: 0 }));
    }
    of_lines(function, call, filter, columns, kept)
}

/// `mean(sum(amount) per client)`.
fn nested(
    function: Function,
    call: &AggregateCall<'_>,
    per: &[Name],
    filter: Option<LineFormula>,
    columns: &mut Columns,
    kept: &mut KeptValues<'_>,
) -> Checked<TypedExpr<Aggregate>> {
    call.allow(&["per", "where"])?;
    let (function, argument) = call.of(function)?;
    let mut keys = Vec::new();
    for name in per {
        let formula = columns.dimension(&name.whole()).map_err(|message| (call.span.clone(), message))?;
        keys.push(Key { name: name.whole(), formula });
    }
    let finer = kept.finer(keys, filter);
    let Finer { values, finer: within, more_than_counted, .. } = &mut kept.finer[finer];
    *more_than_counted = true;
    let inner =
        check_number(argument, &mut BeforePer { columns, kept: KeptValues { values, finer: within } })?;
    let ty = function.result_type(inner.ty).map_err(|wanted| call.misfit(argument, inner.ty, wanted))?;
    Ok(TypedExpr::leaf(Aggregate::Nested { function, finer, inner: Box::new(inner) }, ty))
}

/// An aggregate of a formula over lines, whose states are kept.
fn of_lines(
    function: Function,
    call: &AggregateCall<'_>,
    filter: Option<LineFormula>,
    columns: &mut Columns,
    kept: &mut KeptValues<'_>,
) -> Checked<TypedExpr<Aggregate>> {
    call.allow(function.clauses)?;
    if function.keeps == Keeps::Presence && call.arguments.is_empty() {
        let ty = Type::Exact { scale: 0 };
        let Some(filter) = filter else { return Ok(TypedExpr::leaf(Aggregate::Lines, ty)) };
        let formula = LineFormula::one().only_where(Some(filter));
        let value = keep_value(kept.values, "count".into(), formula, None, function);
        return Ok(TypedExpr::leaf(Aggregate::Of { function, value }, ty));
    }
    let (function, argument) = call.of(function)?;
    let formula = check(argument, columns)?;
    let ty = function.result_type(formula.ty).map_err(|wanted| call.misfit(argument, formula.ty, wanted))?;
    if let Some(weight) = call.weight() {
        return weighted(argument, weight, filter, columns, kept);
    }
    let by = match call.by() {
        Some(by) => Some(line_order(by, columns)?),
        None if function.needs.first || function.needs.last => {
            return Err(call.usage(Function::usage(call.function)));
        }
        None => None,
    };
    let formula = formula.only_where(filter);
    let formula = match function.keeps {
        Keeps::Values | Keeps::Keys => formula,
        // Anything can be counted, text too; a number is not asked for.
        Keeps::Presence => formula.presence(),
        Keeps::Hashes => formula.hashed(),
    };
    let value = keep_value(kept.values, argument.to_string(), formula, by, function);
    Ok(TypedExpr::leaf(Aggregate::Of { function, value }, ty))
}

/// `mean(x weighted by w)`: the sum of products over the sum of weights, of lines that have both.
fn weighted(
    argument: &Expr,
    weight: &Expr,
    filter: Option<LineFormula>,
    columns: &mut Columns,
    kept: &mut KeptValues<'_>,
) -> Checked<TypedExpr<Aggregate>> {
    let product = Node::Binary(Operator::Multiply, Box::new(argument.clone()), Box::new(weight.clone()));
    let product = Expr { node: product, span: argument.span.start..weight.span.end };
    let weights = check_number(weight, columns)?;
    let products = check(&product, columns)?.only_where(filter);
    let missing = TypedExpr { step: Step::IsBlank(Box::new(products.clone())), ty: Type::Condition };
    let both = TypedExpr { step: Step::Not(Box::new(missing)), ty: Type::Condition };
    let mut sum = |name: String, formula: LineFormula| {
        let value = keep_value(kept.values, name, formula, None, Function::SUM);
        Box::new(Aggregate::Of { function: Function::SUM, value })
    };
    let top = sum(product.to_string(), products);
    let bottom = sum(weight.to_string(), weights.only_where(Some(both)));
    Ok(TypedExpr::leaf(Aggregate::Ratio(top, bottom), Type::Float))
}

/// What decides which line is first.
fn line_order(by: &Expr, columns: &mut Columns) -> Checked<LineFormula> {
    let formula = check(by, columns)?;
    if formula.ty == Type::Day || formula.ty.is_number() {
        return Ok(formula);
    }
    let message = format!("a date decides which line is first, and this is {}", formula.ty.words());
    Err((by.span.clone(), message.into()))
}

/// Formulas over finer groups: aggregates of their lines only.
struct BeforePer<'a> {
    columns: &'a mut Columns,
    kept: KeptValues<'a>,
}

impl Scope for BeforePer<'_> {
    type Leaf = Aggregate;

    fn name(&mut self, name: &Name, span: &Range<usize>) -> Checked<TypedExpr<Aggregate>> {
        Err((
            span.clone(),
            format!("an aggregate is wanted before per, as in mean(sum({name}) per client)").into(),
        ))
    }

    fn call(
        &mut self,
        function: &str,
        arguments: &[Expr],
        clauses: &[Clause],
        span: &Range<usize>,
    ) -> Checked<TypedExpr<Aggregate>> {
        if let Some(formula) = composed(function, arguments, clauses, span) {
            return check(&formula.map_err(|message| (span.clone(), message.into()))?, self);
        }
        let Some(known) = Function::named(function) else {
            let known = Function::names().chain(composed_names());
            return Err((span.clone(), unknown_function("aggregate before per", function, known)));
        };
        lines_aggregate(
            known,
            &AggregateCall { function, arguments, clauses, span },
            self.columns,
            &mut self.kept,
        )
    }

    fn at(&mut self, _: &Expr, _: &Place, span: &Range<usize>) -> Checked<TypedExpr<Aggregate>> {
        Err((span.clone(), "at cannot stand before per: a finer group has no related cells".into()))
    }
}
