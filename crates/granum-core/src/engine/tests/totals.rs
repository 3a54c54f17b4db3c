//! Totals, checks, look-ups and what is gathered, against slow twins.

use proptest::prelude::*;

use super::memory::run_texts;
use crate::tally::{LinkTally, Report};

/// Rows of a group, an amount in cents that may be blank, and a flag.
type Row = (u8, Option<i32>, bool);

fn rows() -> impl Strategy<Value = Vec<Row>> {
    prop::collection::vec(
        (0_u8..5, prop::option::weighted(0.8, -500_i32..500), any::<bool>()),
        0..50,
    )
}

fn cents(value: i64) -> String {
    let sign = if value < 0 { "-" } else { "" };
    format!("{sign}{}.{:02}", value.abs() / 100, value.abs() % 100)
}

fn text(rows: &[Row]) -> String {
    let mut text = String::from("id,g,n,flag\n");
    for (at, (group, amount, flag)) in rows.iter().enumerate() {
        let amount = amount.map_or(String::new(), |amount| cents(amount.into()));
        text.push_str(&format!("{at},G{group},{amount},{flag}\n"));
    }
    text
}

const INPUT: &str = "input t from \"t\"\n  read n as decimal(2)\n       flag as boolean\n       g as text\n  \
                     grain id\n  track n\ninput groups from \"groups\"\n  grain g\n";

fn ran(rows: &[Row], plan: &str) -> (Report, std::collections::HashMap<String, String>) {
    let groups = "g\nG0\nG1\nG2\n".to_owned();
    run_texts(&[("t", text(rows)), ("groups", groups)], &format!("{INPUT}{plan}"), 7)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(100))]

    #[test]
    fn totals_are_those_of_a_slow_twin(rows in rows()) {
        let present: Vec<i64> = rows.iter().filter_map(|row| row.1).map(i64::from).collect();
        let flagged: Vec<&Row> = rows.iter().filter(|row| row.2).collect();
        let flagged_sum: i64 = flagged.iter().filter_map(|row| row.1).map(i64::from).sum();
        let mut groups: Vec<u8> = rows.iter().map(|row| row.0).collect();
        groups.sort_unstable();
        groups.dedup();
        let extremes = match (present.iter().min(), present.iter().max()) {
            (Some(least), Some(most)) => format!(
                "check: min(t.n) = {} and max(t.n) = {}\n", cents(*least), cents(*most)
            ),
            _ => String::new(),
        };
        let plan = format!(
            "check: rows(t) = {}\ncheck: count(t.n) = {}\ncheck: distinct(t.g) = {}\n\
             check: sum(t.n) = {}\ncheck: sum(t.n where t.flag) = {}\ncheck: rows(t where t.flag) = {}\n\
             {extremes}",
            rows.len(),
            present.len(),
            groups.len(),
            cents(present.iter().sum()),
            cents(flagged_sum),
            flagged.len(),
        );
        let (report, _) = ran(&rows, &plan);
        for check in &report.checks {
            prop_assert!(check.held, "{check:#?}");
        }
    }

    #[test]
    fn what_is_gathered_is_that_of_a_slow_twin(rows in rows()) {
        let plan = "link t to groups on g\ntable out from groups\n  \
                    add n = sum(t.n) c = rows(t) f = sum(t.n where flag) has_any = has(t)\n\
                    output out to \"out.csv\"\n";
        let (report, written) = ran(&rows, plan);
        prop_assert!(report.held());
        let mut wanted = String::new();
        for group in 0..3_u8 {
            let of: Vec<&Row> = rows.iter().filter(|row| row.0 == group).collect();
            let sum = |rows: &[&Row]| -> i64 {
                rows.iter().filter_map(|row| row.1).map(i64::from).sum()
            };
            let flagged: Vec<&Row> = of.iter().copied().filter(|row| row.2).collect();
            wanted.push_str(&format!(
                "G{group},{},{},{},{}\n",
                cents(sum(&of)), of.len(), cents(sum(&flagged)), !of.is_empty()
            ));
        }
        prop_assert_eq!(&written["out.csv"], &wanted);
    }

    #[test]
    fn each_aggregate_of_a_check_is_that_of_one_row_in_all(rows in rows()) {
        let made = [
            "rows(X)", "count(X.n)", "distinct(X.n where X.flag)", "sum(X.n)", "min(X.g)", "max(X.n)",
            "mean(X.n where X.flag)", "any(X.n > 4)", "all(X.flag)", "share(X.n > 0)",
            "latest(X.id by X.n)", "earliest(X.id by X.n)", "list(distinct X.n, \" \")",
            "list(X.id, \" \" by X.n desc, X.id where X.flag)", "sole(X.n > 5 where X.n > 5)",
        ];
        let (mut results, mut checks) = (String::new(), String::new());
        for (at, call) in made.iter().enumerate() {
            let (inside, total) = (call.replace("X.", "").replace('X', ""), call.replace('X', "t"));
            results.push_str(&format!("  r{at} = {inside}\n"));
            checks.push_str(&format!(
                "check \"{at}\": ({total} = sole(whole.r{at})) or \
                 ({total} is blank and sole(whole.r{at}) is blank)\n"
            ));
        }
        let plan = format!("table whole from t\n  one row in all\n{results}{checks}");
        let (report, _) = ran(&rows, &plan);
        prop_assert_eq!(report.checks.len(), made.len());
        for check in &report.checks {
            prop_assert!(check.held, "{check:#?}");
        }
    }

    #[test]
    fn what_leads_to_the_rows_of_a_group_is_as_in_a_table_of_those(rows in rows()) {
        let call = |of: &str| format!(
            "n = rows({0}) d = distinct({1}n) m = mean({1}n where flag) p = share({1}n > 0)\n    \
             l = list({1}id, \" \" by id desc) u = list(distinct {1}n, \" \")\n    \
             last = latest({1}id by n) first = earliest({1}n by id) sum = sum({1}n)\n    \
             yes = sole({1}flag where flag)",
            of.trim_end_matches('.'), of
        );
        let (far, near) = (call("t."), call(""));
        // G1 is one of its own, and the others are put together.
        let plan = format!(
            "link t to groups on g\n\
             table over from groups\n  one row per contains(g, \"1\") as k\n    {far}\n  drop n = 0\n  sort k\n\
             table long from t\n  keep has(groups)\n  one row per contains(g, \"1\") as k\n    {near}\n  \
             sort k\n\
             table over_all from groups\n  one row in all\n    {far}\n\
             table long_all from t\n  keep has(groups)\n  one row in all\n    {near}\n\
             output over to \"over.csv\"\noutput long to \"long.csv\"\n\
             output over_all to \"over_all.csv\"\noutput long_all to \"long_all.csv\"\n"
        );
        let (report, written) = ran(&rows, &plan);
        prop_assert!(report.held(), "{report:#?}");
        prop_assert_eq!(&written["over.csv"], &written["long.csv"]);
        prop_assert_eq!(&written["over_all.csv"], &written["long_all.csv"]);
    }

    #[test]
    fn a_check_counts_the_rows_for_which_it_does_not_hold(rows in rows(), least in -500_i32..500) {
        let plan = format!("check t: n >= {}\n", cents(least.into()));
        let (report, _) = ran(&rows, &plan);
        let check = &report.checks[0];
        let fails = |row: &&Row| row.1.is_none_or(|n| n < least);
        let failed = rows.iter().filter(fails).count() as u64;
        prop_assert_eq!(check.failed, failed);
        prop_assert_eq!(check.blank, rows.iter().filter(|row| row.1.is_none()).count() as u64);
        prop_assert_eq!(check.held, failed == 0);
        let first = rows.iter().position(|row| fails(&row)).map(|at| at.to_string());
        let shown = check.examples.first().map(|row| row.values[0].1.clone());
        prop_assert_eq!(shown, first);
    }

    #[test]
    fn a_share_is_reached_exactly_when_it_is(rows in rows(), percent in 0_u32..101) {
        let plan = format!("link t to groups on g at least {percent}% of n\n");
        let (report, _) = ran(&rows, &plan);
        let link: &LinkTally = &report.links[0];
        let sum = |matched: bool| -> i64 {
            rows.iter()
                .filter(|row| (row.0 < 3) == matched)
                .filter_map(|row| row.1)
                .map(|n| i64::from(n).abs())
                .sum()
        };
        let (part, whole) = (sum(true), sum(true) + sum(false));
        prop_assert_eq!(link.held, part * 100 >= whole * i64::from(percent));
        let plan = format!("link t to groups on g at least {percent}%\n");
        let (report, _) = ran(&rows, &plan);
        let matched = rows.iter().filter(|row| row.0 < 3).count();
        prop_assert_eq!(report.links[0].held, matched * 100 >= rows.len() * percent as usize);
        prop_assert_eq!(report.links[0].matched, matched as u64);
    }
}

#[test]
fn a_share_of_99_996_is_not_complete_and_not_printed_as_100() {
    let mut rows: Vec<Row> = vec![(0, Some(1), true); 24_999];
    rows.push((4, Some(1), true));
    let (report, _) = ran(&rows, "link t to groups on g complete\n");
    assert!(!report.links[0].held);
    assert_eq!(crate::tally::share_text(24_999, 25_000), "99.99%");
    let (report, _) = ran(&rows, "link t to groups on g at least 99.996%\n");
    assert!(report.links[0].held);
    let (report, _) = ran(&rows, "link t to groups on g at least 99.9961%\n");
    assert!(!report.links[0].held);
}

#[test]
fn how_many_rows_lead_to_one_is_told_over_those_that_are_reached() {
    let rows: Vec<Row> = [0, 0, 0, 1, 1, 4].iter().map(|group| (*group, Some(1), true)).collect();
    let (report, _) = ran(&rows, "link t to groups on g\n");
    let link = &report.links[0];
    let spread = link.spread.unwrap();
    assert_eq!((spread.least, spread.median, spread.most), (2, 2, 3));
    assert_eq!((link.unreached, link.target_rows), (1, 3));
    let (report, _) = ran(&[], "link t to groups on g complete\n");
    assert!(report.links[0].held, "nothing of nothing is all");
    assert_eq!(report.links[0].spread, None);
}

#[test]
fn links_between_built_tables_go_back_to_their_bases() {
    let plan = "table large from t\n  keep n > 0\ntable chosen from groups\n  keep g != \"G1\"\n\
                link large to chosen on g\n\
                table out from large\n  keep has(chosen)\n  columns id, g\n\
                table back from chosen\n  add c = rows(large)\n\
                output out to \"out.csv\"\noutput back to \"back.csv\"\n";
    let rows = [(0, Some(1), true), (1, Some(1), true), (2, Some(-1), true), (2, Some(5), true)];
    let (report, written) = ran(&rows, plan);
    assert!(report.held());
    assert_eq!(written["out.csv"], "0,G0\n3,G2\n");
    assert_eq!(written["back.csv"], "G0,1\nG2,1\n");
}

#[test]
fn a_table_built_on_a_held_table_reaches_the_links_of_its_bases() {
    // `a` is held, since two are built from it; both still follow the link of `t`.
    let plan = "link t to groups on g\ntable a from t\n  keep n > 0\n\
                table b from a\n  add known = has(groups)\ntable c from a\n  keep not has(groups)\n\
                output b to \"b.csv\"\noutput c to \"c.csv\"\n";
    let rows = [(0, Some(-1), true), (4, Some(1), true), (1, Some(1), false)];
    let (report, written) = ran(&rows, plan);
    assert!(report.held());
    assert_eq!(written["b.csv"], "1,G4,0.01,true,false\n2,G1,0.01,false,true\n");
    assert_eq!(written["c.csv"], "1,G4,0.01,true\n");
}
