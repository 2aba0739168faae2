//! A star of Arrow record batches: nothing is read from disk.
//!
//! `cargo run --release --example tables_from_memory`
#![allow(clippy::print_stdout)] // Examples print.

use arrow_array::{Date32Array, Decimal128Array, Int64Array, RecordBatch, StringArray};
use arrow_schema::{DataType, Field, Schema};
use std::sync::Arc;
use vembra::{Layout, Session};

const MODEL: &str = "
calendar from '2025-01-01' to '2025-12-31'
dimension shelf from 'shelf' key id
fact loan from 'loan'
link loan.shelf to shelf
link loan.lent_on to calendar as lent default
link loan.back_on to calendar as back
measure fees = sum(fee)
";

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let session = Session::builder()
        .model_text("loans.vembra", MODEL)
        .record_batches("shelf", vec![shelves()?])
        .record_batches("loan", vec![loans()?])
        .open()?;
    let reply =
        session.ask("rows calendar.month columns shelf.name show fees, (fees via back) as fees_back")?;
    println!("{}", reply.text(Layout::Grid));
    println!("{:?}", reply.record_batch()?.schema().fields().iter().map(|f| f.name()).collect::<Vec<_>>());
    Ok(())
}

fn shelves() -> Result<RecordBatch, arrow_schema::ArrowError> {
    let schema =
        Schema::new(vec![Field::new("id", DataType::Int64, false), Field::new("name", DataType::Utf8, true)]);
    let names = StringArray::from(vec![Some("Maps"), Some("Plays")]);
    RecordBatch::try_new(Arc::new(schema), vec![Arc::new(Int64Array::from(vec![1, 2])), Arc::new(names)])
}

fn loans() -> Result<RecordBatch, arrow_schema::ArrowError> {
    // Days since 1970: 2025-01-30 and on.
    let lent = Date32Array::from(vec![20_118, 20_119, 20_148]);
    let back = Date32Array::from(vec![Some(20_120), None, Some(20_150)]);
    let fees = Decimal128Array::from(vec![150, 275, 90]).with_precision_and_scale(9, 2)?;
    let schema = Schema::new(vec![
        Field::new("shelf", DataType::Int64, true),
        Field::new("lent_on", DataType::Date32, true),
        Field::new("back_on", DataType::Date32, true),
        Field::new("fee", DataType::Decimal128(9, 2), true),
    ]);
    let shelf = Int64Array::from(vec![Some(1), Some(2), Some(2)]);
    RecordBatch::try_new(
        Arc::new(schema),
        vec![Arc::new(shelf), Arc::new(lent), Arc::new(back), Arc::new(fees)],
    )
}
