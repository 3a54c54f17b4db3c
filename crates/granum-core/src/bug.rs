//! What cannot be, and was found to be: a fault of the program, not of the plan or the data.
//!
//! A column that should be there and is not must never be taken for one without values: the result
//! would look right. So the work unwinds from there to whoever began it, outputs are left as they
//! were, and the program says what it found.

use std::backtrace::{Backtrace, BacktraceStatus};
use std::fmt;
use std::panic::Location;

/// A fault of the program itself. It is what unwinds (see [`std::panic::catch_unwind`]) out of any
/// function of this crate that finds one.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Bug {
    /// What was found.
    pub what: String,
    /// Where in the program: file and line, and with `RUST_BACKTRACE=1` the way there.
    pub at: String,
}

impl fmt::Display for Bug {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(out, "{} (at {})", self.what, self.at)
    }
}

/// Stops the work, since something is as it cannot be.
#[track_caller]
pub(crate) fn bug(what: impl Into<String>) -> ! {
    let at = Location::caller();
    let mut at = format!("{}:{}", at.file(), at.line());
    let way = Backtrace::capture();
    if way.status() == BacktraceStatus::Captured {
        at.push_str(&format!("\n{way}"));
    }
    std::panic::resume_unwind(Box::new(Bug { what: what.into(), at }))
}

/// What must be there.
pub trait Sure<T> {
    /// It, or a [`Bug`] that says what is missing.
    fn sure(self, what: &str) -> T;
}

impl<T> Sure<T> for Option<T> {
    #[track_caller]
    fn sure(self, what: &str) -> T {
        match self {
            Some(there) => there,
            None => bug(format!("{what} is missing")),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_missing_unwinds_as_a_bug_that_says_where() {
        let caught = std::panic::catch_unwind(|| None::<u8>.sure("a column")).unwrap_err();
        let bug = caught.downcast_ref::<Bug>().unwrap();
        assert_eq!(bug.what, "a column is missing");
        assert!(bug.at.contains("bug.rs:"), "{bug}");
    }
}
