//! Lines that a database has: what a source tells of their table, so that statements over it can be
//! made.

/// The SQL that a source understands.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Dialect {
    /// PostgreSQL, and engines that speak its protocol. Has exact decimals.
    PostgreSql,
    /// SQLite. Has whole numbers and floating point.
    Sqlite,
}

/// A table that a source can let its database group.
#[derive(Debug, Clone)]
pub struct SqlTable {
    /// The SQL that is understood.
    pub dialect: Dialect,
    /// The table as a statement names it, in quotes.
    pub from: String,
    /// The columns in the order of the source's schema.
    pub columns: Vec<SqlColumn>,
}

/// A column of such a table.
#[derive(Debug, Clone)]
pub struct SqlColumn {
    /// What it is called.
    pub name: String,
    /// What a statement reads for it: the quoted name, as a rule.
    pub sql: String,
    /// A condition that no line may meet if a statement is to use the column: that it holds what is no number.
    /// The lines are read here where one does.
    pub guard: Option<String>,
    /// Whether the database holds what the source says that the column holds. Another kind was
    /// given where not.
    pub kept_as_is: bool,
    /// Whether its numbers have no more digits after the point than the source says.
    pub scale_is_fixed: bool,
}

/// A statement with the values to bind, in the order of their places.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Statement {
    /// The text.
    pub sql: String,
    /// The values, as text.
    pub values: Vec<String>,
}
