//! A source of one's own: whatever yields record batches, here one that makes them up as it is asked.

use std::sync::Arc;

use pivvel::arrow::RecordBatch;
use pivvel::arrow::array::{ArrayRef, Decimal128Array, StringArray};
use pivvel::source::Batches;
use pivvel::{Brief, CrossTab, ErrorKind};

/// The sales of one day, as another system answers; it may fail.
fn ask(day: usize) -> Result<RecordBatch, Box<dyn std::error::Error + Send + Sync>> {
    let yard: ArrayRef = Arc::new(StringArray::from(vec!["Slip Nine", "Long Reach"]));
    let amounts = Decimal128Array::from(vec![10_000 + day as i128, 2_550]).with_precision_and_scale(12, 2)?;
    Ok(RecordBatch::try_from_iter([("yard", yard), ("amount", Arc::new(amounts) as ArrayRef)])?)
}

fn main() -> Result<(), Box<dyn std::error::Error + Send + Sync>> {
    let schema = ask(0)?.schema();
    let mut days = Batches::new(schema.clone(), (0..90).map(ask)).named("the other system");
    let brief = Brief::new().rows(["yard"]).measure(("sales", "sum(amount)"));
    let crosstab = CrossTab::build(&brief, &mut days)?;
    for cell in crosstab.level("yard", "total")? {
        println!(
            "{}: {}",
            cell.label("yard")?.unwrap_or_default(),
            cell.get("sales")?.expect("it sold something")
        );
    }

    // What goes wrong there comes through, with its cause.
    let silent = || Err::<RecordBatch, _>(std::io::Error::from(std::io::ErrorKind::TimedOut));
    let mut days =
        Batches::new(schema, [ask(0).map_err(|_| unreachable!()), silent()]).named("the other system");
    match CrossTab::build(&brief, &mut days) {
        Err(error) if *error.kind() == ErrorKind::Io(std::io::ErrorKind::TimedOut) => println!("{error}"),
        other => println!("this is not expected: {other:?}"),
    }
    Ok(())
}
