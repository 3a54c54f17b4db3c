//! Rows that are shown, without files.

use std::collections::HashMap;

use super::memory::Memory;
use crate::engine::{RunError, Showing, Shown, Silent, show};
use crate::lang::{DiagnosticKind, parse};

const PLAN: &str = "param least integer = 2\ninput a from \"a\"\n  grain k\ninput b from \"b\"\n  grain k\n\
                    link a to b on k complete\ntable t from a\n  keep k >= least\n";

fn shown(showing: &Showing, settings: &[(String, String)]) -> Result<Shown, RunError> {
    let files = [("a", "k,v\n1,x\n2,y\n3,\n"), ("b", "k\n2\n")];
    let files = files.map(|(name, text)| (name.to_owned(), text.to_owned()));
    let memory = Memory { files: HashMap::from(files), part: 2 };
    show(&parse(PLAN).tree, settings, &memory, showing, &Silent)
}

fn showing(table: &str, rows: Option<usize>) -> Showing {
    Showing { table: table.into(), rows, ..Showing::default() }
}

fn cells(shown: &Shown) -> Vec<Vec<String>> {
    (0..shown.shown)
        .map(|row| shown.columns.iter().map(|(_, c)| c.scalar(row).to_string()).collect())
        .collect()
}

#[test]
fn the_first_rows_of_a_table_with_its_grain() {
    let shown = shown(&showing("t", Some(1)), &[]).unwrap();
    assert_eq!(shown.grain, ["k"]);
    assert_eq!((shown.rows, shown.shown), (2, 1));
    assert_eq!(cells(&shown), [["2", "y"]]);
}

#[test]
fn all_rows_where_no_number_is_given_and_parameters_count() {
    let settings = [("least".to_owned(), "3".to_owned())];
    let shown = shown(&showing("t", None), &settings).unwrap();
    assert_eq!(cells(&shown), [["3", "blank"]]);
}

#[test]
fn a_link_that_fails_does_not_keep_a_table_from_being_shown() {
    assert_eq!(shown(&showing("a", None), &[]).unwrap().rows, 3);
}

#[test]
fn the_rows_that_a_link_leaves_out() {
    let mut showing = showing("a", None);
    showing.unmatched = Some("b".into());
    let shown = shown(&showing, &[]).unwrap();
    assert_eq!(cells(&shown), [["1", "x"], ["3", "blank"]]);
}

#[test]
fn unknown_tables_and_links_are_told() {
    let kind = |showing: &Showing| match shown(showing, &[]) {
        Err(RunError::Plan(diagnostics)) => {
            (diagnostics[0].kind, diagnostics[0].help.clone().unwrap())
        }
        other => panic!("{other:?}"),
    };
    let unknown = DiagnosticKind::UnknownName;
    assert_eq!(kind(&showing("zzz", None)), (unknown, "there is a, b, t".into()));
    let mut wrong = showing("b", None);
    wrong.unmatched = Some("a".into());
    assert_eq!(kind(&wrong), (unknown, "there is none".into()));
}
