//! Opens a plan, and says what is wrong with it or with what it needs.

use std::path::{Path, PathBuf};

use granum_core::engine::RunError;
use granum_core::lang::{Diagnostic, Parsed, parse};
use granum_io::Files;

use super::{Exit, Printer};
use crate::args::{Format, PlanSource};
use crate::render::{self, json};

/// A plan that could be parsed.
pub(super) struct Plan {
    /// Its name in messages.
    pub name: String,
    pub text: String,
    pub parsed: Parsed,
    pub files: Files,
    format: Format,
}

impl Plan {
    /// Reads and parses a plan. What is wrong is printed.
    pub fn open(printer: &mut Printer, source: &PlanSource, format: Format) -> Result<Self, Exit> {
        let (text, folder) = match source {
            PlanSource::File(path) => {
                let folder = path.parent().map_or_else(PathBuf::new, Path::to_path_buf);
                (read(printer, path)?, folder)
            }
            PlanSource::Text(text) => (text.clone(), PathBuf::new()),
        };
        let plan = Self {
            name: source.name(),
            parsed: parse(&text),
            text,
            files: Files::new(folder),
            format,
        };
        if !plan.parsed.diagnostics.is_empty() {
            return Err(plan.wrong(printer, &plan.parsed.diagnostics));
        }
        Ok(plan)
    }

    /// The plan with another text, which is parsed anew.
    pub fn changed(
        mut self,
        printer: &mut Printer,
        change: impl Fn(&str) -> String,
    ) -> Result<Self, Exit> {
        self.text = change(&self.text);
        self.parsed = parse(&self.text);
        if self.parsed.diagnostics.is_empty() {
            return Ok(self);
        }
        Err(self.wrong(printer, &self.parsed.diagnostics))
    }

    /// Prints why a run has no report.
    pub fn failed(&self, printer: &mut Printer, error: RunError) -> Exit {
        let (told, message, help) = match &error {
            RunError::Plan(diagnostics) => return self.wrong(printer, diagnostics),
            RunError::Source(error) => (json::value(error), error.to_string(), &error.help),
            RunError::Output(error) => (json::value(error), error.to_string(), &error.help),
        };
        match self.format {
            Format::Text => printer.diagnostic(&format!("error: {message}\n  {help}\n")),
            Format::Json => {
                let told = json::outcome(&self.name, "file-failed", "error", told);
                printer.result(&told);
            }
        }
        Exit::FileFailed
    }

    fn wrong(&self, printer: &mut Printer, diagnostics: &[Diagnostic]) -> Exit {
        match self.format {
            Format::Text => wrong(printer, &self.name, &self.text, diagnostics),
            Format::Json => {
                let told = json::diagnostics(&self.text, diagnostics);
                printer.result(&json::outcome(&self.name, "plan-wrong", "diagnostics", told));
            }
        }
        Exit::PlanWrong
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

pub(super) fn wrong(printer: &mut Printer, name: &str, text: &str, diagnostics: &[Diagnostic]) {
    let text = render::diagnostics(name, text, diagnostics, printer.color_err);
    printer.diagnostic(&text);
}
