//! Amounts that are all in one currency are worked as if they were in none: what is looked at for those that count
//! apart stops nothing else, and changes no byte.

use std::collections::HashMap;

use proptest::prelude::*;
use proptest::test_runner::TestCaseError;

use super::super::kinds::diagnostics_in;
use super::super::memory::run_texts_as;
use crate::engine::Running;
use crate::lang::DiagnosticKind;
use crate::tally::Problem;

/// Runs a plan again with all that its inputs track in a column of one value; `written` and `kinds` are what it wrote
/// and was stopped by before.
pub fn check(
    files: &[(&str, String)],
    text: &str,
    written: &HashMap<String, String>,
    kinds: &[&str],
) -> Result<(), TestCaseError> {
    let apart = in_one(text);
    let wrong = diagnostics_in(files, &apart);
    if !wrong.is_empty() {
        // An amount of which nothing is known meets one that counts apart.
        let known = wrong.iter().all(|wrong| wrong.kind == DiagnosticKind::CountedApart);
        prop_assert!(known, "{apart}\n{wrong:#?}");
        return Ok(());
    }
    let ran = || run_texts_as(files, &apart, 3, Running::default());
    let (report, again) = std::panic::catch_unwind(ran).map_err(|fault| {
        let bug = fault.downcast_ref::<crate::Bug>().map(ToString::to_string);
        TestCaseError::fail(format!("{}\n{apart}\n{files:#?}", bug.unwrap_or_default()))
    })?;
    let told: Vec<&str> = report.problems.iter().map(Problem::kind).collect();
    prop_assert_eq!(&told, kinds, "{}\n{:#?}\n{:#?}", apart, files, report.problems);
    for (name, known) in written {
        let own = again.get(name).map(|text| without_marks(text));
        prop_assert_eq!(own.as_ref(), Some(known), "{}\n{:#?}", apart, files);
    }
    Ok(())
}

/// The plan with a column of one value in its inputs, which their amounts are tracked in.
fn in_one(text: &str) -> String {
    let (mut out, mut input) = (String::new(), None);
    for line in text.lines() {
        if let Some(rest) = line.strip_prefix("input ") {
            input = rest.split(' ').next().filter(|name| ["o", "c"].contains(name));
        } else if !line.starts_with(' ') {
            input = None;
        }
        let tracks = line.starts_with("  track ");
        match input {
            Some(name) if tracks => out.push_str(&format!("{line} in money_{name}\n")),
            _ => out.push_str(&format!("{line}\n")),
        }
        if let (Some(name), "       d as date") = (input, line) {
            out.push_str(&format!("  add money_{name} = \"EUR\"\n"));
        }
    }
    out
}

/// A file without the columns that were added: nothing else is called so.
fn without_marks(text: &str) -> String {
    let line =
        |line: &str| line.split(',').filter(|cell| *cell != "EUR").collect::<Vec<_>>().join(",");
    let lines: Vec<String> = text.lines().map(|own| line(own) + "\n").collect();
    lines.concat()
}
