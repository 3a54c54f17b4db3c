//! The mistakes by which reports that look right turn out wrong, each as it is met, and what the
//! program says in its place.

use super::folder::Folder;

/// A join would have counted an order's lines once for each version of the order.
#[test]
fn a_header_that_was_sent_twice_does_not_double_its_lines() {
    let folder = Folder::new();
    folder
        .file(
            "orders.csv",
            "order_no,sent_at,status\n\
             M1,2026-03-01T08:00:00,open\n\
             M1,2026-03-02T08:00:00,closed\n\
             M2,2026-03-01T09:00:00,open\n",
        )
        .file("lines.csv", "order_no,line_no,net\nM1,1,10.00\nM1,2,5.00\nM2,1,1.00\n");
    let plan = |dedupe: &str| {
        format!(
            "input orders from \"orders.csv\"\n{dedupe}\n\
             input lines from \"lines.csv\"\n  grain order_no, line_no\n  track net\n\
             link lines to orders on order_no complete\n\
             table sales from lines\n  add status = orders.status\n\
             check: sum(sales.net) = sum(lines.net)\n\
             output sales to \"sales.csv\"\n"
        )
    };
    folder.plan(&plan(""));
    let ran = folder.run().code(1);
    ran.says("2 rows of lines would have become 4").says("M1").says("dedupe by order_no");
    assert!(!folder.exists("sales.csv"));

    folder.plan(&plan("  dedupe by order_no keep latest sent_at"));
    folder.run().code(0).says("1 other version").says("16.00 and 16.00");
    assert_eq!(
        folder.read("sales.csv"),
        "order_no,line_no,net,status\nM1,1,10.00,closed\nM1,2,5.00,closed\nM2,1,1.00,open\n"
    );
}

/// An inner join drops what does not meet; nobody sees that it was there.
#[test]
fn lines_without_an_order_are_counted_with_their_money() {
    let folder = Folder::new();
    folder
        .file("orders.csv", "order_no\nM1\n")
        .file("lines.csv", "order_no,line_no,net\nM1,1,10.00\nM7,1,2.50\nM7,2,0.50\nM8,1,-1.00\n")
        .plan(
            "input orders from \"orders.csv\"\n  grain order_no\n\
             input lines from \"lines.csv\"\n  grain order_no, line_no\n  track net\n\
             link lines to orders on order_no\n\
             table sales from lines\n  keep has(orders)\n\
             output sales to \"sales.csv\"\n",
        );
    let ran = folder.run().code(0);
    let ran = ran.says("keep has(orders)     1      −3  10.00   −2.00");
    ran.says("25.00%        3      0  71.42% of net  —\n");
}

/// Two people of one name become one customer as soon as the name is a key.
#[test]
fn two_customers_of_one_name_are_not_merged() {
    let folder = Folder::new();
    folder
        .file("customers.csv", "customer_no,name\nC1,Orla Fern\nC2,Orla Fern\n")
        .file("orders.csv", "order_no,name\nM1,Orla Fern\n")
        .plan(
            "input customers from \"customers.csv\"\n  grain customer_no\n\
             input orders from \"orders.csv\"\n  grain order_no\n\
             link orders to customers on name\n",
        );
    let ran = folder.run().code(1);
    ran.says("1 row of orders would have become 2")
        .says("customers.csv line 2")
        .says("customers has one row per customer_no: link on that");
}

/// A freight that stands on each line of its order, added up, is counted once a line.
#[test]
fn a_freight_is_not_added_up_once_a_line() {
    let folder = Folder::new();
    folder
        .file("orders.csv", "order_no,freight\nM1,4.00\n")
        .file("lines.csv", "order_no,line_no,net\nM1,1,10.00\nM1,2,5.00\n");
    let plan = |check: &str| {
        format!(
            "input orders from \"orders.csv\"\n  grain order_no\n  track freight\n\
             input lines from \"lines.csv\"\n  grain order_no, line_no\n  track net\n\
             link lines to orders on order_no\n\
             table sales from lines\n  add freight = orders.freight\n      all = net + orders.freight\n\
             {check}\n"
        )
    };
    for check in ["check: sum(sales.freight) = 4", "check: sum(sales.all) = 19"] {
        folder.plan(&plan(check));
        folder.run().code(2).complains("error[counted-twice]").complains("once");
    }
    folder.plan(&plan("check: sum(orders.freight) = 4"));
    folder.run().code(0);
}

/// A third of ten, three times, is a cent less than ten.
#[test]
fn no_cent_is_lost_in_a_split_and_none_is_made() {
    let folder = Folder::new();
    folder.file("lines.csv", "id,quantity,net\nA,3,10.00\nB,7,0.05\nC,6,-0.01\n").plan(
        "input lines from \"lines.csv\"\n  grain id\n  track quantity, net\n\
         table units_of from lines\n  units of quantity as unit_no split net\n\
         check \"cents\": sum(units_of.net) = sum(lines.net)\n\
         output units_of to \"units.csv\"\n",
    );
    folder.run().code(0).says("quantity, net add up to what they were");
    let units = folder.read("units.csv");
    let of = |id: &str| -> Vec<&str> {
        let rows = units.lines().filter(|row| row.starts_with(id));
        rows.map(|row| row.split(',').nth(2).unwrap()).collect()
    };
    assert_eq!(of("A"), ["3.34", "3.33", "3.33"]);
    assert_eq!(of("B"), ["0.01", "0.01", "0.01", "0.01", "0.01", "0.00", "0.00"]);
    assert_eq!(of("C"), ["-0.01", "0.00", "0.00", "0.00", "0.00", "0.00"]);
}

/// A number column loses the zeros that its key begins with, and two articles become one.
#[test]
fn zeros_that_lead_a_key_are_kept_and_meet_no_number() {
    let folder = Folder::new();
    folder
        .file("articles.csv", "article_no,article\n007,Fern\n7,Moss\n")
        .file("lines.csv", "line_no,article_no\n1,7\n2,7\n");
    let plan = |read: &str| {
        format!(
            "input articles from \"articles.csv\"\n  grain article_no\n\
             input lines from \"lines.csv\"\n{read}  grain line_no\n\
             link lines to articles on article_no complete\n\
             table sales from lines\n  add article = articles.article\n\
             output sales to \"sales.csv\"\n"
        )
    };
    folder.plan(&plan(""));
    folder.run().code(2).complains("in the input of `lines`:  read article_no as text");
    folder.plan(&plan("  read article_no as text\n"));
    folder.run().code(0);
    assert_eq!(folder.read("sales.csv"), "line_no,article_no,article\n1,7,Moss\n2,7,Moss\n");
}

/// Forty buyers without a name are not one buyer.
#[test]
fn buyers_without_a_number_are_neither_merged_nor_matched() {
    let folder = Folder::new();
    folder
        .file(
            "buyers.csv",
            "buyer_no,seen_at\n,2026-01-01\n,2026-01-02\nB1,2026-01-03\nB1,2026-01-04\n",
        )
        .file("orders.csv", "order_no,buyer_no\nM1,\nM2,B1\n")
        .plan(
            "input buyers from \"buyers.csv\"\n  dedupe by buyer_no keep latest seen_at\n\
             input orders from \"orders.csv\"\n  grain order_no\n\
             link orders to buyers on buyer_no\n\
             table out from orders\n  add seen_at = buyers.seen_at\n\
             output out to \"out.csv\"\noutput buyers to \"left.csv\"\n",
        );
    folder.run().code(0).says("2 rows with a blank key left alone");
    assert_eq!(folder.read("left.csv").lines().count(), 4);
    assert_eq!(folder.read("out.csv"), "order_no,buyer_no,seen_at\nM1,,\nM2,B1,2026-01-04\n");
}

/// `net != 0` is neither true nor false of a blank; leaving such rows out is a choice to be seen.
#[test]
fn rows_whose_condition_is_blank_are_told_apart() {
    let folder = Folder::new();
    folder.file("lines.csv", "id,net\nA,1.00\nB,\nC,0.00\n").plan(
        "input lines from \"lines.csv\"\n  grain id\n\
         table some from lines\n  keep net != 0\n\
         table rest from lines\n  drop net != 0\n",
    );
    let ran = folder.run().code(0);
    ran.says("the condition was blank for 1 row, which went")
        .says("the condition was blank for 1 row, which stayed");
}

/// A day that two countries write in two ways is not guessed at.
#[test]
fn days_in_two_formats_are_read_by_what_the_plan_says() {
    let folder = Folder::new();
    folder.file("visits.csv", "id,day\n1,2026-02-03\n2,03/02/2026\n");
    let plan = |read: &str| {
        format!(
            "input visits from \"visits.csv\"\n{read}  grain id\n\
             table out from visits\n  add month = month(day)\noutput out to \"out.csv\"\n"
        )
    };
    folder.plan(&plan(""));
    folder.run().code(2).complains("month");
    folder.plan(&plan("  read day as date\n"));
    folder.run().code(1).says("visits.csv line 3").says("03/02/2026");
    folder.plan(&plan("  read day as date \"%Y-%m-%d\" or \"%d/%m/%Y\"\n"));
    folder.run().code(0);
    assert_eq!(
        folder.read("out.csv"),
        "id,day,month\n1,2026-02-03,2026-02\n2,2026-02-03,2026-02\n"
    );
}

/// Nearly all is not all, and is not printed as if it were.
#[test]
fn a_link_that_is_nearly_complete_is_not_complete() {
    let mut lines = String::from("id,k\n");
    (0..20_000)
        .for_each(|id| lines.push_str(&format!("{id},{}\n", if id == 7 { "x" } else { "a" })));
    let folder = Folder::new();
    folder.file("lines.csv", lines).file("keys.csv", "k\na\n").plan(
        "input lines from \"lines.csv\"\n  grain id\n\
         input keys from \"keys.csv\"\n  grain k\n\
         link lines to keys on k complete\n",
    );
    let ran = folder.run().code(1);
    let ran = ran.says("99.99% is matched; the plan asks that it is complete");
    assert!(!ran.out.contains("100.00%"), "{}", ran.out);
}
