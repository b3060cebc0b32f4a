//! What rows and columns stand for.

use crate::brief::words::words;

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
