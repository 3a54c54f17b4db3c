//! Columns that memory has no room for. That nothing changes by it is held by every law and twin, which run with no
//! room as well.

use std::collections::HashMap;
use std::sync::{Arc, Mutex};

use proptest::prelude::*;

use super::memory::{Memory, Shelf, try_texts};
use crate::engine::{RunError, Running, Tracing, removed, trace};
use crate::lang::parse;
use crate::port::Silent;
use crate::table::{Column, Room};

const PLAN: &str = r#"
input orders from "orders"
  grain order_no
input lines from "lines"
  dedupe
  grain order_no, line_no
  track quantity
link lines to orders on order_no complete
table sold from lines
  keep quantity > 1
  add on_day = orders.on_day
table days from sold
  one row per on_day  quantity = sum(quantity)
output sold to "sold.csv"
output days to "days.csv"
"#;

fn files() -> [(&'static str, String); 2] {
    let orders = (0..200).map(|at| format!("M{at},2026-01-{:02}\n", at % 28 + 1));
    let lines = (0..600).map(|at| format!("M{},{},{}\n", (at * 7) % 200, at / 200, at % 5));
    [
        ("orders", format!("order_no,on_day\n{}", orders.collect::<String>())),
        ("lines", format!("order_no,line_no,quantity\n{}", lines.collect::<String>())),
    ]
}

#[test]
fn what_has_no_room_goes_to_files_and_comes_back() {
    let free = try_texts(&files(), PLAN, 10, Running::default());
    let mut away = vec![];
    for limit in [0, 2_000, 20_000, u64::MAX] {
        let room = Shelf::room(limit, usize::MAX);
        let running = Running { room: Some(&room), ..Running::default() };
        let (report, written) = try_texts(&files(), PLAN, 10, running);
        assert!(report.unwrap().held());
        assert_eq!(written, free.1);
        // What a step has just made is there, however little room there is.
        assert!(room.most() <= limit.max(2_000), "{} of {limit}", room.most());
        away.push(room.put_away());
    }
    assert!(away[0] >= away[1] && away[1] > away[2] && away[2] > 0 && away[3] == 0, "{away:?}");
}

#[test]
fn full_files_stop_the_run_before_anything_is_written() {
    let room = Shelf::room(0, usize::MAX);
    let running = Running { room: Some(&room), ..Running::default() };
    try_texts(&files(), PLAN, 10, running).0.unwrap();
    let all = room.put_away() as usize;
    for bytes in [0, all / 3, all / 2, all - 1] {
        let room = Shelf::room(0, bytes);
        let running = Running { room: Some(&room), ..Running::default() };
        let (report, written) = try_texts(&files(), PLAN, 10, running);
        let Err(RunError::Scratch(error)) = report else { panic!("{bytes}: {report:#?}") };
        assert_eq!(error.to_string(), "the shelf: is full");
        assert!(written.is_empty());
    }
}

/// What comes of a plan over files that break after so many reads; and how many reads were left.
fn broken(plan: &str, times: usize) -> (Result<bool, RunError>, HashMap<String, String>, usize) {
    let gets = Arc::new(Mutex::new(times));
    let room = Shelf::failing(0, usize::MAX, &gets);
    let running = Running { room: Some(&room), ..Running::default() };
    let (report, written) = try_texts(&files(), plan, 10, running);
    let left = *gets.lock().unwrap();
    (report.map(|report| report.held()), written, left)
}

fn assert_broken(plan: &str, times: usize) {
    let (report, written, _) = broken(plan, times);
    let Err(RunError::Scratch(error)) = report else { panic!("{times}: {report:#?}") };
    assert_eq!(error.to_string(), "the shelf: is broken");
    assert!(written.is_empty(), "{times}");
}

#[test]
fn files_that_break_at_any_time_stop_the_run_before_anything_is_written() {
    // The last that is got is for the output whose values become columns.
    let plan = "input orders from \"orders\"\ntable few from orders\n  add kind = right(order_no, 1)\n  \
                one row per kind, on_day\n    orders = rows()\n\
                output few to \"wide.csv\" columns from kind of orders\n";
    let (held, all, left) = broken(plan, usize::MAX);
    assert!(held.unwrap() && !all.is_empty());
    for times in 0..usize::MAX - left {
        assert_broken(plan, times);
    }
}

#[test]
fn files_that_break_stop_what_is_worked_part_by_part() {
    let both = "input orders from \"orders\"\n  add freight = 7.25\n  grain order_no\n  track freight\n\
                input lines from \"lines\"\n  track quantity\nlink lines to orders on order_no\n";
    let steps = [
        "lines\n  allocate orders.freight as freight by line_no else equally",
        "orders\n  add sold = sum(lines.quantity)",
        "orders\n  one row per on_day\n    middle = median(lines.quantity)",
        "lines\n  top 40% by quantity per order_no",
    ];
    for step in steps {
        let plan = &format!("{both}table t from {step}\noutput t to \"t.csv\"\n");
        let (held, all, left) = broken(plan, usize::MAX);
        assert!(held.unwrap() && !all.is_empty(), "{plan}");
        // How often is not the same in each run: threads keep what they got last.
        let times = (usize::MAX - left) * 9 / 10;
        for part in 0..30 {
            assert_broken(plan, times * part / 30);
        }
    }
}

#[test]
fn a_story_is_told_right_or_not_at_all_where_files_are_full() {
    let tree = parse(&stepped(
        "  drop quantity is blank\n  add more = quantity + 1\n  sort much, line_no",
    ))
    .tree;
    let files = lines().map(|(name, text)| (name.to_owned(), text)).into();
    let memory = Memory { files, part: 10 };
    let told = |bytes: usize| {
        let room = Shelf::room(0, bytes);
        let keys = vec![("line_no".to_owned(), "17".to_owned())];
        let tracing = Tracing { table: "all".into(), keys, line: None, room: Some(room.clone()) };
        (trace(&tree, &[], &memory, &tracing, &Silent), room.put_away() as usize)
    };
    let (story, all) = told(usize::MAX);
    let story = story.unwrap();
    assert!(story.found == 1 && all > 1_000);
    for part in 0..40 {
        let failed = told(all * part / 40).0;
        assert!(matches!(failed, Err(RunError::Scratch(_))), "{part}: {failed:#?}");
    }
    assert_eq!(format!("{:?}", told(all).0.unwrap()), format!("{story:?}"));
}

/// A plan over the lines, which stand in no order, with a number and a few blanks: each step by itself.
fn stepped(steps: &str) -> String {
    format!(
        "input lines from \"lines\"\n  read much as number\n  track quantity\n\
         table all from lines\n{steps}\noutput all to \"all.csv\""
    )
}

fn lines() -> [(&'static str, String); 1] {
    let line = |at: u32| {
        let quantity = if at.is_multiple_of(11) { String::new() } else { (at % 7).to_string() };
        let key = at * 37 % 91;
        format!("M{key:02},{at},{quantity},{}.{},2026-01-{:02}\n", at % 3, at % 9, at % 13 + 1)
    };
    let lines: String = (0..300).map(line).collect();
    [("lines", format!("order_no,line_no,quantity,much,on_day\n{lines}"))]
}

#[test]
fn each_step_that_sees_all_rows_is_scattered_and_gives_the_same() {
    let steps = [
        "  sort quantity desc, order_no",
        "  sort order_no & \"x\"",
        "  add r = running(quantity per order_no by on_day)",
        "  add r = max(much per order_no by on_day over 3 days)",
        "  add r = position(per order_no by quantity desc)",
        // What ties is settled by the grain, which goes against the order of rows.
        "  change line_no = 0 - line_no\n  grain line_no\n  add r = position(per order_no by on_day)",
        "  change line_no = 0 - line_no\n  grain line_no\n  add r = running(much per on_day by quantity)",
        "  add r = previous(on_day where quantity > 2 per order_no by line_no)",
        "  add r = sum(quantity per order_no, on_day)\n      s = list(much per order_no, \",\" by line_no)",
        "  one row per order_no  q = median(quantity)  l = list(distinct on_day, \" \" by on_day desc)",
        "  one row per order_no  q = sum(much where quantity > 1)  n = rows()  d = distinct(much)",
        "  one row per order_no  q = sum(quantity)  d = distinct(on_day)  e = latest(much by on_day)",
        "  one row per order_no, on_day  q = mean(quantity)  d = distinct(line_no where quantity > 3)",
        "  one row per order_no  d = distinct(on_day where line_no < 0)  e = distinct(on_day)",
        "  one row per order_no total row \"all\"  q = sum(quantity)  d = distinct(on_day)",
        "  one row in all  q = sum(quantity)  d = distinct(order_no)  m = median(quantity)",
        "  one row in all  q = sum(quantity)  d = distinct(order_no)  e = distinct(much where quantity > 3)",
        "  one row per order_no total row \"all\"  q = mean(quantity)  d = distinct(on_day)  l = max(much)",
        "  one row per order_no total row \"M09\"  q = sum(quantity)",
        "  one row per order_no total row \"M09\"  q = sum(quantity * 1000000000000000000)",
        "  one row per order_no total row \"all\"  q = sum(quantity * 10000000000000000)",
        "  add r = quantity / sum(quantity in all)  n = rows(in all)  l = latest(order_no in all by line_no)",
        "  add r = sum(quantity * 1000000000000000000 in all)",
        "  top 20 by quantity",
        "  top 2 by quantity per on_day",
        "  bottom 2 by much per order_no with ties",
        "  top 3 by line_no / quantity per on_day",
        "  top 30% by much per on_day",
        "  top 40% by quantity with ties",
        "  bottom 150 by much",
        "  top 1 by much per order_no",
        "  bottom 90% by quantity per on_day with ties",
        // Groups without a value, and rows: the first of them is told, as ever.
        "  one row per order_no  q = sole(on_day)",
        "  one row per order_no  q = sole(on_day)  m = median(quantity)",
        "  add r = sole(quantity per order_no)",
        "  add r = sole(quantity per order_no)\n  keep line_no > 1000",
        "  add r = sum(quantity * 1000000000000000000 per order_no)",
        "  one row per order_no  q = sum(quantity * 1000000000000000000)",
    ];
    for steps in steps {
        let text = stepped(steps);
        let free = try_texts(&lines(), &text, 7, Running::default());
        for limit in [0, 1_500] {
            let room = Shelf::room(limit, usize::MAX);
            let running = Running { room: Some(&room), ..Running::default() };
            let (report, written) = try_texts(&lines(), &text, 7, running);
            let told = |report: &Result<_, RunError>| format!("{:#?}", report.as_ref().unwrap());
            assert_eq!(told(&report), told(&free.0), "{text}");
            assert_eq!(written, free.1, "{text}");
            assert!(room.put_away() > 0, "{text}");
        }
    }
}

#[test]
fn rows_that_lead_to_groups_are_taken_together_alike_with_room_and_without() {
    let base = "input orders from \"orders\"\n  read on_day as date\n  grain order_no\n\
                input lines from \"lines\"\n  track quantity\n\
                link lines to orders on order_no at least 0%\n";
    // Where a step has fewer rows than its table, the rows that lead to the others are left out.
    let tables = [
        "orders\n  sort on_day desc, order_no\n  one row per on_day",
        "orders\n  drop on_day < date(\"2026-01-09\")\n  one row per right(order_no, 1) as kind, on_day",
        "orders\n  keep order_no = \"M7\"\n  one row per on_day",
        "orders\n  drop true\n  one row per on_day",
        "orders\n  one row per right(order_no, 1) as kind total row \"all\"",
        "orders\n  one row in all",
    ];
    let results = [
        "  net = sum(lines.quantity)  n = rows(lines)  days = rows()",
        "  q = median(lines.quantity)  l = list(lines.line_no, \" \" by lines.quantity desc)",
        "  d = distinct(lines.quantity)  e = latest(lines.line_no by lines.quantity)  o = min(order_no)",
        "  m = max(lines.quantity where lines.line_no > 1)",
        // A row without a value, and groups; of rows that lead to no row of the step neither is told.
        "  s = median(integer(if lines.order_no = \"M3\" then \"x\" else text(lines.quantity)))",
        "  s = median(lines.quantity * 4000000000000000000)",
        "  s = sole(lines.quantity)",
    ];
    let none: [(&str, String); 2] = files().map(|(name, text)| {
        (name, text.lines().next().map_or_else(String::new, |names| format!("{names}\n")))
    });
    let mut held = 0;
    for (at, files) in [files(), none].iter().enumerate() {
        for table in tables {
            for result in results {
                let table = format!("table t from {table}\n  {result}\noutput t to \"t.csv\"\n");
                let text = format!("{base}{table}");
                let free = try_texts(files, &text, 7, Running::default());
                let room = Shelf::room(0, usize::MAX);
                let running = Running { room: Some(&room), ..Running::default() };
                let (report, written) = try_texts(files, &text, 7, running);
                held += usize::from(report.as_ref().is_ok_and(|report| at == 0 && report.held()));
                assert_eq!(
                    format!("{:#?}", report.unwrap()),
                    format!("{:#?}", free.0.unwrap()),
                    "{table}"
                );
                assert_eq!(written, free.1, "{table}");
            }
        }
    }
    assert_eq!(held, 32);
}

/// What steps took out, as it is told.
fn took_out(text: &str, room: Option<&Room>) -> Vec<String> {
    let tree = parse(text).tree;
    let files = lines().map(|(name, text)| (name.to_owned(), text)).into();
    let (removed, problems) =
        removed(&tree, &[], &Memory { files, part: 10 }, (Some("all"), room), &Silent).unwrap();
    assert!(problems.is_empty(), "{problems:#?}");
    let cell = |(name, column): &(String, Column), row| format!("{name}={}", column.scalar(row));
    let told = removed.iter().flat_map(|step| {
        let row =
            move |row| step.columns.iter().map(|column| cell(column, row)).collect::<Vec<_>>();
        (0..step.rows).map(move |at| format!("{}: {}", step.step.text, row(at).join(" ")))
    });
    told.collect()
}

#[test]
fn rows_that_steps_take_out_are_told_alike_with_room_and_without() {
    let steps = [
        ("  drop quantity is blank", 28),
        ("  keep quantity > 2", 145),
        ("  drop quantity is blank\n  add more = quantity + 1\n  keep more / 2 > 2", 100),
        ("  add copy = order_no\n  dedupe by copy keep last", 209),
        ("  dedupe by order_no keep latest on_day", 209),
        ("  columns order_no, quantity\n  dedupe", 0),
        ("  units of quantity as unit_no dropping zero, negative, blank", 60),
        ("  top 2 by quantity per on_day", 274),
        ("  turn quantity into rows what, value", 28),
    ];
    for (steps, least) in steps {
        let text = stepped(steps).replace("  track quantity\n", "");
        let free = took_out(&text, None);
        assert!(free.len() >= least, "{} of {least}: {text}", free.len());
        for limit in [0, 1_500] {
            let room = Shelf::room(limit, usize::MAX);
            assert_eq!(took_out(&text, Some(&room)), free, "{text}");
            assert!(room.put_away() > 0, "{text}");
        }
    }
}

/// That a plan reports and writes the same where columns may hold so many bytes.
fn alike_with_room_and_without(
    files: &[(&str, String)],
    text: &str,
    part: usize,
    limit: u64,
) -> Result<(), TestCaseError> {
    let free = try_texts(files, text, part, Running::default());
    let room = Shelf::room(limit, usize::MAX);
    let running = Running { room: Some(&room), ..Running::default() };
    let (report, written) = try_texts(files, text, part, running);
    prop_assert_eq!(format!("{:#?}", report.unwrap()), format!("{:#?}", free.0.unwrap()));
    prop_assert_eq!(written, free.1);
    Ok(())
}

/// Rows with few keys and values, many of them equal or blank.
fn few() -> impl Strategy<Value = String> {
    let cell = prop_oneof![1 => Just(String::new()), 5 => (0_u8..4).prop_map(|at| at.to_string())];
    let row = (prop::option::of(0_u8..5), cell.clone(), cell, 1_u8..9);
    prop::collection::vec(row, 0..60).prop_map(|rows| {
        let key = |key: Option<u8>| key.map_or_else(String::new, |key| format!("K{key}"));
        let row =
            |(no, (k, a, b, day)): (usize, _)| format!("{},{a},{b},2026-05-0{day},{no}\n", key(k));
        format!("k,a,b,day,no\n{}", rows.into_iter().enumerate().map(row).collect::<String>())
    })
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]
    #[test]
    fn any_rows_come_out_alike_with_room_and_without(
        rows in few(),
        step in prop::sample::select(vec![
            "sort a, b desc",
            "sort b desc",
            "sort day, k, a",
            "top 2 by a per k",
            "top 3 by b",
            "bottom 1 by a per k, b with ties",
            "one row per k  n = rows()  s = sum(a)  d = distinct(b)  m = mean(b)",
            "one row per k, a  l = list(b, \"+\" by no)  e = earliest(b by day)",
            "one row per k  m = median(a)  p = percentile(b, 40)  d = distinct(day)",
            "one row per k  m = median(a / 7)  p = percentile(day, 70)  q = percentile(no, 5 where b > 1)",
            "add r = median(a in all)  s = percentile(b, 30 where a > 1 in all)",
            "one row per k total row \"all\"  m = median(b)",
            "one row per k total row \"all\"  n = rows()  d = distinct(b)  e = distinct(day)  m = mean(b)",
            "one row per k total row \"K1\"  s = sum(a)  d = distinct(b)",
            "one row per k total row \"all\"  s = sole(k)  n = distinct(a)",
            "one row in all  n = rows()  d = distinct(b where a = 1)  e = distinct(k)  m = min(day)",
            "add r = share(a = 1 in all)  s = sum(a in all)  m = mean(b where a > 1 in all)  l = max(k in all)",
            "top 40% by a",
            "bottom 60% by b with ties",
            "top 20% by a * b per k",
            "bottom 50% by day per k, b with ties",
            "top 2 by a per b, day with ties",
            "bottom 1 by b per no\n  add r = previous(a in all by no)",
            "top 30 by 7 / b per k\n  drop k is blank",
            "add r = running(a per k by day)",
            "add r = running(a in all by day)\n      p = position(in all by b desc)",
            "add r = max(a in all by day over 3 days)\n      n = next(b where a > 1 in all by no)",
            "add r = mean(b where a > 0 in all by day desc over 4 rows)\n      n = previous(b where a > 1 in all by day)",
            "add r = rows(in all by day over 2 days)\n      n = running(number(b) where a > 0 in all by k)",
            "add r = running(a * 4000000000000000000 in all by day)",
            "add r = min(a per k by day over 3 days)\n      n = next(b per k by no)",
            "add r = running(a per k by day)\n      p = position(per k by b desc)\n      q = position(per k, a by day)",
            "add r = max(a per k by day over 3 days)\n      n = next(b where a > 1 per k by no)",
            "add r = mean(b where a > 0 per k by day desc over 4 rows)\n      n = previous(b where a > 1 per k, b by day)",
            "add r = rows(per k by day over 2 days)\n      n = running(number(b) where a > 0 per k by day)\n      m = min(b per k by no over 9 rows)",
            "add r = running(a * 4000000000000000000 per k by day)",
            "add r = median(a per k)\n      m = mean(b per k, a)\n      l = latest(b per k by day)\n      d = distinct(a per k)",
            // Many groups of one row beside a large one.
            "add g = if a > 0 then -1 else number(no)\n  add s = sum(b per g)\n      m = median(a per g)\n      d = distinct(day where b > 0 per g)",
            "add g = if a > 0 then -1 else number(no)\n  add s = mean(b / a per g)\n      l = latest(k per g by day)\n      q = list(k per g)",
            "add g = if a > 0 then -1 else number(no)\n  add s = running(b per g by day)\n      p = position(per g by a)",
            "add g = if a > 0 then -1 else number(no)\n  add s = sum(b * 4000000000000000000 per g)",
            "add r = percentile(a / b, 30 where b > 1 per k)\n      s = sum(b where a > 1 per k)\n      n = share(a = 1 per a)",
            "add r = position(per k by a desc)\n      s = share(a = 1 per k)",
            "add r = latest(a per k by day)\n  keep r is not blank",
        ]),
        limit in prop::sample::select(vec![0, 400, 4_000]),
        part in 1_usize..20,
    ) {
        let text = format!(
            "input rows from \"rows\"\n  read k as text\n       a as integer\n       b as integer\n       \
             day as date\n  grain no\n  track a\n\
             table t from rows\n  change a = a\n  {step}\noutput t to \"t.csv\""
        );
        let files = [("rows", rows)];
        alike_with_room_and_without(&files, &text, part, limit)?;
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]
    #[test]
    fn amounts_in_currencies_come_out_alike_and_stop_alike_with_room_and_without(
        rows in few(),
        step in prop::sample::select(vec![
            "add r = sum(a per k)\n      m = max(a per k)",
            "add r = sum(a where b > 1 per b)",
            "add r = median(a per k)\n      p = previous(a per k by no)",
            "add r = running(a per k by day)",
            "add r = running(a per b by day)",
            "add r = mean(a per k by day over 3 rows)\n      n = next(a per b by no)",
            "add r = running(a in all by no)",
            "add r = latest(a in all by day)",
            "top 2 by a per k",
            "top 2 by a per b with ties",
            "top 40% by a per k",
            "bottom 60% by a",
        ]),
        limit in prop::sample::select(vec![0, 400, 4_000]),
        part in 1_usize..20,
    ) {
        let text = format!(
            "input rows from \"rows\"\n  read k as text\n       a as integer\n       b as integer\n       \
             day as date\n  grain no\n  track a in k\n\
             table t from rows\n  {step}\noutput t to \"t.csv\""
        );
        let files = [("rows", rows)];
        alike_with_room_and_without(&files, &text, part, limit)?;
    }
}

/// Amounts by key, of which some are blank, in two kinds of money, and some lie where no row leads.
fn amounts() -> impl Strategy<Value = String> {
    let amount = prop_oneof![1 => Just(String::new()), 6 => (-500_i32..900).prop_map(cents)];
    let row = (amount, prop::sample::select(vec!["EUR", "GBP", ""]));
    prop::collection::vec(row, 1..9).prop_map(|rows| {
        let row = |(at, (amount, money)): (usize, _)| format!("K{at},{amount},{money}\n");
        format!("k,amount,money\n{}", rows.into_iter().enumerate().map(row).collect::<String>())
    })
}

fn cents(cents: i32) -> String {
    format!("{}{}.{:02}", if cents < 0 { "-" } else { "" }, cents.abs() / 100, cents.abs() % 100)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]
    #[test]
    fn an_amount_is_divided_alike_with_room_and_without(
        rows in few(),
        amounts in amounts(),
        tracked in prop::sample::select(vec!["amount", "amount in money", "money"]),
        step in prop::sample::select(vec![
            "allocate amounts.amount as part equally",
            "allocate amounts.amount as part by no",
            "drop a is blank\n  allocate amounts.amount as part by a else equally to 4 places",
            "drop a is blank\n  allocate amounts.amount as part by a",
            // Stops where a weight is blank, and names the first rows.
            "allocate amounts.amount as part by a",
            "add c = amounts.amount\n  allocate c as part by no per k",
            "add c = max(b per k)\n  drop a is blank\n  allocate c as part by a per k, day",
            // Stops where a group has several.
            "change b = b\n  allocate b as part equally per k to 0 places",
        ]),
        limit in prop::sample::select(vec![0, 400, 4_000]),
        part in 1_usize..20,
    ) {
        let tracked = if tracked == "money" { "" } else { &format!("  track {tracked}\n") };
        let text = format!(
            "input rows from \"rows\"\n  read k as text\n       a as integer\n       b as integer\n       \
             day as date\n  grain no\n\
             input amounts from \"amounts\"\n  read amount as decimal(2)\n       money as text\n  \
             grain k\n{tracked}\
             link rows to amounts on k\n\
             table t from rows\n  {step}\noutput t to \"t.csv\""
        );
        let files = [("rows", rows), ("amounts", amounts)];
        alike_with_room_and_without(&files, &text, part, limit)?;
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]
    #[test]
    fn what_is_gathered_over_a_link_is_the_same_with_room_and_without(
        rows in few(),
        amounts in amounts(),
        tracked in prop::sample::select(vec!["", "  track a\n", "  track a in day\n"]),
        of in prop::sample::select(vec![
            "sum(few.a)",
            "sum(few.a where few.b > 1)",
            "rows(few)",
            "rows(few where few.no > 3) + sum(few.b)",
            "mean(few.b)",
            "max(few.day)",
            "distinct(few.b)",
            "list(distinct few.b, \"+\" by few.b desc)",
            "latest(few.a by few.day)",
            "median(few.b)",
            // Stops where a row has several.
            "sole(few.b)",
            "sum(few.a * 1000000000000000000)",
        ]),
        limit in prop::sample::select(vec![0, 400, 4_000]),
        part in 1_usize..20,
    ) {
        let text = format!(
            "input few from \"rows\"\n  read k as text\n       a as integer\n       b as integer\n       \
             day as date\n  grain no\n{tracked}\
             input amounts from \"amounts\"\n  read amount as decimal(2)\n       money as text\n  \
             grain k\n\
             link few to amounts on k\n\
             table t from amounts\n  add found = {of}\noutput t to \"t.csv\""
        );
        let files = [("rows", rows), ("amounts", amounts)];
        alike_with_room_and_without(&files, &text, part, limit)?;
    }
}
