//! Columns that memory has no room for. That nothing changes by it is held by every law and twin, which run with no
//! room as well.

use super::memory::{Shelf, try_texts};
use crate::engine::{RunError, Running};

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
