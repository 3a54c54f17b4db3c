//! What is in the way of reading a database, or of writing to it.

use granum_core::port::{OutputError, SourceError, SourceErrorKind};

/// What a database, or the way to it, says.
#[derive(Debug, Clone)]
pub(crate) struct Wrong {
    pub kind: SourceErrorKind,
    /// In words that go on from the name of a database.
    pub message: String,
    pub help: String,
}

impl Wrong {
    pub fn new(kind: SourceErrorKind, message: impl Into<String>, help: &str) -> Self {
        Self { kind, message: message.into(), help: help.to_owned() }
    }

    /// That what cannot be is: a fault of the program.
    pub fn bug(message: impl Into<String>) -> Self {
        Self::new(
            SourceErrorKind::System,
            message,
            "this is a fault of the program; please report it",
        )
    }

    /// As what keeps a source from being read.
    pub fn read(self, name: &str) -> SourceError {
        SourceError {
            kind: self.kind,
            file: name.to_owned(),
            line: None,
            message: format!("cannot be read: {}", self.message),
            help: self.help,
        }
    }

    /// As what keeps an output from being written.
    pub fn written(self, name: &str) -> OutputError {
        OutputError {
            path: name.to_owned(),
            message: format!("cannot be written: {}", self.message),
            help: format!("nothing was written; {}", self.help),
        }
    }
}
