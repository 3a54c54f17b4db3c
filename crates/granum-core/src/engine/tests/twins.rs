//! What rows get of their group, what leads to them, and which of them stay, against slow twins that
//! look at every pair of rows.

use std::collections::BTreeMap;

use proptest::prelude::*;

use super::memory::run_texts;

/// A buyer, a day of a month, an amount; the row's number is its key.
type Row = (Option<u8>, u8, Option<i16>);

/// Rows by their numbers, each with its amount.
type Numbered = Vec<(usize, Option<i16>)>;

fn rows() -> impl Strategy<Value = Vec<Row>> {
    let row =
        (prop::option::weighted(0.9, 0..4_u8), 1..6_u8, prop::option::weighted(0.85, -20..20_i16));
    prop::collection::vec(row, 0..30)
}

fn buyer(row: Row) -> String {
    row.0.map_or(String::new(), |buyer| format!("B{buyer}"))
}

fn text(rows: &[Row]) -> String {
    let mut text = String::from("id,buyer,on,n\n");
    for (at, row) in rows.iter().enumerate() {
        let n = row.2.map_or(String::new(), |n| n.to_string());
        text.push_str(&format!("{at},{},2026-01-{:02},{n}\n", buyer(*row), row.1));
    }
    text
}

/// An input with the types that a text without rows does not show.
const INPUT: &str = "input s from \"s\"\n  read id as integer\n       buyer as text\n       on as date\n       \
                     n as integer\n  grain id\n  track n\n";

fn cells(text: &str) -> Vec<Vec<String>> {
    text.lines().map(|line| line.split(',').map(str::to_owned).collect()).collect()
}

fn number(value: Option<i64>) -> String {
    value.map_or(String::new(), |value| value.to_string())
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(80))]

    #[test]
    fn places_running_sums_and_values_of_groups(rows in rows(), part in 1..9_usize) {
        let plan = format!(
            "{INPUT}table t from s\n  add place = position(per buyer by on, id)\n      \
             so_far = running(n per buyer by on, id)\n      first = min(on per buyer)\n      \
             of_all = sum(n in all)\n      others = rows(per buyer)\n  \
             columns id, place, so_far, first, of_all, others\noutput t to \"t.csv\"\n"
        );
        let (report, written) = run_texts(&[("s", text(&rows))], &plan, part);
        prop_assert!(report.held());
        let all: i64 = rows.iter().filter_map(|row| row.2).map(i64::from).sum();
        let twin = rows.iter().enumerate().map(|(at, row)| {
            let group: Vec<(u8, usize, i64)> = rows
                .iter()
                .enumerate()
                .filter(|(_, other)| other.0 == row.0)
                .map(|(other_at, other)| (other.1, other_at, other.2.unwrap_or(0).into()))
                .collect();
            let before: Vec<_> =
                group.iter().filter(|other| (other.0, other.1) <= (row.1, at)).collect();
            vec![
                at.to_string(),
                before.len().to_string(),
                before.iter().map(|other| other.2).sum::<i64>().to_string(),
                format!("2026-01-{:02}", group.iter().map(|other| other.0).min().unwrap()),
                all.to_string(),
                group.len().to_string(),
            ]
        });
        prop_assert_eq!(cells(&written["t.csv"]), twin.collect::<Vec<_>>());
    }

    #[test]
    fn the_largest_of_each_group_stay_and_ties_are_counted(
        rows in rows(), part in 1..9_usize, most in 1..4_usize, bottom in any::<bool>(),
        ties in any::<bool>(), percent in prop::option::of(1..=100_usize),
    ) {
        let count = percent.map_or(most.to_string(), |percent| format!("{percent}%"));
        let word = if bottom { "bottom" } else { "top" };
        let with = if ties { " with ties" } else { "" };
        let plan = format!(
            "{INPUT}table t from s\n  {word} {count} by n per buyer{with}\n  columns id, n\n\
             output t to \"t.csv\"\n"
        );
        let (report, written) = run_texts(&[("s", text(&rows))], &plan, part);
        prop_assert!(report.held());
        let mut groups: Vec<(Option<u8>, Numbered)> = vec![];
        for (at, row) in rows.iter().enumerate() {
            match groups.iter_mut().find(|(buyer, _)| *buyer == row.0) {
                Some((_, group)) => group.push((at, row.2)),
                None => groups.push((row.0, vec![(at, row.2)])),
            }
        }
        let mut twin = vec![];
        for (_, mut group) in groups {
            // Blanks come last, whichever way.
            let rank = |n: Option<i16>| n.map_or(i32::MAX, |n| if bottom { n.into() } else { -i32::from(n) });
            group.sort_by_key(|(at, n)| (rank(*n), *at));
            // A part of them is rounded up.
            let most = percent.map_or(most, |percent| (group.len() * percent).div_ceil(100));
            let mut end = most.min(group.len());
            while ties && end < group.len() && rank(group[end].1) == rank(group[end - 1].1) {
                end += 1;
            }
            twin.extend(group[..end].iter().map(|(at, n)| {
                vec![at.to_string(), number(n.map(i64::from))]
            }));
        }
        prop_assert_eq!(cells(&written["t.csv"]), twin);
        // What went stands in the tally.
        let tally = report.table("t").unwrap();
        let kept: i128 = cells(&written["t.csv"]).iter().filter_map(|row| row[1].parse::<i128>().ok()).sum();
        prop_assert_eq!(
            tally.steps[0].amounts[0].map(|amount| amount.to_string().replace('\u{2212}', "-")),
            Some(kept.to_string())
        );
    }

    #[test]
    fn what_leads_here_is_gathered_over_two_links_and_for_groups(
        rows in rows(), orders in prop::collection::vec(prop::option::weighted(0.9, 0..4_u8), 0..12),
        part in 1..9_usize,
    ) {
        // Lines lead to orders by the first column's number, and those to buyers.
        let mut order_text = String::from("order,who\n");
        for (at, who) in orders.iter().enumerate() {
            order_text.push_str(&format!("{at},{}\n", who.map_or(String::new(), |who| format!("B{who}"))));
        }
        let order_of = |row: &Row| row.0.map(|buyer| usize::from(buyer) * 2);
        let mut line_text = String::from("id,order,n\n");
        for (at, row) in rows.iter().enumerate() {
            let order = order_of(row).map_or(String::new(), |order| order.to_string());
            line_text.push_str(&format!("{at},{order},{}\n", number(row.2.map(i64::from))));
        }
        let buyers = "who,town\nB0,east\nB1,west\nB2,east\nB3,west\n".to_owned();
        let plan = "input lines from \"lines\"\n  read id as integer\n       order as integer\n       \
                    n as integer\n  grain id\n  track n\n\
                    input orders from \"orders\"\n  read order as integer\n       who as text\n  grain order\n\
                    input buyers from \"buyers\"\n  grain who\n\
                    link lines to orders on order\nlink orders to buyers on who\n\
                    table dear from lines\n  keep n > 0\n\
                    table t from buyers\n  add lines = rows(orders.lines)\n      net = sum(orders.lines.n)\n      \
                    most = max(orders.lines.n)\n      dear = sum(orders.dear.n)\n\
                    table towns from buyers\n  one row per town\n    lines = rows(orders.lines)\n    \
                    net = sum(orders.lines.n)\n    least = min(orders.lines.n)\n\
                    output t to \"t.csv\"\noutput towns to \"towns.csv\"\n";
        let files = [("lines", line_text), ("orders", order_text), ("buyers", buyers)];
        let (report, written) = run_texts(&files, plan, part);
        prop_assert!(report.held(), "{:#?}", report.problems);
        let led = |who: u8| -> Vec<Option<i64>> {
            let own = |row: &&Row| {
                order_of(row).is_some_and(|order| orders.get(order).copied().flatten() == Some(who))
            };
            rows.iter().filter(own).map(|row| row.2.map(i64::from)).collect()
        };
        let sum = |rows: &[Option<i64>]| rows.iter().flatten().sum::<i64>();
        let twin: Vec<Vec<String>> = (0..4_u8)
            .map(|who| {
                let own = led(who);
                let town = if who % 2 == 0 { "east" } else { "west" };
                let dear: i64 = own.iter().flatten().filter(|n| **n > 0).sum();
                vec![
                    format!("B{who}"),
                    town.to_owned(),
                    own.len().to_string(),
                    sum(&own).to_string(),
                    number(own.iter().flatten().max().copied()),
                    dear.to_string(),
                ]
            })
            .collect();
        prop_assert_eq!(cells(&written["t.csv"]), twin);
        let towns: Vec<Vec<String>> = [("east", [0, 2]), ("west", [1, 3])]
            .into_iter()
            .map(|(town, who)| {
                let own = [led(who[0]), led(who[1])].concat();
                let least = number(own.iter().flatten().min().copied());
                vec![town.to_owned(), own.len().to_string(), sum(&own).to_string(), least]
            })
            .collect();
        prop_assert_eq!(cells(&written["towns.csv"]), towns);
    }

    #[test]
    fn tables_that_meet_have_a_row_for_each_key_of_any(
        a in rows(), b in rows(), part in 1..9_usize,
    ) {
        let plan = format!(
            "{INPUT}{}table x from s\n  one row per buyer\n    n = sum(n)\n\
             table y from u\n  one row per buyer\n    m = rows()\n\
             table t from x meeting y on buyer\n\
             check: sum(t.n) = sum(s.n) and sum(t.m) = rows(u)\noutput t to \"t.csv\"\n",
            INPUT.replace("input s from \"s\"", "input u from \"u\"")
        );
        let (report, written) = run_texts(&[("s", text(&a)), ("u", text(&b))], &plan, part);
        prop_assert!(report.held(), "{:#?}", report.problems);
        let mut twin: Vec<(String, Option<i64>, Option<i64>)> = vec![];
        let mut at: BTreeMap<String, usize> = BTreeMap::new();
        let mut row = |rows: &mut Vec<(String, Option<i64>, Option<i64>)>, key: String| {
            *at.entry(key.clone()).or_insert_with(|| {
                rows.push((key, None, None));
                rows.len() - 1
            })
        };
        for own in &a {
            let at = row(&mut twin, buyer(*own));
            *twin[at].1.get_or_insert(0) += i64::from(own.2.unwrap_or(0));
        }
        for own in &b {
            let at = row(&mut twin, buyer(*own));
            *twin[at].2.get_or_insert(0) += 1;
        }
        let twin: Vec<Vec<String>> =
            twin.into_iter().map(|(key, n, m)| vec![key, number(n), number(m)]).collect();
        prop_assert_eq!(cells(&written["t.csv"]), twin);
        // Each part says how many of its keys no other has.
        let parts = &report.table("t").unwrap().parts;
        let alone = |rows: &[Row], others: &[Row]| {
            let mut own: Vec<String> = rows.iter().copied().map(buyer).collect();
            own.sort();
            own.dedup();
            own.iter().filter(|key| !others.iter().any(|other| buyer(*other) == **key)).count() as u64
        };
        prop_assert_eq!((parts[0].alone, parts[1].alone), (Some(alone(&a, &b)), Some(alone(&b, &a))));
    }
}
