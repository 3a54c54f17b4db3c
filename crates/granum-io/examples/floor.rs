//! The floor that whole runs are measured against: one thread and the `csv` crate parse some files
//! and write as many records as other files have, from memory. Nothing is done with any of it.
//!
//! `floor PARSE… [--like FILE… --to FILE]` prints the seconds of parsing and of writing, the CPU seconds of both, and how
//! many records were written.

use std::error::Error;
use std::fs::File;
use std::time::Instant;

use csv::{ByteRecord, ReaderBuilder, Writer};

/// Records that are kept to be written over and over.
const KEPT: usize = 200_000;

fn main() -> Result<(), Box<dyn Error>> {
    let args: Vec<String> = std::env::args().skip(1).collect();
    let like = args.iter().position(|arg| arg == "--like").unwrap_or(args.len());
    let parsed = parse(&args[..like])?;

    let (mut written, mut records) = (Took::default(), 0);
    if like < args.len() {
        let to = args.iter().position(|arg| arg == "--to").ok_or("--to FILE")?;
        let out = args.get(to + 1).ok_or("--to FILE")?;
        for like in &args[like + 1..to] {
            let (took, count) = write_like(like, out)?;
            written.seconds += took.seconds;
            written.cpu += took.cpu;
            records += count;
        }
    }
    let cpu = parsed.cpu + written.cpu;
    println!("{:.3} {:.3} {cpu:.3} {records}", parsed.seconds, written.seconds);
    Ok(())
}

/// What something took: seconds, and those of the CPU.
#[derive(Debug, Default, Clone, Copy)]
struct Took {
    seconds: f64,
    cpu: f64,
}

/// When something began.
struct Begun(Instant, f64);

impl Begun {
    fn now() -> Result<Self, Box<dyn Error>> {
        Ok(Self(Instant::now(), cpu()?))
    }

    fn took(&self) -> Result<Took, Box<dyn Error>> {
        Ok(Took { seconds: self.0.elapsed().as_secs_f64(), cpu: cpu()? - self.1 })
    }
}

/// The CPU seconds of this thread so far, as Linux tells them.
fn cpu() -> Result<f64, Box<dyn Error>> {
    let told = std::fs::read_to_string("/proc/thread-self/schedstat")?;
    let nanoseconds: f64 = told.split_whitespace().next().ok_or("no time")?.parse()?;
    Ok(nanoseconds / 1e9)
}

/// Parses files; nothing is done with what they have.
fn parse(files: &[String]) -> Result<Took, Box<dyn Error>> {
    let begun = Begun::now()?;
    let mut fields = 0;
    for file in files {
        let mut reader = ReaderBuilder::new().has_headers(false).flexible(true).from_path(file)?;
        let mut record = ByteRecord::new();
        while reader.read_byte_record(&mut record)? {
            fields += record.len();
        }
    }
    std::hint::black_box(fields);
    begun.took()
}

/// Writes as many records as a file has, its first over and over; what that took, and how many.
fn write_like(like: &str, to: &str) -> Result<(Took, usize), Box<dyn Error>> {
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
    let begun = Begun::now()?;
    let mut writer = Writer::from_writer(File::create(to)?);
    for record in kept.iter().cycle().take(records) {
        writer.write_byte_record(record)?;
    }
    writer.flush()?;
    Ok((begun.took()?, records))
}
