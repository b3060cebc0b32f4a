//! The engine: formulas over the cells of every grain, and items over the formulas.

use std::cell::{Cell, RefCell};
use std::collections::HashMap;
use std::sync::Arc;

use super::cells::Cells;
use super::frame::Frame;
use super::{gather, relate};
use crate::error::{Error, Result};
use crate::formula::{CellFormula, CellLeaf, Evaluate, Relation, Texts, TypedExpr, Values, evaluate, holds};
use crate::model::{ByGrain, CellValues, Grain, Overflow, Type, Value};
use crate::plan::Plan;

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
    /// A number that outgrows 38 digits.
    pub(crate) fn run(plan: &'a Plan, frame: &'a mut Frame) -> Result<Engine<'a>> {
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
            let values = ByGrain::try_new(deepest, |grain| match measure.formula_at(grain) {
                Some(formula) => engine.values(formula, grain),
                None => Ok(Arc::new(CellValues::blank(frame.grains[grain].len()))),
            });
            engine.measures[*place] = Some(values.map_err(|_| Error::overflow(&measure.name))?);
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
        let values = evaluate(formula, &mut AtGrain { engine: self, grain })?;
        self.with_items(values, formula.ty, grain)
    }

    /// The cells of a grain that a condition holds for.
    pub(crate) fn holds(&self, condition: &CellFormula, grain: Grain) -> Result<Vec<bool>, Overflow> {
        holds(condition, &mut AtGrain { engine: self, grain })
    }

    /// Fills the cells of those items that are applied to measures.
    fn with_items(&self, values: Values, ty: Type, grain: Grain) -> Result<Values, Overflow> {
        let cells = &self.frame.grains[grain];
        if !cells.makers.iter().flatten().any(|item| !self.plan.items[*item].before_measures) {
            return Ok(values);
        }
        let mut filled = (*values).clone();
        for place in (0..self.plan.items.len()).filter(|i| !self.plan.items[*i].before_measures) {
            let formula = self.item(place, ty);
            fill_item(self.frame, cells, place, formula.as_deref(), &mut filled)?;
        }
        Ok(Arc::new(filled))
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
            for aggregate in 0..plan.aggregates.len() {
                let mut values = (*frame.grains[grain].aggregates[aggregate]).clone();
                let ty = type_of(&values);
                let formula = item.typed(ty, &plan.assumptions);
                let cells = &frame.grains[grain];
                let filled = fill_item(frame, cells, place, formula.as_ref(), &mut values);
                frame.grains[grain].aggregates[aggregate] = Arc::new(values);
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

/// Computes the cells of one item from those of its operands.
fn fill_item(
    frame: &Frame,
    cells: &Cells,
    place: usize,
    formula: Option<&TypedExpr<usize>>,
    values: &mut CellValues,
) -> Result<(), Overflow> {
    let is_own = |cell: &usize| {
        cells.maker(*cell) == Some(place) && !cells.merged.get(*cell).copied().unwrap_or(false)
    };
    let own: Vec<usize> = (0..cells.len()).filter(is_own).collect();
    if own.is_empty() {
        return Ok(());
    }
    let Some(formula) = formula else {
        own.iter().for_each(|cell| values.set(*cell, None));
        return Ok(());
    };
    let operand = |cell: usize, operand: usize| {
        let (row, column) = cells.pairs.pairs()[cell];
        let side = frame.rows.made(cells.grain.row, row).filter(|made| made.item == place);
        let target = match side {
            Some(made) => (made.operands[operand]?, column),
            None => (row, frame.columns.made(cells.grain.column, column)?.operands[operand]?),
        };
        values.get(cells.pairs.find(target.0, target.1)? as usize)
    };
    let mut of = Operands { own: &own, operand: &operand };
    let results = evaluate(formula, &mut of)?;
    for (cell, value) in own.iter().zip(results.iter()) {
        values.set(*cell, value);
    }
    Ok(())
}

/// The cells of one item, whose leaves are the item's operands.
struct Operands<'a> {
    own: &'a [usize],
    operand: &'a dyn Fn(usize, usize) -> Option<Value>,
}

impl Evaluate for Operands<'_> {
    type Leaf = usize;
    type Error = Overflow;

    fn cells(&self) -> usize {
        self.own.len()
    }

    fn values(&mut self, leaf: &usize) -> Result<Values, Overflow> {
        Ok(Arc::new(self.own.iter().map(|cell| (self.operand)(*cell, *leaf)).collect()))
    }

    fn texts(&mut self, _: &usize) -> Result<Texts, Overflow> {
        Ok(Arc::new(vec![None; self.own.len()]))
    }

    fn divided_by_zero(&mut self, _: usize) {}
}

/// The cells of one grain, whose leaves are aggregates, measures and related cells.
struct AtGrain<'a, 'e> {
    engine: &'e Engine<'a>,
    grain: Grain,
}

impl Evaluate for AtGrain<'_, '_> {
    type Leaf = CellLeaf;
    type Error = Overflow;

    fn cells(&self) -> usize {
        self.engine.frame.grains[self.grain].len()
    }

    fn values(&mut self, leaf: &CellLeaf) -> Result<Values, Overflow> {
        let frame = self.engine.frame;
        let cells = &frame.grains[self.grain];
        let inner = |formula: &CellFormula| self.engine.values(formula, self.grain);
        let here = (frame, self.grain);
        Ok(match leaf {
            CellLeaf::Aggregate(place) => cells.aggregates[*place].clone(),
            CellLeaf::Measure(place) => self.engine.measure(*place, self.grain).clone(),
            CellLeaf::Label(_) => Arc::new(CellValues::blank(cells.len())),
            CellLeaf::At(formula, relation) => self.related(formula, relation)?,
            CellLeaf::Among(function, formula, group) => {
                gather::among(here, *function, &inner(formula)?, *group)?
            }
            CellLeaf::Rank(formula, ranking) => gather::rank(here, &inner(formula)?, *ranking),
            CellLeaf::Running(formula, way) => gather::running(here, &inner(formula)?, *way)?,
            CellLeaf::Moving(function, formula, way, over) => {
                gather::moving(here, *function, &inner(formula)?, *way, *over)?
            }
        })
    }

    fn texts(&mut self, leaf: &CellLeaf) -> Result<Texts, Overflow> {
        let frame = self.engine.frame;
        let cells = &frame.grains[self.grain];
        let CellLeaf::Label(spot) = leaf else { return Ok(Arc::new(vec![None; cells.len()])) };
        let axis = frame.axis(spot.side);
        let level = cells.grain.level(spot.side);
        if level < spot.level {
            return Ok(Arc::new(vec![None; cells.len()]));
        }
        let label = |(row, column): &(u32, u32)| {
            let node = axis.ancestor(level, spot.side.pick(*row, *column), spot.level);
            Some(Arc::from(axis.members(spot.level - 1).label(axis.member_of(spot.level, node))))
        };
        Ok(Arc::new(cells.pairs.pairs().iter().map(label).collect()))
    }

    fn divided_by_zero(&mut self, cell: usize) {
        let cells = &self.engine.frame.grains[self.grain];
        let counts = self.engine.frame.shows(self.grain, cell)
            && cells.maker(cell).is_none_or(|item| self.engine.plan.items[item].before_measures);
        self.engine.zero_divisions.set(self.engine.zero_divisions.get() + u64::from(counts));
    }
}

impl AtGrain<'_, '_> {
    /// The values of a formula at the cells that are related to those of this grain.
    fn related(&self, formula: &CellFormula, relation: &Relation) -> Result<Values, Overflow> {
        let frame = self.engine.frame;
        let Some(targets) = relate::targets(frame, self.grain, relation) else {
            return Ok(Arc::new(CellValues::blank(frame.grains[self.grain].len())));
        };
        let known = self.engine.values(formula, targets.grain)?;
        let cells = frame.grains[self.grain].len();
        let values = (0..cells).map(|cell| known.get(targets.get(cell)?));
        Ok(Arc::new(CellValues::collect(cells, values)))
    }
}
