//! Opens a plan, and says what is wrong with it or with what it needs.

use std::path::{Path, PathBuf};

use granum_core::engine::{OutputError, RunError, SourceError};
use granum_core::lang::{Diagnostic, Parsed, parse};
use granum_io::Files;

use super::{Exit, Printer};
use crate::render;

/// A plan that could be parsed.
pub(super) struct Plan {
    pub path: PathBuf,
    pub text: String,
    pub parsed: Parsed,
    pub files: Files,
}

impl Plan {
    /// Reads and parses a plan. What is wrong is printed.
    pub fn open(printer: &mut Printer, path: &Path) -> Result<Self, Exit> {
        let text = read(printer, path)?;
        let parsed = parse(&text);
        if !parsed.diagnostics.is_empty() {
            wrong(printer, path, &text, &parsed.diagnostics);
            return Err(Exit::PlanWrong);
        }
        let folder = path.parent().map_or_else(PathBuf::new, Path::to_path_buf);
        Ok(Self { path: path.to_owned(), text, parsed, files: Files::new(folder) })
    }

    /// Prints why a run has no report.
    pub fn failed(&self, printer: &mut Printer, error: RunError) -> Exit {
        match error {
            RunError::Plan(diagnostics) => {
                wrong(printer, &self.path, &self.text, &diagnostics);
                Exit::PlanWrong
            }
            RunError::Source(error) => source_failed(printer, &error),
            RunError::Output(error) => output_failed(printer, &error),
        }
    }
}

/// Reads a plan's text.
pub(super) fn read(printer: &mut Printer, path: &Path) -> Result<String, Exit> {
    let bytes = std::fs::read(path).map_err(|error| {
        let what = match error.kind() {
            std::io::ErrorKind::NotFound => "there is no such plan".to_owned(),
            std::io::ErrorKind::IsADirectory => "is a folder, not a plan".to_owned(),
            _ => format!("cannot be read: {error}"),
        };
        printer.diagnostic(&format!("error: {}: {what}\n", path.display()));
        Exit::FileFailed
    })?;
    String::from_utf8(bytes).map_err(|error| {
        let at = error.utf8_error().valid_up_to();
        let line = error.as_bytes()[..at].split(|byte| *byte == b'\n').count();
        let text = format!("error: {} line {line}: a plan is UTF-8 text\n", path.display());
        printer.diagnostic(&text);
        Exit::PlanWrong
    })
}

pub(super) fn wrong(printer: &mut Printer, path: &Path, text: &str, diagnostics: &[Diagnostic]) {
    let name = path.display().to_string();
    let text = render::diagnostics(&name, text, diagnostics, printer.color_err);
    printer.diagnostic(&text);
}

fn source_failed(printer: &mut Printer, error: &SourceError) -> Exit {
    printer.diagnostic(&format!("error: {error}\n  {}\n", error.help));
    Exit::FileFailed
}

fn output_failed(printer: &mut Printer, error: &OutputError) -> Exit {
    printer.diagnostic(&format!("error: {error}\n  {}\n", error.help));
    Exit::FileFailed
}
