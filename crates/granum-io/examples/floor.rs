//! The floor that whole runs are measured against: one thread and the `csv` crate parse some files
//! and write as many records as another file has, from memory. Nothing is done with any of it.
//!
//! `floor PARSE… --like FILE --to FILE` prints the seconds of parsing and of writing.

use std::error::Error;
use std::fs::File;
use std::time::Instant;

use csv::{ByteRecord, ReaderBuilder, Writer};

/// Records that are kept to be written over and over.
const KEPT: usize = 200_000;

fn main() -> Result<(), Box<dyn Error>> {
    let args: Vec<String> = std::env::args().skip(1).collect();
    let like = args.iter().position(|arg| arg == "--like").ok_or("--like FILE")?;
    let (inputs, rest) = args.split_at(like);
    let (like, to) = (&rest[1], &rest[3]);

    let begun = Instant::now();
    let mut fields = 0;
    for input in inputs {
        let mut reader = ReaderBuilder::new().has_headers(false).flexible(true).from_path(input)?;
        let mut record = ByteRecord::new();
        while reader.read_byte_record(&mut record)? {
            fields += record.len();
        }
    }
    let parsing = begun.elapsed().as_secs_f64();

    let mut kept: Vec<ByteRecord> = vec![];
    let mut records: usize = 0;
    let mut reader = ReaderBuilder::new().has_headers(false).from_path(like)?;
    let mut record = ByteRecord::new();
    while reader.read_byte_record(&mut record)? {
        if kept.len() < KEPT {
            kept.push(record.clone());
        }
        records += 1;
    }
    let begun = Instant::now();
    let mut writer = Writer::from_writer(File::create(to)?);
    for record in kept.iter().cycle().take(records) {
        writer.write_byte_record(record)?;
    }
    writer.flush()?;
    let writing = begun.elapsed().as_secs_f64();
    println!("{parsing:.3} {writing:.3} {fields} {records}");
    Ok(())
}
