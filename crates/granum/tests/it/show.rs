//! `show`: the rows of a table, those that a link leaves out, and those that are asked for.

use serde_json::Value;

use super::folder::{Folder, Ran, SHOP, shop};

#[test]
fn the_first_rows_with_the_grain() {
    let folder = shop();
    folder.plan(&format!(
        "{SHOP}link lines to orders on order_no\n\
         table t from lines\n  add on = orders.ordered_on\n"
    ));
    let ran = folder.granum(&["show", "p.granum", "t", "--rows", "3"]).code(0);
    assert_eq!(
        ran.out,
        "t · one row per order_no, line_no

  order_no  line_no  quantity    net  on
  M1              1         3  10.00  2026-03-01
  M1              2         1   5.50  2026-03-01
  M2              1         2   7.01  2026-03-02

the first 3 of 4 rows
"
    );
    folder
        .granum(&["show", "p.granum", "orders"])
        .code(0)
        .says("  M2        2026-03-02  ·               0.00\n");
}

#[test]
fn what_a_link_leaves_out() {
    let folder = shop();
    folder.plan(&format!("{SHOP}link lines to orders on order_no complete\n"));
    folder
        .granum(&["show", "p.granum", "lines", "--unmatched", "orders"])
        .code(0)
        .says("  M9              1         1  2.00\n")
        .says("1 row without one of orders\n");
    folder
        .granum(&["show", "p.granum", "lines", "--unmatched", "oders"])
        .code(2)
        .complains("no link called `oders` leads from `lines`")
        .complains("did you mean `orders`?");
}

#[test]
fn a_table_that_is_not_there_or_cannot_be_built() {
    let folder = shop();
    folder
        .plan(&SHOP.replace("grain order_no\n", "grain freight, order_no\n  change freight = 1\n"));
    folder
        .granum(&["show", "p.granum", "line"])
        .code(2)
        .complains("the plan has no table called `line`")
        .complains("did you mean `lines`?");
    folder.plan(&SHOP.replace("grain order_no\n", "change order_no = \"x\"\n  grain order_no\n"));
    folder
        .granum(&["show", "p.granum", "orders"])
        .code(1)
        .complains("the grain order_no does not hold")
        .complains("`orders` could not be built.");
}

#[test]
fn wide_tables_and_long_cells_are_folded() {
    let folder = Folder::new();
    let names: Vec<String> = (0..30).map(|at| format!("column_{at:02}")).collect();
    let row: Vec<String> = (0..30).map(|at| format!("{}", at * 1000)).collect();
    folder
        .file("t.csv", format!("{},long\n{},{}\n", names.join(","), row.join(","), "x".repeat(80)))
        .plan("input t from \"t.csv\"\n");
    let ran = folder.granum(&["show", "p.granum", "t"]).code(0);
    assert!(ran.out.lines().all(|line| line.chars().count() <= 100), "{}", ran.out);
    assert!(ran.out.contains("column_29"));
    assert!(ran.out.contains(&format!("{}…\n", "x".repeat(39))), "{}", ran.out);
}

#[test]
fn the_grain_stands_again_beside_columns_that_follow_below() {
    let folder = Folder::new();
    let names: Vec<String> = (0..12).map(|at| format!("column_{at:02}")).collect();
    folder.file("t.csv", format!("k,{}\nA7,{}\n", names.join(","), "1,".repeat(11) + "2"));
    folder.plan("input t from \"t.csv\"\n  grain k\n");
    let ran = folder.granum(&["show", "p.granum", "t"]).code(0);
    assert_eq!(ran.out.matches("  k   column").count(), 2, "{}", ran.out);
    assert_eq!(ran.out.matches("  A7  ").count(), 2, "{}", ran.out);
    // A grain that takes half the width does not stand everywhere.
    folder.plan(&format!("input t from \"t.csv\"\n  grain k, {}\n", names[..9].join(", ")));
    let ran = folder.granum(&["show", "p.granum", "t"]).code(0);
    assert_eq!(ran.out.matches("A7").count(), 1, "{}", ran.out);
}

#[test]
fn spaces_around_a_text_are_seen() {
    let folder = Folder::new();
    folder.file("t.csv", "k,v\nA ,x\n B,\"y\n\"\nC,a b\n").plan("input t from \"t.csv\"\n");
    folder
        .granum(&["show", "p.granum", "t"])
        .code(0)
        .says("  k     v\n  \"A \"  x\n  \" B\"  y\\n\n  C     a b\n");
}

/// Rows of five articles with blanks in their prices.
fn priced(args: &[&str]) -> Ran {
    let folder = Folder::new();
    folder
        .file("t.csv", "article,kind,price\nash,tree,4.00\nbay,herb,\nyew,tree,9.50\nrue,herb,2.25\noak,tree,\n")
        .plan("input t from \"t.csv\"\n  grain article\n  track price\n");
    folder.granum(&[&["show", "p.granum", "t"], args].concat())
}

#[test]
fn rows_are_chosen_and_ordered_with_blanks_last() {
    let ran = priced(&["--where", "kind = \"tree\"", "--sort", "price desc"]).code(0);
    assert_eq!(
        ran.out,
        "t · one row per article

  article  kind  price
  yew      tree   9.50
  ash      tree   4.00
  oak      tree      ·

3 rows where kind = \"tree\", by price desc; · is blank
"
    );
    let ran = priced(&["--sort", "price"]).code(0);
    let order: Vec<&str> =
        ran.out.lines().skip(3).filter_map(|l| l.split_whitespace().next()).take(5).collect();
    assert_eq!(order, ["rue", "ash", "yew", "bay", "oak"]);
    let ran = priced(&["--sort", "upper(left(kind, 1)) desc, article desc", "--rows", "2"]).code(0);
    ran.says("  yew      tree   9.50\n  oak      tree      ·\n\nthe first 2 of 5 rows, by ");
}

#[test]
fn what_is_asked_shows_no_column_more_and_goes_with_unmatched_rows() {
    let folder = shop();
    folder.plan(&format!("{SHOP}link orders to customers on customer_no blank allowed\nlink lines to orders on order_no\n"));
    let show = |args: &[&str]| {
        let args = [&["show", "p.granum", "lines", "--format", "json"], args].concat();
        serde_json::from_str::<Value>(&folder.granum(&args).code(0).out).unwrap()["table"].take()
    };
    let lines = show(&["--unmatched", "orders", "--where", "net < 5"]);
    assert_eq!(lines["rows"], serde_json::json!([["M9", 1, 1, "2.00"]]));
    assert_eq!(show(&["--unmatched", "orders", "--where", "net > 5"])["rows_in_all"], 0);
    // Look-ups are expressions too; what leads nowhere is blank, so last.
    let sorted = show(&["--sort", "orders.customers.name, net"]);
    assert_eq!(sorted["columns"].as_array().unwrap().len(), 4);
    let nets: Vec<&str> =
        sorted["rows"].as_array().unwrap().iter().map(|row| row[3].as_str().unwrap()).collect();
    assert_eq!(nets, ["5.50", "10.00", "2.00", "7.01"]);
}

#[test]
fn what_is_asked_wrongly_is_shown_as_it_was_typed() {
    let wrong = |args: &[&str], says: &str| priced(args).code(2).complains(says);
    wrong(
        &["--where", "prise > 3"],
        "error[unknown-name]: `t` has no column called `prise`
  ┌─ --where:1:1
  │
1 │ prise > 3
  │ ^^^^^
  │
  = did you mean `price`?
",
    );
    wrong(&["--where", "price"], "this is decimal(2), but a condition is true or false");
    wrong(
        &["--sort", "article, upper(kind"],
        "expected `)` or `,`, found its end\n  ┌─ --sort:1:10",
    );
    wrong(
        &["--where", "price > 1", "--unmatched", "zzz"],
        "no link called `zzz` leads on from `t`",
    );
    let ran = priced(&["--where", "prise > 3", "--format", "json"]).code(2);
    let told: Value = serde_json::from_str(&ran.out).unwrap();
    assert_eq!(told["diagnostics"][0]["option"], "--where");
    assert_eq!(told["diagnostics"][0]["from"], serde_json::json!({ "line": 1, "column": 1 }));
    let folder = shop();
    folder.plan(SHOP);
    let ran = folder.granum(&["show", "p.granum", "line", "--where", "net > 1"]).code(2);
    ran.complains("TABLE:1:1").complains("did you mean `lines`?");
}

#[test]
fn without_a_table_all_of_them_are_listed() {
    let folder = shop();
    folder.plan(&format!(
        "{SHOP}link lines to orders on order_no\n\
         table t from lines\n  one row per orders.customer_no as who\n    net = sum(net)\n"
    ));
    let expected = "\
orders · input · one row per order_no
  order_no text, ordered_on date, customer_no text, freight decimal(2)

lines · input · one row per order_no, line_no
  order_no text, line_no integer, quantity integer, net decimal(2)
  links to orders

customers · input · one row per customer_no
  customer_no text, name text

t · one row per who
  who text, net decimal(2)

4 tables; the rows of one:  granum show p.granum TABLE
";
    assert_eq!(folder.granum(&["show", "p.granum"]).code(0).out, expected);
    let ran = folder.granum(&["show", "p.granum", "--format", "json"]).code(0);
    let told: Value = serde_json::from_str(&ran.out).unwrap();
    assert_eq!(told["outline"][1]["links"][0], "orders");
    assert_eq!(told["outline"][3]["columns"][1][1], "decimal(2)");
    folder.granum(&["show", "-e", "input o from \"orders.csv\""]).code(0).says("o · input");
}

#[test]
fn what_is_usually_a_mistake_is_told_below_the_rows() {
    let folder = shop();
    folder.plan(&format!(
        "{SHOP}link lines to orders on order_no\n\
         table t from lines\n  one row in all\n    orders = rows()\n"
    ));
    folder
        .granum(&["show", "p.granum", "t"])
        .code(0)
        .says("1 row\n\n  warning: t: one row in all\n    `orders` counts rows of lines");
    let ran = folder.granum(&["show", "p.granum", "t", "--format", "json"]).code(0);
    let told: Value = serde_json::from_str(&ran.out).unwrap();
    assert_eq!(told["table"]["warnings"][0]["kind"], "rows-counted");
}

#[test]
fn columns_stand_below_each_other_whatever_their_letters_are_wide() {
    let folder = Folder::new();
    let long = "苔".repeat(60);
    folder.file(
        "w.csv",
        format!("k,name,n\n1,東京の苔,3\n2,Ansa,4\n3,e\u{301}toile,5\n4,{long},6\n"),
    );
    let out = folder.granum(&["show", "-e", "input t from \"w.csv\"", "t"]).code(0).out;
    let ends: Vec<usize> = out
        .lines()
        .filter(|line| line.starts_with("  ") && !line.trim().is_empty())
        .map(|line| {
            let wide = |letter: char| match letter {
                '\u{301}' => 0,
                '\u{2e80}'.. => 2,
                _ => 1,
            };
            line.chars().map(wide).sum()
        })
        .collect();
    assert_eq!(ends.len(), 5, "{out}");
    assert!(ends.iter().all(|end| *end == ends[0]), "{out}");
    assert!(out.contains("苔…"), "{out}");
}

#[test]
fn rows_go_into_a_file_whole_or_not_at_all() {
    let folder = shop();
    folder.plan(&format!(
        "{SHOP}link lines to orders on order_no\ntable t from lines\n  one row per order_no total row \
         \"all\"\n    net = sum(net)\ntable f from lines\n  grain order_no\n"
    ));
    let show = |args: &[&str]| folder.granum(&[&["show", "p.granum"], args].concat());
    let unmatched = show(&["lines", "--unmatched", "orders", "--to", "new/m.csv"]).code(0);
    let told = "lines · 1 row without one of orders\n  wrote new/m.csv · 1 row · 42 bytes\n";
    assert_eq!(unmatched.out, told);
    assert_eq!(folder.read("new/m.csv"), "order_no,line_no,quantity,net\nM9,1,1,2.00\n");
    // All rows unless a number is said, with the total.
    show(&["t", "--to", "t.csv"]).code(0).says("3 rows and the total");
    assert_eq!(folder.read("t.csv"), "order_no,net\nM1,15.50\nM2,7.01\nM9,2.00\nall,24.51\n");
    show(&["lines", "--where", "net > 100", "--to", "t.csv"]).code(0);
    assert_eq!(folder.read("t.csv"), "order_no,line_no,quantity,net\n");
    let ran = show(&["lines", "--rows", "2", "--sort", "net", "--to", "t.csv", "--format", "json"]);
    let told: Value = serde_json::from_str(&ran.code(0).out).unwrap();
    let written = serde_json::json!(
        { "table": "lines", "path": "t.csv", "rows": 2, "total": false, "bytes": 54 }
    );
    assert_eq!(told["written"], written);
    assert_eq!(folder.read("t.csv"), "order_no,line_no,quantity,net\nM9,1,1,2.00\nM1,2,1,5.50\n");
    // What cannot be written leaves all as it was.
    let before = folder.names();
    let wrong = [
        (
            "orders.csv",
            "error: orders.csv: an input is read from this file\n  write to another path\n",
        ),
        ("p.granum", "error: p.granum: a plan stands in this file\n  write to another path\n"),
        ("x.ods", "error: x.ods: books are not written as .ods\n  end the path in .xlsx\n"),
        ("new", "error: new: is a folder, not a file\n  name a file in it\n"),
    ];
    for (to, told) in wrong {
        let ran = show(&["lines", "--to", to]).code(3);
        assert_eq!((ran.out.as_str(), ran.err.as_str()), ("", told));
    }
    show(&["f", "--to", "f.csv"]).code(1).complains("`f` could not be built.");
    show(&["--to", "f.csv"]).code(2).complains("--to writes the rows of a table: name it");
    assert_eq!(folder.names(), before);
}
