//! What must hold for any data: the tally closes, totals are conserved, links count every row, and
//! neither parts nor threads matter.

use std::collections::{BTreeMap, HashMap};

use proptest::prelude::*;

use super::memory::run_texts;
use crate::table::Amount;
use crate::tally::{Report, TableTally};

/// An order line: order, line, quantity, net in cents, status.
type Line = (u8, u8, u8, i32, Option<bool>);

fn lines() -> impl Strategy<Value = Vec<Line>> {
    prop::collection::vec((0_u8..6, 0_u8..3, 1_u8..5, -999_i32..999, any::<Option<bool>>()), 0..40)
}

fn cents(value: i64) -> String {
    let sign = if value < 0 { "-" } else { "" };
    format!("{sign}{}.{:02}", value.abs() / 100, value.abs() % 100)
}

fn text(lines: &[Line]) -> String {
    let mut text = String::from("order_no,line_no,quantity,net,status\n");
    for (order, line, quantity, net, status) in lines {
        let order = if *order == 5 { String::new() } else { format!("M{order}") };
        let status = match status {
            None => "",
            Some(true) => "open",
            Some(false) => "void",
        };
        text.push_str(&format!("{order},{line},{quantity},{},{status}\n", cents((*net).into())));
    }
    text
}

const PLAN: &str = r#"
input orders from "orders"
  grain order_no
input lines from "lines"
  read net as decimal(2)
       quantity as integer
       status as text
       order_no as text
  dedupe
  drop status = "void"
  add value = net * 2
  track quantity, net, value
link lines to orders on order_no
table sold from lines
  keep has(orders)
  dedupe by order_no, line_no keep largest net
table units from sold
  units of quantity as unit_no split net, value
table sums from orders
  add net = sum(lines.net) count = rows(lines) big = sum(lines.quantity where net > 1)
check "units": sum(units.net) = sum(sold.net) and sum(units.quantity) = sum(sold.quantity)
check "sums": sum(sums.net) = sum(lines.net where has(orders))
output units to "units.csv"
output sums to "sums.csv"
output sold to "sold.csv"
"#;

fn orders() -> String {
    "order_no\nM0\nM1\nM2\nM3\n".to_owned()
}

fn ran(lines: &[Line], part: usize) -> (Report, HashMap<String, String>) {
    run_texts(&[("orders", orders()), ("lines", text(lines))], PLAN, part)
}

fn units_of(amount: Option<Amount>) -> i128 {
    match amount {
        Some(Amount::Exact { units: Some(units), .. }) => units,
        other => panic!("{other:?}"),
    }
}

/// Rows and net at the start and after each step.
fn course(tally: &TableTally) -> Vec<(u64, i128)> {
    let at = tally.tracked.iter().position(|tracked| tracked.name == "net").unwrap();
    std::iter::once((tally.rows, units_of(tally.amounts[at])))
        .chain(tally.steps.iter().map(|step| (step.rows, units_of(step.amounts[at]))))
        .collect()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(120))]

    #[test]
    fn the_tally_is_that_of_a_slow_twin(lines in lines()) {
        let (report, written) = ran(&lines, 7);
        prop_assert!(report.held(), "{:#?}", report.problems);
        let mut left = lines.clone();
        let total = |lines: &[Line]| lines.iter().map(|line| i128::from(line.3)).sum::<i128>();
        let mut wanted = vec![(left.len() as u64, total(&left))];
        let mut seen = vec![];
        left.retain(|line| {
            let new = !seen.contains(line);
            seen.push(*line);
            new
        });
        wanted.push((left.len() as u64, total(&left)));
        left.retain(|line| line.4 != Some(false));
        wanted.push((left.len() as u64, total(&left)));
        prop_assert_eq!(course(report.table("lines").unwrap()), wanted);

        left.retain(|line| line.0 < 4);
        let mut sold = vec![(left.len() as u64, total(&left))];
        let mut best: BTreeMap<(u8, u8), Line> = BTreeMap::new();
        for line in &left {
            let known = best.entry((line.0, line.1)).or_insert(*line);
            if line.3 >= known.3 {
                *known = *line;
            }
        }
        let kept: Vec<Line> = best.values().copied().collect();
        sold.push((kept.len() as u64, total(&kept)));
        prop_assert_eq!(&course(report.table("sold").unwrap())[1..], &sold[..]);
        let count: u64 = kept.iter().map(|line| u64::from(line.2)).sum();
        prop_assert_eq!(written["units.csv"].lines().count() as u64, count);
        prop_assert_eq!(course(report.table("units").unwrap())[1], (count, total(&kept)));
    }

    #[test]
    fn each_base_ends_where_what_is_built_on_it_begins(lines in lines()) {
        let (report, _) = ran(&lines, 5);
        for (base, table) in [("lines", "sold"), ("sold", "units")] {
            let (base, table) = (report.table(base).unwrap(), report.table(table).unwrap());
            prop_assert_eq!(*course(base).last().unwrap(), course(table)[0]);
        }
    }

    #[test]
    fn a_link_counts_every_row_once(lines in lines()) {
        let (report, _) = ran(&lines, 6);
        let link = &report.links[0];
        prop_assert_eq!(link.matched + link.missing + link.blank, link.rows);
        prop_assert_eq!(link.rows, course(report.table("lines").unwrap()).last().unwrap().0);
        let listed: u64 = link.examples.iter().map(|example| example.rows).sum();
        // There is one key that orders lack, so the examples list all that is missing.
        prop_assert_eq!(listed, link.missing);
        if let Some(spread) = link.spread {
            prop_assert!(spread.least <= spread.median && spread.median <= spread.most);
            prop_assert!(spread.most <= link.matched);
        }
        prop_assert!(link.unreached <= link.target_rows);
    }

    #[test]
    fn parts_and_threads_do_not_matter(lines in lines(), part in 1_usize..9) {
        let in_pool = |threads: usize, part: usize| {
            let pool = rayon::ThreadPoolBuilder::new().num_threads(threads).build().unwrap();
            pool.install(|| {
                let (report, written) = ran(&lines, part);
                (serde_json::to_string(&report).unwrap(), written)
            })
        };
        let one = in_pool(1, 1000);
        prop_assert_eq!(&one, &in_pool(4, part));
        prop_assert_eq!(&one, &in_pool(1, part));
    }

    #[test]
    fn dedupe_by_keeps_the_same_row_in_any_parts(lines in lines(), part in 1_usize..9) {
        let plan = "input lines from \"lines\"\n  dedupe by order_no keep largest quantity\n\
                    table out from lines\noutput out to \"out.csv\"\n";
        let files = [("lines", text(&lines))];
        let (report, written) = run_texts(&files, plan, part);
        let mut best: Vec<(usize, &Line)> = vec![];
        for (at, line) in lines.iter().enumerate() {
            let same = best.iter_mut().find(|(_, known)| known.0 == line.0 && line.0 != 5);
            match same {
                Some(known) if line.2 >= known.1.2 => *known = (at, line),
                Some(_) => {}
                None => best.push((at, line)),
            }
        }
        best.sort_by_key(|(at, _)| *at);
        let kept: Vec<Line> = best.into_iter().map(|(_, line)| *line).collect();
        let all = text(&kept);
        let rows: Vec<&str> = all.lines().skip(1).collect();
        let net_as_found = written["out.csv"].lines().collect::<Vec<_>>();
        prop_assert_eq!(net_as_found, rows);
        let cut = match &report.table("lines").unwrap().steps[0].detail {
            crate::tally::StepDetail::Dedupe(cut) => *cut,
            other => panic!("{other:?}"),
        };
        let removed = (lines.len() - kept.len()) as u64;
        prop_assert_eq!(cut.copies + cut.older + cut.ties, removed);
    }
}
