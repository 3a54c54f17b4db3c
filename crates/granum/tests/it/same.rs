//! What may not change a result: how rows are spread over files, in which order another table
//! stands, what a plan does not look at, and on how many cores it runs.

use proptest::prelude::*;

use super::folder::Folder;

/// A line of an order: the number of its order, its quantity and its cents.
type Line = (u8, u8, i16);

/// An order: whether it is there, its freight in cents, and its status.
type Order = (bool, u16, Option<bool>);

#[derive(Debug, Clone)]
struct Shop {
    orders: Vec<Order>,
    lines: Vec<Line>,
}

fn shop() -> impl Strategy<Value = Shop> {
    let order = (prop::bool::weighted(0.8), 0_u16..900, prop::option::of(any::<bool>()));
    let line = (0_u8..8, 1_u8..5, -500_i16..2000);
    (prop::collection::vec(order, 6), prop::collection::vec(line, 0..25))
        .prop_map(|(orders, lines)| Shop { orders, lines })
}

impl Shop {
    fn order_rows(&self) -> Vec<String> {
        let there = self.orders.iter().enumerate().filter(|(_, order)| order.0);
        there
            .map(|(at, (_, freight, closed))| {
                let status = closed.map_or("", |closed| if closed { "closed" } else { "open" });
                format!("M{at},{}.{:02},{status}", freight / 100, freight % 100)
            })
            .collect()
    }

    fn line_rows(&self) -> Vec<String> {
        let cents = |net: i16| {
            let sign = if net < 0 { "-" } else { "" };
            format!("{sign}{}.{:02}", net.abs() / 100, net.abs() % 100)
        };
        let lines = self.lines.iter().enumerate();
        lines.map(|(at, (order, n, net))| format!("M{order},{at},{n},{}", cents(*net))).collect()
    }
}

const ORDERS: &str = "order_no,freight,status";
const LINES: &str = "order_no,line_no,quantity,net";

fn csv(header: &str, rows: &[String]) -> String {
    let lines = std::iter::once(header).chain(rows.iter().map(String::as_str));
    lines.flat_map(|line| [line, "\n"]).collect()
}

/// The plan, with room for what may not matter.
fn plan(lines: &str, extra_step: &str, extra: &str) -> String {
    format!(
        "input orders from \"orders.csv\"
  read order_no as text freight as decimal(2) status as text
  grain order_no
  track freight
input lines from {lines}
  read order_no as text quantity as integer net as decimal(2)
  dedupe
  grain order_no, line_no
  track quantity, net
link lines to orders on order_no
table sold from lines
  keep has(orders)
  add status = orders.status
{extra_step}
  drop status = \"open\"
  units of quantity as unit_no split net
table per_order from orders
  add lines = rows(lines)
      net = sum(lines.net)
{extra}
output sold to \"sold.csv\"
output per_order to \"per_order.csv\"
"
    )
}

/// Runs a plan; gives both outputs and what was said of links.
fn results(folder: &Folder, plan: &str, more: &[&str]) -> (String, String, String) {
    folder.plan(plan);
    let mut args = vec!["run", "p.granum"];
    args.extend(more);
    let ran = folder.granum(&args).code(0);
    let links =
        ran.out.split("links\n").nth(1).unwrap().split("bridge to").next().unwrap().to_owned();
    (folder.read("sold.csv"), folder.read("per_order.csv"), links)
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(24) })]

    #[test]
    fn rows_may_be_spread_over_files(shop in shop(), cut in 0_usize..25) {
        let folder = Folder::new();
        let (orders, lines) = (shop.order_rows(), shop.line_rows());
        let (first, rest) = lines.split_at(cut.min(lines.len()));
        // The second file has its columns in another order and line ends of another system.
        let turned: Vec<String> = rest
            .iter()
            .map(|row| row.split(',').rev().collect::<Vec<_>>().join(",") + "\r")
            .collect();
        folder
            .file("orders.csv", csv(ORDERS, &orders))
            .file("lines.csv", csv(LINES, &lines))
            .file("lines_1.csv", csv(LINES, first))
            .file("lines_2.csv", csv("net,quantity,line_no,order_no\r", &turned));
        let whole = results(&folder, &plan("\"lines.csv\"", "", ""), &[]);
        let apart = results(&folder, &plan("\"lines_1.csv\", \"lines_2.csv\"", "", ""), &[]);
        prop_assert_eq!(&apart, &whole);
        prop_assert_eq!(results(&folder, &plan("\"lines_*.csv\"", "", ""), &["--threads", "1"]), whole);
    }

    #[test]
    fn the_order_of_a_target_does_not_matter(shop in shop(), by in 0_usize..6) {
        let folder = Folder::new();
        let mut orders = shop.order_rows();
        folder
            .file("orders.csv", csv(ORDERS, &orders))
            .file("lines.csv", csv(LINES, &shop.line_rows()));
        let before = results(&folder, &plan("\"lines.csv\"", "", ""), &[]);
        let len = orders.len().max(1);
        orders.rotate_left(by % len);
        orders.reverse();
        folder.file("orders.csv", csv(ORDERS, &orders));
        let after = results(&folder, &plan("\"lines.csv\"", "", ""), &[]);
        prop_assert_eq!(&after.0, &before.0);
        prop_assert_eq!(&after.2, &before.2);
        // Orders themselves come in the order of their file.
        let sorted = |text: &str| {
            let mut rows: Vec<String> = text.lines().map(str::to_owned).collect();
            rows.sort();
            rows
        };
        prop_assert_eq!(sorted(&after.1), sorted(&before.1));
    }

    #[test]
    fn exact_copies_do_not_matter_where_they_are_taken_out(
        shop in shop(), copies in prop::collection::vec((0_usize..25, 0_usize..25), 0..8)
    ) {
        let folder = Folder::new();
        let mut lines = shop.line_rows();
        folder
            .file("orders.csv", csv(ORDERS, &shop.order_rows()))
            .file("lines.csv", csv(LINES, &lines));
        let before = results(&folder, &plan("\"lines.csv\"", "", ""), &[]);
        for (which, to) in copies {
            if let Some(copy) = lines.get(which).cloned() {
                // Never before the row that it copies: the first of equal rows stays.
                let to = (which + 1 + to).min(lines.len());
                // A copy may be quoted otherwise.
                let plain = copy.replace('"', "");
                let copy = plain.replacen('M', "\"M", 1).replacen(',', "\",", 1);
                lines.insert(to, copy);
            }
        }
        folder.file("lines.csv", csv(LINES, &lines));
        prop_assert_eq!(results(&folder, &plan("\"lines.csv\"", "", ""), &[]), before);
    }

    #[test]
    fn what_no_output_has_does_not_matter(shop in shop()) {
        let folder = Folder::new();
        folder
            .file("orders.csv", csv(ORDERS, &shop.order_rows()))
            .file("lines.csv", csv(LINES, &shop.line_rows()));
        let before = results(&folder, &plan("\"lines.csv\"", "", ""), &[]);
        let steps = "  add twice = net + net\n  change twice = twice - net\n  \
                     columns order_no, line_no, quantity, net, status";
        let other = "table other from lines\n  keep net > 5\n  add freight = orders.freight\n\
                     check other: net > 5\ncheck: rows(other) <= rows(lines)\n";
        let after = results(&folder, &plan("\"lines.csv\"", steps, other), &[]);
        prop_assert_eq!((after.0, after.1), (before.0, before.1));
    }

    #[test]
    fn what_is_kept_dropped_and_blank_is_all(shop in shop()) {
        let folder = Folder::new();
        folder
            .file("orders.csv", csv(ORDERS, &shop.order_rows()))
            .file("lines.csv", csv(LINES, &shop.line_rows()))
            .plan(
                "input orders from \"orders.csv\"
  read status as text freight as decimal(2)
  grain order_no
  track freight
table kept from orders
  keep status = \"open\"
table others from orders
  drop status = \"open\"
  drop status is blank
table blank_ones from orders
  keep status is blank
check \"rows\": rows(kept) + rows(others) + rows(blank_ones) = rows(orders)
check \"freight\": sum(kept.freight) + sum(others.freight) + sum(blank_ones.freight) = sum(orders.freight)
check \"orders\": distinct(kept.order_no) + distinct(others.order_no) <= count(orders.order_no)
",
            );
        folder.granum(&["check", "p.granum"]).code(0).says("3 checks hold");
    }
}
