//! Opens a plan, and says what is wrong with it or with what it needs.

use std::path::{Path, PathBuf};

use granum_core::engine::{AskedWrong, Beside, RunError};
use granum_core::lang::{
    Diagnostic, DiagnosticKind, Parsed, PlanTree, Span, Statement, StatementKind, parse,
};
use granum_core::port::without_passwords;
use granum_core::resolve::with_paths;
use granum_io::Files;

use super::{Exit, Printer, outputs, used};
use crate::args::{Format, PlanSource};
use crate::render::json::{self, DiagnosticTold, ErrorTold, Outcome, Told};
use crate::render::{self, Texts};

/// A plan that could be parsed, with those that it uses.
pub(super) struct Plan {
    /// Its name in messages.
    pub name: String,
    pub texts: Texts,
    pub tree: PlanTree,
    pub files: Files,
    /// Its file and those of plans that it uses, as the system names them.
    pub plans: Vec<PathBuf>,
    /// What is asked of it beside.
    beside: Option<Beside>,
    pub format: Format,
}

impl Plan {
    /// How many bytes the files of its inputs have, of those that there are.
    pub fn bytes_read(&self) -> u64 {
        let inputs = self.tree.statements.iter().filter_map(|statement| match &statement.kind {
            StatementKind::Input(input) => Some(&input.sources),
            _ => None,
        });
        inputs.flatten().map(|source| self.files.bytes_of(&source.text)).sum()
    }

    /// Reads and parses a plan. What is wrong is printed.
    pub fn open(
        printer: &mut Printer,
        source: &PlanSource,
        (format, settings): (Format, &[(String, String)]),
    ) -> Result<Self, Exit> {
        let (text, folder) = match source {
            PlanSource::File(path) => {
                let folder = path.parent().map_or_else(PathBuf::new, Path::to_path_buf);
                (read(printer, path, format)?, folder)
            }
            PlanSource::Text(text) => (text.clone(), PathBuf::new()),
        };
        let own = match source {
            PlanSource::File(path) => Some(path.as_path()),
            PlanSource::Text(_) => None,
        };
        // It is refused with one in it, and nothing that is said of it shows that.
        let text = without_passwords(&text);
        let Parsed { tree, diagnostics, .. } = parse(&text);
        let mut plan = Self {
            name: source.name(),
            texts: Texts::of(source.name(), text),
            tree,
            files: Files::new(folder.clone())
                .with_notice(super::waits)
                .with_painter(super::picture::paint),
            plans: vec![],
            beside: None,
            format,
        };
        if !diagnostics.is_empty() {
            return Err(plan.wrong(printer, &diagnostics));
        }
        if plan.tree.statements.is_empty() {
            let message = "the plan is empty: nothing would be read, checked or written".to_owned();
            let wrong = Diagnostic::new(DiagnosticKind::Syntax, Span::default(), message);
            let help = "a plan begins with its inputs; a first one is written by  granum draft FILE\u{2026}";
            return Err(plan.wrong(printer, &[wrong.help(help)]));
        }
        let (mut wrong, plans) = used::take_in(&mut plan.tree, &mut plan.texts, &folder, own);
        match with_paths(&plan.tree, settings) {
            Ok(tree) => plan.tree = tree,
            Err(more) => wrong.extend(more),
        }
        wrong.extend(outputs::clashes(&plan.tree, &plan.files, &plans));
        plan.plans = plans;
        if !wrong.is_empty() {
            return Err(plan.wrong(printer, &wrong));
        }
        Ok(plan)
    }

    /// The plan with what is asked of it beside.
    pub fn asked(
        mut self,
        printer: &mut Printer,
        beside: impl Fn(&str) -> Beside,
    ) -> Result<Self, Exit> {
        let beside = beside(&self.texts.all);
        let (tree, wrong) = beside.parsed(&self.tree);
        self.tree = tree;
        self.beside = Some(beside);
        if wrong.is_empty() {
            return Ok(self);
        }
        Err(self.wrong(printer, &wrong))
    }

    /// The plan with the outputs of some tables alone; with all where none is named.
    pub fn only(mut self, printer: &mut Printer, tables: &[String]) -> Result<Self, Exit> {
        let outputs = |plan: &PlanTree| -> Vec<String> {
            let table = |statement: &Statement| match &statement.kind {
                StatementKind::Output(output) => Some(output.table.text.clone()),
                _ => None,
            };
            plan.statements.iter().filter_map(table).collect()
        };
        let known = outputs(&self.tree);
        if let Some(wrong) = tables.iter().find(|table| !known.contains(table)) {
            let message = format!("--only: the plan has no output of `{wrong}`");
            let has = match known.as_slice() {
                [] => "it has none at all".to_owned(),
                known => format!("it has outputs of {}", known.join(", ")),
            };
            let wrong = Diagnostic::new(DiagnosticKind::UnknownName, Span::default(), message);
            return Err(self.wrong(printer, &[wrong.help(has)]));
        }
        if !tables.is_empty() {
            self.tree.statements.retain(|statement| match &statement.kind {
                StatementKind::Output(output) => tables.contains(&output.table.text),
                StatementKind::Chart(chart) => tables.contains(&chart.table.text),
                _ => true,
            });
        }
        Ok(self)
    }

    /// Prints why a run has no report.
    pub fn failed(&self, printer: &mut Printer, error: RunError) -> Exit {
        let (told, message, help) = match &error {
            RunError::Plan(diagnostics) => return self.wrong(printer, diagnostics),
            RunError::Source(error) => (ErrorTold::from(error), error.to_string(), &error.help),
            RunError::Output(error) => (ErrorTold::from(error), error.to_string(), &error.help),
            RunError::Scratch(error) => (ErrorTold::from(error), error.to_string(), &error.help),
        };
        match self.format {
            Format::Text => printer.diagnostic(&format!("error: {message}\n  {help}\n")),
            Format::Json => {
                let told = Told::Error(told);
                printer.data(&json::of_plan(&self.name, Outcome::FileFailed, told));
            }
        }
        Exit::FileFailed
    }

    fn wrong(&self, printer: &mut Printer, diagnostics: &[Diagnostic]) -> Exit {
        match &self.beside {
            Some(beside) => {
                wrong(printer, self.format, &self.name, (&self.texts, beside), diagnostics)
            }
            None => {
                plan_wrong(printer, self.format, &self.name, &self.texts, diagnostics);
                Exit::PlanWrong
            }
        }
    }
}

/// Reads a plan's text.
pub(super) fn read(printer: &mut Printer, path: &Path, format: Format) -> Result<String, Exit> {
    let name = path.display().to_string();
    let bytes = std::fs::read(path).map_err(|error| {
        let what = match error.kind() {
            std::io::ErrorKind::NotFound => "there is no such plan".to_owned(),
            std::io::ErrorKind::IsADirectory => "is a folder, not a plan".to_owned(),
            _ => format!("cannot be read: {error}"),
        };
        unread(printer, format, &name, &what)
    })?;
    as_text(printer, format, &name, bytes)
}

/// Says that a plan cannot be read.
pub(super) fn unread(printer: &mut Printer, format: Format, name: &str, what: &str) -> Exit {
    match format {
        Format::Text => printer.diagnostic(&format!("error: {name}: {what}\n")),
        Format::Json => {
            let told = Told::Error(ErrorTold::plan(name, what));
            printer.data(&json::of_plan(name, Outcome::FileFailed, told));
        }
    }
    Exit::FileFailed
}

/// A plan's bytes as text; says it where they are none.
pub(super) fn as_text(
    printer: &mut Printer,
    format: Format,
    name: &str,
    bytes: Vec<u8>,
) -> Result<String, Exit> {
    String::from_utf8(bytes).map_err(|error| {
        let at = error.utf8_error().valid_up_to();
        let line = error.as_bytes()[..at].split(|byte| *byte == b'\n').count();
        let what = "a plan is UTF-8 text";
        let help = "save it as UTF-8; what stands there is written in another encoding";
        match format {
            Format::Text => {
                printer.diagnostic(&format!("error: {name} line {line}: {what}\n  {help}\n"));
            }
            Format::Json => {
                let told = vec![DiagnosticTold::encoding(name, line, what, help)];
                let told = Told::Diagnostics(told);
                printer.data(&json::of_plan(name, Outcome::PlanWrong, told));
            }
        }
        Exit::PlanWrong
    })
}

/// Says what is wrong with a plan, or with what is asked of it beside.
pub(super) fn wrong(
    printer: &mut Printer,
    format: Format,
    name: &str,
    (texts, beside): (&Texts, &Beside),
    diagnostics: &[Diagnostic],
) -> Exit {
    let asked: Vec<AskedWrong> =
        diagnostics.iter().filter_map(|wrong| beside.placed(wrong)).collect();
    // What is wrong with the plan comes first: what was asked of it may be right otherwise.
    if asked.is_empty() || asked.len() < diagnostics.len() {
        let own: Vec<Diagnostic> =
            diagnostics.iter().filter(|wrong| beside.placed(wrong).is_none()).cloned().collect();
        plan_wrong(printer, format, name, texts, &own);
        return Exit::PlanWrong;
    }
    match format {
        Format::Text => {
            for AskedWrong { option, text, diagnostic } in &asked {
                let diagnostic = [diagnostic.clone()];
                let texts = Texts::of(*option, text.clone());
                plan_wrong(printer, format, option, &texts, &diagnostic);
            }
        }
        Format::Json => {
            let told = Told::Diagnostics(asked.iter().map(json::asked_wrong).collect());
            printer.data(&json::of_plan(name, Outcome::PlanWrong, told));
        }
    }
    Exit::PlanWrong
}

/// Says what is wrong with a plan.
pub(super) fn plan_wrong(
    printer: &mut Printer,
    format: Format,
    name: &str,
    texts: &Texts,
    diagnostics: &[Diagnostic],
) {
    match format {
        Format::Text => {
            let text = render::diagnostics(texts, diagnostics);
            printer.diagnostic(&text);
        }
        Format::Json => {
            let told = Told::Diagnostics(json::diagnostics(texts, diagnostics));
            printer.data(&json::of_plan(name, Outcome::PlanWrong, told));
        }
    }
}
