//! Rows and columns as they are shown, and what they stand for.

use std::fmt;
use std::hash::Hash;
use std::marker::PhantomData;

use crate::brief::words::words;

/// Which axis something is of: [`Rows`] or [`Columns`]. No other type has it.
pub trait OfAxis: Copy + Eq + Hash + fmt::Debug + Send + Sync + sealed::Sealed + 'static {}

mod sealed {
    pub trait Sealed {}
}

/// Of the rows.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Rows {}

/// Of the columns.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Columns {}

/// Of the one or the other, while an axis is made ready.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub(crate) enum Either {}

macro_rules! sides {
    ($($side:ident),*) => {$(
        impl sealed::Sealed for $side {}
        impl OfAxis for $side {}
    )*};
}
sides!(Rows, Columns, Either);

/// A row or a column as it is shown: the total, a subtotal or a member of the deepest level. Rows and columns are of
/// different types, so that none stands where the other is asked for.
///
/// ```
/// # use pivvel_core as pivvel;
/// # mod demo { include!(concat!(env!("CARGO_MANIFEST_DIR"), "/doc/demo.rs")); }
/// # use demo::*;
/// use pivvel::result::{ColumnEntry, RowEntry};
///
/// let crosstab = crosstab();
/// let rows = crosstab.rows();
/// let quay: RowEntry = rows.find(&["Fell", "Quay"]).unwrap();
/// assert_eq!((quay.level(), rows.kind(quay).name(), rows.parent(quay)), (2, "member", rows.find(&["Fell"])));
/// assert!(crosstab.cell(quay, ColumnEntry::TOTAL).is_some());
/// ```
///
/// A row is no column:
///
/// ```compile_fail,E0308
/// # use pivvel_core as pivvel;
/// # mod demo { include!(concat!(env!("CARGO_MANIFEST_DIR"), "/doc/demo.rs")); }
/// # use demo::*;
/// # use pivvel::result::{ColumnEntry, RowEntry};
/// # let crosstab = crosstab();
/// # let quay: RowEntry = crosstab.rows().find(&["Fell", "Quay"]).unwrap();
/// crosstab.cell(ColumnEntry::TOTAL, quay);
/// ```
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct Entry<S> {
    level: u16,
    pub(crate) node: u32,
    of: PhantomData<S>,
}

/// A row: see [`Entry`].
pub type RowEntry = Entry<Rows>;

/// A column: see [`Entry`].
pub type ColumnEntry = Entry<Columns>;

impl<S> Entry<S> {
    /// The total of an axis.
    pub const TOTAL: Entry<S> = Entry { level: 0, node: 0, of: PhantomData };

    /// The entry of a node; all of level 0 are the total.
    pub(crate) fn at(level: usize, node: u32) -> Entry<S> {
        Entry { level: level as u16, node, of: PhantomData }
    }

    /// The same place on an axis whose type says something else of it.
    pub(crate) fn on<T>(self) -> Entry<T> {
        Entry { level: self.level, node: self.node, of: PhantomData }
    }

    /// Its level: 0 for the total of the axis, then one for each dimension.
    pub fn level(self) -> usize {
        self.level.into()
    }

    /// Whether this is the total of the axis.
    pub fn is_total(self) -> bool {
        self.level == 0
    }
}

words! {
    /// What a row or a column stands for.
    ///
    /// ```
    /// # use pivvel_core as pivvel;
    /// use pivvel::result::EntryKind;
    /// assert_eq!("calculated".parse::<EntryKind>()?, EntryKind::Calculated);
    /// # Ok::<(), pivvel::Error>(())
    /// ```
    #[non_exhaustive]
    pub enum EntryKind is "kind of a row or column" {
        /// The total of its axis.
        Total = "total",
        /// A member of its dimension, as the lines have it.
        Member = "member",
        /// A calculated member, or a member under one.
        Calculated = "calculated",
        /// Members that were gathered in one, or a member under these.
        Others = "others",
    }
}
