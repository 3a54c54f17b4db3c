//! Rows that are gathered while they pass are gathered as if all were at hand at once, whatever the
//! batches.

use proptest::prelude::*;

use super::memory::run_texts;

/// A channel, a status, an amount in cents, a quantity; any but the first may be missing.
type Row = (Option<u8>, Option<bool>, Option<i32>, Option<u8>);

fn rows() -> impl Strategy<Value = Vec<Row>> {
    let row = (
        prop::option::weighted(0.9, 0..5_u8),
        any::<Option<bool>>(),
        prop::option::weighted(0.8, -999..999_i32),
        prop::option::weighted(0.8, 0..9_u8),
    );
    prop::collection::vec(row, 0..60)
}

fn text(rows: &[Row]) -> String {
    let mut text = String::from("channel,open,net,quantity\n");
    for (channel, open, net, quantity) in rows {
        let channel = channel.map_or(String::new(), |channel| format!("c{channel}"));
        let open = open.map_or(String::new(), |open| open.to_string());
        let net = net.map_or(String::new(), |cents| {
            let sign = if cents < 0 { "-" } else { "" };
            format!("{sign}{}.{:02}", cents.abs() / 100, cents.abs() % 100)
        });
        let quantity = quantity.map_or(String::new(), |quantity| quantity.to_string());
        text.push_str(&format!("{channel},{open},{net},{quantity}\n"));
    }
    text
}

const RESULTS: &str = "n = rows() known = count(net) net = sum(net) units = sum(quantity)\n\
    least = min(net) most = max(quantity) mean = mean(net) each = mean(quantity)\n\
    some = any(open) every = all(open) part = share(open) big = sum(net where quantity > 3)\n\
    float = sum(number(quantity)) middle = mean(number(quantity)) late = max(text(quantity))\n\
    last = latest(net by quantity) first = earliest(open by net where quantity > 2)\n\
    one = sole(net > 99) sorts = distinct(quantity) nets = distinct(net where open)";

/// Runs the same step twice: as it is, and with a result more that can only be worked of all rows.
fn both(rows: &[Row], keys: &str, part: usize) -> (String, String) {
    let plan = format!(
        "input s from \"s\"\n  read net as decimal(2)\n       quantity as integer\n       \
         open as boolean\n       channel as text\n  track net, quantity\n\
         table passing from s\n  one row {keys}\n    {RESULTS}\n\
         table whole from s\n  one row {keys}\n    {RESULTS}\n    all = list(distinct channel)\n  \
         columns {}n, known, net, units, least, most, mean, each, some, every, part, big, float, \
         middle, late, last, first, one, sorts, nets\n\
         check \"conserved\": sum(passing.net) = sum(s.net)\n\
         output passing to \"passing.csv\"\noutput whole to \"whole.csv\"\n",
        if keys.contains("channel") { "channel, " } else { "" }
    );
    let (report, written) = run_texts(&[("s", text(rows))], &plan, part);
    assert!(report.held(), "{:#?}", report.problems);
    (written["passing.csv"].clone(), written["whole.csv"].clone())
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(80))]

    #[test]
    fn passing_or_whole_groups_are_the_same(rows in rows(), part in 1..9_usize) {
        for keys in ["per channel", "in all"] {
            let (passing, whole) = both(&rows, keys, part);
            prop_assert_eq!(&passing, &whole);
            // Neither do the batches matter.
            prop_assert_eq!(&passing, &both(&rows, keys, 60).0);
        }
    }

    #[test]
    fn totals_stand_behind_groups_and_are_worked_of_all_rows(
        rows in rows(), part in 1..9_usize, late in any::<bool>(),
    ) {
        // Of rows that tie, the later is not that of the later group.
        let last = if late { "latest(net by quantity)" } else { "max(net)" };
        let plan = |more: &str| format!(
            "input s from \"s\"\n  read net as decimal(2)\n       channel as text\n  track net\n\
             table t from s\n  one row per channel total row \"all\"\n    \
             n = rows() net = sum(net) mean = mean(net) sorts = distinct(net){more}\n    \
             last = {last}\n  columns channel, n, net, mean, sorts, last\n\
             output t to \"t.csv\"\n"
        );
        let file = [("s", text(&rows))];
        let (_, passing) = run_texts(&file, &plan(""), part);
        let (_, whole) = run_texts(&file, &plan(" l = list(net)"), part);
        prop_assert_eq!(&passing["t.csv"], &whole["t.csv"]);
        let last = passing["t.csv"].lines().last().unwrap().to_owned();
        let start = format!("all,{},", rows.len());
        prop_assert!(last.starts_with(&start), "{}", last);
    }
}

#[test]
fn many_groups_are_put_together_now_and_then() {
    // More groups than are left as they are, over parts that hold them again and again.
    let mut text = String::from("k,net\n");
    let mut pairs = std::collections::HashSet::new();
    for row in 0..400_000_u32 {
        pairs.insert((row * 7 % 100_003, row % 10));
        text.push_str(&format!("k{},{}.50\n", row * 7 % 100_003, row % 10));
    }
    let plan = format!(
        "input s from \"s\"\n  read net as decimal(2)\n  track net\n\
         table t from s\n  one row per k\n    n = rows() net = sum(net) different = distinct(net)\n\
         check: sum(t.net) = sum(s.net) and sum(t.n) = rows(s) and rows(t) = 100003\n\
         check: sum(t.different) = {}\n",
        pairs.len()
    );
    let (report, _) = run_texts(&[("s", text)], &plan, 5_000);
    assert!(report.held(), "{:#?}", report.checks);
}
