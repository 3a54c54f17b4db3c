//! Rows that are shown, without files.

use std::collections::HashMap;

use super::memory::{Memory, Shelf};
use crate::engine::{RunError, Showing, Shown, show};
use crate::lang::{Diagnostic, DiagnosticKind, Span, parse};
use crate::port::Silent;

const PLAN: &str = "param least integer = 2\ninput a from \"a\"\n  grain k\ninput b from \"b\"\n  grain k\n\
                    link a to b on k complete\ntable t from a\n  keep k >= least\n";

fn shown(showing: &Showing, settings: &[(String, String)]) -> Result<Shown, RunError> {
    let files = [("a", "k,v\n1,x\n2,y\n3,\n"), ("b", "k\n2\n")];
    let files = files.map(|(name, text)| (name.to_owned(), text.to_owned()));
    let memory = Memory { files: HashMap::from(files), part: 2 };
    let tree = showing.beside(PLAN).parsed(&parse(PLAN).tree).0;
    let shown = show(&tree, settings, &memory, showing, &Silent);
    // What is put away is shown as well.
    let away = Showing { room: Some(Shelf::room(0, usize::MAX)), ..showing.clone() };
    let away = show(&tree, settings, &memory, &away, &Silent);
    assert_eq!(shown.as_ref().ok().map(cells), away.as_ref().ok().map(cells));
    shown
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

fn at(start: usize, end: usize, message: &str) -> Diagnostic {
    Diagnostic {
        kind: DiagnosticKind::Type,
        span: Span { start, end },
        message: message.into(),
        label: String::new(),
        help: None,
        also: vec![],
    }
}

#[test]
fn what_is_asked_beside_a_plan_is_found_again_in_what_was_asked() {
    let showing = Showing {
        table: "two words".into(),
        unmatched: Some("b".into()),
        condition: Some("k > 1".into()),
        sort: vec!["v desc".into(), "k".into()],
        ..Showing::default()
    };
    let beside = showing.beside("plan \"p\"\n");
    assert!(parse(&beside.text).diagnostics.is_empty(), "{}", beside.text);
    let asked = |words: &str| {
        let start = beside.text.rfind(words).unwrap();
        beside.placed(&at(start, start + words.len(), "`shown_rows` ends")).unwrap()
    };
    let found = asked("> 1");
    assert_eq!((found.option, found.text.as_str()), ("--where", "k > 1"));
    assert_eq!(found.diagnostic.span, Span { start: 2, end: 5 });
    assert_eq!(found.diagnostic.message, "`two words` ends");
    assert_eq!(asked("b)").option, "--unmatched");
    assert_eq!(asked("`two words`").option, "TABLE");
    let found = asked("v\n");
    assert_eq!((found.option, found.text.as_str()), ("--sort", "v"));
    // What is found out behind it points at its last letter; the plan's own is not placed.
    let end = beside.text.len();
    let found = beside.placed(&at(end, end, "found the end of the plan")).unwrap();
    assert_eq!((found.text.as_str(), found.diagnostic.span), ("k", Span { start: 0, end: 1 }));
    assert_eq!(found.diagnostic.message, "found its end");
    assert_eq!(beside.placed(&at(3, 4, "")), None);
}

#[test]
fn rows_in_another_order_are_the_same_rows() {
    let mut showing = showing("a", None);
    showing.sort = vec!["v desc".into()];
    let sorted = shown(&showing, &[]).unwrap();
    assert_eq!(cells(&sorted), [["2", "y"], ["1", "x"], ["3", "blank"]]);
    assert_eq!(sorted.grain, ["k"]);
    showing.condition = Some("k in (1, 3)".into());
    showing.rows = Some(1);
    let chosen = shown(&showing, &[]).unwrap();
    assert_eq!((cells(&chosen), chosen.rows), (vec![vec!["1".to_owned(), "x".to_owned()]], 2));
}
