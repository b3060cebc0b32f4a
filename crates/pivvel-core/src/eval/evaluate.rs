//! The engine: formulas over the cells of every grain, and items over the formulas.

use std::cell::{Cell, RefCell};
use std::collections::HashMap;
use std::sync::Arc;

use super::blocks::{ReadyFormula, ReadyLeaf};
use super::frame::Frame;
use super::{gather, relate};
use crate::brief::Filled;
use crate::error::{Error, Result};
use crate::formula::{CellFormula, CellLeaf, TypedExpr, Values};
use crate::model::{ByGrain, CellValues, Grain, Overflow, Type, Value};
use crate::plan::Plan;
use crate::watch::Watch;

/// Computes values in a frame.
pub(crate) struct Engine<'a> {
    plan: &'a Plan,
    frame: &'a Frame,
    /// Values by measure, then by grain.
    measures: Vec<Option<ByGrain<Values>>>,
    items: RefCell<ItemFormulas>,
    /// Divisions by zero in cells that are shown.
    zero_divisions: Cell<u64>,
}

/// The formulas of items by the type of the values that they are for; none where they have no meaning.
type ItemFormulas = HashMap<(usize, Type), Option<Arc<TypedExpr<usize>>>>;

impl<'a> Engine<'a> {
    /// Computes every measure at every grain.
    ///
    /// # Errors
    /// A number that outgrows 38 digits; that whoever watches cancelled the work.
    pub(crate) fn run(plan: &'a Plan, frame: &'a mut Frame, watch: Watch<'_>) -> Result<Engine<'a>> {
        watch.check_cancelled()?;
        apply_first_items(plan, frame)?;
        let frame = &*frame;
        let deepest = frame.grains.deepest();
        let mut engine = Engine {
            plan,
            frame,
            measures: vec![None; plan.measures.len()],
            items: RefCell::default(),
            zero_divisions: Cell::new(0),
        };
        for place in &plan.measure_order {
            let measure = &plan.measures[*place];
            let values = ByGrain::try_new(deepest, |grain| {
                watch.check_cancelled()?;
                match measure.formula_at(grain) {
                    Some(formula) => {
                        let with = measure.without_lines.filter(|_| !plan.fills.is_empty());
                        engine.filled(formula, grain, with).map_err(|_| Error::overflow(&measure.name))
                    }
                    None => Ok(Arc::new(CellValues::blank(frame.grains[grain].len()))),
                }
            })?;
            engine.measures[*place] = Some(values);
        }
        Ok(engine)
    }

    /// The values of a measure at a grain, by cell.
    pub(crate) fn measure(&self, place: usize, grain: Grain) -> &Values {
        &self.measure_by_grain(place)[grain]
    }

    /// The values of a measure by grain.
    pub(crate) fn measure_by_grain(&self, place: usize) -> &ByGrain<Values> {
        let Some(values) = &self.measures[place] else { unreachable!("measures come after those they use") };
        values
    }

    /// The frame that values are computed in.
    pub(crate) fn frame(&self) -> &'a Frame {
        self.frame
    }

    /// Divisions by zero met in cells.
    pub(crate) fn zero_divisions(&self) -> u64 {
        self.zero_divisions.get()
    }

    /// The values that a formula gives at a grain, items included.
    pub(crate) fn values(&self, formula: &CellFormula, grain: Grain) -> Result<Values, Overflow> {
        self.filled(formula, grain, None)
    }

    /// The same with what there is in cells without lines, which items are computed from as well.
    fn filled(&self, formula: &CellFormula, grain: Grain, with: Option<Filled>) -> Result<Values, Overflow> {
        let (values, zero_divisions) = self.ready(formula, grain)?.values()?;
        self.zero_divisions.set(self.zero_divisions.get() + zero_divisions);
        let values = self.frame.grains[grain].filled(values, with);
        self.with_items(values, formula.ty, grain)
    }

    /// The cells of a grain that a condition holds for.
    pub(crate) fn holds(&self, condition: &CellFormula, grain: Grain) -> Result<Vec<bool>, Overflow> {
        let (holds, zero_divisions) = self.ready(condition, grain)?.holds()?;
        self.zero_divisions.set(self.zero_divisions.get() + zero_divisions);
        Ok(holds)
    }

    /// A formula with its leaves made ready for a grain.
    fn ready(&self, formula: &CellFormula, grain: Grain) -> Result<ReadyFormula<'a>, Overflow> {
        let mut leaves = Vec::new();
        let formula = formula.clone().map(&mut |leaf| {
            leaves.push(self.ready_leaf(&leaf, grain));
            leaves.len() - 1
        });
        let leaves = leaves.into_iter().collect::<Result<_, _>>()?;
        let cells = 0..self.frame.grains[grain].len();
        Ok(ReadyFormula { formula, leaves, plan: self.plan, frame: self.frame, grain, cells })
    }

    fn ready_leaf(&self, leaf: &CellLeaf, grain: Grain) -> Result<ReadyLeaf<'a>, Overflow> {
        let frame = self.frame;
        let here = (frame, grain);
        let inner = |formula: &CellFormula| self.values(formula, grain);
        Ok(ReadyLeaf::Values(match leaf {
            CellLeaf::Aggregate(place) => frame.grains[grain].aggregates[*place].clone(),
            CellLeaf::Measure(place) => self.measure(*place, grain).clone(),
            CellLeaf::Label(spot) => return Ok(ReadyLeaf::labels(frame, grain, *spot)),
            CellLeaf::At(formula, relation) => match relate::targets(frame, grain, relation) {
                Some(targets) => {
                    return Ok(ReadyLeaf::Related(self.values(formula, targets.grain)?, targets));
                }
                None => Arc::new(CellValues::blank(frame.grains[grain].len())),
            },
            CellLeaf::Among(function, formula, group) => {
                gather::among(here, *function, &inner(formula)?, *group)?
            }
            CellLeaf::Rank(formula, ranking) => gather::rank(here, &inner(formula)?, *ranking),
            CellLeaf::Running(formula, way) => gather::running(here, &inner(formula)?, *way)?,
            CellLeaf::Moving(function, formula, way, over) => {
                gather::moving(here, *function, &inner(formula)?, *way, *over)?
            }
        }))
    }

    /// Fills the cells of those items that are applied to measures.
    fn with_items(&self, mut values: Values, ty: Type, grain: Grain) -> Result<Values, Overflow> {
        let after = (0..self.plan.items.len()).filter(|item| !self.plan.items[*item].before_measures);
        for place in after.filter(|item| self.frame.grains[grain].has_cells_of(*item)) {
            let formula = self.item(place, ty);
            values = fill_item(self.plan, self.frame, grain, place, formula.as_deref(), values)?;
        }
        Ok(values)
    }

    fn item(&self, place: usize, ty: Type) -> Option<Arc<TypedExpr<usize>>> {
        let typed = || self.plan.items[place].typed(ty, &self.plan.assumptions).map(Arc::new);
        self.items.borrow_mut().entry((place, ty)).or_insert_with(typed).clone()
    }
}

/// Those items that go before formula measures are applied to every aggregate.
fn apply_first_items(plan: &Plan, frame: &mut Frame) -> Result<()> {
    for (place, item) in plan.items.iter().enumerate().filter(|(_, item)| item.before_measures) {
        for grain in frame.grains.deepest().all() {
            if !frame.grains[grain].has_cells_of(place) {
                continue;
            }
            for aggregate in 0..plan.aggregates.len() {
                let blank = Values::default();
                let values = std::mem::replace(&mut frame.grains[grain].aggregates[aggregate], blank);
                let formula = item.typed(type_of(&values), &plan.assumptions);
                let filled = fill_item(plan, frame, grain, place, formula.as_ref(), values);
                frame.grains[grain].aggregates[aggregate] =
                    filled.map_err(|_| Error::overflow(format!("item {}", item.name)))?;
            }
        }
    }
    Ok(())
}

/// The type of aggregates that are there.
fn type_of(values: &CellValues) -> Type {
    match values.iter().flatten().next() {
        Some(Value::Exact(number)) => Type::Exact { scale: number.scale },
        Some(Value::Date(_)) => Type::Day,
        _ => Type::Float,
    }
}

/// Computes the cells of one item from those of its operands, but those that are aggregated from lines.
fn fill_item(
    plan: &Plan,
    frame: &Frame,
    grain: Grain,
    place: usize,
    formula: Option<&TypedExpr<usize>>,
    values: Values,
) -> Result<Values, Overflow> {
    let (item, cells) = (&plan.items[place], &frame.grains[grain]);
    let operand = |operand| {
        ReadyLeaf::Related(values.clone(), relate::operands(frame, grain, item.spot, place, operand))
    };
    let mut ready = formula.map(|formula| {
        let leaves = (0..item.operands.len()).map(operand).collect();
        ReadyFormula { formula: formula.clone(), leaves, plan, frame, grain, cells: 0..0 }
    });
    let computed = cells.computed(place);
    if let (Some(ready), [own]) = (&mut ready, &computed[..])
        && own.start == values.len()
    {
        ready.cells = own.clone();
        if let Some(all) = ready.behind(&values)? {
            return Ok(Arc::new(all));
        }
    }
    let mut filled = Vec::new();
    for cells in computed {
        let values = match &mut ready {
            Some(ready) => {
                ready.cells = cells.clone();
                ready.values()?.0
            }
            None => Arc::new(CellValues::blank(cells.len())),
        };
        filled.push((cells, values));
    }
    drop(ready);
    let mut all = CellValues::with_room(values, cells.len());
    for (own, filled) in filled {
        all.put(own.start, Arc::unwrap_or_clone(filled), cells.len());
    }
    all.resize(all.len().max(cells.of_items[place].end));
    Ok(Arc::new(all))
}
