//! What cannot be worked stops a run only where a row needs it; what divides by zero is counted where
//! it is worked.

use super::memory::run_texts;
use crate::tally::Problem;

const LINKED: &str = "input c from \"c\"\n  grain k\ninput o from \"o\"\nlink o to c on k\n";

fn linked(steps: &str) -> (crate::tally::Report, Option<String>) {
    let files = [
        ("c", "k\n1\n2\n3\n".to_owned()),
        ("o", "k,st,v\n1,open,1\n1,shut,x\n2,open,2\n".to_owned()),
    ];
    let plan = format!("{LINKED}table t from c\n  {steps}\noutput t to \"t.csv\"\n");
    let (report, mut written) = run_texts(&files, &plan, 1);
    (report, written.remove("t.csv"))
}

#[test]
fn several_values_stop_only_rows_that_are_there_and_sides_that_are_taken() {
    let (report, written) = linked("keep k > 1\n  add x = sole(o.st)");
    assert_eq!(written.unwrap(), "2,open\n3,\n", "{:?}", report.problems);
    let (_, written) = linked("add x = if k = 2 then sole(o.st) else \"-\"");
    assert_eq!(written.unwrap(), "1,-\n2,open\n3,-\n");
    let (_, written) = linked("keep k != 1 and sole(o.st) is not blank");
    assert_eq!(written.unwrap(), "2\n");
    // So with what cannot be converted among the rows that are gathered.
    let (_, written) = linked("keep k = 2\n  add x = sum(integer(o.v))");
    assert_eq!(written.unwrap(), "2,2\n");
    for (steps, kind) in [
        ("add x = sole(o.st)", "several-values"),
        ("add x = sum(integer(o.v))", "conversion"),
        ("keep k < 3 and sole(o.st) is not blank", "several-values"),
        ("one row per k as g\n    x = list(integer(o.v))", "conversion"),
    ] {
        let (report, written) = linked(steps);
        assert_eq!(
            report.problems.iter().map(Problem::kind).collect::<Vec<_>>(),
            [kind],
            "{steps}"
        );
        assert!(written.is_none());
    }
    let (report, _) = linked("add x = sole(o.st)");
    let Problem::Group { group, values, .. } = &report.problems[0] else { panic!() };
    assert_eq!(
        (group.as_str(), values.as_slice()),
        ("k 1", &["open".to_owned(), "shut".into()][..])
    );
}

#[test]
fn only_what_is_worked_counts_as_divided_by_zero() {
    let zeros = |steps: &str| {
        let files = [("t", "a,b\n1,0\n2,1\n3,0\n".to_owned())];
        let (report, _) =
            run_texts(&files, &format!("input t from \"t\"\ntable u from t\n  {steps}\n"), 1);
        assert!(report.problems.is_empty(), "{:?}", report.problems);
        report.table("u").unwrap().zero_divisions
    };
    assert_eq!(zeros("add x = a / b"), 2);
    assert_eq!(zeros("add x = if b = 0 then 0 else a / b"), 0);
    assert_eq!(zeros("add x = if a = 1 then a / b else 0"), 1);
    assert_eq!(zeros("add x = (if a = 3 then blank else a) ?? (a / b)"), 1);
    assert_eq!(zeros("sort a / b"), 2);
    assert_eq!(zeros("top 1 by a / b"), 2);
    assert_eq!(zeros("dedupe by a / b keep first"), 2);
    assert_eq!(zeros("add x = max(a / b in all)"), 2);
    assert_eq!(zeros("keep a / b > 0"), 2);
}

#[test]
fn a_step_that_meets_no_rows_goes_on_and_nothing_loses_its_type() {
    let written = |steps: &str| {
        let files = [("z", "k,a,b,net\nx,1,0,1.00\ny,2,1,2.50\n".to_owned())];
        let plan = format!(
            "input d from \"z\"\n  track net\ntable t from d\n  {steps}\noutput t to \"t.csv\"\n"
        );
        let (report, written) = run_texts(&files, &plan, 1);
        assert!(report.held(), "{steps}: {:?}", report.problems);
        written["t.csv"].clone()
    };
    for step in [
        "dedupe",
        "dedupe by k keep largest a",
        "sort a",
        "top 2 by net",
        "top 1 by a per k with ties",
        "keep sum(net per k) > 1.00",
        "add p = position(per k by a)",
        "grain k",
        "units of a as u split net",
        "add r = running(net per k by a)",
        "add r = previous(net per k by a)",
        "add r = mean(net per k by a over 2 rows)",
        "add r = median(net per k)",
        "top 10% by net",
        "add s = net / sum(net in all)",
    ] {
        let out = written(&format!("keep a > 100\n  {step}\n  keep a = 1\n  sort b\n  dedupe"));
        assert_eq!(out.lines().count(), 0, "{step}: {out}");
        // Groups of what is left of nothing, in whatever way they are worked.
        for all in ["b = sum(net)", "b = sum(net) c = list(k)"] {
            let out = written(&format!("drop true\n  {step}\n  sort net\n  one row in all {all}"));
            assert!(out.starts_with("0.00"), "{step}: {out}");
        }
    }
    assert_eq!(
        written("drop true\n  sort net\n  one row in all b = sum(net), m = max(net)"),
        "0.00,\n"
    );
    let out = written("drop true\n  one row per k total row \"all\" b = sum(net)\n  add d = b * 2");
    assert_eq!(out, "all,0.00,0.00\n");
}

#[test]
fn links_of_a_base_are_followed_from_what_is_built_of_it() {
    let files = [
        ("c", "k\n1\n2\n".to_owned()),
        ("o", "o,k,st\n1,1,open\n2,1,shut\n3,2,open\n".to_owned()),
        ("l", "o,q,net\n1,2,5.00\n1,1,1.00\n2,3,9.00\n3,4,2.00\n".to_owned()),
    ];
    let start = "input c from \"c\"\n  grain k\ninput o from \"o\"\n  grain o\ninput l from \"l\"\n  \
                 track net\nlink o to c on k\nlink l to o on o\n\
                 table open from o\n  keep st = \"open\"\n";
    let plan = format!(
        "{start}table t from c\n  add net = sum(open.l.net) n = rows(open.l where q > 1) \
         a = sum(o.l.net) has = has(open.l) few = list(open.l.q by open.l.net desc)\n\
         output t to \"t.csv\"\n"
    );
    let (report, written) = run_texts(&files, &plan, 1);
    assert!(report.held(), "{:?}", report.problems);
    assert_eq!(written["t.csv"], "1,6.00,1,15.00,true,2, 1\n2,2.00,1,2.00,true,4\n");
    // Where a row is several units, what leads to it would stand on each.
    let units = plan.replace("keep st = \"open\"\n", "units of 2 as u\n");
    let told = super::kinds::diagnostics_in(&files, &units);
    assert!(told[0].message.contains("after `units` one row is several"), "{told:?}");
}

#[test]
fn sums_of_floating_point_numbers_do_not_depend_on_how_rows_came() {
    let mut text = "k,v\n".to_owned();
    for row in 0..9_000 {
        text.push_str(&format!("{},{}\n", row % 3, [1e16, 0.1, 3.7, -1e16, 1.0][row % 5]));
    }
    let plan = "input t from \"t\"\n  read v as number\ntable u from t\n  one row per k\n    \
                s = sum(v) m = mean(v)\ntable w from t\n  one row per k\n    s = sum(v) m = mean(v) \
                l = count(v) x = list(distinct k)\n\
                check \"all\": sum(t.v) = 1800 * 4.8\noutput u to \"u.csv\"\noutput w to \"w.csv\"\n";
    let all: Vec<_> = [1, 7, 8_000]
        .into_iter()
        .map(|part| {
            let (report, written) = run_texts(&[("t", text.clone())], plan, part);
            assert!(report.held(), "{:?}", report.checks);
            written
        })
        .collect();
    assert!(all.windows(2).all(|pair| pair[0] == pair[1]));
    let first = |name: &str| {
        all[0][name]
            .lines()
            .map(|line| line.split(',').take(3).collect::<Vec<_>>().join(","))
            .collect::<Vec<_>>()
    };
    assert_eq!(first("u.csv"), first("w.csv"));
}
