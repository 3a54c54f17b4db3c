//! What is usually a mistake: it is told with a way out, holds nothing back unless it is denied, and
//! is not told where it is none.

use serde_json::Value;

use super::folder::Folder;

/// Lines of orders of customers, two of whom have one name.
fn folder() -> Folder {
    let folder = Folder::new();
    folder
        .file(
            "lines.csv",
            "line,order_no,qty,net\n1,M1,2,4.00\n2,M1,1,2.00\n3,M2,3,9.00\n4,M3,1,1.00\n",
        )
        .file(
            "orders.csv",
            "order_no,customer_no,on,channel\nM1,C1,2025-03-01,shop\nM2,C2,2026-03-02,shop\n\
             M3,C3,2026-04-01,post\n",
        )
        .file("customers.csv", "customer_no,name\nC1,Ada\nC2,Ada\nC3,Ben\nC4,Cai\n");
    folder
}

const INPUTS: &str = "input lines from \"lines.csv\"\n  grain line\n  track net, qty\n\
                      input orders from \"orders.csv\"\n  grain order_no\n\
                      input customers from \"customers.csv\"\n  grain customer_no\n\
                      link lines to orders on order_no\nlink orders to customers on customer_no\n\
                      table sales from lines\n  add name = orders.customers.name\n      \
                      customer_no = orders.customer_no\n      on = orders.on\n      \
                      channel = orders.channel\n      price = net / qty\n";

/// What is told below the verdict.
fn told(plan: &str) -> String {
    let folder = folder();
    folder.plan(&format!("{INPUTS}{plan}\noutput t to \"t.csv\"\n"));
    let ran = folder.run().code(0);
    assert!(folder.exists("t.csv"));
    ran.out.split_once("bytes\n").unwrap().1.to_owned()
}

#[test]
fn a_name_that_several_share() {
    let expected = "
  warning: t: one row per name
    1 name of customers is shared by several customer_no and becomes one group: Ada of 2 customer_no
    group by the id, and take the name along:  one row per customer_no, name
    or it is meant so:  allow shared-name \"why\"  behind the step
";
    assert_eq!(told("table t from sales\n  one row per name\n    net = sum(net)"), expected);
    let path = "table t from lines\n  one row per orders.customers.name\n    net = sum(net)";
    let over = expected.replace("per name\n", "per orders.customers.name\n").replace(
        "customer_no, name\n",
        "orders.customers.customer_no,\n      orders.customers.name\n",
    );
    assert_eq!(told(path), over);
    // The form in which a blank has a name as well; and what is advised, runs and is silent.
    let named = path.replace("customers.name", "customers.name ?? \"(not known)\" as who");
    let text = told(&named);
    assert!(
        text.contains("one row per orders.customers.customer_no,\n      orders.customers.name ?? "),
        "{text}"
    );
    let advised = text.split_once("take the name along:  ").unwrap().1.replace(",\n     ", ",");
    let advised = advised.lines().next().unwrap();
    assert_eq!(told(&format!("table t from lines\n  {advised}\n    net = sum(net)")), "");
    // With the id beside it nothing is wrong.
    let both = "table t from sales\n  one row per customer_no, name\n    net = sum(net)";
    assert_eq!(told(both), "");
    // Rows of the table itself.
    let own = told("table t from customers\n  one row per name\n    n = rows()");
    assert!(own.contains("Ada of 2 customer_no"), "{own}");
    // What most rows share is no name.
    assert_eq!(told("table t from sales\n  one row per channel\n    net = sum(net)"), "");
}

#[test]
fn lines_that_are_counted_as_orders() {
    assert_eq!(
        told("table t from sales\n  one row per channel\n    orders = rows()"),
        "
  warning: t: one row per channel
    `orders` counts rows of lines, and up to 2 of them lead to one of orders
    count what is different:  orders = distinct(order_no)
    or it is meant so:  allow rows-counted \"why\"  behind the step
"
    );
    assert_eq!(
        told(
            "table t from sales\n  one row per channel\n    orders = distinct(order_no) lines = rows()"
        ),
        ""
    );
}

#[test]
fn a_mean_of_ratios_and_a_sum_of_different_values() {
    let mean = told("table t from sales\n  one row per channel\n    price = mean(price)");
    assert_eq!(
        mean,
        "
  warning: t: mean(price)
    each ratio counts alike, whether it is of much or of little
    divide the sums:  sum(…) / sum(…)
    or it is meant so:  allow mean-of-ratio \"why\"  behind the step
"
    );
    let half =
        "table t from sales\n  add half = net / 2\n  one row per channel\n    h = mean(half)";
    assert_eq!(told(half), "");
    let twice = told(
        "table by_channel from sales\n  one row per channel\n    buyers = distinct(customer_no)\n\
         table t from by_channel\n  one row in all\n    buyers = sum(buyers)",
    );
    assert!(twice.contains("warning: t: sum(buyers)\n    what stands in two groups"), "{twice}");
}

#[test]
fn months_of_several_years_in_one() {
    let expected = "
  warning: t: one row per month_name(on) as month
    days are from 2025 to 2026, and the same months of all years are one group
    say the year as well:  month(…) , or  year(…) as year  beside `month`
    or it is meant so:  allow years-mixed \"why\"  behind the step
";
    let months = "table t from sales\n  one row per month_name(on) as month\n    net = sum(net)";
    assert_eq!(told(months), expected);
    for fine in ["month(on) as month", "month_number(on) as month, year(on) as year"] {
        let plan = format!("table t from sales\n  one row per {fine}\n    net = sum(net)");
        assert_eq!(told(&plan), "");
    }
    let one_year = "table t from sales\n  keep year(on) = 2026\n  \
                    one row per month_name(on) as month\n    net = sum(net)";
    assert_eq!(told(one_year), "");
}

#[test]
fn denied_they_hold_outputs_back() {
    let folder = folder();
    folder.plan(&format!(
        "{INPUTS}table t from sales\n  one row per name\n    orders = rows()\noutput t to \"t.csv\"\n"
    ));
    let ran = folder.granum(&["run", "p.granum", "--deny", "warnings"]).code(1);
    ran.says("STOPPED: 0 of 2 links failed, 0 of 0 checks failed, 2 warnings, which are denied.")
        .says("written.");
    assert!(!folder.exists("t.csv"));
    folder.run().code(0).says("HELD: 2 links and 0 checks hold. 2 usual mistakes are below.\n");
    let ran = folder.granum(&["check", "p.granum", "--format", "json"]).code(0);
    let told: Value = serde_json::from_str(&ran.out).unwrap();
    let warnings = told["report"]["warnings"].as_array().unwrap();
    let kinds: Vec<&str> = warnings.iter().map(|w| w["kind"].as_str().unwrap()).collect();
    assert_eq!(kinds, ["shared-name", "rows-counted"]);
    // A warning of the plan's own is one as well.
    folder.plan("input lines from \"lines.csv\"\nwarn lines: net > 1\noutput lines to \"l.csv\"\n");
    folder
        .granum(&["run", "p.granum", "--deny", "warnings"])
        .code(1)
        .says("1 warning, which is denied.");
    folder.run().code(0);
}

#[test]
fn what_was_looked_at_is_allowed_where_it_arises_with_a_reason() {
    let folder = folder();
    let plan =
        |steps: &str| format!("{INPUTS}table t from sales\n{steps}\noutput t to \"t.csv\"\n");
    let deny = ["run", "p.granum", "--deny", "warnings"];
    let name = "  one row per name\n    net = sum(net)";
    folder.plan(&plan(&format!("{name}\n  allow shared-name \"namesakes are one desk\"")));
    folder
        .granum(&deny)
        .code(0)
        .says("  allowed: t: one row per name\n    shared-name: namesakes are one desk\n");
    let ran = folder.granum(&["check", "p.granum", "--format", "json"]).code(0);
    let told: Value = serde_json::from_str(&ran.out).unwrap();
    assert_eq!(told["report"]["allowed"][0]["reason"], "namesakes are one desk");
    assert_eq!(told["report"]["warnings"].as_array().unwrap().len(), 0);
    // It allows no other kind, and none elsewhere; what allows nothing is told.
    for (steps, left) in [
        (
            format!("{name}\n  allow rows-counted \"no\""),
            "warning: t: one row per name\n    1 name",
        ),
        (
            format!("  keep net > 0 allow shared-name \"no\"\n{name}"),
            "warning: t: one row per name\n",
        ),
        (format!("{name} allow rows-counted \"no\""), "nothing here is warned of as rows-counted"),
    ] {
        folder.plan(&plan(&steps));
        folder.granum(&deny).code(1).says(left);
    }
    // In a check about totals, and with a word that is no kind or without a reason.
    let mean =
        "table t from sales\ncheck: mean(t.price) > 0\n  allow mean-of-ratio \"a rough guard\"\n";
    folder.plan(&format!("{INPUTS}{mean}"));
    folder.granum(&["check", "p.granum", "--deny", "warnings"]).code(0).says("a rough guard");
    for (wrong, told) in [
        ("shared-names \"x\"", "did you mean `shared-name`?"),
        ("grain \"x\"", "here can be allowed: shared-name, rows-counted"),
        ("shared-name \" \"", "what is allowed needs a reason"),
        ("shared-name", "expected the reason in quotes"),
        ("repeated-rows \"x\"", "no warning that can arise here is called `repeated-rows`"),
    ] {
        folder.plan(&plan(&format!("{name}\n  allow {wrong}")));
        folder.run().code(2).complains(told);
    }
    folder.plan(&format!("{INPUTS}table t from sales allow repeated-rows \"x\"\n"));
    folder.run().code(2).complains("nothing here is warned of");
}

#[test]
fn counts_of_different_values_that_are_exact_are_not_warned_of() {
    let sum = |keys: &str, count: &str| {
        told(&format!(
            "table g from sales\n  one row per {keys}\n    n = {count}\n\
             table t from g\n  one row in all\n    n = sum(n)"
        ))
    };
    assert_eq!(sum("order_no", "distinct(order_no)"), "");
    assert!(sum("order_no, channel", "distinct(order_no)").contains("counted in both"));
    assert!(sum("channel", "distinct(order_no)").contains("counted in both"));
}
