//! Outputs appear all together, or nothing that stood there is touched.

use std::fs;
use std::os::unix::fs::PermissionsExt;

use super::folder::{Folder, Ran, SHOP, shop};

#[test]
fn nothing_is_written_when_anything_fails_and_what_stood_there_stays() {
    let folder = shop();
    folder.file("out/t.csv", "old\n").plan(&format!(
        "{SHOP}table t from lines\ncheck: rows(lines) = 5\n\
         output t to \"out/t.csv\"\noutput orders to \"new/deep/o.csv\"\n"
    ));
    let before = folder.names();
    folder.run().code(1).says("Nothing was written.");
    assert_eq!(folder.names(), before);
    assert_eq!(folder.read("out/t.csv"), "old\n");
    assert!(!folder.exists("new"));
}

#[test]
fn outputs_replace_what_stood_there_and_leave_nothing_beside() {
    let folder = shop();
    folder.file("out/t.csv", "old\n").plan(&format!(
        "{SHOP}table t from lines\noutput t to \"out/t.csv\"\noutput orders to \"new/o.csv\"\n"
    ));
    let path = folder.path().join("out/t.csv");
    fs::set_permissions(&path, fs::Permissions::from_mode(0o640)).unwrap();
    folder
        .run()
        .code(0)
        .says("  wrote out/t.csv · 4 rows · 79 bytes\n  wrote new/o.csv · 2 rows · 82 bytes\n");
    assert_eq!(
        folder.names(),
        ["customers.csv", "lines.csv", "new/o.csv", "orders.csv", "out/t.csv", "p.granum"]
    );
    assert_eq!(fs::metadata(&path).unwrap().permissions().mode() & 0o777, 0o640);
    let mode = fs::metadata(folder.path().join("new/o.csv")).unwrap().permissions().mode();
    assert_eq!(mode & 0o600, 0o600);
    assert_ne!(mode & 0o044, 0, "a new file can be read as the system grants it");
}

#[test]
fn check_writes_nothing() {
    let folder = shop();
    folder.plan(&format!("{SHOP}table t from lines\noutput t to \"t.csv\"\n"));
    folder
        .granum(&["check", "p.granum"])
        .code(0)
        .says("HELD: 0 links and 0 checks hold. Nothing was to be written.");
    assert!(!folder.exists("t.csv"));
}

#[test]
fn a_folder_that_cannot_be_made_stops_before_any_work() {
    let folder = shop();
    folder.plan(&format!("{SHOP}output lines to \"orders.csv/t.csv\"\n"));
    let ran = folder.run().code(3);
    assert!(ran.err.starts_with("error: orders.csv/t.csv: its folder cannot be"), "{}", ran.err);
    assert!(ran.err.ends_with("nothing was written; see to its folder and run again\n"));
}

#[test]
fn a_folder_is_no_place_for_a_file() {
    let folder = shop();
    folder.file("t.csv/x", "").plan(&format!("{SHOP}output lines to \"t.csv\"\n"));
    folder.run().code(3).complains("error: t.csv: is a folder, not a file\n  name a file in it\n");
}

#[test]
fn an_output_does_not_replace_an_input() {
    let folder = shop();
    folder.plan(&format!("{SHOP}output lines to \"lines.csv\"\n"));
    let before = folder.read("lines.csv");
    folder.run().code(2).complains("\"lines.csv\" would replace a file that `lines` is read from");
    assert_eq!(folder.read("lines.csv"), before);
    // One that a pattern finds is known when it is opened.
    folder.plan("input l from \"line*.csv\"\noutput l to \"q/../lines.csv\"\n").file("q/x", "");
    folder.run().code(3).complains(
        "error: q/../lines.csv: an input is read from this file\n  write to another path\n",
    );
    assert_eq!(folder.read("lines.csv"), before);
}

#[test]
fn outputs_do_not_replace_each_other_or_the_plan() {
    let folder = shop();
    folder.file("q/x", "").file("used.granum", "plan \"used\"\n");
    #[cfg(unix)]
    std::os::unix::fs::symlink("q", folder.path().join("linked")).unwrap();
    for (one, other) in [
        ("x.csv", "./x.csv"),
        ("x.csv", "q/../x.csv"),
        #[cfg(unix)]
        ("q/x.csv", "linked/x.csv"),
    ] {
        folder.plan(&format!("{SHOP}output lines to \"{one}\"\noutput orders to \"{other}\"\n"));
        folder.run().code(2).complains(&format!("\"{one}\" and \"{other}\" are one file"));
    }
    assert!(!folder.exists("x.csv"));
    let plan = format!("use \"used.granum\"\n{SHOP}output lines to \"p.csv\"\n");
    folder.file("p.csv", &plan);
    folder.granum(&["run", "p.csv"]).code(2).complains("\"p.csv\" would replace the plan itself");
    assert_eq!(folder.read("p.csv"), plan);
}

#[test]
fn what_needs_something_that_failed_is_not_built_and_the_rest_is_told() {
    let folder = shop();
    folder.file("customers.csv", "customer_no,name\nC1,Ansa\nC1,Brim\n").plan(&format!(
        "{}link orders to customers on customer_no\nlink lines to orders on order_no complete\n\
         table t from orders\n  add name = customers.name\n\
         check \"t\" t: name is not blank\ncheck \"lines\" lines: net > 2\n",
        SHOP.replace("  grain customer_no\n", "")
    ));
    folder
        .run()
        .code(1)
        .says(
            "STOPPED: 1 problem with the data, 1 of 2 links failed, 1 of 2 checks failed. 1 link \
             was not built; 1\n  check was not looked at; not built: t. Nothing was written.\n",
        )
        .says("orders → customers: 1 key of customers (customer_no) stands on several rows\n")
        .says("lines → orders: 1 row of lines (1 quantity, 2.00 net) has no orders.\n")
        .says("check \"lines\" does not hold for 1 row of lines: net > 2\n");
}

#[test]
fn what_fails_in_one_table_leaves_others_made_of_the_same_rows_as_they_are() {
    let folder = Folder::new();
    folder.file(
        "l.csv",
        "no,qty,price,day\n1,2,1.50,2026-01-01\n2,1,9.00,2026-01-02\n3,0,2.00,2026-01-03\n",
    );
    let plan = |more: &str| {
        format!(
            "input l from \"l.csv\"\n  grain no\n  track price\ntable base from l\n  keep no > 0\n{more}\
             table fine from base\n  add y = qty * price\n\
             table days from fine\n  one row per day\n    price = sum(price)\n\
             check \"sums\": sum(days.price) = sum(base.price)\noutput fine to \"fine.csv\"\n"
        )
    };
    let alone = folder.plan(&plan("")).granum(&["check", "p.granum", "--format", "json"]).code(0);
    folder.plan(&plan(
        "table bad from base\n  add x = integer(text(day))\n\
         table after_bad from bad\n  one row per x\n    n = rows()\n\
         table counted from base\n  units of qty as n split price\ncheck \"bad\" bad: no > 0\n",
    ));
    let both = folder.granum(&["check", "p.granum", "--format", "json"]).code(1);
    // Both are told, with their lines, though rows went through all three at once.
    folder
        .run()
        .code(1)
        .says("  bad: \"2026-01-01\" is no integer\n")
        .says("    at  no 1   (l.csv line 2)\n")
        .says("  counted: not every row can be counted in units of qty\n")
        .says("      0   (l.csv line 4)\n")
        .says("  bad                    NOT LOOKED AT\n");
    assert!(!folder.exists("fine.csv"));
    let report = |ran: &Ran, of: &str| {
        let json: serde_json::Value = serde_json::from_str(&ran.out).unwrap();
        json["report"][of].clone()
    };
    assert_eq!(report(&both, "tables"), report(&alone, "tables"));
    assert_eq!(report(&both, "not_built"), serde_json::json!(["bad", "after_bad", "counted"]));
}

#[test]
fn a_plan_without_outputs_says_so() {
    let folder = Folder::new();
    folder.file("t.csv", "a\n1\n").plan("input t from \"t.csv\"\n");
    folder.run().code(0).says("HELD: 0 links and 0 checks hold. The plan has no output.\n");
}

#[test]
fn a_warning_is_told_and_outputs_are_written() {
    let folder = shop();
    folder.plan(&format!(
        "{SHOP}check lines: net > 0\nwarn \"dear\" lines: net > 5\nwarn \"many\": rows(lines) > 3\n\
         warn \"most\" lines at least 75%: net > 2\noutput lines to \"out.csv\"\n"
    ));
    let ran = folder.run().code(0);
    ran.says("  dear     4 rows of lines          WARNING\n")
        .says("  many     4 and 3                  ok\n")
        .says(
            "HELD: 0 links and 1 check hold. 1 of 3 warnings does not.\n  \
             wrote out.csv · 4 rows · 79 bytes\n\n  \
             warning \"dear\" does not hold for 1 row of lines: net > 5\n    \
             order_no M9, line_no 1, net 2.00   (lines.csv line 5)\n",
        );
    assert!(folder.exists("out.csv"));
}

#[test]
fn a_warning_does_not_hide_behind_a_check_that_fails() {
    let folder = shop();
    folder.plan(&format!(
        "{SHOP}check lines: net > 5\nwarn \"total\": sum(lines.net) = 0\noutput lines to \"out.csv\"\n"
    ));
    folder
        .run()
        .code(1)
        .says(
            "STOPPED: 0 of 0 links failed, 1 of 1 checks failed, 1 warning. Nothing was written.\n",
        )
        .says(
            "\n  warning \"total\" does not hold: sum(lines.net) = 0\n    sum(lines.net) = 24.51\n",
        );
    assert!(!folder.exists("out.csv"));
}

#[test]
fn what_a_warning_cannot_work_stops_the_run_as_a_check_would() {
    let folder = shop();
    folder.plan(&format!("{SHOP}warn lines: integer(order_no) > 0\n"));
    folder.run().code(1).says("STOPPED: 1 problem with the data.");
}

#[test]
fn the_command_that_is_printed_lists_all_rows_that_fail_a_check() {
    let folder = Folder::new();
    let line = |at: i32| {
        let net = if at % 7 == 0 { String::new() } else { at.to_string() };
        format!("M{},{},{},{net},{}\n", at / 4, at % 4, at % 5, if at % 3 > 0 { "a" } else { "" })
    };
    let lines: String = (0..60).map(line).collect();
    folder.file("lines.csv", format!("order_no,line_no,quantity,net,It's\n{lines}"));
    let orders: Vec<String> = (0..15).map(|at| format!("M{at},{at}.00\n")).collect();
    folder.file("orders.csv", format!("order_no,freight\n{}", orders.concat()));
    folder.file("few.csv", format!("order_no,freight\n{}", orders[..7].concat()));
    let conditions = [
        ("lines", "quantity > most"),
        ("lines", "net < 3"),
        ("lines", "orders.freight < 2"),
        ("orders", "sum(lines.net) < 2 and not (sum(lines.quantity) = 3)"),
        ("lines", "`It's` = \"it's\""),
        ("`the lines`", "has(orders) and net in (1, 2)"),
        ("lines", "if net > 3 then false else true"),
        ("t", "s < 1"),
    ];
    let checks: Vec<String> =
        conditions.iter().map(|(table, holds)| format!("check {table}: {holds}\n")).collect();
    let plan = format!(
        "param most integer = 1\ninput lines from \"lines.csv\"\n  grain order_no, line_no\n\
         input orders from \"orders.csv\"\n  grain order_no\nlink lines to orders on order_no\n\
         input few from \"few.csv\"\n  grain order_no\nlink lines to few on order_no complete\n\
         table `the lines` from lines\ntable t from lines\n  add n = quantity\n  \
         one row per order_no total row \"all\"\n    s = sum(n)\n{}",
        checks.concat()
    );
    folder.file("it's a plan.granum", plan);
    let ran = folder.granum(&["check", "it's a plan.granum", "--set", "most=2", "-q"]).code(1);
    let failed: Vec<&str> = ran.out.lines().filter(|line| line.starts_with("  check")).collect();
    let told: Vec<&str> = ran
        .out
        .lines()
        .filter_map(|line| line.split_once("see them all: "))
        .map(|it| it.1)
        .collect();
    assert_eq!((failed.len(), told.len()), (conditions.len(), conditions.len()), "{}", ran.out);
    let place = std::path::Path::new(env!("CARGO_BIN_EXE_granum")).parent().unwrap();
    let last_line = |told: &str| {
        let mut command = std::process::Command::new("/bin/sh");
        let command = command.args(["-c", told]).env("PATH", place).current_dir(folder.path());
        let shown = String::from_utf8(command.output().unwrap().stdout).unwrap();
        shown.lines().last().unwrap_or_default().to_owned()
    };
    for (failed, told) in failed.iter().zip(told) {
        let rows = failed.split(" for ").nth(1).unwrap().split(" of ").next().unwrap();
        let last = last_line(told);
        assert!(last.starts_with(&format!("{rows} where not (")), "{failed}\n{told}\n{last}");
    }
    // So it is of rows that a link leaves out: 8 orders of 4 lines.
    let told = ran.out.split("see them: ").nth(1).unwrap().lines().next().unwrap();
    assert!(last_line(told).starts_with("32 rows without one of few"), "{told}");
}
