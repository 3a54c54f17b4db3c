//! Worked examples: what they hold, how they fail, what cannot be one.

use std::fmt::Write;
use std::sync::atomic::{AtomicUsize, Ordering};

use super::folder::{Folder, Ran};

/// The plan of the demo.
const NURSERY: &str = include_str!("../../../granum-demo/plans/nursery.granum");

/// A way to get each rule of it wrong: what stands there, and what would stand there.
const MUTATIONS: &[(&str, &str)] = &[
    ("\"%Y-%m-%d\" or \"%d/%m/%Y\"", "\"%Y-%m-%d\" or \"%m/%d/%Y\""),
    ("order_no keep latest sent_at", "order_no keep earliest sent_at"),
    ("order_no keep latest sent_at", "order_no keep first"),
    ("order_no keep latest sent_at", "order_no keep last"),
    ("order_no keep latest sent_at", "order_no, status keep latest sent_at"),
    ("  dedupe by order_no keep latest sent_at\n", ""),
    (
        "  dedupe by order_no keep latest sent_at\n  drop status = \"void\"\n",
        "  drop status = \"void\"\n  dedupe by order_no keep latest sent_at\n",
    ),
    ("drop status = \"void\"", "drop status = \"open\""),
    ("drop status = \"void\"", "keep status = \"void\""),
    ("  drop status = \"void\"\n", ""),
    ("freight    as decimal(2)", "freight    as decimal(1) else blank"),
    ("       discount   as decimal(2)\n  dedupe\n", "       discount   as decimal(2)\n"),
    (
        "       discount   as decimal(2)\n  dedupe\n",
        "       discount   as decimal(2)\n  dedupe by order_no, line_no keep first\n",
    ),
    ("unit_price - discount", "unit_price + discount"),
    ("unit_price - discount", "unit_price"),
    ("quantity * unit_price - discount", "unit_price - discount"),
    ("quantity * unit_price - discount", "quantity * (unit_price - discount)"),
    ("grain order_no, line_no\n  track", "grain order_no, line_no, article_no\n  track"),
    ("customer_no keep latest changed_on", "customer_no keep earliest changed_on"),
    ("customer_no keep latest changed_on", "customer_no keep first"),
    ("  dedupe by customer_no keep latest changed_on\n", ""),
    (
        "from \"data/articles.csv\"\n",
        "from \"data/articles.csv\"\n  dedupe by article_no keep first\n",
    ),
    ("from \"data/places.csv\"\n", "from \"data/places.csv\"\n  dedupe by place keep first\n"),
    (
        "from \"data/promotions.csv\"\n",
        "from \"data/promotions.csv\"\n  dedupe by promo_code keep first\n",
    ),
    ("  dedupe\n  grain return_no", "  grain return_no"),
    ("  dedupe\n  grain return_no", "  dedupe by return_no keep first\n  grain return_no"),
    ("\"%d.%m.%Y\"", "\"%m.%d.%Y\""),
    ("as decimal \"1.234,56\"", "as decimal \"1,234.56\""),
    ("upper(trim(customer_no)) = customer_no", "trim(customer_no) = customer_no"),
    ("upper(trim(customer_no)) = customer_no", "upper(customer_no) = customer_no"),
    ("upper(trim(customer_no)) = customer_no", "customer_no = customer_no"),
    ("starts_on through ends_on", "starts_on until ends_on"),
    ("starts_on through ends_on", "starts_on onward"),
    ("prefer latest starts_on", "prefer earliest starts_on"),
    (" prefer latest starts_on", ""),
    ("valid_from until valid_until", "valid_from through valid_until"),
    ("valid_from until valid_until", "valid_from onward"),
    ("valid_from until valid_until", "valid_from until valid_until prefer latest valid_from"),
    ("on article_no, orders.ordered_on within", "on orders.ordered_on within"),
    ("  keep has(orders)\n", ""),
    ("keep has(orders)", "keep not has(orders)"),
    ("orders.channel", "orders.status"),
    ("orders.customers.places.region_code", "orders.customers.place"),
    ("articles.category", "articles.article_no"),
    ("sum(returns.quantity)\n", "rows(returns)\n"),
    ("as_of - orders.ordered_on", "orders.ordered_on - as_of"),
    ("freight by net else equally", "freight by quantity else equally"),
    ("freight by net else equally", "freight equally"),
    (" else equally", ""),
    ("unit_no <= returned_qty", "unit_no < returned_qty"),
    ("unit_no <= returned_qty", "unit_no > quantity - returned_qty"),
    ("unit_no <= returned_qty", "unit_no >= returned_qty"),
    ("kept_net     = sum(net where not returned)", "kept_net     = sum(net)"),
    ("returned_net = sum(net where returned)", "returned_net = sum(net where not returned)"),
    ("returned_net = sum(net where returned)", "returned_net = max(net where returned)"),
    ("?? \"(not known)\"", "?? \"(unknown)\""),
    ("one row per order_no, line_no\n", "one row per order_no, line_no, unit_no\n"),
    ("split net, discount, freight", "split net to 4 places, discount, freight"),
];

#[test]
fn every_rule_of_the_demo_has_an_example_that_fails_without_it() {
    assert!(MUTATIONS.len() >= 50);
    let (rules, examples) = NURSERY.split_once("# What the rules above do").unwrap();
    let plan = |rules: &str| format!("{rules}# What the rules above do{examples}");
    let next = AtomicUsize::new(0);
    let worker = || {
        let folder = Folder::new();
        folder.plan(&plan(rules)).granum(&["check", "p.granum", "--examples"]).code(0);
        while let Some((from, to)) = MUTATIONS.get(next.fetch_add(1, Ordering::Relaxed)) {
            assert!(rules.contains(from), "{from}");
            folder.plan(&plan(&rules.replacen(from, to, 1)));
            let Ran { code, out, err } = folder.granum(&["check", "p.granum", "--examples"]);
            assert_eq!(code, 1, "{from} → {to} is not found out\n{out}{err}");
            assert!(out.contains("\n  example \""), "{from} → {to}\n{out}");
        }
    };
    std::thread::scope(|scope| {
        scope.spawn(worker);
        scope.spawn(worker);
    });
}

const PLAN: &str = "param wanted text = \"closed\"\n\
    input orders from \"orders.csv\"\n  read sent_at as datetime\n       freight as decimal(2)\n  \
    dedupe by order_no keep latest sent_at\n  grain order_no\n\
    table chosen from orders\n  keep status = wanted\n  columns order_no, freight\n\
    table by_freight from orders\n  columns order_no, freight\n  sort freight desc\n";

const ORDERS: &str = " with orders \"\"\"\norder_no,status,freight,sent_at\n\
    M1,open,4.00,2026-03-01T08:00:00\nM1,closed,5.00,2026-03-02T08:00:00\n\
    M2,closed,,2026-03-02T08:00:00\nM3,\"open, late\",7.5,2026-03-02T08:00:00\n\"\"\"";

/// What is said of a plan whose examples run alone. No file is there.
fn alone(rest: &str) -> Ran {
    let folder = Folder::new();
    folder.plan(&format!("{PLAN}{rest}\n"));
    folder.granum(&["check", "p.granum", "--examples"])
}

/// An example of [`ORDERS`].
fn of_orders(outcome: &str) -> String {
    format!("example \"x\"{ORDERS} {outcome}")
}

fn gives(table: &str, rows: &str) -> String {
    format!("gives {table} \"\"\"\n{rows}\"\"\"")
}

#[test]
fn rows_are_compared_by_value_in_the_columns_that_are_given() {
    let orders = gives("orders", "freight,order_no\n7.50,M3\n,M2\n5.0,M1\n");
    let held = "HELD: 1 example holds. Nothing else was looked at.\n";
    assert_eq!(alone(&of_orders(&orders)).code(0).out, held);
    assert_eq!(alone(&of_orders(&gives("chosen", "order_no\nM2\nM1\n"))).code(0).out, held);
    let both = format!("{} {orders}", gives("chosen", "order_no,freight\nM1,5\nM2,\n"));
    assert_eq!(alone(&of_orders(&both)).code(0).out, held);
    // A table that is sorted has its order.
    let sorted = gives("by_freight", "order_no\nM3\nM1\nM2\n");
    assert_eq!(alone(&of_orders(&sorted)).code(0).out, held);
    alone(&of_orders(&gives("by_freight", "order_no\nM1\nM3\nM2\n"))).code(1);
    // Another value of a parameter, for this example alone.
    let open = "set wanted = \"open, late\"";
    let text = format!("example \"x\" {open}{ORDERS} {}", gives("chosen", "order_no\nM3\n"));
    let all = format!("{text}\n{}", of_orders(&gives("chosen", "order_no\nM1\nM2\n")));
    alone(&all).code(0).says("HELD: 2 examples hold.");
    // What `--set` says is not for examples; neither is what is asked of real data.
    let folder = Folder::new();
    folder
        .file("orders.csv", "order_no,status,freight,sent_at\nM7,void,1.00,2026-03-01T08:00:00\n");
    folder.plan(&format!("{PLAN}check: rows(orders) = 1\n{all}\n"));
    let ran = folder.granum(&["check", "p.granum", "--set", "wanted=void"]).code(0);
    assert!(ran.out.contains("HELD: 0 links, 1 check and 2 examples hold."), "{}", ran.out);
    alone("").code(0).says("HELD: the plan has no example, and nothing else was looked at.\n");
}

#[test]
fn examples_that_fail() {
    let other =
        gives("orders", "order_no,status,freight\nM1,open,4.00\nM2,closed,\nM4,closed,1.00\n");
    let key = gives("chosen", "order_no,freight\nM1,5.00\nM9,\n");
    let many: String = (0..30).fold("order_no,freight\n".to_owned(), |mut rows, at| {
        writeln!(rows, "N{at},1.00").unwrap();
        rows
    });
    let bad = "example \"bad\" with orders \"\"\"\norder_no,freight\nM1,four\n\"\"\"";
    let failed = [
        of_orders(&other),
        of_orders(&key),
        of_orders(&gives("by_freight", "order_no,freight\nM1,5.00\nM3,7.50\nM2,0.00\n")),
        of_orders(&gives("orders", "order_no\n")),
        of_orders(&gives("chosen", &many)),
        of_orders("stops \"grain\""),
        format!("{bad} {}", gives("orders", "order_no,freight\nM1,4.00\n")),
        format!("{bad} stops \"grain\""),
        format!(
            "{}\n{}",
            of_orders("stops \"units\""),
            of_orders(&gives("chosen", "order_no\nM1\nM2\n"))
        ),
    ];
    let mut told = String::new();
    for text in failed {
        let ran = alone(&text).code(1);
        assert_eq!(ran.err, "");
        writeln!(told, "── {}\n{}", &text[text.find("\"\"\" ").unwrap() + 4..], ran.out).unwrap();
    }
    insta::with_settings!({ omit_expression => true }, { insta::assert_snapshot!("failed", told) });
}

#[test]
fn what_cannot_be_an_example() {
    let orders =
        |rows: &str| format!("example \"x\" with orders \"\"\"\n{rows}\"\"\" stops \"grain\"");
    let wrong = [
        "example x".to_owned(),
        "example \"x\" gives orders \"\"\"\na\n\"\"\"".to_owned(),
        "example \"x\" with orders \"orders.csv\"".to_owned(),
        format!("example \"x\"{ORDERS}"),
        format!("example \"x\"{ORDERS} give orders"),
        of_orders("gives \"\"\"\na\n\"\"\""),
        of_orders("gives orders \"\"\"\n\"\"\""),
        of_orders(&gives("order", "order_no\n")),
        of_orders(&gives("orders", "order_nr\n")),
        of_orders(&gives("orders", "order_no,order_no\n")),
        of_orders(&gives("orders", "order_no,freight\nM1,four\n")),
        of_orders("stops \"grains\""),
        of_orders("stops \"anything\""),
        orders("order_no,freight\nM1\n"),
        orders("order_no\n\"M1\n"),
        orders("order_no\n\"M1\"2\n"),
        orders("order_no,order_no\n"),
        format!("example \"x\"{ORDERS}{ORDERS} stops \"grain\""),
        "example \"x\" with chosen \"\"\"\norder_no\n\"\"\" stops \"grain\"".to_owned(),
        format!("example \"x\" set wantd = \"a\"{ORDERS} stops \"grain\""),
        format!("example \"x\" set wanted = 3{ORDERS} stops \"grain\""),
        format!("example \"x\" set wanted{ORDERS} stops \"grain\""),
    ];
    let mut told = String::new();
    for text in wrong {
        let ran = alone(&text).code(2);
        assert_eq!(ran.out, "");
        writeln!(told, "── {text}\n{}", ran.err).unwrap();
    }
    // What the file says of its columns holds for its rows in examples: this code is a number, and would be
    // text without it.
    let folder = Folder::new();
    folder.file(
        "orders.csv",
        "order_no,status,freight,sent_at,code\nM1,a,1.00,2026-03-01T08:00:00,7\n",
    );
    let coded = "example \"x\" with orders \"\"\"\norder_no,code\nM1,08\n\"\"\" gives orders \
                 \"\"\"\ncode\n8\n\"\"\"\n";
    folder.plan(&format!("{PLAN}{coded}")).run().code(0);
    alone(coded).code(1).says("08");
    let odd = of_orders("stops \"grain\"").replace("status,", "state,");
    folder.plan(&format!("{PLAN}{odd}\n"));
    writeln!(told, "── a column that the file has not\n{}", folder.run().code(2).err).unwrap();
    insta::with_settings!({ omit_expression => true }, { insta::assert_snapshot!("wrong", told) });
}

#[test]
fn nothing_is_written_when_an_example_fails_and_no_pipe_is_read_for_examples_alone() {
    let folder = Folder::new();
    folder.file(
        "orders.csv",
        "order_no,status,freight,sent_at\nM1,closed,1.00,2026-03-01T08:00:00\n",
    );
    let output = "output chosen to \"out.csv\"\n";
    let plan = |rows: &str| format!("{PLAN}{output}{}\n", of_orders(&gives("chosen", rows)));
    folder.plan(&plan("order_no\nM1\n"));
    folder.run().code(1).says("1 of 1 examples failed").says("Nothing was written.");
    assert!(!folder.exists("out.csv"));
    let ran = folder.granum(&["check", "p.granum", "--format", "json"]).code(1);
    let told: serde_json::Value = serde_json::from_str(&ran.out).unwrap();
    let example = &told["report"]["examples"][0];
    assert_eq!(example["held"], false);
    assert_eq!(example["gives"][0]["rows"][1]["found"][0], "M2");
    assert_eq!(example["gives"][0]["rows"][1]["expected"], serde_json::Value::Null);
    folder.plan(&plan("order_no\nM1\nM2\n")).run().code(0);
    assert_eq!(folder.read("out.csv"), "order_no,freight\nM1,1.00\n");
    // Standard input stays as it is; a column that nothing tells the type of is blank.
    let text = plan("order_no\nM1\nM2\n").replace("\"orders.csv\"", "\"-\"");
    let more = "table t from orders\n  add more = weight * 2\n";
    folder.plan(&format!("{more}{text}"));
    folder.granum(&["check", "p.granum", "--examples"]).code(0);
    for option in ["--bridge", "--set=wanted=x", "--deny=warnings"] {
        folder.granum(&["check", "p.granum", "--examples", option]).code(2);
    }
}
