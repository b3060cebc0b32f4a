//! Computing on: record batches in, and a record batch out with every cell's place among its peers.

use std::sync::Arc;

use arrow_array::cast::AsArray;
use arrow_array::types::Float64Type;
use arrow_array::{ArrayRef, Decimal128Array, RecordBatch, StringArray};
use pivvel::source::Batches;
use pivvel::{Brief, CrossTab};

fn main() -> Result<(), Box<dyn std::error::Error>> {
    // Any Rust code that yields record batches is a source of lines.
    let yard: ArrayRef =
        Arc::new(StringArray::from(vec!["Slip Nine", "Barrow Keel", "Slip Nine", "Long Reach"]));
    let amount =
        Decimal128Array::from(vec![120_000, 45_050, 30_025, 99_999]).with_precision_and_scale(12, 2)?;
    let batch = RecordBatch::try_from_iter([("yard", yard), ("amount", Arc::new(amount) as ArrayRef)])?;
    let mut lines = Batches::new(batch.schema(), [batch]);

    let brief = Brief::new().rows(["yard"]).measure(("sales", "sum(amount)")).sort("yard", "sales desc");
    let crosstab = CrossTab::build(&brief, &mut lines)?;

    // Walk it …
    for cell in crosstab.cells() {
        let path = crosstab.rows().path(cell.row());
        let yard = path.first().map_or("total", |member| member.label());
        println!(
            "{yard}: {} in {} lines, rank {:?}",
            cell.value(0).expect("every yard sold something"),
            cell.lines(),
            cell.rank(0)
        );
    }

    // … or take it as a table: one row a cell and measure.
    let tidy = crosstab.to_record_batch();
    let column = |name: &str| tidy.column_by_name(name).expect("a column of the tidy result");
    let positions = column("position").as_primitive::<Float64Type>();
    let kinds = column("row_kind").as_string::<i32>();
    println!("{} rows, {} columns", tidy.num_rows(), tidy.num_columns());
    for (kind, position) in kinds.iter().zip(positions) {
        println!("{}: position {position:?}", kind.unwrap_or_default());
    }
    Ok(())
}
