//! A plan as statements, for whoever lets databases group the lines.

use super::model::Plan;
use crate::lines::{SqlTable, Statement};
use crate::pushdown::push;

impl Plan {
    /// The statements by which a database groups the lines of this plan: that which counts them, and one
    /// for each set of groups.
    ///
    /// # Errors
    /// Why it cannot, so that the lines are read.
    pub fn statements(&self, table: &SqlTable) -> Result<Vec<Statement>, String> {
        let pushed = push(&self.grouping, &self.needed, table)?;
        Ok(std::iter::once(pushed.counts).chain(pushed.groups).collect())
    }
}
