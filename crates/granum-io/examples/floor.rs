//! The floor that whole runs are measured against: one thread and the `csv` crate parse some files
//! and write as many records as other files have, from memory. Nothing is done with any of it.
//!
//! `floor PARSE… --like FILE… --to FILE` prints the seconds of parsing and of writing.

use std::error::Error;
use std::fs::File;
use std::time::Instant;

use csv::{ByteRecord, ReaderBuilder, Writer};

/// Records that are kept to be written over and over.
const KEPT: usize = 200_000;

fn main() -> Result<(), Box<dyn Error>> {
    let args: Vec<String> = std::env::args().skip(1).collect();
    let like = args.iter().position(|arg| arg == "--like").ok_or("--like FILE")?;
    let to = args.iter().position(|arg| arg == "--to").ok_or("--to FILE")?;
    let (inputs, likes) = (&args[..like], &args[like + 1..to]);
    let to = args.get(to + 1).ok_or("--to FILE")?;

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

    let (mut writing, mut records) = (0.0, 0);
    for like in likes {
        let (seconds, written) = write_like(like, to)?;
        writing += seconds;
        records += written;
    }
    println!("{parsing:.3} {writing:.3} {fields} {records}");
    Ok(())
}

/// Writes as many records as a file has, its first over and over; the seconds, and how many.
fn write_like(like: &str, to: &str) -> Result<(f64, usize), Box<dyn Error>> {
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
    Ok((begun.elapsed().as_secs_f64(), records))
}
