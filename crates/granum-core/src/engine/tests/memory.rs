//! Inputs and outputs in memory: cells between commas, no quotes.

use std::collections::HashMap;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex};

use crate::engine::*;
use crate::lang::parse;
use crate::port::{
    Encoded, Encoder, InputShape, InputSource, InputSpec, Output, OutputError, Outputs, Part,
    PartReader, RawPart, ReadRequest, Silent, SourceError, Sources, Style, publish_each,
};
use crate::table::{Column, Lines, Origin, Room, Scratch, ScratchError, ScratchFile};
use crate::tally::Chart;
use crate::tally::Report;
use crate::value::{Found, Scalar, Scale, Type};

/// Texts by their names; parts of `part` rows.
pub struct Memory {
    pub files: HashMap<String, String>,
    pub part: usize,
}

struct Text {
    header: Vec<String>,
    rows: Vec<Vec<String>>,
    rules: Vec<Option<Type>>,
    part: usize,
}

impl Sources for Memory {
    fn open(&self, spec: &InputSpec) -> Result<Box<dyn InputSource>, SourceError> {
        let text = spec.rows.clone().unwrap_or_else(|| self.files[&spec.sources[0]].clone());
        self.rows(spec, &text, "")
    }

    fn at_rest(&self, spec: &InputSpec) -> bool {
        spec.rows.is_some() || self.files.contains_key(&spec.sources[0])
    }

    fn rows(
        &self,
        spec: &InputSpec,
        text: &str,
        _: &str,
    ) -> Result<Box<dyn InputSource>, SourceError> {
        let cells = |line: &str| line.split(',').map(|cell| cell.replace('"', "")).collect();
        let mut lines = text.lines().map(cells);
        let header: Vec<String> = lines.next().unwrap();
        let rule = |name: &String| {
            spec.reads.iter().find(|(read, _)| read == name).map(|(_, rule)| rule.ty)
        };
        let rules = header.iter().map(rule).collect();
        Ok(Box::new(Text { header, rows: lines.collect(), rules, part: self.part }))
    }
}

impl InputSource for Text {
    fn shape(&self) -> InputShape {
        let types = (0..self.header.len()).map(|at| {
            self.rules[at].unwrap_or_else(|| {
                let mut found = Found::default();
                let cells = self.rows.iter().map(|row| &row[at]);
                cells.filter(|cell| !cell.is_empty()).for_each(|cell| found.cell(cell.as_bytes()));
                found.ty()
            })
        });
        InputShape {
            columns: self.header.iter().cloned().zip(types).collect(),
            ..InputShape::default()
        }
    }
    fn settled(&self) -> bool {
        true
    }
    fn settle(&mut self) -> Result<(), SourceError> {
        Ok(())
    }
    fn bytes(&self) -> u64 {
        0
    }
    fn read(&self, request: ReadRequest) -> Result<Box<dyn PartReader>, SourceError> {
        let parts = self.rows.chunks(self.part).enumerate().map(|(at, rows)| {
            let first = (at * self.part + 2) as u64;
            Piece { rows: rows.to_vec(), first, request: request.clone() }
        });
        Ok(Box::new(Pieces(parts.collect())))
    }
}

struct Pieces(Vec<Piece>);

impl PartReader for Pieces {
    fn next(&mut self, count: usize) -> Result<Vec<Box<dyn RawPart>>, SourceError> {
        let count = count.min(self.0.len());
        Ok(self.0.drain(..count).map(|piece| Box::new(piece) as Box<dyn RawPart>).collect())
    }
}

struct Piece {
    rows: Vec<Vec<String>>,
    first: u64,
    request: ReadRequest,
}

impl RawPart for Piece {
    fn bytes(&self) -> u64 {
        0
    }
    fn parse(&self) -> Result<Part, SourceError> {
        let columns = self.request.columns.iter().map(|column| {
            let parts: Vec<Column> = self
                .rows
                .iter()
                .map(|row| {
                    let value = Scalar::parse(&row[column.column], column.ty);
                    Column::constant(&value.unwrap_or(Scalar::Blank), column.ty, 1)
                })
                .collect();
            Column::concat(&parts)
        });
        let prints = self.request.fingerprints.iter().map(|columns| {
            let print = |row: &Vec<String>| {
                let text: Vec<&str> = columns.iter().map(|at| row[*at].as_str()).collect();
                // A fingerprint for tests: the text itself, which is short.
                text.join(",")
                    .bytes()
                    .fold(1_i128, |sum, byte| sum.wrapping_mul(257).wrapping_add(i128::from(byte)))
            };
            Column::decimal(self.rows.iter().map(print).collect(), None, Scale(0))
        });
        Ok(Part {
            rows: self.rows.len(),
            columns: columns.collect(),
            fingerprints: prints.collect(),
            aside: None,
            origin: Origin::lines("memory".into()),
            lines: Lines::From(self.first),
            troubles: vec![],
            odd_hours: vec![],
            contradicts: false,
        })
    }
}

/// Outputs that are kept; the one of name `fails` cannot be put in its place.
#[derive(Default)]
pub struct Kept {
    pub files: Arc<Mutex<HashMap<String, String>>>,
    pub fails: Option<&'static str>,
    pub withdrawn: Arc<AtomicBool>,
}

struct KeptFile {
    name: String,
    text: Vec<u8>,
    fails: bool,
    files: Arc<Mutex<HashMap<String, String>>>,
    withdrawn: Arc<AtomicBool>,
}

struct Plain;

impl Encoder for Plain {
    fn encode(&self, columns: &[Column], rows: usize) -> Encoded {
        let mut out = vec![];
        for row in 0..rows {
            for (at, column) in columns.iter().enumerate() {
                if at > 0 {
                    out.push(b',');
                }
                column.write_value(row, &mut out);
            }
            out.push(b'\n');
        }
        Encoded::Bytes(out)
    }
}

impl Outputs for Kept {
    fn begin(
        &self,
        path: &str,
        _: &[(String, Type)],
        _: &Style,
    ) -> Result<Box<dyn Output>, OutputError> {
        Ok(Box::new(KeptFile {
            name: path.to_owned(),
            text: vec![],
            fails: self.fails == Some(path),
            files: self.files.clone(),
            withdrawn: self.withdrawn.clone(),
        }))
    }
    /// A chart as its values.
    fn draw(&self, path: &str, chart: &Chart) -> Result<Box<dyn Output>, OutputError> {
        let mut output = self.begin(path, &[], &Style::default())?;
        let mut text = String::new();
        for panel in &chart.panels {
            for place in 0..chart.places {
                let values = panel.values.iter().map(|values| values[place]);
                let values: Vec<String> = values
                    .map(|value| value.map_or("-".into(), |value| value.to_string()))
                    .collect();
                let name = panel.name.as_ref().map_or(String::new(), |name| format!("{name} "));
                text += &format!("{name}{}: {}\n", chart.along.name(place), values.join(" "));
            }
        }
        text += &format!("{:?} {}\n", chart.share, chart.left_out);
        output.take(Encoded::Bytes(text.into_bytes()))?;
        Ok(output)
    }
    fn publish(&self, mut outputs: Vec<Box<dyn Output>>) -> Result<(), OutputError> {
        publish_each(&mut outputs)
    }
}

impl Output for KeptFile {
    fn encoder(&self) -> Arc<dyn Encoder> {
        Arc::new(Plain)
    }
    fn take(&mut self, rows: Encoded) -> Result<(), OutputError> {
        let Encoded::Bytes(bytes) = rows else { panic!("rows that nothing encoded") };
        self.text.extend_from_slice(&bytes);
        Ok(())
    }
    fn complete(&mut self) -> Result<u64, OutputError> {
        Ok(self.text.len() as u64)
    }
    fn publish(&mut self) -> Result<(), OutputError> {
        if self.fails {
            let path = self.name.clone();
            return Err(OutputError { path, message: "is full".into(), help: String::new() });
        }
        let text = String::from_utf8(self.text.clone()).unwrap();
        self.files.lock().unwrap().insert(self.name.clone(), text);
        Ok(())
    }
    fn withdraw(&mut self) {
        self.files.lock().unwrap().remove(&self.name);
        self.withdrawn.store(true, Ordering::Relaxed);
    }
    fn settle(&mut self) {}
}

/// Files in memory, of which all together have so many bytes at most.
pub struct Shelf {
    left: Arc<Mutex<usize>>,
    /// How often bytes can be got.
    gets: Arc<Mutex<usize>>,
}

impl Shelf {
    /// Room for so many bytes in memory, and so many on files.
    pub fn room(limit: u64, bytes: usize) -> Room {
        Self::failing(limit, bytes, &Arc::new(Mutex::new(usize::MAX)))
    }

    /// The same where bytes can be got so often, and then no more.
    pub fn failing(limit: u64, bytes: usize, gets: &Arc<Mutex<usize>>) -> Room {
        let left = Arc::new(Mutex::new(bytes));
        Room::new(limit, Box::new(Self { left, gets: gets.clone() }))
    }
}

impl Scratch for Shelf {
    fn begin(&self) -> Result<Box<dyn ScratchFile>, ScratchError> {
        let (left, gets) = (self.left.clone(), self.gets.clone());
        Ok(Box::new(Shelved { bytes: Mutex::default(), left, gets }))
    }
}

struct Shelved {
    bytes: Mutex<Vec<u8>>,
    left: Arc<Mutex<usize>>,
    gets: Arc<Mutex<usize>>,
}

/// What is said of a shelf.
fn of_shelf(message: &str) -> ScratchError {
    ScratchError { folder: "the shelf".into(), message: message.into(), help: String::new() }
}

impl ScratchFile for Shelved {
    fn put(&self, bytes: &[u8]) -> Result<u64, ScratchError> {
        let mut left = self.left.lock().unwrap();
        *left = left.checked_sub(bytes.len()).ok_or_else(|| of_shelf("is full"))?;
        let mut all = self.bytes.lock().unwrap();
        all.extend_from_slice(bytes);
        Ok((all.len() - bytes.len()) as u64)
    }

    fn get(&self, from: u64, into: &mut [u8]) -> Result<(), ScratchError> {
        let mut gets = self.gets.lock().unwrap();
        *gets = gets.checked_sub(1).ok_or_else(|| of_shelf("is broken"))?;
        let from = from as usize;
        into.copy_from_slice(&self.bytes.lock().unwrap()[from..from + into.len()]);
        Ok(())
    }
}

/// Runs a plan over texts, with all the room that it needs and with none for what it holds; gives the report and what
/// was written.
pub fn run_texts(
    files: &[(&str, String)],
    plan: &str,
    part: usize,
) -> (Report, HashMap<String, String>) {
    let ran = run_texts_as(files, plan, part, Running::default());
    let room = Shelf::room(0, usize::MAX);
    let away = run_texts_as(files, plan, part, Running { room: Some(&room), ..Running::default() });
    assert_eq!(ran.1, away.1, "what is put away changes the bytes\n{plan}");
    let told = |report: &Report| format!("{report:#?}");
    assert_eq!(told(&ran.0), told(&away.0), "what is put away is missed\n{plan}");
    ran
}

/// The same, as is said.
pub fn run_texts_as(
    files: &[(&str, String)],
    plan: &str,
    part: usize,
    running: Running<'_>,
) -> (Report, HashMap<String, String>) {
    let (report, written) = try_texts(files, plan, part, running);
    (report.unwrap_or_else(|error| panic!("{error:#?}")), written)
}

/// The same where it may not come to its end.
pub fn try_texts(
    files: &[(&str, String)],
    plan: &str,
    part: usize,
    running: Running<'_>,
) -> (Result<Report, RunError>, HashMap<String, String>) {
    let files = files.iter().map(|(name, text)| ((*name).to_owned(), text.clone())).collect();
    let memory = Memory { files, part };
    let kept = Kept::default();
    let parsed = parse(plan);
    assert!(parsed.diagnostics.is_empty(), "{:#?}", parsed.diagnostics);
    let report = run_as(&parsed.tree, &[], &memory, Want::Outputs(&kept), &Silent, running);
    let written = kept.files.lock().unwrap().clone();
    (report, written)
}
