//! What is wrong with a plan, a file or a call.

use granum_core::engine::AskedWrong;
use granum_core::lang::Diagnostic;
use granum_core::port::{OutputError, SourceError, SourceErrorKind};
use granum_core::table::ScratchError;
use serde::Serialize;

use crate::render::Texts;

/// What is wrong with a plan.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[cfg_attr(test, schemars(rename = "Diagnostic"))]
pub struct DiagnosticTold {
    /// Its stable kind.
    kind: &'static str,
    /// What is wrong.
    message: String,
    /// What stands under the words that it points at; empty where the message says all.
    label: String,
    /// What to do.
    help: Option<String>,
    /// The plan, or one that it uses; else the option.
    file: String,
    /// Where the words begin.
    from: PointTold,
    /// Where they end.
    to: PointTold,
    /// Other places that belong to it.
    also: Vec<AlsoTold>,
    /// The option whose words are wrong; places count from where these begin.
    #[serde(skip_serializing_if = "Option::is_none")]
    option: Option<&'static str>,
}

/// Another place that belongs to what is wrong.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[cfg_attr(test, schemars(rename = "Also"))]
struct AlsoTold {
    /// Why it does.
    why: String,
    /// The plan, or one that it uses.
    file: String,
    /// Where it begins.
    from: PointTold,
    /// Where it ends.
    to: PointTold,
}

/// A place in a plan's text.
#[derive(Clone, Copy, Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[cfg_attr(test, schemars(rename = "Point"))]
struct PointTold {
    /// The line, counted from 1.
    line: usize,
    /// The column in letters, counted from 1.
    column: usize,
}

/// What is wrong with a plan.
pub fn diagnostics(texts: &Texts, diagnostics: &[Diagnostic]) -> Vec<DiagnosticTold> {
    diagnostics.iter().map(|wrong| diagnostic(texts, wrong, None)).collect()
}

/// What is wrong with what an option asked.
pub fn asked_wrong(wrong: &AskedWrong) -> DiagnosticTold {
    let texts = Texts::of(wrong.option, wrong.text.clone());
    diagnostic(&texts, &wrong.diagnostic, Some(wrong.option))
}

fn diagnostic(texts: &Texts, wrong: &Diagnostic, option: Option<&'static str>) -> DiagnosticTold {
    let file = |byte: usize| texts.part(texts.place(byte).0).0.to_owned();
    DiagnosticTold {
        kind: wrong.kind.name(),
        message: wrong.message.clone(),
        label: wrong.label.clone(),
        help: wrong.help.clone(),
        file: file(wrong.span.start),
        from: point(texts, wrong.span.start),
        to: point(texts, wrong.span.end),
        also: wrong
            .also
            .iter()
            .map(|(span, why)| AlsoTold {
                why: why.clone(),
                file: file(span.start),
                from: point(texts, span.start),
                to: point(texts, span.end),
            })
            .collect(),
        option,
    }
}

fn point(texts: &Texts, byte: usize) -> PointTold {
    let (part, byte) = texts.place(byte);
    let (_, text) = texts.part(part);
    let before = text.get(..byte).unwrap_or(text);
    let start = before.rfind('\n').map_or(0, |at| at + 1);
    PointTold {
        line: before.matches('\n').count() + 1,
        column: before[start..].chars().count() + 1,
    }
}

impl DiagnosticTold {
    /// That a plan is not written in UTF-8.
    pub fn encoding(file: &str, line: usize, message: &str, help: &str) -> Self {
        let point = PointTold { line, column: 1 };
        Self {
            kind: "encoding",
            message: message.into(),
            label: String::new(),
            help: Some(help.into()),
            file: file.into(),
            from: point,
            to: point,
            also: vec![],
            option: None,
        }
    }
}

/// Why a file cannot be read or not be written.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[cfg_attr(test, schemars(rename = "Error"))]
pub struct ErrorTold {
    /// Its stable kind.
    kind: FaultKind,
    /// The file.
    file: String,
    /// The line, where one is to blame.
    line: Option<u64>,
    /// What is wrong.
    message: String,
    /// What to do; empty where the message says it.
    help: String,
}

/// The stable kind of what fails.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[serde(untagged)]
enum FaultKind {
    /// A file that is read.
    Source(SourceErrorKind),
    /// Anything else.
    Other(OtherFault),
}

/// What fails, if it is no file of data that is read.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[serde(rename_all = "kebab-case")]
enum OtherFault {
    /// A file that is written.
    Output,
    /// A plan that cannot be read.
    Plan,
    /// Columns that tell the rows apart, of which `compare` has none.
    Grain,
    /// A folder that the demo cannot use.
    Folder,
}

impl ErrorTold {
    fn other(kind: OtherFault, file: &str, message: &str, help: &str) -> Self {
        Self {
            kind: FaultKind::Other(kind),
            file: file.into(),
            line: None,
            message: message.into(),
            help: help.into(),
        }
    }

    /// A plan that cannot be read.
    pub fn plan(file: &str, message: &str) -> Self {
        Self::other(OtherFault::Plan, file, message, "")
    }

    /// Columns that do not tell the rows of a file apart.
    pub fn grain(file: &str, message: &str) -> Self {
        Self::other(OtherFault::Grain, file, message, "")
    }

    /// A folder that the demo cannot use.
    pub fn folder(folder: &str, message: &str, help: &str) -> Self {
        Self::other(OtherFault::Folder, folder, message, help)
    }
}

impl From<&SourceError> for ErrorTold {
    fn from(error: &SourceError) -> Self {
        Self {
            kind: FaultKind::Source(error.kind),
            file: error.file.clone(),
            line: error.line,
            message: error.message.clone(),
            help: error.help.clone(),
        }
    }
}

impl From<&ScratchError> for ErrorTold {
    fn from(error: &ScratchError) -> Self {
        Self::from(&SourceError::from(error.clone()))
    }
}

impl From<&OutputError> for ErrorTold {
    fn from(error: &OutputError) -> Self {
        Self::other(OtherFault::Output, &error.path, &error.message, &error.help)
    }
}
