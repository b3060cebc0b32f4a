//! Any text is read or refused as a formula; what is read prints as a text that reads the same, and
//! is checked as a measure and as a condition without a panic.
#![no_main]

use std::sync::LazyLock;

use arrow_schema::{DataType, Field, Schema};
use libfuzzer_sys::fuzz_target;
use pivvel::plan::Plan;
use pivvel::{Brief, formula};

static SCHEMA: LazyLock<Schema> = LazyLock::new(|| {
    Schema::new(vec![
        Field::new("a", DataType::Decimal64(18, 2), true),
        Field::new("n", DataType::Int64, true),
        Field::new("f", DataType::Float64, true),
        Field::new("k", DataType::Utf8View, true),
        Field::new("d", DataType::Date32, true),
        Field::new("y", DataType::Boolean, true),
    ])
});

fuzz_target!(|text: &str| {
    let Ok(tree) = formula::parse("m", text) else { return };
    let printed = tree.to_string();
    assert_eq!(formula::parse("m", &printed).expect(&printed), tree, "{printed}");
    let base = Brief::new().rows(["k", "d.month"]).columns(["y"]).measure(("s", "sum(a)"));
    let _ = Plan::new(&base.clone().measure(("m", text)), &SCHEMA);
    let _ = Plan::new(&base.clone().filter(text), &SCHEMA);
    let _ = Plan::new(&base.clone().derive("x", text).item("k", "i", text), &SCHEMA);
});
