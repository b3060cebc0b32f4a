//! Grains, and what there is one of for each of them.

use std::ops::{Index, IndexMut};

use super::AxisSide;

/// A level of the rows and a level of the columns, which every cell has exactly one of. Level 0 of an axis is its
/// total, and the deepest ones are those of the leaves.
///
/// ```
/// # use pivvel_core as pivvel;
/// use pivvel::result::{AxisSide, Grain};
///
/// let grain = Grain::new(2, 1);
/// assert_eq!(grain.level(AxisSide::Rows), 2);
/// assert_eq!(grain.at(AxisSide::Rows, 0), Grain::new(0, 1));
/// ```
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, PartialOrd, Ord, Hash)]
#[non_exhaustive]
pub struct Grain {
    pub(crate) row: usize,
    pub(crate) column: usize,
}

crate::getters! {
    Grain {
        /// The level of the rows.
        row: usize,
        /// The level of the columns.
        column: usize,
    }
}

impl Grain {
    /// The grand total.
    pub const TOTAL: Grain = Grain { row: 0, column: 0 };

    /// The grain of two levels.
    pub const fn new(row: usize, column: usize) -> Grain {
        Grain { row, column }
    }

    /// The level on one axis.
    pub fn level(self, side: AxisSide) -> usize {
        side.pick(self.row, self.column)
    }

    /// The grain at another level of one axis.
    pub fn at(self, side: AxisSide, level: usize) -> Grain {
        match side {
            AxisSide::Rows => Grain { row: level, ..self },
            AxisSide::Columns => Grain { column: level, ..self },
        }
    }

    /// All grains of a cross-tab of which this one is the deepest: by rows, then by columns, from the total down.
    pub(crate) fn all(self) -> impl DoubleEndedIterator<Item = Grain> {
        (0..=self.row).flat_map(move |row| (0..=self.column).map(move |column| Grain { row, column }))
    }
}

/// One thing for each grain of a cross-tab, in the order of [`Grain::all`].
#[derive(Debug, Clone)]
pub(crate) struct ByGrain<T> {
    deepest: Grain,
    all: Vec<T>,
}

impl<T> ByGrain<T> {
    /// What `of` makes for each grain.
    pub(crate) fn new(deepest: Grain, of: impl FnMut(Grain) -> T) -> ByGrain<T> {
        ByGrain { deepest, all: deepest.all().map(of).collect() }
    }

    /// The same where something may go wrong.
    pub(crate) fn try_new<E>(deepest: Grain, of: impl FnMut(Grain) -> Result<T, E>) -> Result<ByGrain<T>, E> {
        Ok(ByGrain { deepest, all: deepest.all().map(of).collect::<Result<_, E>>()? })
    }

    /// What there is of a grain; `None` of one that is deeper than all.
    pub(crate) fn get(&self, grain: Grain) -> Option<&T> {
        (grain.row <= self.deepest.row && grain.column <= self.deepest.column).then(|| &self[grain])
    }

    /// The grain of the leaves.
    pub(crate) fn deepest(&self) -> Grain {
        self.deepest
    }

    pub(crate) fn iter(&self) -> impl Iterator<Item = (Grain, &T)> {
        self.deepest.all().zip(&self.all)
    }

    pub(crate) fn iter_mut(&mut self) -> impl Iterator<Item = (Grain, &mut T)> {
        self.deepest.all().zip(&mut self.all)
    }

    /// The same with something else for each grain.
    pub(crate) fn map<U>(self, mut to: impl FnMut(Grain, T) -> U) -> ByGrain<U> {
        let all = self.deepest.all().zip(self.all).map(|(grain, one)| to(grain, one)).collect();
        ByGrain { deepest: self.deepest, all }
    }

    /// The same where something may go wrong.
    pub(crate) fn try_map<U, E>(self, mut to: impl FnMut(Grain, T) -> Result<U, E>) -> Result<ByGrain<U>, E> {
        let all = self.deepest.all().zip(self.all).map(|(grain, one)| to(grain, one));
        Ok(ByGrain { deepest: self.deepest, all: all.collect::<Result<_, E>>()? })
    }

    fn place(&self, grain: Grain) -> usize {
        debug_assert!(grain.row <= self.deepest.row && grain.column <= self.deepest.column);
        grain.row * (self.deepest.column + 1) + grain.column
    }
}

impl<T> Index<Grain> for ByGrain<T> {
    type Output = T;

    fn index(&self, grain: Grain) -> &T {
        &self.all[self.place(grain)]
    }
}

impl<T> IndexMut<Grain> for ByGrain<T> {
    fn index_mut(&mut self, grain: Grain) -> &mut T {
        let place = self.place(grain);
        &mut self.all[place]
    }
}
