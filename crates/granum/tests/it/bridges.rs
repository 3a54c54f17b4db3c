//! The amount bridge: where an amount began, all that changed it, and what it is in the output.

use super::folder::Folder;

const PLAN: &str = "input orders from \"orders.csv\"\n  drop status = \"void\"\n  grain order_no\n  \
    track freight\ninput lines from \"lines.csv\"\n  dedupe\n  grain line_no\n  track net\n\
    input returns from \"returns.csv\"\n  dedupe\n  track amount\nlink lines to orders on order_no\n\
    link returns to lines on line_no\n";

fn shop(rest: &str) -> Folder {
    let folder = Folder::new();
    folder
        .file("orders.csv", "order_no,freight,status\nM1,5.00,done\nM2,3.00,done\nM3,9.00,void\nM4,1.00,done\n")
        .file("lines.csv", "line_no,order_no,net\n1,M1,30.00\n2,M1,10.00\n2,M1,10.00\n3,M2,5.00\n4,M3,7.00\n")
        .file(
            "returns.csv",
            "line_no,amount,reason\n1,4.00,broken\n1,1.00,late\n4,7.00,broken\n9,2.50,broken\n9,2.50,broken\n",
        )
        .plan(&format!("{PLAN}{rest}"));
    folder
}

/// What is printed of bridges.
fn bridges(folder: &Folder, args: &[&str]) -> String {
    let out = folder.granum(&[&["run", "p.granum"], args].concat()).code(0).out;
    let from = out.find("bridge to").unwrap_or_else(|| panic!("no bridge in\n{out}"));
    let to = out.find("\nchecks\n").or_else(|| out.find("HELD")).unwrap();
    out[from..to].to_owned()
}

#[test]
fn each_amount_is_followed_from_where_it_began_to_each_output() {
    let folder = shop(
        "table sales from lines\n  add returned = sum(returns.amount where reason = \"broken\")\n      \
         all_back = sum(returns.amount)\n  track returned, all_back\n  keep has(orders)\n  \
         allocate orders.freight as freight by net\n  change net = net - returned\n\
         table by_order from sales\n  one row per order_no\n    net     = sum(net)\n    freight = sum(freight)\n\
         output sales to \"sales.csv\"\noutput by_order to \"by_order.csv\"\n",
    );
    let told = bridges(&folder, &[]);
    insta::with_settings!({ omit_expression => true }, { insta::assert_snapshot!("bridges", told) });
}

#[test]
fn stacks_have_an_entry_for_each_table_and_rows_that_come_twice_one_of_their_own() {
    let folder = shop(
        "table dear from lines\n  keep net >= 7\ntable cheap from lines\n  keep net <= 10\n\
         table both from dear, cheap\n    allow repeated-rows \"both are wanted\"\n\
         table per_order from lines\n  keep order_no is not blank\n  one row per order_no\n    net = sum(net)\n\
         table placed from orders\n  columns order_no, freight\n\
         table side from per_order meeting placed on order_no\n\
         output both to \"both.csv\"\noutput side to \"side.csv\"\n",
    );
    let told = bridges(&folder, &[]);
    insta::with_settings!({ omit_expression => true }, { insta::assert_snapshot!("bridges_of_several", told) });
}

#[test]
fn an_amount_begins_at_the_input_whichever_table_makes_it() {
    let folder = Folder::new();
    folder
        .file("lines.csv", "line_no,qty,price\n1,2,3.00\n1,2,3.00\n2,x,4.00\n3,5,1.00\n4,1,9.00\n")
        .plan(
            "input lines from \"lines.csv\"\n  dedupe\n  drop price > 8\n  grain line_no\n\
             table clean from lines\n  drop qty = \"x\"\n\
             table sales from clean\n  add net = integer(qty) * price\n  track net\n  drop line_no = 3\n\
             output sales to \"sales.csv\"\noutput lines to \"lines_out.csv\"\n",
        );
    // A row of which it cannot be worked, and that never comes to the table, stops nothing.
    assert_eq!(
        bridges(&folder, &[]),
        "bridge to sales.csv

                           rows    net
  lines as it begins          5  26.00
  lines: dedupe              \u{2212}1  \u{2212}6.00
  lines: drop price > 8      \u{2212}1  \u{2212}9.00
  clean: drop qty = \"x\"      \u{2212}1   0.00
  sales: drop line_no = 3    \u{2212}1  \u{2212}5.00
  in sales.csv                1   6.00

"
    );
    // Of the inputs alone nothing more is told than they follow.
    let alone = folder.granum(&["check", "p.granum", "-v"]).code(0).out;
    assert!(!alone.split("clean \u{b7}").next().unwrap().contains("net"), "{alone}");
}

#[test]
fn long_bridges_are_folded_to_their_largest_entries() {
    let mut steps = String::new();
    for at in 0..9 {
        steps.push_str(&format!("  change net = net + 0.0{at}\n"));
    }
    let folder =
        shop(&format!("table t from lines\n{steps}  drop line_no = 3\noutput t to \"t.csv\"\n"));
    let folded = bridges(&folder, &[]);
    assert!(folded.contains("4 smaller entries (all: --bridge)"), "{folded}");
    assert!(folded.lines().count() < 14, "{folded}");
    let whole = bridges(&folder, &["--bridge"]);
    assert!(!whole.contains("smaller") && whole.contains("change net = net + 0.01"), "{whole}");
    // Both add up.
    for told in [folded, whole] {
        let amounts = told.lines().skip(3).filter_map(|line| line.split_whitespace().last());
        let amounts: Vec<f64> =
            amounts.map(|amount| amount.replace('\u{2212}', "-").parse().unwrap()).collect();
        let (total, entries) = amounts.split_last().unwrap();
        assert!((entries.iter().sum::<f64>() - total).abs() < 1e-9, "{told}");
    }
}
