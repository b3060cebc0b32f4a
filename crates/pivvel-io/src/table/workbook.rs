//! A table as a workbook in the ISO form of Office Open XML, on one sheet.

use super::{Entry, Writing};

pub(super) static ENTRY: Entry = Entry {
    what: "workbooks",
    endings: &["xlsx"],
    is_text: false,
    feature: Some("workbook"),
    #[cfg(feature = "workbook")]
    writing: Some(Writing::Sink {
        make: |schema, out, _| Ok(Box::new(super::sheet::SheetSink::new(schema, out)?)),
        dictionaries: false,
    }),
    #[cfg(not(feature = "workbook"))]
    writing: None,
};
