//! Any text is read or refused as a brief; what is read survives writing, and becomes a plan or an
//! error without a panic.
#![no_main]

use std::sync::LazyLock;

use arrow_schema::{DataType, Field, Schema};
use libfuzzer_sys::fuzz_target;
use pivvel::plan::Plan;
use pivvel::brief;

static SCHEMA: LazyLock<Schema> = LazyLock::new(|| {
    let text = |name: &str| Field::new(name, DataType::Utf8View, true);
    Schema::new(vec![
        Field::new("amount", DataType::Decimal64(18, 2), true),
        Field::new("sold_on", DataType::Date32, true),
        text("coast"),
        text("harbour"),
        text("scenario"),
        text("yard"),
    ])
});

fuzz_target!(|text: &str| {
    let Ok(brief) = brief::from_toml("brief.toml", text) else { return };
    let written = brief::to_toml(&brief);
    assert_eq!(brief::from_toml("again.toml", &written).expect(&written), brief, "{written}");
    let _ = Plan::new(&brief, &SCHEMA);
});
