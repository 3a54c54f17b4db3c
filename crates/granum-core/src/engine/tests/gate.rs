//! All outputs or none, also where the last of them fails.

use std::collections::HashMap;
use std::sync::atomic::Ordering;

use super::memory::{Kept, Memory, run_texts};
use crate::engine::{RunError, Want, run};
use crate::lang::parse;
use crate::port::Silent;

const PLAN: &str = "input t from \"t\"\n  grain k\ntable a from t\ntable b from t\n\
                    output a to \"a.csv\"\noutput b to \"b.csv\"\n";

fn memory() -> Memory {
    Memory { files: HashMap::from([("t".to_owned(), "k\n1\n2\n".to_owned())]), part: 1 }
}

#[test]
fn an_output_that_cannot_be_published_takes_back_those_before_it() {
    let kept = Kept { fails: Some("b.csv"), ..Kept::default() };
    let ended = run(&parse(PLAN).tree, &[], &memory(), Want::Outputs(&kept), &Silent);
    let Err(RunError::Output(error)) = ended else { panic!("it was published") };
    assert_eq!(error.to_string(), "b.csv: is full");
    assert!(kept.files.lock().unwrap().is_empty());
    assert!(kept.withdrawn.load(Ordering::Relaxed));
}

#[test]
fn outputs_are_published_when_everything_holds() {
    let (report, written) = run_texts(&[("t", "k\n1\n2\n".into())], PLAN, 1);
    assert!(report.held());
    assert_eq!(written["a.csv"], "1\n2\n");
    assert_eq!(written["b.csv"], "1\n2\n");
    assert_eq!(report.written[1].rows, 2);
    assert_eq!(report.written[1].bytes, 4);
}

#[test]
fn nothing_is_published_when_a_check_fails() {
    let plan = format!("{PLAN}check t: k > 1\n");
    let (report, written) = run_texts(&[("t", "k\n1\n2\n".into())], &plan, 1);
    assert!(!report.held() && written.is_empty() && report.written.is_empty());
    assert_eq!(report.checks[0].failed, 1);
    assert_eq!(report.checks[0].examples[0].values, [("k".to_owned(), "1".to_owned())]);
    assert_eq!(report.checks[0].examples[0].place.as_ref().unwrap().to_string(), "memory line 2");
}
