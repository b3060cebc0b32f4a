//! A table as Parquet.

use super::{Entry, Writing};

#[cfg(feature = "parquet")]
mod column;
#[cfg(feature = "parquet")]
mod constant;
#[cfg(feature = "parquet")]
mod sink;

pub(super) static ENTRY: Entry = Entry {
    what: "Parquet",
    endings: &["parquet"],
    is_text: false,
    feature: Some("parquet"),
    #[cfg(feature = "parquet")]
    writing: Some(Writing::Sink {
        make: |schema, out, options| Ok(Box::new(sink::ParquetSink::new(schema, out, options)?)),
        dictionaries: true,
    }),
    #[cfg(not(feature = "parquet"))]
    writing: None,
};
