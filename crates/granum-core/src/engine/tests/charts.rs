//! What charts show, and what cannot be shown.

use proptest::prelude::*;

use super::memory::run_texts;
use crate::lang::parse;
use crate::tally::{ChartProblem, ChartTrouble, Problem};

/// What a chart of rows shows, as the outputs of these tests write it.
fn drawn(rows: &str, chart: &str) -> String {
    let (report, written) = ran(rows, chart);
    assert!(report.held(), "{:#?}", report.problems);
    written
}

/// Why there is none.
fn refused(rows: &str, chart: &str) -> ChartProblem {
    let (mut report, written) = ran(rows, chart);
    assert!(!report.held() && written.is_empty());
    match report.problems.remove(0) {
        Problem::Chart(problem) => problem,
        other => panic!("{other:?}"),
    }
}

fn ran(rows: &str, chart: &str) -> (crate::tally::Report, String) {
    let plan = format!("input a from \"a\"\n{chart} to \"c.svg\"\n");
    let (report, mut written) = run_texts(&[("a", rows.to_owned())], &plan, 2);
    (report, written.remove("c.svg").unwrap_or_default())
}

#[test]
fn what_is_in_time_has_all_its_places_also_those_of_no_row() {
    let months = drawn("m,n\n2025-11,1\n2026-02,2\n2025-12,\n", "chart \"t\" from a x m bars n");
    assert_eq!(months, "2025-11: 1\n2025-12: -\n2026-01: -\n2026-02: 2\nfalse 0\n");
    let quarters = drawn("m,n\n2025-Q4,1\n2026-Q2,2\n", "chart \"t\" from a x m bars n");
    assert_eq!(quarters, "2025-Q4: 1\n2026-Q1: -\n2026-Q2: 2\nfalse 0\n");
    let weeks = drawn("m,n\n2027-W01,1\n2026-W52,2\n", "chart \"t\" from a x m bars n");
    assert_eq!(weeks, "2026-W52: 2\n2026-W53: -\n2027-W01: 1\nfalse 0\n");
    let days = drawn(
        "m,n\n2026-03-01,1\n2026-02-27,2.5\n",
        "  read m as date\nchart \"t\" from a x m line n",
    );
    assert_eq!(days, "2026-02-27: 2.5\n2026-02-28: -\n2026-03-01: 1\nfalse 0\n");
    // Days that are all the first of a month are months.
    let firsts = drawn(
        "m,n\n2026-03-01,1\n2026-01-01,2\n",
        "  read m as date\nchart \"t\" from a x m line n",
    );
    assert_eq!(firsts, "2026-01: 2\n2026-02: -\n2026-03: 1\nfalse 0\n");
    let years =
        drawn("y,n\n2026,1\n2023,2\n", "  read y as integer\nchart \"t\" from a x y bars n");
    assert_eq!(years, "2023: 2\n2024: -\n2025: -\n2026: 1\nfalse 0\n");
    // Numbers far from each other are names, the least first.
    let numbers =
        drawn("y,n\n90000,1\n-7,2\n", "  read y as integer\nchart \"t\" from a x y bars n");
    assert_eq!(numbers, "-7: 2\n90000: 1\nfalse 0\n");
}

#[test]
fn texts_stand_in_the_order_of_the_table_and_blank_ones_are_counted_not_drawn() {
    let rows = "k,p,n,m\nb,x,1,5\n,x,2,6\na,x,3,7\na,y,,8\nb,,9,9\n";
    let panels = drawn(rows, "chart \"t\" from a x k bars n line m by p");
    assert_eq!(panels, "x b: 1 5\nx a: 3 7\ny b: - -\ny a: - 8\nfalse 2\n");
    assert_eq!(drawn("k,n\n", "chart \"t\" from a x k bars n"), "false 0\n");
}

#[test]
fn shares_are_known_where_the_plan_makes_them_or_says_so() {
    let plan = |chart: &str| {
        format!(
            "table t from a\n  one row per k\n    s = share(n > 1)\n    n = sum(n)\nchart \"t\" from t x k {chart}"
        )
    };
    let rows = "k,n\na,1\na,3\n";
    assert_eq!(drawn(rows, &plan("line s")), "a: 0.5\ntrue 0\n");
    assert_eq!(drawn(rows, &plan("line n")), "a: 4\nfalse 0\n");
    assert_eq!(drawn(rows, &plan("line n as share")), "a: 4\ntrue 0\n");
}

#[test]
fn rows_of_one_place_are_told_with_what_tells_them_apart() {
    let rows = "m,c,k,n\n2026-01,shop,a,1\n2026-01,post,a,2\n2026-01,fair,b,4\n2026-02,shop,a,3\n";
    let problem = refused(rows, "  grain m, c\nchart \"t\" from a x m bars n");
    let examples = vec![("2026-01".to_owned(), 3)];
    assert_eq!(
        problem.what,
        ChartTrouble::Repeats { rows: 2, examples, apart: vec!["c".to_owned()] }
    );
    // An amount is nothing that it could be drawn by.
    let problem =
        refused(rows, "  read n as decimal(1)\n  grain m, n\nchart \"t\" from a x m line n");
    assert!(matches!(&problem.what, ChartTrouble::Repeats { apart, .. } if apart.is_empty()));
    // What is advised can be drawn.
    drawn(rows, "  grain m, c\nchart \"t\" from a x m bars n by c");
    let problem = refused(rows, "  grain m, c\nchart \"t\" from a x m bars n by k");
    let examples = vec![("2026-01 of a".to_owned(), 2)];
    assert_eq!(problem.what, ChartTrouble::Repeats { rows: 1, examples, apart: vec![] });
}

/// A line for each number.
fn lines(numbers: std::ops::Range<u32>, line: fn(u32) -> String) -> String {
    numbers.map(line).collect::<Vec<_>>().concat()
}

#[test]
fn more_than_can_be_told_apart_is_told_and_not_drawn() {
    let many = lines(0..101, |n| format!("k{n},{n}\n"));
    let problem = refused(&format!("k,n\n{many}"), "chart \"t\" from a x k bars n");
    assert_eq!(problem.what, ChartTrouble::Places { count: 101, most: 100, days: false });
    let far = "d,n\n1990-01-02,1\n2020-01-02,2\n";
    let problem = refused(far, "  read d as date\nchart \"t\" from a x d bars n");
    assert_eq!(problem.what, ChartTrouble::Places { count: 10_958, most: 4_000, days: true });
    let panels = lines(0..25, |n| format!("x,k{n},{n}\n"));
    let problem = refused(&format!("k,p,n\n{panels}"), "chart \"t\" from a x k bars n by p");
    assert_eq!(problem.what, ChartTrouble::Panels { count: 25, most: 24 });
}

#[test]
fn a_chart_without_a_path_is_asked_all_the_same() {
    let plan = "input a from \"a\"\nchart \"t\" from a x k bars n\n";
    let (report, written) = run_texts(&[("a", "k,n\na,1\na,2\n".into())], plan, 2);
    assert!(!report.held() && written.is_empty());
    let (report, written) = run_texts(&[("a", "k,n\na,1\nb,2\n".into())], plan, 2);
    assert!(report.held() && report.written.is_empty() && written.is_empty());
}

proptest! {
    #[test]
    fn every_row_is_drawn_once_at_its_place_or_counted(
        rows in prop::collection::btree_map((prop::option::of(0..30_u32), 0..3_u32), -99..99_i32, 0..40),
    ) {
        let line = |((month, panel), value): (&(Option<u32>, u32), &i32)| {
            let month = month.map_or(String::new(), |m| format!("{}-{:02}", 2025 + m / 12, m % 12 + 1));
            (month, format!("p{panel}"), *value)
        };
        let lines: Vec<(String, String, i32)> = rows.iter().map(line).collect();
        // Rows without a month share no place, however many they are.
        let text: Vec<String> = lines.iter().map(|(m, p, n)| format!("{m},{p},{n}\n")).collect();
        let text = text.concat();
        let drawn = drawn(&format!("m,p,n\n{text}"), "  read n as integer\nchart \"t\" from a x m bars n by p");
        let shown: Vec<&str> = drawn.lines().filter(|line| line.starts_with('p') && !line.ends_with('-')).collect();
        let mut wanted: Vec<String> = lines.iter().filter(|(m, ..)| !m.is_empty()).map(|(m, p, n)| format!("{p} {m}: {n}")).collect();
        let mut found: Vec<String> = shown.iter().map(|line| (*line).to_owned()).collect();
        wanted.sort();
        found.sort();
        prop_assert_eq!(&found, &wanted);
        let left_out = lines.len() - wanted.len();
        let end = format!("false {left_out}\n");
        prop_assert!(drawn.ends_with(&end));
    }
}

#[test]
fn a_chart_is_written_back_as_it_was_read() {
    let text = "input a from \"a\"\n\n\
                chart \"Sales: \\\"net\\\"\" from a x `by` bars n, m line k by p stacked as share to \"o/{day}.svg\"\n";
    let parsed = parse(text);
    assert!(parsed.diagnostics.is_empty(), "{:#?}", parsed.diagnostics);
    assert_eq!(crate::lang::format_plan(text, &parsed), text);
}
