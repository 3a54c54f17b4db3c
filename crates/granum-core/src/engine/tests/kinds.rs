//! Each kind of problem and of diagnostic, provoked: no kind is left that nothing leads to, and
//! none changes its name unseen.

use std::collections::HashMap;

use super::memory::{Memory, run_texts};
use crate::engine::{RunError, Want, run};
use crate::lang::{Diagnostic, DiagnosticKind, parse};
use crate::port::Silent;
use crate::tally::{Problem, RowReason};

const KINDS: [DiagnosticKind; 14] = [
    DiagnosticKind::Syntax,
    DiagnosticKind::Token,
    DiagnosticKind::NotYet,
    DiagnosticKind::UnknownName,
    DiagnosticKind::NameTaken,
    DiagnosticKind::Type,
    DiagnosticKind::CountedTwice,
    DiagnosticKind::CountedApart,
    DiagnosticKind::Path,
    DiagnosticKind::Circle,
    DiagnosticKind::Grain,
    DiagnosticKind::Step,
    DiagnosticKind::Parameter,
    DiagnosticKind::Secret,
];

const TWO: &str = "input a from \"a\"\n  grain k\n  track n\ninput b from \"b\"\n  grain m\n  \
                   track f\nlink a to b on m\n";

/// What is written behind [`TWO`] to provoke a kind, with the name it is known by.
fn provokes(kind: DiagnosticKind) -> (&'static str, &'static str) {
    match kind {
        DiagnosticKind::Syntax => ("table t form a", "syntax"),
        DiagnosticKind::Token => ("table t from a\n  add x = \"open", "token"),
        DiagnosticKind::NotYet => ("output a to \"a.ods\"", "not-yet"),
        DiagnosticKind::UnknownName => ("table t from a\n  keep nn > 1", "unknown-name"),
        DiagnosticKind::NameTaken => ("table a from b", "name-taken"),
        DiagnosticKind::Type => ("table t from a\n  keep n > \"1\"", "type"),
        DiagnosticKind::CountedTwice => {
            ("table t from a\n  add f = b.f\ncheck: sum(t.f) = 0", "counted-twice")
        }
        DiagnosticKind::CountedApart => {
            ("table t from a\n  track n in m\n  add x = n + b.f", "counted-apart")
        }
        DiagnosticKind::Path => ("table t from b\n  add x = a.n", "path"),
        DiagnosticKind::Circle => ("table t from u\ntable u from t", "circle"),
        DiagnosticKind::Grain => ("table t from a\n  columns n", "grain"),
        DiagnosticKind::Step => ("table t from a\n  read n as integer", "step"),
        DiagnosticKind::Secret => ("output a to \"postgres://u:p@h/d\"", "secret"),
        DiagnosticKind::Parameter => ("param day date = k", "parameter"),
    }
}

fn texts() -> HashMap<String, String> {
    let file = |name: &str, text: &str| (name.to_owned(), text.to_owned());
    HashMap::from([file("a", "k,m,n\n1,x,2\n2,y,3\n"), file("b", "m,f\nx,1\ny,2\n")])
}

/// What is wrong with a plan over the texts of this module, nothing if it can run.
pub fn diagnostics_of(plan: &str) -> Vec<Diagnostic> {
    told(plan, texts())
}

/// The same over other texts.
pub fn diagnostics_in(files: &[(&str, String)], plan: &str) -> Vec<Diagnostic> {
    told(plan, files.iter().map(|(name, text)| ((*name).to_owned(), text.clone())).collect())
}

fn told(plan: &str, files: HashMap<String, String>) -> Vec<Diagnostic> {
    let parsed = parse(plan);
    if !parsed.diagnostics.is_empty() {
        return parsed.diagnostics;
    }
    match run(&parsed.tree, &[], &Memory { files, part: 2 }, Want::Check, &Silent) {
        Err(RunError::Plan(diagnostics)) => diagnostics,
        Ok(_) => vec![],
        Err(other) => panic!("{plan} ended with {other:?}"),
    }
}

#[test]
fn every_kind_of_diagnostic_is_provoked_and_says_what_to_do() {
    for kind in KINDS {
        let (text, name) = provokes(kind);
        assert_eq!(kind.name(), name);
        let plan = format!("{TWO}{text}\n");
        let found = diagnostics_of(&plan);
        let told = found.iter().find(|diagnostic| diagnostic.kind == kind);
        let told = told.unwrap_or_else(|| panic!("{text} gave {found:#?}"));
        assert!(!told.message.ends_with('.'), "{}", told.message);
        assert!(told.span.start >= TWO.len(), "{text} points at {:?}", told.span);
        assert!(told.span.end <= plan.len(), "{text} points at {:?}", told.span);
        let first = told.message.chars().next().unwrap();
        assert!(!first.is_uppercase(), "{}", told.message);
    }
    // Names are told apart.
    let names: std::collections::HashSet<&str> = KINDS.iter().map(|kind| kind.name()).collect();
    assert_eq!(names.len(), KINDS.len());
}

#[test]
fn every_kind_of_problem_stands_in_the_reference_of_json_in_this_order() {
    let page = include_str!("../../../../../docs/json.md");
    let listed: Vec<String> = Problem::KINDS.iter().map(|kind| format!("`{kind}`")).collect();
    assert!(page.contains(&format!("`kind` ({})", listed.join(", "))), "{listed:?}");
}

#[test]
fn every_kind_of_problem_is_provoked() {
    let long = "9".repeat(38);
    let cases: [(&str, &str, &str); 6] = [
        (
            "k,n\n1,2\n2,2\n",
            "  track n in k\ntable u from t\n  one row in all\n    n = sum(n)",
            "counted-apart",
        ),
        ("k,n\n1,1\n1,2\n", "  grain k", "grain"),
        ("k,n\n1,0\n2,1\n", "  grain k\ntable u from t\n  units of n as unit_no", "units"),
        ("k,n\n1,99999999999999\n", "  add x = n * n * n", "overflow"),
        ("k,n\n1,x\n", "  add x = integer(n)", "conversion"),
        (
            "k,n\n1,1\n1,2\n",
            "input s from \"t\"\nlink s to t on k\ntable u from s\n  add x = t.n",
            "repeated-keys",
        ),
    ];
    for (text, plan, kind) in cases {
        let plan = format!("input t from \"t\"\n{plan}\n");
        let (report, written) = run_texts(&[("t", text.to_owned())], &plan, 1);
        let kinds: Vec<&str> = report.problems.iter().map(Problem::kind).collect();
        assert_eq!(kinds, [kind], "{plan}");
        assert!(Problem::KINDS.contains(&kind));
        assert!(!report.held() && written.is_empty());
    }
    // These need a file that cannot be read, or more rows than a test can have.
    let bad = Problem::BadCells {
        table: "t".into(),
        column: "n".into(),
        wanted: "integer".into(),
        count: 1,
        examples: vec![],
    };
    assert_eq!(bad.kind(), "bad-cells");
    assert_eq!(Problem::TooManyRows { table: "t".into() }.kind(), "too-many-rows");
    let (report, _) = run_texts(
        &[("t", format!("k,n\n1,{long}\n2,{long}\n"))],
        "input t from \"t\"\n  read n as decimal(0)\n  add x = n + n\n",
        1,
    );
    let Problem::Row { reason: RowReason::Overflow, row, place, .. } = &report.problems[0] else {
        panic!("{:?}", report.problems)
    };
    assert_eq!((row.as_str(), place.as_ref().unwrap().line), ("", 2));
}

#[test]
fn all_that_a_report_tells_can_be_kept() {
    let plan = format!(
        "{TWO}table t from a\n  keep n > 2\n  add f = b.f\ncheck t: f > 1\ncheck: rows(t) = 1\n\
         output t to \"t.csv\"\n"
    );
    let files: Vec<(&str, String)> =
        vec![("a", "k,m,n\n1,x,2\n2,y,3\n3,z,4\n".into()), ("b", "m,f\nx,1\ny,2\n".into())];
    let (report, _) = run_texts(&files, &plan, 1);
    let told: serde_json::Value = serde_json::to_value(&report).unwrap();
    assert_eq!(told["links"][0]["missing"], 1);
    assert_eq!(told["links"][0]["examples"][0]["key"], "z");
    assert_eq!(told["checks"][1]["held"], false);
    assert_eq!(told["tables"][2]["name"], "t");
    assert_eq!(told["tables"][2]["grain"], serde_json::json!(["k"]));
    assert!(told["written"].as_array().unwrap().is_empty());
}
