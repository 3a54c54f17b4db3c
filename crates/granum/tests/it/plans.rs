//! Every message about a plan that a user can meet, on plans that are wrong in one way each.

use std::fmt::Write;

use super::folder::{Folder, SHOP, shop};

/// What is said of a plan that stands behind [`SHOP`]. All of it goes to standard error, and the
/// call ends with 2.
fn said(folder: &Folder, plan: &str) -> String {
    folder.plan(&format!("{SHOP}{plan}"));
    let ran = folder.run().code(2);
    assert_eq!(ran.out, "");
    ran.err
}

/// One snapshot for a family of mistakes: each plan and what is said of it.
fn all_said(plans: &[&str]) -> String {
    let folder = shop();
    let mut out = String::new();
    for plan in plans {
        writeln!(out, "── {}\n{}", plan.replace('\n', "\n   "), said(&folder, plan)).unwrap();
    }
    out
}

fn snapshot(name: &str, text: String) {
    insta::with_settings!({ omit_expression => true }, { insta::assert_snapshot!(name, text) });
}

#[test]
fn words_that_the_language_does_not_have() {
    snapshot(
        "words",
        all_said(&[
            "tabel t from lines",
            "table t form lines",
            "table t from lines\n  kep net > 0",
            "table t from lines\n  add = 3",
            "table t from lines\n  add x",
            "table t from lines\n  add if = 3",
            "table t from lines\n  add x = \"open",
            "table t from lines\n  add x = `open",
            "table t from lines\n  add x = ``",
            "table t from lines\n  add x = \"a\\q\"",
            "table t from lines\n  add x = 3abc",
            "table t from lines\n  add x = 1 ; y = 2",
            "table t from lines\n  add x = (1 + 2",
            "table t from lines\n  add x = 1 +",
            "table t from lines\n  add x = if net > 1 then 2",
            "table t from lines\n  keep 1 < net < 2",
            "table t from lines\n  keep order_no = blank",
            "table t from lines\n  keep order_no != \"\"",
            "table t from lines\n  add x = net ?? 0 + 1",
            "table t from lines\n  add x = 123456789012345678901234567890123456789012",
            "table t from lines\n  dedupe keep latest net",
            "table t from lines\n  dedupe by order_no",
            "table t from lines\n  dedupe by order_no keep net",
            "table t from lines\n  units quantity",
            "table t from lines\n  rename net as value",
            "link lines on order_no",
            "link lines to orders on order_no alowed",
            "link lines to orders on order_no at least 101%",
            "link lines to orders on order_no at least 98",
            "check lines net > 0",
            "output lines \"x.csv\"",
            "param x int = 3",
            "param x decimal(30) = 3",
            "input x from y.csv",
            "input x from \"lines.csv\" delimiter \"ab\"",
            "example \"x\" \"\"\"\n  never closed",
        ]),
    );
}

#[test]
fn parts_of_the_language_that_are_still_missing() {
    snapshot(
        "missing",
        all_said(&[
            "example \"x\"",
            "chart \"x\" from lines",
            "table t from lines\n  allocate orders.freight as freight by net",
            "output lines to \"x.ods\"",
        ]),
    );
}

#[test]
fn names_that_nothing_has_or_that_are_taken() {
    snapshot(
        "names",
        all_said(&[
            "table t from line",
            "table t from zzz",
            "table t from lines\n  keep nett > 0",
            "table t from lines\n  keep Net > 0",
            "table t from lines\n  keep freight > 0",
            "link lines to orders on order_no\ntable t from lines\n  keep freight > 0",
            "table t from lines\n  keep zzz > 0",
            "table t from lines\n  add net = 3",
            "table t from lines\n  change nett = 3",
            "table t from lines\n  rename net to quantity",
            "table t from lines\n  columns order_no, line_no, net as order_no",
            "table t from lines\n  add x = uper(order_no)",
            "table t from lines\n  add x = zzzzzz(order_no)",
            "table lines from orders",
            "link lines to orders on order_no\nlink lines to orders on order_no",
            "param x integer = 1\nparam x integer = 2",
            "param net integer = 1\ntable t from lines\n  keep net > 0",
            "param x integer = net",
            "param x integer = orders.freight",
            "param x date = \"2026-01-01\"",
            "param x integer = integer(\"y\")",
            "output lines to \"x.csv\"\noutput orders to \"x.csv\"",
            "plan \"a\"\nplan \"b\"",
            "input x from \"lines.csv\"\n  read nett as integer",
            "input x from \"lines.csv\"\n  read net as integer net as integer",
            "check: sum(zzz.net) > 0",
            "check: sum(3) > 0",
        ]),
    );
}

#[test]
fn types_that_do_not_go_together() {
    snapshot(
        "types",
        all_said(&[
            "input x from \"lines.csv\"\n  read net as decimal \"1.234\"",
            "input x from \"lines.csv\"\n  read quantity as integer \"1,5\"",
            "table t from lines\n  keep net",
            "table t from lines\n  keep net > \"x\"",
            "table t from orders\n  keep ordered_on > \"2026-01-01\"",
            "table t from lines\n  add x = order_no + 1",
            "table t from orders\n  add x = ordered_on + 1",
            "table t from lines\n  add x = order_no & net",
            "table t from lines\n  add x = \"\"",
            "table t from lines\n  add x = if net > 0 then 1 else \"x\"",
            "table t from lines\n  add x = round(net)",
            "table t from lines\n  add x = round(net, quantity)",
            "table t from lines\n  add x = left(order_no, \"a\")",
            "table t from lines\n  add x = year(net)",
            "table t from lines\n  add x = lowest(net, order_no)",
            "table t from lines\n  add x = lowest(net, date(\"2026-01-01\"))",
            "table t from lines\n  add x = date(order_no, \"%Q%Q\")",
            "table t from lines\n  add x = date(order_no, order_no)",
            "table t from lines\n  add x = integer(net > 0)",
            "table t from lines\n  add x = upper(order_no where net > 0)",
            "table t from lines\n  track order_no",
            "table t from lines\n  change net = \"x\"",
            "table t from lines\n  units of order_no as n split net",
            "table t from lines\n  add r = net / 3\n  units of quantity as n split net, r",
            "table t from lines\n  units of quantity as n split net, order_no",
            "table t from lines\n  units of quantity as n split net, net",
            "table t from orders\n  dedupe by order_no keep largest ordered_on",
            "table t from lines\n  dedupe by order_no keep latest net",
            "link lines to orders on quantity = order_no",
            "link lines to orders on order_no = freight",
            "link orders to customers on ordered_on = order_no",
            "link lines to orders on order_no at least 90% of line_no",
            "input x from \"lines.csv\"\n  read net as integer \"%d\"",
            "input x from \"orders.csv\"\n  read ordered_on as date \"%H\"",
            "check: rows(lines.net) > 0",
            "check: sum(lines) > 0",
            "check: sum(lines.net, lines.net) > 0",
            "check: lines.net > 0",
            "check: net > 0",
            "check lines: sum(net) > 0",
        ]),
    );
}

#[test]
fn steps_where_they_may_not_stand() {
    snapshot(
        "steps",
        all_said(&[
            "table t from lines\n  read net as integer",
            "input x from \"lines.csv\"\n  keep net > 0\n  read net as integer",
            "table t from lines\n  columns net",
            "input x from \"lines.csv\"\n  keep has(orders)",
            "input x from \"lines.csv\"\n  add y = orders.freight",
            "input x from \"lines.csv\"\n  add y = rows(orders)",
            "table t from lines\n  units of quantity as net split net",
        ]),
    );
}

#[test]
fn paths_that_lead_nowhere() {
    snapshot(
        "paths",
        all_said(&[
            "table t from lines\n  add x = orders.freight",
            "link lines to orders on order_no\ntable t from lines\n  add x = oders.freight",
            "link lines to orders on order_no\ntable t from lines\n  add x = orders.freigt",
            "link lines to orders on order_no\ntable t from lines\n  add x = orders",
            "link lines to orders on order_no\ntable t from orders\n  add x = lines",
            "link lines to orders on order_no\ntable t from orders\n  add x = lines.net",
            "link lines to orders on order_no\ntable t from lines\n  add x = has(3)",
            "link lines to orders on order_no\ntable t from lines\n  add x = rows(returns)",
            "link lines to orders on order_no\ntable t from orders\n  add x = sum(lines)",
            "link t to orders on order_no\ntable t from lines\n  add x = orders.freight",
            "table t from u\ntable u from t",
            "link t to u on order_no\ntable t from lines\ntable u from v\ntable v from t\n  add x = u.net",
        ]),
    );
}

#[test]
fn amounts_that_would_be_counted_twice() {
    snapshot(
        "amounts",
        all_said(&[
            "link lines to orders on order_no\ntable t from lines\n  add f = orders.freight\ncheck: sum(t.f) > 0",
            "link lines to orders on order_no\ncheck: sum(lines.orders.freight) > 0",
            "link lines to orders on order_no\ntable t from lines\n  add f = orders.freight + 1\n  track f",
            "table t from lines\n  units of quantity as n",
            "table t from lines\n  add bonus = net * 2\n  units of quantity as n split net\ncheck: sum(t.bonus) > 0",
            "link lines to orders on order_no\ntable t from lines\n  units of quantity as n split net\ntable u from t\n  add x = rows(back)\nlink lines to lines on order_no, line_no as self back back",
            "link lines to orders on order_no\ntable t from lines\n  add x = orders.lines.net",
        ]),
    );
}

#[test]
fn what_may_be_summed_is_summed() {
    let folder = shop();
    folder.plan(&format!(
        "{SHOP}link lines to orders on order_no\n\
         table t from lines\n  add part = orders.freight * quantity\n      price = net / quantity\n\
         check: sum(t.part) = 16\ncheck: sum(t.price) > 0\n"
    ));
    folder.run().code(0);
}

#[test]
fn all_errors_of_a_plan_come_in_one_run() {
    let folder = shop();
    let err = said(
        &folder,
        "table t from lines\n  keep nett > 0\n  add x = uper(order_no)\n      y = quantty\n\
         table u from t\n  keep x = 1 and net > \"a\"\ncheck lines: quantity = \"a\"\noutput linse to \"o.csv\"\n",
    );
    let errors: Vec<&str> = err.lines().filter(|line| line.starts_with("error")).collect();
    assert_eq!(
        errors,
        [
            "error[unknown-name]: `t` has no column called `nett`",
            "error[unknown-name]: there is no function called `uper`",
            "error[unknown-name]: `t` has no column called `quantty`",
            "error[type]: `>` needs values that go together: decimal(2) and text do not",
            "error[type]: `=` needs values that go together: integer and text do not",
            "error[unknown-name]: there is no table or input called `linse`",
        ]
    );
}

#[test]
fn after_a_syntax_error_the_rest_is_still_read() {
    let folder = shop();
    let err = said(
        &folder,
        "table t from lines\n  keep net > )\n  add x = = 3\n  drop y\nlink a b\noutput t to 3\n",
    );
    assert_eq!(err.matches("error[syntax]").count(), 4, "{err}");
}
