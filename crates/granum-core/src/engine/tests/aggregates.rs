//! Each aggregate gives what its entry says, however its rows come, and so does what a row has by its place; and the
//! reference says the same.

use super::memory::run_texts;
use crate::aggregate::{AGGREGATES, OF_PLACE};

const ROWS: &str = "net,channel,booked_on\n2.50,shop,2026-03-01\n4.00,post,2026-03-02\n\
                    4.00,shop,2026-03-03\n,,2026-03-04\n";

#[test]
fn every_aggregate_gives_what_its_example_says() {
    for aggregate in AGGREGATES {
        let (call, result) = aggregate.example;
        let group = if call.ends_with("()") { "in all)" } else { " in all)" };
        let each = format!("{}{group}", call.strip_suffix(')').unwrap());
        let plan = format!(
            "input lines from \"lines\"\n\
             table one from lines\n  one row in all\n    v = {call}\n\
             table groups from lines\n  one row per 1 as g\n    v = {call}\n\
             table each from lines\n  add v = {each}\n  columns v\n\
             output one to \"one.csv\"\noutput groups to \"groups.csv\"\noutput each to \"each.csv\"\n"
        );
        for part in [1, 2, 100] {
            let (report, written) = run_texts(&[("lines", ROWS.to_owned())], &plan, part);
            assert!(report.held(), "{call}: {:#?}", report.problems);
            assert_eq!(written["one.csv"], format!("{result}\n"), "{call}");
            assert_eq!(written["groups.csv"], format!("1,{result}\n"), "{call}");
            assert_eq!(written["each.csv"], format!("{result}\n").repeat(4), "{call}");
        }
    }
}

#[test]
fn the_reference_lists_every_aggregate_as_its_entry_says() {
    let reference = include_str!("../../../../../docs/language.md");
    let mut listed = reference.lines().skip_while(|line| !line.starts_with("**Aggregates**"));
    let mut listed = listed.by_ref().skip_while(|line| !line.starts_with("| `"));
    for aggregate in AGGREGATES {
        let (call, result) = aggregate.example;
        let row =
            format!("| `{}` | {} | `{call}` → `{result}` |", aggregate.signature, aggregate.says);
        assert_eq!(listed.next(), Some(row.as_str()));
    }
    assert_eq!(listed.next(), Some(""), "the reference lists what is no aggregate");
}

#[test]
fn what_a_row_has_by_its_place_is_what_its_entry_says() {
    for of in OF_PLACE {
        let (call, results) = &of.example;
        let plan = format!(
            "input lines from \"lines\"\ntable each from lines\n  add v = {call}\n  columns v\n\
             output each to \"each.csv\"\n"
        );
        for part in [1, 3, 100] {
            let (report, written) = run_texts(&[("lines", ROWS.to_owned())], &plan, part);
            assert!(report.held(), "{call}: {:#?}", report.problems);
            assert_eq!(written["each.csv"], results.join("\n") + "\n", "{call}");
        }
    }
}

#[test]
fn the_reference_lists_what_a_row_has_by_its_place() {
    let reference = include_str!("../../../../../docs/language.md");
    let mut listed = reference.lines().skip_while(|line| !line.starts_with("| of a row's place"));
    let mut listed = listed.by_ref().skip(2);
    for of in OF_PLACE {
        let (call, results) = &of.example;
        let results = results.map(|result| if result.is_empty() { "·" } else { result });
        let row =
            format!("| `{}` | {} | `{call}` → `{}` |", of.signature, of.says, results.join("  "));
        assert_eq!(listed.next(), Some(row.as_str()));
    }
    assert_eq!(listed.next(), Some(""), "the reference lists more");
}
