//! How long the library needs alone to read all columns of a Parquet file, on one thread.

use std::time::Instant;

use parquet::arrow::arrow_reader::ParquetRecordBatchReaderBuilder;

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let path = std::env::args().nth(1).ok_or("a Parquet file is missing")?;
    let begun = Instant::now();
    let file = std::fs::File::open(path)?;
    let reader =
        ParquetRecordBatchReaderBuilder::try_new(file)?.with_batch_size(1 << 16).build()?;
    let mut rows = 0;
    for batch in reader {
        rows += batch?.num_rows();
    }
    assert!(rows > 0, "no rows");
    println!("{:.2}", begun.elapsed().as_secs_f64());
    Ok(())
}
