//! Many parts, many batches: what goes through a tree a window at a time comes out whole and in
//! order, with the rows it came from.

use super::memory::run_texts;
use crate::tally::Report;

const ROWS: usize = 30_000;

/// Every third row stands twice; every seventh has no amount; every eleventh leads nowhere.
fn lines() -> String {
    let mut text = String::from("k,n,order_no,net\n");
    for row in 0..ROWS {
        let order = if row % 11 == 0 { "M-".to_owned() } else { format!("M{}", row / 4) };
        let net = if row % 7 == 0 { String::new() } else { format!("{}.25", row % 100) };
        let line = format!("{row},{},{order},{net}\n", row % 3 + 1);
        text.push_str(&line);
        if row % 3 == 0 {
            text.push_str(&line);
        }
    }
    text
}

fn orders() -> String {
    // Two stacked runs of keys, each in order.
    let last = ROWS / 4;
    let keys = (1..=last).step_by(2).chain((0..=last).step_by(2));
    let rows = keys.map(|key| format!("M{key},{}\n", key % 5));
    format!("order_no,region\n{}", rows.collect::<String>())
}

const PLAN: &str = "input lines from \"lines\"
  dedupe
  add twice = net + net
  grain k
  track n, net
input orders from \"orders\"
  grain order_no
link lines to orders on order_no
table sold from lines
  keep has(orders)
  add region = orders.region
      again  = orders.region + 1
table unit_sold from sold
  units of n as unit_no split net, twice
  add half = unit_no = 2
table regions from sold
  keep region = 3
output unit_sold to \"units.csv\"
output regions to \"regions.csv\"
check \"net\": sum(unit_sold.net) = sum(sold.net)
check \"twice\": sum(unit_sold.twice) = sum(sold.twice)
check \"regions\" sold: again = region + 1
";

fn run_in_parts(part: usize, threads: usize) -> (Report, Vec<String>, Vec<String>) {
    let files = [("lines", lines()), ("orders", orders())];
    let pool = rayon::ThreadPoolBuilder::new().num_threads(threads).build().unwrap();
    let (report, written) = pool.install(|| run_texts(&files, PLAN, part));
    let rows = |name: &str| written[&format!("{name}.csv")].lines().map(str::to_owned).collect();
    (report, rows("units"), rows("regions"))
}

#[test]
fn rows_come_through_in_order_however_many_windows_they_take() {
    let (report, units, regions) = run_in_parts(101, 3);
    assert!(report.held(), "{:?}", report.problems);
    let leads = |row: &usize| !row.is_multiple_of(11);
    let wanted: usize = (0..ROWS).filter(leads).map(|row| row % 3 + 1).sum();
    assert_eq!(units.len(), wanted);
    // Row by row against what each was made from.
    let mut at = 0;
    for row in (0..ROWS).filter(leads) {
        let count = row % 3 + 1;
        let cents = (row % 7 != 0).then_some(row % 100 * 100 + 25);
        let mut sum = 0;
        for unit in 1..=count {
            let cells: Vec<&str> = units[at].split(',').collect();
            assert_eq!(cells[0], row.to_string());
            assert_eq!(cells[1], "1");
            assert_eq!(cells[2], format!("M{}", row / 4));
            assert_eq!(cells[5], (row / 4 % 5).to_string(), "the order's region");
            assert_eq!(cells[7], unit.to_string());
            assert_eq!(cells[8], (unit == 2).to_string());
            match cents {
                Some(_) => sum += cells[3].replace('.', "").parse::<usize>().unwrap(),
                None => assert_eq!((cells[3], cells[4]), ("", "")),
            }
            at += 1;
        }
        assert_eq!(sum, cents.unwrap_or(0), "row {row}");
    }
    let wanted = (0..ROWS).filter(|row| leads(row) && row / 4 % 5 == 3);
    let found = regions.iter().map(|row| row.split(',').next().unwrap().parse::<usize>().unwrap());
    assert!(found.eq(wanted));
}

#[test]
fn parts_of_any_size_give_the_same_report_and_rows() {
    let (report, units, regions) = run_in_parts(ROWS * 2, 1);
    for (part, threads) in [(1000, 1), (4096, 2), (17_000, 8)] {
        let other = run_in_parts(part, threads);
        assert_eq!(other.1, units);
        assert_eq!(other.2, regions);
        let told = |report: &Report| serde_json::to_string(report).unwrap();
        assert_eq!(told(&other.0), told(&report), "parts of {part}, {threads} threads");
    }
}

#[test]
fn what_the_tally_says_adds_up_over_windows() {
    let (report, ..) = run_in_parts(997, 2);
    let table = |name: &str| report.table(name).unwrap();
    let copies = ROWS.div_ceil(3) as u64;
    assert_eq!(table("lines").rows, ROWS as u64 + copies);
    assert_eq!(table("lines").steps[0].rows, ROWS as u64);
    let link = &report.links[0];
    assert_eq!((link.rows, link.blank), (ROWS as u64, 0));
    assert_eq!(link.missing, ROWS.div_ceil(11) as u64);
    assert_eq!(link.examples[0].key, "M-");
    assert_eq!(link.examples[0].rows, link.missing);
    let spread = link.spread.as_ref().unwrap();
    assert_eq!((spread.least, spread.most), (3, 4));
    // One order more than the lines have.
    assert_eq!((link.unreached, link.target_rows), (1, ROWS as u64 / 4 + 1));
}
