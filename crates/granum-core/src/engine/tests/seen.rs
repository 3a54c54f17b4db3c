//! What a page shows of a run.

use proptest::prelude::*;

use super::memory::{Shelf, run_texts_as};
use crate::engine::Running;
use crate::tally::{LinkMonths, MonthMet, Seen};

/// What is seen of a plan over texts, with all room and with none.
fn seen(files: &[(&str, &str)], plan: &str) -> Seen {
    let files: Vec<(&str, String)> =
        files.iter().map(|(name, text)| (*name, (*text).to_owned())).collect();
    let room = Shelf::room(0, usize::MAX);
    let [here, away] = [None, Some(&room)].map(|room| {
        let running = Running { seen: true, room, ..Running::default() };
        run_texts_as(&files, plan, 2, running).0.seen.unwrap()
    });
    assert_eq!(format!("{here:?}"), format!("{away:?}"));
    here
}

/// A link by month on a line each.
fn months(months: &LinkMonths) -> String {
    let mut out = format!("{}.{} by {}\n", months.from, months.name, months.by);
    for (at, met) in months.months.iter().enumerate() {
        let month = months.first + at as i32;
        let (year, month) = (month.div_euclid(12), month.rem_euclid(12) + 1);
        out.push_str(&format!("{year}-{month:02} {}/{}\n", met.matched, met.rows));
    }
    let MonthMet { rows, matched } = months.without;
    if rows > 0 { out + &format!("none {matched}/{rows}\n") } else { out }
}

const ORDERS: &str =
    "no,c,on\n1,a,2025-12-30\n2,z,2026-02-01\n3,,2026-02-03\n4,a,\n5,b,2026-02-28\n";
const LINES: &str = "no,line,article\n1,1,x\n1,2,y\n2,1,x\n9,1,z\n4,1,x\n";

#[test]
fn links_are_told_by_month_of_their_own_days_or_of_those_that_another_link_leads_to() {
    let files = [
        ("o", ORDERS),
        ("l", LINES),
        ("c", "c\na\nb\n"),
        ("a", "article,from,to\nx,2020-01-01,2030-01-01\n"),
    ];
    let plan = "input o from \"o\"\n  read on as date\n  grain no\ninput l from \"l\"\n  grain no, line\n\
        input c from \"c\"\ninput a from \"a\"\n\
        link o to c on c blank allowed\nlink l to a on article\nlink l to o on no\n";
    let seen = seen(&files, plan);
    let told: Vec<String> = seen.months.iter().map(months).collect();
    assert_eq!(
        told,
        [
            // A blank key is left out where the link leaves it out; a month without rows is there.
            "o.c by on\n2025-12 1/1\n2026-01 0/0\n2026-02 1/2\nnone 1/1\n",
            // Lines have no days: those of their orders, and none where there is no order.
            "l.a by o.on\n2025-12 1/2\n2026-01 0/0\n2026-02 1/1\nnone 1/2\n",
        ]
    );
}

#[test]
fn first_rows_have_the_columns_that_something_needs_and_name_the_others() {
    let files = [("o", ORDERS), ("l", LINES)];
    let plan = "input o from \"o\"\n  grain no\ninput l from \"l\"\n\
        link l to o on no\ntable s from l\n  keep has(o)\n  add up = upper(article)\n\
        table t from s\n  one row in all\n    rows = rows()\n";
    let seen = seen(&files, plan);
    let told = seen.tables.iter().map(|first| {
        let names: Vec<&str> = first.columns.iter().map(|(name, _)| name.as_str()).collect();
        format!("{} {}: {} | {}", first.table, first.rows, names.join(" "), first.unused.join(" "))
    });
    assert_eq!(
        told.collect::<Vec<_>>(),
        ["o 5: no | c on", "l 5: no | line article", "s 4:  | no line article up", "t 1: rows | "]
    );
    // Days that are no business's: nothing is told by month.
    let wide = "no,c,on\n1,a,0001-01-01\n2,b,9999-12-31\n";
    let plan = "input o from \"o\"\n  read on as date\ninput c from \"c\"\nlink o to c on c\n";
    assert!(self::seen(&[("o", wide), ("c", "c\na\n")], plan).months.is_empty());
    let none = "no,c,on\n1,a,\n";
    assert!(self::seen(&[("o", none), ("c", "c\na\n")], plan).months.is_empty());
}

proptest! {
    #[test]
    fn months_add_up_to_the_link(rows in prop::collection::vec((0..4_u8, 0..5_u8, 0..14_u8), 0..40)) {
        let mut text = "key,on\n".to_owned();
        for (key, year, month) in rows {
            let key = ["a", "b", "z", ""][key as usize];
            let on = if (1..=12).contains(&month) { format!("202{year}-{month:02}-15") } else { String::new() };
            text.push_str(&format!("{key},{on}\n"));
        }
        let files = [("f", text), ("t", "key\na\nb\n".to_owned())];
        for allowed in ["", " blank allowed"] {
            let plan = format!("input f from \"f\"\n  read on as date\ninput t from \"t\"\nlink f to t on key{allowed}\n");
            let running = Running { seen: true, ..Running::default() };
            let (report, _) = run_texts_as(&files, &plan, 3, running);
            let Some(of) = report.seen.iter().flat_map(|seen| &seen.months).next() else { continue };
            let all = of.months.iter().chain([&of.without]);
            let (rows, matched) = all.fold((0, 0), |(a, b), met| (a + met.rows, b + met.matched));
            prop_assert_eq!((rows, matched), (report.links[0].counted(), report.links[0].matched));
        }
    }
}
