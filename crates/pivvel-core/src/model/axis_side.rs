//! The two axes of a cross-tab.

/// One of the two axes of a cross-tab.
///
/// ```
/// # use pivvel_core as pivvel;
/// use pivvel::result::AxisSide;
/// assert_eq!(AxisSide::BOTH.map(|side| side.pick("down", "across")), ["down", "across"]);
/// ```
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum AxisSide {
    /// The rows.
    Rows,
    /// The columns.
    Columns,
}

impl AxisSide {
    /// Both, the rows first.
    pub const BOTH: [AxisSide; 2] = [AxisSide::Rows, AxisSide::Columns];

    /// The one of two that belongs to this axis.
    pub fn pick<T>(self, rows: T, columns: T) -> T {
        match self {
            AxisSide::Rows => rows,
            AxisSide::Columns => columns,
        }
    }

    /// The other axis.
    pub(crate) fn other(self) -> AxisSide {
        self.pick(AxisSide::Columns, AxisSide::Rows)
    }

    /// A pair of what belongs to this axis and what to the other one, the rows' first.
    pub(crate) fn pair<T>(self, own: T, other: T) -> (T, T) {
        match self {
            AxisSide::Rows => (own, other),
            AxisSide::Columns => (other, own),
        }
    }
}

crate::named! { AxisSide is "axis" { Rows = "rows", Columns = "columns", } }
