//! `allocate`: amounts that stand once for many rows, divided over them to the last cent.

use std::fmt::Write;

use super::folder::{Folder, Ran};

const ORDERS: &str = "order_no,freight\nM1,5.00\nM2,-0.01\nM3,10.00\nM4,3.00\nM5,\nM6,2.00\n";

const LINES: &str = "line_no,order_no,net,channel,spend\n1,M1,30.00,shop,9.99\n2,M1,10.00,shop,9.99\n\
    3,M2,1.00,shop,\n4,M2,1.00,post,5.00\n5,M2,1.00,post,5.00\n6,M3,1,post,5.00\n7,M3,1,post,5.00\n\
    8,M3,1,,1.00\n9,M5,2,radio,7.00\n10,M6,0,radio,7.00\n11,M9,1,radio,7.00\n";

const PLAN: &str = "input orders from \"orders.csv\"\n  grain order_no\n  track freight\n\
    input lines from \"lines.csv\"\n  read net as decimal(2)\n  grain line_no\n  track net\n\
    link lines to orders on order_no\n";

/// A table `t` of the lines, with these steps.
fn shop(steps: &str) -> Folder {
    let folder = Folder::new();
    folder.file("orders.csv", ORDERS).file("lines.csv", LINES);
    folder.plan(&format!("{PLAN}table t from lines\n{steps}\noutput t to \"t.csv\"\n"));
    folder
}

/// A column of the table, with spaces between its rows.
fn parts(steps: &str) -> String {
    let folder = shop(&format!("{steps}\n  columns line_no, part"));
    folder.run().code(0);
    let out = folder.read("t.csv");
    out.lines().skip(1).map(|line| line.split_once(',').unwrap().1).collect::<Vec<_>>().join(" ")
}

#[test]
fn parts_add_up_to_the_last_cent() {
    let freight = |rest: &str| parts(&format!("  allocate orders.freight as part {rest}"));
    assert_eq!(freight("by net"), "3.75 1.25 -0.01 0.00 0.00 3.34 3.33 3.33   ");
    assert_eq!(freight("by net else equally"), "3.75 1.25 -0.01 0.00 0.00 3.34 3.33 3.33  2.00 ");
    assert_eq!(freight("equally"), "2.50 2.50 -0.01 0.00 0.00 3.34 3.33 3.33  2.00 ");
    assert_eq!(
        freight("by net to 4 places"),
        "3.7500 1.2500 -0.0034 -0.0033 -0.0033 3.3334 3.3333 3.3333   "
    );
    // Rows that went before the step get nothing; those that stay get all.
    let steps = "  drop line_no = 2 or line_no = 3\n  allocate orders.freight as part by net";
    assert_eq!(parts(steps), "5.00 -0.01 0.00 3.34 3.33 3.33   ");
}

#[test]
fn an_amount_that_each_row_of_a_group_repeats_is_divided_once() {
    let spend = "  allocate spend as part equally per channel";
    assert_eq!(parts(spend), "3.33 3.33 3.33 1.25 1.25 1.25 1.25  2.34 2.33 2.33");
    let by = "  allocate spend as part by net per channel, order_no to 3 places";
    assert_eq!(parts(by), "7.493 2.497  2.500 2.500 2.500 2.500  7.000  7.000");
}

#[test]
fn what_is_divided_is_tracked_and_what_is_not_is_told() {
    let steps = "  allocate orders.freight as freight by net\n  \
                 allocate spend as cost equally per channel\n  columns line_no, net, freight, cost";
    let folder = shop(steps);
    let told = folder.run().code(0).out;
    let tally = told.split_once("t \u{b7} ").unwrap().1.split_once("links").unwrap().0;
    insta::with_settings!({ omit_expression => true }, { insta::assert_snapshot!("allocated", tally) });
    // Parts can be summed; the amount itself still stands on each row of it.
    folder.plan(&format!(
        "{PLAN}table t from lines\n{steps}\ncheck \"all\": sum(t.freight) = 14.99 and sum(t.cost) = 21.99\n"
    ));
    folder.granum(&["check", "p.granum"]).code(0);
    let steps = "  add freight = orders.freight\n  allocate orders.freight as part by net\n  \
                 one row in all\n    a = sum(freight)";
    let ran = shop(steps).run().code(2);
    let err = ran.err.split_whitespace().collect::<Vec<_>>().join(" ");
    assert!(err.contains("error[counted-twice]"), "{err}");
    assert!(err.contains("allocate LINK.COLUMN as NAME by WEIGHT"), "{err}");
}

#[test]
fn what_cannot_be_divided_is_an_error_with_a_way_out() {
    let mut out = String::new();
    let mut said = |what: &str, steps: &str| -> Ran {
        let ran = shop(steps).run();
        let text = ran.out.rsplit_once("STOPPED").map_or("", |(_, text)| text);
        writeln!(out, "── {what} (exit {})\n{text}{}", ran.code, ran.err).unwrap();
        ran
    };
    let part = |rest: &str| format!("  allocate orders.freight as part {rest}");
    // What is offered runs as it is printed.
    for (weight, mended) in [
        ("net - 2", "highest(net - 2, 0)"),
        ("net + spend", "(net + spend) ?? 0"),
        ("net - 2 + spend", "highest((net - 2 + spend) ?? 0, 0)"),
    ] {
        let negative = ["net - 2 + spend"].contains(&weight);
        let before = if negative { "  change spend = spend - 4\n" } else { "" };
        let ran = said(weight, &format!("{before}{}", part(&format!("by {weight}")))).code(1);
        assert!(
            ran.out.contains(&format!("by {mended} ; or all the same:  equally\n")),
            "{}",
            ran.out
        );
        for offered in [format!("by {mended}"), "equally".to_owned()] {
            shop(&format!("{before}{}", part(&offered))).run().code(0);
        }
    }
    let per = "  allocate spend as part by net per";
    said("two amounts", &format!("{per} order_no")).code(1);
    said("more places", &part("by net to 1 places")).code(1);
    for (what, steps) in [
        ("per what", "  allocate spend as part by net"),
        ("per beside a link", &part("by net per channel")),
        ("tracked", "  allocate net as part equally per order_no"),
        ("a text", "  allocate channel as part equally per order_no"),
        ("a weight that is text", &part("by channel")),
        ("a sum", "  allocate spend + 1 as part equally per order_no"),
        ("no weight", &part("")),
        ("else what", &part("by net else nothing")),
        ("places first", "  allocate spend as part equally to 2 places per channel"),
        ("a name that is there", "  allocate orders.freight as net equally"),
        ("divided", "  add x = spend / 3\n  allocate x as part equally per channel"),
        (
            "repeated there",
            "table u from lines\n  add f = orders.freight\nlink t to u on line_no as again back t_too\n\
             table v from t\n  allocate again.f as part equally",
        ),
    ] {
        said(what, steps).code(2);
    }
    insta::with_settings!({ omit_expression => true }, { insta::assert_snapshot!("allocate_refused", out) });
}
