//! The plan: a brief checked against a source's columns. Every name is resolved and every type is
//! right before any line is read.

use arrow_schema::Schema;

use super::NumberFormat;
use super::layout::{self, Order, TintPlan};
use super::spec::{Brief, MeasureBrief, Placement};
use crate::error::{Error, Result, unknown_message};
use crate::formula::{Columns, Expr, LineFormula, LineType, Node, parse};
use crate::grouping::Needs;
use crate::lines::{DatePart, Kind};

/// A brief checked against a source's columns, ready to run.
#[derive(Debug, Clone)]
pub struct Plan {
    /// The heading.
    pub title: String,
    /// Dimensions on the rows, outermost first.
    pub rows: Vec<Dimension>,
    /// Dimensions on the columns, outermost first.
    pub columns: Vec<Dimension>,
    /// What is computed.
    pub measures: Vec<Measure>,
    /// Which grains of which measures are tinted.
    pub tints: Vec<TintPlan>,
    /// The condition that lines must meet, as a formula's text.
    pub condition: Option<String>,
    /// What the reader should know before running it.
    pub warnings: Vec<String>,
    /// Where the totals stand, by level from the grand total inward, on the rows.
    pub row_totals: Vec<Placement>,
    /// Where the totals stand, by level from the grand total inward, on the columns.
    pub column_totals: Vec<Placement>,
    pub(crate) filter: Option<LineFormula>,
    pub(crate) values: Vec<PlannedValue>,
    needed: Vec<usize>,
    needed_names: Vec<String>,
}

/// A dimension of the layout.
#[derive(Debug, Clone)]
pub struct Dimension {
    /// Its name, as the layout writes it.
    pub name: String,
    /// Its heading.
    pub label: String,
    /// The order of its members.
    pub order: Order,
    /// What the column behind it holds.
    pub kind: Kind,
    /// The part of a date that it is made of.
    pub part: Option<DatePart>,
    pub(crate) slot: usize,
}

/// A measure of the cross-tab.
#[derive(Debug, Clone)]
pub struct Measure {
    /// Its name in data.
    pub name: String,
    /// Its heading.
    pub label: String,
    /// Its formula, as it was written.
    pub formula: String,
    /// How its numbers are shown.
    pub format: NumberFormat,
    /// Whether it is shown at totals and subtotals too.
    pub totals: bool,
    pub(crate) aggregate: Aggregate,
}

/// An aggregate of a formula over lines, or of the lines themselves.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Aggregate {
    pub(crate) function: Function,
    /// Place among the plan's values; `None` counts lines.
    pub(crate) value: Option<usize>,
}

/// What an aggregate does.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Function {
    Sum,
    Count,
    Mean,
    Min,
    Max,
}

const FUNCTIONS: [(&str, Function); 5] = [
    ("sum", Function::Sum),
    ("count", Function::Count),
    ("mean", Function::Mean),
    ("min", Function::Min),
    ("max", Function::Max),
];

/// A formula over lines whose states are kept.
#[derive(Debug, Clone)]
pub(crate) struct PlannedValue {
    pub(crate) name: String,
    pub(crate) formula: LineFormula,
    sum: bool,
    low: bool,
    high: bool,
}

impl Plan {
    /// Checks a brief against the columns of a source.
    ///
    /// # Errors
    /// Any name that is not known, with the nearest known one; any formula that cannot be read or
    /// does not make sense, with the spot marked.
    pub fn new(brief: &Brief, schema: &Schema) -> Result<Plan> {
        let mut columns = Columns::new(schema);
        let mut warnings = Vec::new();
        let mut plan = Plan {
            title: String::new(),
            rows: dimensions("rows", &brief.rows, &mut columns)?,
            columns: dimensions("columns", &brief.columns, &mut columns)?,
            measures: Vec::new(),
            tints: Vec::new(),
            condition: brief.filter.clone(),
            warnings: Vec::new(),
            row_totals: Vec::new(),
            column_totals: Vec::new(),
            filter: None,
            values: Vec::new(),
            needed: Vec::new(),
            needed_names: Vec::new(),
        };
        let mut names: Vec<&str> = plan.rows.iter().chain(&plan.columns).map(|d| d.name.as_str()).collect();
        names.sort_unstable();
        if let Some(twice) = names.windows(2).find(|pair| pair[0] == pair[1]) {
            return Err(Error::request("layout", format!("{} stands in it twice", twice[0])));
        }
        if let Some(text) = &brief.filter {
            let expr = parse("where", text)?;
            plan.filter = Some(LineFormula::check_condition("where", text, &expr, &mut columns)?);
        }
        let lines = [MeasureBrief::new("lines", "count()")];
        let measures = if brief.measures.is_empty() { &lines[..] } else { &brief.measures };
        for measure in measures {
            plan.add_measure(measure, &mut columns)?;
        }
        layout::describe_dimensions(brief, &mut plan, &mut columns, &mut warnings)?;
        (plan.row_totals, plan.column_totals) =
            layout::place_totals(brief, &plan, &mut columns, &mut warnings)?;
        plan.tints = layout::plan_tints(brief, &plan, &mut columns, &mut warnings)?;
        plan.title = brief.title.clone().unwrap_or_else(|| plan.made_title());
        plan.warnings = warnings;
        plan.needed_names = columns.needed_names().map(str::to_string).collect();
        plan.needed = columns.needed().to_vec();
        Ok(plan)
    }

    /// Places in the schema of the columns that the scan must be given, in this order.
    pub fn needed(&self) -> &[usize] {
        &self.needed
    }

    /// Names of the columns that the scan must be given, in this order.
    pub fn needed_names(&self) -> &[String] {
        &self.needed_names
    }

    /// The place of a measure.
    pub(crate) fn measure(&self, place: &str, name: &str) -> Result<usize> {
        self.measures.iter().position(|m| m.name == name).ok_or_else(|| {
            Error::unknown(place, "measure", name, self.measures.iter().map(|m| m.name.as_str()))
        })
    }

    pub(crate) fn needs(&self) -> Vec<Needs> {
        let needs = |v: &PlannedValue| Needs { gives: v.formula.gives, sum: v.sum, low: v.low, high: v.high };
        self.values.iter().map(needs).collect()
    }

    fn add_measure(&mut self, brief: &MeasureBrief, columns: &mut Columns) -> Result<()> {
        let place = format!("measure {}", brief.name);
        if brief.name.trim().is_empty() {
            return Err(Error::request("measure", "a measure needs a name, as in \"sales = sum(amount)\""));
        }
        if self.measures.iter().any(|m| m.name == brief.name) {
            return Err(Error::request(place, "there is another measure of this name"));
        }
        let expr = parse(&place, &brief.formula)?;
        let aggregate = self.aggregate(&place, &brief.formula, &expr, columns)?;
        self.measures.push(Measure {
            name: brief.name.clone(),
            label: brief.label.clone().unwrap_or_else(|| brief.name.clone()),
            formula: brief.formula.clone(),
            format: brief.format.clone(),
            totals: brief.totals,
            aggregate,
        });
        Ok(())
    }

    fn aggregate(
        &mut self,
        place: &str,
        text: &str,
        expr: &Expr,
        columns: &mut Columns,
    ) -> Result<Aggregate> {
        let wrong = |expr: &Expr, message: String| Error::formula(place, text, expr.span.clone(), message);
        let Node::Call { function, arguments } = &expr.node else {
            let hint = match &expr.node {
                Node::Name { part: None, .. } => format!("; did you mean sum({expr})?"),
                _ => String::new(),
            };
            return Err(wrong(expr, format!("a measure is an aggregate of lines, as in sum(amount){hint}")));
        };
        let names = FUNCTIONS.iter().map(|(name, _)| *name);
        let Some((_, what)) = FUNCTIONS.iter().find(|(name, _)| name == function) else {
            return Err(wrong(expr, unknown_message("aggregate", function, names)));
        };
        let argument = match arguments.as_slice() {
            [] if *what == Function::Count => return Ok(Aggregate { function: *what, value: None }),
            [one] => one,
            _ => {
                return Err(wrong(
                    expr,
                    format!("{function} takes one column or formula, as in {function}(amount)"),
                ));
            }
        };
        let value = match (what, &argument.node) {
            // Anything can be counted, text too; a number is not asked for.
            (Function::Count, Node::Name { base, part: None }) => {
                let found = columns.find(base).map_err(|message| wrong(argument, message))?;
                LineFormula::presence(found)
            }
            _ => LineFormula::check(place, text, argument, columns)?,
        };
        let fits = match what {
            Function::Sum | Function::Mean => value.gives.is_number(),
            Function::Min | Function::Max => value.gives.is_number() || value.gives == LineType::Day,
            _ => true,
        };
        if !fits {
            let wanted =
                if matches!(what, Function::Sum | Function::Mean) { "numbers" } else { "numbers or dates" };
            let mut message = format!("{function} wants {wanted}, and {argument} is {}", value.gives.words());
            if value.gives == LineType::Text {
                message += &format!("; if it holds numbers, say --as '{argument}=decimal(2)'");
            }
            return Err(wrong(argument, message));
        }
        Ok(Aggregate { function: *what, value: Some(self.keep_value(value, argument, *what)) })
    }

    /// The place of a value among those whose states are kept, which two measures may share.
    fn keep_value(&mut self, formula: LineFormula, expr: &Expr, what: Function) -> usize {
        let place = self.values.iter().position(|v| v.formula == formula).unwrap_or_else(|| {
            let name = expr.to_string();
            self.values.push(PlannedValue { name, formula, sum: false, low: false, high: false });
            self.values.len() - 1
        });
        let value = &mut self.values[place];
        value.sum |= matches!(what, Function::Sum | Function::Mean);
        value.low |= what == Function::Min;
        value.high |= what == Function::Max;
        place
    }

    fn made_title(&self) -> String {
        let join = |names: Vec<&str>| names.join(", ");
        let mut title = join(self.measures.iter().map(|m| m.label.as_str()).collect());
        let labels = |dimensions: &[Dimension]| {
            dimensions.iter().map(|d| d.label.clone()).collect::<Vec<_>>().join(", ")
        };
        if !self.rows.is_empty() {
            title.push_str(&format!(" by {}", labels(&self.rows)));
        }
        if !self.columns.is_empty() {
            let word = if self.rows.is_empty() { "by" } else { "and" };
            title.push_str(&format!(" {word} {}", labels(&self.columns)));
        }
        title
    }
}

fn dimensions(axis: &str, names: &[String], columns: &mut Columns) -> Result<Vec<Dimension>> {
    let dimension = |name: &String| {
        let (found, part) = columns.find_dimension(name).map_err(|message| Error::request(axis, message))?;
        Ok(Dimension {
            name: name.clone(),
            label: name.clone(),
            order: Order::default(),
            kind: found.kind,
            part,
            slot: found.slot,
        })
    };
    names.iter().map(dimension).collect()
}
