//! Options that several commands have.

use std::path::PathBuf;

use clap::{Args as ClapArgs, ValueEnum};
use granum_core::port::Written;
use granum_core::table::Room;

use super::words::setting;
use crate::memory::{Size, keep_much, keep_some, room, size};

/// How files are written, where that is not to be found out, and how the result is printed.
#[derive(Debug, Clone, ClapArgs)]
pub struct Reading {
    /// The sign between fields, or the word tab; found out if not given
    #[arg(long, value_name = "SIGN", value_parser = delimiter)]
    pub delimiter: Option<u8>,
    /// The encoding, such as windows-1252; found out if not given
    #[arg(long, value_name = "NAME")]
    pub encoding: Option<String>,
    /// The line of the header, in a sheet its row; found out if not given
    #[arg(long, value_name = "LINE", value_parser = clap::value_parser!(u64).range(1..))]
    pub header_at: Option<u64>,
    /// The sheet of a book; all that have cells if not given
    #[arg(long, value_name = "NAME")]
    pub sheet: Option<String>,
    /// The cells of a sheet that are meant, such as B4:H900
    #[arg(long, value_name = "CELLS")]
    pub range: Option<String>,
    /// How the result is printed; JSON has everything that the text shows
    #[arg(long, value_enum, default_value_t = Format::Text)]
    pub format: Format,
}

impl Reading {
    /// What was said of how files are written.
    pub fn written(&self) -> Written {
        Written {
            delimiter: self.delimiter,
            encoding: self.encoding.clone(),
            header_at: self.header_at,
            footer: None,
            sheet: self.sheet.clone(),
            range: self.range.clone(),
            ..Written::default()
        }
    }
}

fn delimiter(text: &str) -> Result<u8, String> {
    match text.as_bytes() {
        b"tab" | b"\\t" => Ok(b'\t'),
        [sign @ (b'"' | b'\r' | b'\n')] => {
            Err(format!("{:?} cannot part fields", char::from(*sign)))
        }
        [sign] if sign.is_ascii() => Ok(*sign),
        _ => Err("one sign, such as ; or the word tab".into()),
    }
}

/// What a run writes beside its outputs, or in their place.
#[derive(Debug, Clone, Default, PartialEq, Eq, ClapArgs)]
pub struct Writing {
    /// Put the rows that steps took out into files of this folder, one a step, or into sheets or tables of this
    /// book or database, also where nothing else is written
    #[arg(long, value_name = "DIR")]
    pub aside: Option<PathBuf>,
    /// Write down the run: plan, parameters, files with their hashes, what was told, and what came of it
    #[arg(long, value_name = "PATH")]
    pub record: Option<PathBuf>,
    /// Tell what changed since a record: inputs, plan, rows, shares and amounts
    #[arg(long, value_name = "RECORD")]
    pub against: Option<PathBuf>,
    /// Write one page that tells all of the run, also where it stops
    #[arg(long, value_name = "PAGE")]
    pub report: Option<PathBuf>,
    /// Compare each output with the file that it replaces, row by row and cell by cell
    #[arg(long)]
    pub changes: bool,
    /// Only write the outputs of this table; all checks run. May be said several times
    #[arg(long, value_name = "TABLE")]
    pub only: Vec<String>,
    /// Where the run stops, write what could be built into this folder, marked as stopped
    #[arg(long, value_name = "DIR")]
    pub anyway_to: Option<PathBuf>,
}

impl Writing {
    /// Whether nothing that is written beside outputs asks for the inputs again.
    pub fn reads_last(&self) -> bool {
        let Self { record, against, report, changes, anyway_to, .. } = self;
        [record, against, report, anyway_to].iter().all(|path| path.is_none()) && !changes
    }
}

/// How much memory tables take, and where they go beyond it.
#[derive(Debug, Clone, Default, ClapArgs)]
pub struct Memory {
    /// How much memory to work with, such as 512MB, 4GiB or 50% of what is free: what has no room goes to a
    /// disk; of values that `survey` and `relate` look at a sample stays, and they say so [default: 75%]
    #[arg(long, value_name = "SIZE", value_parser = size)]
    pub memory: Option<Size>,
    /// The folder for what memory has no room for [default: where the system has room for large temporary files]
    #[arg(long, value_name = "DIR")]
    pub spill: Option<PathBuf>,
}

impl Memory {
    /// The room that tables have.
    pub fn room(&self) -> Room {
        room(self.memory, self.spill.as_deref())
    }

    /// The same for what works a plan of files of so many bytes, and writes nothing.
    pub fn room_to_check(&self, bytes: u64) -> Room {
        let room = self.room();
        keep_some(&room, bytes);
        room
    }

    /// The same for what only looks at files.
    pub fn room_to_look(&self) -> Room {
        let room = self.room();
        keep_much(&room);
        room
    }
}

/// What holds outputs back beside what must hold.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum Deny {
    Warnings,
}

/// How to take a plan, and how to tell what came of it.
#[derive(Debug, Clone, Default, ClapArgs)]
pub struct PlanOptions {
    /// A plan's text in place of a file; its paths begin in the current folder
    #[arg(short = 'e', id = "text", value_name = "PLAN TEXT")]
    pub text: Option<String>,
    /// How the result is printed; JSON has everything that the text shows
    #[arg(long, value_enum, default_value_t = Format::Text)]
    pub format: Format,
    /// Give a parameter another value
    #[arg(long = "set", value_name = "NAME=VALUE", value_parser = setting)]
    pub settings: Vec<(String, String)>,
}

/// The same for `show`, whose rows can be sent on to another program.
#[derive(Debug, Clone, Default, ClapArgs)]
pub struct ShowOptions {
    /// A plan's text in place of a file; its paths begin in the current folder
    #[arg(short = 'e', id = "text", value_name = "PLAN TEXT")]
    pub text: Option<String>,
    /// How the rows are printed; `arrow` sends all of them on, all columns with their types, as a
    /// stream of Arrow
    #[arg(long, value_enum, default_value_t = ShowFormat::Text)]
    pub format: ShowFormat,
    /// Give a parameter another value
    #[arg(long = "set", value_name = "NAME=VALUE", value_parser = setting)]
    pub settings: Vec<(String, String)>,
    #[command(flatten)]
    pub memory: Memory,
}

impl ShowOptions {
    /// How the plan is taken, and all else told that is not rows.
    pub fn of_plan(&self) -> PlanOptions {
        let format = match self.format {
            ShowFormat::Text | ShowFormat::Arrow => Format::Text,
            ShowFormat::Json => Format::Json,
        };
        PlanOptions { text: self.text.clone(), format, settings: self.settings.clone() }
    }
}

#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, ValueEnum)]
pub enum ShowFormat {
    #[default]
    Text,
    Json,
    Arrow,
}

#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, ValueEnum)]
pub enum Format {
    #[default]
    Text,
    Json,
}

/// Where a plan's text comes from.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum PlanSource {
    File(PathBuf),
    Text(String),
}

impl PlanSource {
    /// Its name in messages, and in commands to try.
    pub fn name(&self) -> String {
        match self {
            Self::File(path) => path.display().to_string(),
            Self::Text(_) => "-e '\u{2026}'".into(),
        }
    }
}
