//! The story of one number: its lines, its formula with the value of each operand, the cells that it
//! stands on, its peers, and the rules that were tried on it.

use arrow_array::Array;
use arrow_array::cast::AsArray;
use arrow_array::types::Date32Type;
use arrow_schema::DataType;

use super::address::Address;
use super::lines::{LinesBehind, TiedPart};
use super::operands::{is_aggregate, operands, with_operands, within};
use super::parts::Whole;
use super::story::{
    DateSpan, EmphasisStory, EntryStory, ItemOperand, ItemStory, Operand, PeersStory, RuleStory, Story,
    WindowPart,
};
use super::trace::Trace;
use crate::brief::{Apply, Brief, Filled};
use crate::crosstab::{Build, Cell};
use crate::error::{Argument, Error, Result};
use crate::eval::{targets, window};
use crate::formula::{CellLeaf, Expr, Formula, Node, Step};
use crate::lines::LineSource;
use crate::model::{Grain, Value};
use crate::plan::Choice;
use crate::rollup::{Axis, ColumnEntry, Entry, OfAxis, RowEntry};

impl Build<'_> {
    /// The story of the number of a measure in a cell. `open` opens the lines, which are read twice.
    ///
    /// ```
    /// use std::sync::Arc;
    /// use arrow_array::{ArrayRef, Int64Array, RecordBatch, StringArray};
    /// # use pivvel_core as pivvel;
    /// use pivvel::source::{Batches, LineSource};
    /// use pivvel::{Brief, Build};
    ///
    /// let coast: ArrayRef = Arc::new(StringArray::from(vec!["Fell", "Skerry", "Fell"]));
    /// let pieces: ArrayRef = Arc::new(Int64Array::from(vec![1, 2, 5]));
    /// let batch = RecordBatch::try_from_iter([("coast", coast), ("pieces", pieces)])?;
    /// let brief = Brief::new()
    ///     .rows(["coast"])
    ///     .measure(("pieces", "sum(pieces)"))
    ///     .measure(("share", "pieces / pieces at grand total"));
    /// let mut open = || {
    ///     let lines = Batches::new(batch.schema(), [batch.clone()]);
    ///     Ok(Box::new(lines) as Box<dyn LineSource>)
    /// };
    /// let story = Build::new().explain(&brief, &mut open, &"coast=Fell".parse()?, "share")?;
    /// let lines: Vec<String> =
    ///     story.operands().iter().map(|o| format!("{} = {}", o.text(), o.value().unwrap())).collect();
    /// assert_eq!(lines, ["pieces = 6", "pieces at grand total = 8"]);
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    ///
    /// # Errors
    /// As for [`Build::run`], and an address or a measure that is not there.
    pub fn explain(
        &self,
        brief: &Brief,
        open: &mut dyn FnMut() -> Result<Box<dyn LineSource>>,
        address: &Address,
        measure: &str,
    ) -> Result<Story> {
        let mut source = open()?;
        let wanted = LinesBehind::of(address.clone()).measure(measure);
        wanted.check(brief, source.as_ref())?;
        let (with, named) = with_operands(brief, &source.schema());
        let trace = self.trace(&with, source.as_mut())?;
        let (row, column) = trace.crosstab.locate(address)?;
        let Some(cell) = trace.crosstab.cell(row, column) else {
            let message = format!("no line is behind {address}: its row and its column do not meet");
            return Err(Error::request(Argument::Address, message));
        };
        let place = trace.plan.measures.iter().position(|m| m.name == measure);
        let Some(place) = place else {
            let known = brief.measures.iter().map(|m| m.name.as_str());
            return Err(Error::unknown(Argument::Measure, "measure", measure, known));
        };
        let teller =
            Teller { trace: &trace, named: &named, row, column, grain: cell.grain(), cell: cell.id as usize };
        let (dates, tied) = teller.read(&wanted, open()?.as_mut())?;
        teller.tell(brief, &cell, place, dates, tied)
    }
}

/// The story of one cell.
struct Teller<'a> {
    trace: &'a Trace,
    /// Operands with the hidden measures that compute them.
    named: &'a [(Expr, String)],
    row: RowEntry,
    column: ColumnEntry,
    grain: Grain,
    cell: usize,
}

impl Teller<'_> {
    fn tell(
        &self,
        brief: &Brief,
        cell: &Cell<'_>,
        place: usize,
        dates: Vec<DateSpan>,
        tied: Vec<TiedPart>,
    ) -> Result<Story> {
        let (crosstab, plan) = (&self.trace.crosstab, &self.trace.plan);
        let (rows, columns) = (crosstab.rows(), crosstab.columns());
        let formula = self.formula(place);
        let expr = formula.and_then(Formula::expr);
        let mut listed = vec![plan.measures[place].name.clone()];
        let item = self.item(place);
        // What a cell of an item that goes last is made of are other cells.
        let of_cells = item.as_ref().is_some_and(|item| item.applied == Apply::AfterMeasures);
        let parts = expr.filter(|expr| !of_cells && !is_aggregate(expr)).map(operands);
        let shown = crosstab.measures().iter().position(|m| m.name == plan.measures[place].name);
        let peers = shown.and_then(|shown| {
            let yardstick = *cell.yardstick(shown)?;
            let name = cell.peers(shown)?.to_string();
            // Cells are numbered in the order in which threads met them.
            let mut values = crosstab.peer_values(shown, self.grain, self.cell);
            values.sort_by(f64::total_cmp);
            Some(PeersStory {
                name,
                yardstick,
                position: cell.position(shown),
                rank: cell.rank(shown),
                values,
            })
        });
        Ok(Story {
            address: Address::of(crosstab, self.row, self.column),
            row: entry(rows, self.row),
            column: entry(columns, self.column),
            measure: plan.measures[place].name.clone(),
            value: self.value(place),
            format: match shown {
                Some(shown) => crosstab.format(self.row, self.column, shown).clone(),
                None => plan.measures[place].format.clone(),
            },
            is_aggregate: expr.is_some_and(is_aggregate),
            operands: parts.iter().flatten().map(|part| self.operand(part, &mut listed)).collect(),
            formula: formula.map(ToString::to_string).unwrap_or_default(),
            item,
            lines: cell.lines(),
            filled: self.filled(place).filter(|_| !of_cells),
            dates,
            parts: Whole { trace: self.trace, place, row: self.row, column: self.column }.parts(),
            condition: plan.condition.clone(),
            peers,
            emphases: shown.map(|shown| self.emphases(shown)).unwrap_or_default(),
            assumptions: brief.assumptions.iter().map(|a| (a.name.clone(), a.value.words())).collect(),
            tied,
        })
    }

    fn filled(&self, place: usize) -> Option<Filled> {
        let cells = &self.trace.inside.frame.grains[self.grain];
        self.trace.plan.measures[place].without_lines.filter(|_| cells.lacks_lines(self.cell))
    }

    fn value(&self, place: usize) -> Option<Value> {
        self.trace.inside.measures[place][self.grain].get(self.cell)
    }

    /// How a measure is computed at the cell's grain.
    fn formula(&self, place: usize) -> Option<&Formula> {
        let measure = &self.trace.plan.measures[place];
        match measure.grains[self.grain] {
            Choice::Nothing => None,
            Choice::Level(level) => measure.level_specs[level].1.as_ref(),
            Choice::Main => Some(&measure.formula),
        }
    }

    /// A part of a formula with its value; measures that are in the story already are not repeated.
    fn operand(&self, expr: &Expr, listed: &mut Vec<String>) -> Operand {
        let text = expr.to_string();
        let plan = &self.trace.plan;
        let of = |name: &str| plan.measures.iter().position(|m| m.name == name);
        let hidden = self.named.iter().find(|(known, _)| known == expr).and_then(|(_, name)| of(name));
        let measure = match &expr.node {
            Node::Name(name) => of(&name.whole()),
            _ => None,
        };
        let place = measure.or(hidden);
        let formula = measure.and_then(|place| self.formula(place));
        let parts = match (formula.and_then(Formula::expr), measure) {
            (Some(own), Some(_)) if !listed.contains(&text) => {
                listed.push(text.clone());
                let parts = if is_aggregate(own) { Vec::new() } else { operands(own) };
                // One part that is all of it says nothing more.
                if parts.contains(own) { Vec::new() } else { parts }
            }
            _ => within(expr),
        };
        Operand {
            value: place.and_then(|place| self.value(place)),
            at: place.and_then(|place| self.related(place)),
            window: place.map(|place| self.window(formula, expr, place)).unwrap_or_default(),
            operands: parts.iter().map(|part| self.operand(part, listed)).collect(),
            formula: formula.map(ToString::to_string),
            format: measure.map(|place| plan.measures[place].format.clone()),
            text,
        }
    }

    /// The periods of a window that moves over a measure, each with what it has of it.
    fn window(&self, formula: Option<&Formula>, expr: &Expr, place: usize) -> Vec<WindowPart> {
        let expr = formula.and_then(Formula::expr).unwrap_or(expr);
        let plan = &self.trace.plan;
        let here = plan.measures[place].formula_at(self.grain).map(|formula| &formula.step);
        let Some(Step::Leaf(CellLeaf::Moving(_, _, way, over))) = here else { return Vec::new() };
        let Some(of) = within(expr).into_iter().next() else { return Vec::new() };
        let of_named = self.named.iter().find(|(known, _)| *known == of).map(|(_, name)| name.clone());
        let named = match &of.node {
            Node::Name(name) => of_named.unwrap_or_else(|| name.whole()),
            _ => of_named.unwrap_or_default(),
        };
        let Some(measure) = plan.measures.iter().position(|m| m.name == named) else { return Vec::new() };
        let part = |(member, cell): (String, Option<usize>)| WindowPart {
            member,
            has_lines: cell.is_some(),
            value: cell.and_then(|cell| self.trace.inside.measures[measure][self.grain].get(cell)),
        };
        let places = window(&self.trace.inside.frame, self.grain, *way, *over, self.cell);
        places.into_iter().map(part).collect()
    }

    /// The cell that a formula reads its value from, where it is one look at another cell.
    fn related(&self, place: usize) -> Option<Address> {
        let Step::Leaf(CellLeaf::At(_, relation)) = &self.trace.plan.measures[place].cell.step else {
            return None;
        };
        let frame = &self.trace.inside.frame;
        let targets = targets(frame, self.grain, relation)?;
        let (grain, cell) = (targets.grain, targets.get(self.cell)?);
        let cells = &frame.grains[grain];
        let (row, column) = cells.pairs.pairs()[cell];
        let crosstab = &self.trace.crosstab;
        let row = Entry::at(grain.row, row);
        Some(Address::of(crosstab, row, Entry::at(grain.column, column)))
    }

    /// The item that makes the cell.
    fn item(&self, place: usize) -> Option<ItemStory> {
        let frame = &self.trace.inside.frame;
        let item = &self.trace.plan.items[frame.grains[self.grain].maker(self.cell)?];
        let (level, node) =
            item.spot.side.pick((self.row.level(), self.row.node), (self.column.level(), self.column.node));
        let made = frame.axis(item.spot.side).made(level, node)?;
        let grain = Grain::new(self.row.level(), self.column.level());
        let value = |node: &Option<u32>| {
            let (row, column) = item.spot.side.pick(((*node)?, self.column.node), (self.row.node, (*node)?));
            let cell = frame.grains[grain].pairs.find(row, column)?;
            self.trace.inside.measures[place][grain].get(cell as usize).filter(|_| !item.before_measures)
        };
        let operand = |(member, node): (&String, &Option<u32>)| ItemOperand {
            member: member.clone(),
            value: value(node),
        };
        Some(ItemStory {
            dimension: item.dimension.clone(),
            name: item.name.clone(),
            formula: item.formula.to_string(),
            applied: if item.before_measures { Apply::BeforeMeasures } else { Apply::AfterMeasures },
            format: self.trace.plan.measures[place].format.clone(),
            operands: item.operands.iter().zip(&made.operands).map(operand).collect(),
        })
    }

    /// What could make the cell stand out.
    fn emphases(&self, shown: usize) -> Vec<EmphasisStory> {
        let crosstab = &self.trace.crosstab;
        let marks = crosstab.marks(self.row, self.column, shown);
        let concerned = crosstab.emphases().iter().enumerate().filter(|(_, e)| e.covers(self.grain, shown));
        let story = |(place, emphasis): (usize, &crate::emphasis::Emphasis)| {
            let mark = marks.iter().find(|mark| mark.emphasis == place);
            let won = mark.and_then(|mark| mark.rule);
            let earlier = marks.iter().any(|m| m.form == emphasis.planned.spec.form && m.emphasis < place);
            let outcome = |rule: usize| match won {
                Some(won) => (rule <= won).then_some(rule == won),
                None => (!earlier).then_some(false),
            };
            let rules = emphasis.rules().iter().enumerate();
            EmphasisStory {
                place: emphasis.planned.place.clone(),
                form: emphasis.planned.spec.form,
                decides: mark.is_some(),
                position: mark.and_then(|mark| mark.position),
                rules: rules
                    .map(|(i, rule)| RuleStory { rule: rule.words.clone(), matched: outcome(i) })
                    .collect(),
            }
        };
        concerned.map(story).collect()
    }

    /// Reads the lines of the cell: their days, and what they add up to.
    fn read(
        &self,
        wanted: &LinesBehind,
        source: &mut dyn LineSource,
    ) -> Result<(Vec<DateSpan>, Vec<TiedPart>)> {
        let fields = self.trace.schema.fields().iter();
        let dates = fields.filter(|field| *field.data_type() == DataType::Date32);
        let mut wanted = wanted.clone().columns(dates.map(|f| f.name().clone()));
        let names = wanted.columns.clone();
        if wanted.columns.is_empty() {
            wanted.columns.extend(self.trace.columns_first().into_iter().take(1));
        }
        let mut spans: Vec<Option<(i32, i32)>> = vec![None; names.len()];
        let tied = self.trace.lines(&wanted, source, &mut |batch| {
            for (span, array) in spans.iter_mut().zip(batch.columns()) {
                let Some(days) = array.as_primitive_opt::<Date32Type>() else { continue };
                for day in (0..days.len()).filter(|i| days.is_valid(*i)).map(|i| days.value(i)) {
                    let (first, last) = span.unwrap_or((day, day));
                    *span = Some((first.min(day), last.max(day)));
                }
            }
            Ok(())
        })?;
        let listed = names.into_iter().zip(spans).filter_map(|(column, span)| {
            let [first, last] = <[i32; 2]>::from(span?).map(|day| Value::Date(day).to_string());
            Some(DateSpan { column, first, last })
        });
        Ok((listed.collect(), tied.parts))
    }
}

fn entry<S: OfAxis>(axis: &Axis<S>, entry: Entry<S>) -> EntryStory {
    EntryStory { level: axis.level_name(entry.level()).to_string(), kind: axis.kind(entry) }
}
