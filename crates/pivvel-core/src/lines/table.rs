//! Lines that a database has: what a source tells of their table, so that statements over it can be
//! made.

use std::fmt::Debug;

use crate::model::DatePart;

/// The SQL that a source understands, as far as engines differ.
pub trait Dialect: Debug + Sync {
    /// Whether it has exact decimals. Where not, whole numbers stand for the digits of decimals, sums may outgrow
    /// 64 bits, and there are no exact sums of squares.
    fn has_decimals(&self) -> bool;

    /// Whether a column of yes and no is a condition.
    fn has_conditions(&self) -> bool;

    /// The place of a bound value, counted from 1.
    fn bound(&self, place: usize) -> String;

    /// A bound value as a text.
    fn bound_text(&self, bound: &str) -> String;

    /// A bound value as a number, or as a day.
    fn bound_number(&self, bound: &str, is_day: bool) -> String;

    /// What stands behind both sides of a comparison of texts that goes by their bytes.
    fn by_bytes(&self) -> &'static str;

    /// What a column of texts is grouped by, where that is the column itself, so that a table that is divided by it
    /// is grouped where its parts are.
    fn text_key(&self, column: &str) -> Option<String>;

    /// A column as a text, empty for a blank and never NULL.
    fn text(&self, column: &str) -> Guarded;

    /// A column as a number of so many digits after the point; `None` where these are too many.
    fn number(&self, column: &SqlColumn, scale: u8) -> Option<Guarded>;

    /// A part of a column of dates, numbered as it is here.
    fn part(&self, column: &str, part: DatePart) -> Guarded;

    /// A condition that no line may meet for a computed number to be what it would be here.
    fn computed_guard(&self, sql: &str) -> Option<String>;

    /// A whole statement that gives so many columns, in the form in which they are read.
    fn answer(&self, statement: String, columns: usize) -> String;
}

/// What a statement reads, and conditions that no line may meet, so that the result is what it would be here.
///
/// ```
/// # use pivvel_core as pivvel;
/// use pivvel::source::Guarded;
///
/// let whole = Guarded::new("pieces", vec!["typeof(pieces) NOT IN ('integer', 'null')".into()]);
/// assert_eq!(whole.guards().len(), 1);
/// ```
#[derive(Debug, Clone)]
#[non_exhaustive]
pub struct Guarded {
    pub(crate) sql: String,
    pub(crate) guards: Vec<String>,
}

crate::getters! {
    Guarded {
        /// What is read.
        sql: &str,
        /// The conditions.
        guards: &[String],
    }
}

impl Guarded {
    /// What is read, under these conditions.
    pub fn new(sql: impl Into<String>, guards: Vec<String>) -> Guarded {
        Guarded { sql: sql.into(), guards }
    }
}

/// A table that a source can let its database group.
#[derive(Debug, Clone)]
#[non_exhaustive]
pub struct SqlTable {
    pub(crate) dialect: &'static dyn Dialect,
    pub(crate) from: String,
    pub(crate) columns: Vec<SqlColumn>,
}

crate::getters! {
    SqlTable {
        /// The table as a statement names it, in quotes.
        from: &str,
        /// The columns in the order of the source's schema.
        columns: &[SqlColumn],
    }
}

/// A column of such a table.
///
/// ```
/// # use pivvel_core as pivvel;
/// use pivvel::source::SqlColumn;
///
/// let amount = SqlColumn::new("amount", "\"amount\"").with_fixed_scale(false);
/// assert!(amount.kept_as_is() && !amount.scale_is_fixed());
/// ```
#[derive(Debug, Clone)]
#[non_exhaustive]
pub struct SqlColumn {
    pub(crate) name: String,
    pub(crate) sql: String,
    pub(crate) guard: Option<String>,
    pub(crate) kept_as_is: bool,
    pub(crate) scale_is_fixed: bool,
}

crate::getters! {
    SqlColumn {
        /// What it is called.
        name: &str,
        /// What a statement reads for it: the quoted name, as a rule.
        sql: &str,
        /// A condition that no line may meet if a statement is to use the column: that it holds what is no number.
        /// The lines are read here where one does.
        guard: Option<&str>,
        /// Whether the database holds what the source says that the column holds. Another kind was
        /// given where not.
        kept_as_is: bool,
        /// Whether its numbers have no more digits after the point than the source says.
        scale_is_fixed: bool,
    }
}

impl SqlTable {
    /// The SQL that is understood.
    pub fn dialect(&self) -> &'static dyn Dialect {
        self.dialect
    }

    /// A table by its quoted name, with its columns in the order of the source's schema.
    pub fn new(dialect: &'static dyn Dialect, from: impl Into<String>, columns: Vec<SqlColumn>) -> SqlTable {
        SqlTable { dialect, from: from.into(), columns }
    }
}

impl SqlColumn {
    /// A column that holds what the source says, with no more digits than the source says.
    pub fn new(name: impl Into<String>, sql: impl Into<String>) -> SqlColumn {
        let (name, sql) = (name.into(), sql.into());
        SqlColumn { name, sql, guard: None, kept_as_is: true, scale_is_fixed: true }
    }
}

crate::setters! { SqlColumn {
    /// With a condition that no line may meet if a statement is to use the column.
    value guard as with_guard: Option<String>,
    /// Whether the database holds what the source says that the column holds.
    value kept_as_is as with_kept_as_is: bool,
    /// Whether its numbers have no more digits after the point than the source says.
    value scale_is_fixed as with_fixed_scale: bool,
} }

/// A statement with the values to bind, in the order of their places.
///
/// ```
/// # use pivvel_core as pivvel;
/// use pivvel::source::Statement;
///
/// let statement = Statement::new("SELECT count(*) FROM lines WHERE coast = $1", vec!["Fell".into()]);
/// assert_eq!(statement.values(), ["Fell"]);
/// ```
#[derive(Debug, Clone, PartialEq, Eq)]
#[non_exhaustive]
pub struct Statement {
    pub(crate) sql: String,
    pub(crate) values: Vec<String>,
}

crate::getters! {
    Statement {
        /// The text.
        sql: &str,
        /// The values, as text.
        values: &[String],
    }
}

impl Statement {
    /// A statement with the values that it binds.
    pub fn new(sql: impl Into<String>, values: Vec<String>) -> Statement {
        Statement { sql: sql.into(), values }
    }
}
