//! Lists in JSON as rows of their own: orders as web shops export them.

use super::folder::Folder;

const ORDERS: &str = r#"[
 {"no": "M1", "freight": 4.90, "customer": {"no": "C1"}, "lines": [
   {"line": 1, "article": "fig", "net": 19.80}, {"line": 2, "article": "lavender", "net": 4.50}]},
 {"no": "M2", "freight": 0, "customer": {"no": "C2"}, "lines": []},
 {"no": "M3", "freight": 4.90, "customer": null, "lines": [{"line": 1, "article": "fig", "net": 9.90}]},
 {"no": "M4", "freight": 2.50}
]
"#;

const PLAN: &str = r#"input orders from "orders.json"
  columns no, freight, `customer.no` as customer_no
  grain no
  track freight

input lines from "orders.json" each "lines" with no, freight
  grain no, line
  track net

link lines to orders on no complete

table sales from lines
  allocate orders.freight as freight_part by net

output sales to "sales.csv"
"#;

fn shop() -> Folder {
    let folder = Folder::new();
    folder.file("orders.json", ORDERS).plan(PLAN);
    folder
}

#[test]
fn orders_and_their_lines_come_of_one_file() {
    let folder = shop();
    let ran = folder.run().code(0);
    assert_eq!(
        folder.read("sales.csv"),
        "no,freight,line,article,net,freight_part\n\
         M1,4.90,1,fig,19.80,3.99\nM1,4.90,2,lavender,4.50,0.91\nM3,4.90,1,fig,9.90,4.90\n"
    );
    insta::assert_snapshot!("shop", ran.out);
    assert_eq!(folder.granum(&["fmt", "--check", "p.granum"]).code, 0);
    // A line has the place of its object.
    let shown =
        folder.granum(&["run", "-e", &PLAN.replace("  track net", "  add at = source_line()")]);
    shown.code(0);
    assert!(
        folder.read("sales.csv").contains("M3,4.90,1,fig,9.90,5,4.90"),
        "{}",
        folder.read("sales.csv")
    );
    folder
        .granum(&["trace", "p.granum", "lines", "--line", "orders.json:2"])
        .code(0)
        .says("lines · no M1, line 1 · orders.json line 2")
        .says("2 rows of lines on orders.json line 2");
    let told = folder.granum(&["check", "p.granum", "--format", "json"]).code(0);
    let told: serde_json::Value = serde_json::from_str(&told.out).unwrap();
    let tables = told["report"]["tables"].as_array().or(told["tables"].as_array()).unwrap();
    let lines = tables.iter().find(|table| table["name"] == "lines").unwrap();
    assert_eq!(
        lines["without_rows"],
        serde_json::json!({ "list": "lines", "objects": 4, "without": 2, "examples": [
            { "file": "orders.json", "line": 4 }, { "file": "orders.json", "line": 6 }
        ] })
    );
}

#[test]
fn what_cannot_be_of_lists_is_told() {
    let folder = shop();
    folder.file("t.csv", "a\n1\n").file("nothing.json", "[{\"no\": 1}]").file(
        "odd.jsonl",
        "{\"no\":1,\"lines\":[{\"n\":1}],\"tags\":[\"a\"]}\n{\"no\":2,\"lines\":{\"n\":1},\"tags\":[]}\n",
    );
    let plans = [
        "input l from \"orders.json\" each \"linez\" with no",
        "input l from \"orders.json\" each \"lines\" with nr",
        "input l from \"orders.json\" each \"lines\" with line",
        "input l from \"nothing.json\" each \"lines\"",
        "input l from \"odd.jsonl\" each \"lines\" with no",
        "input l from \"odd.jsonl\" each \"tags\" with no",
        "input l from \"t.csv\" each \"lines\" with no",
        "input l from \"orders.json\" each lines",
        "input l from \"orders.json\" each \"lines\" with no, freight\n  track freight",
        "input l from \"orders.json\" each \"lines\" with no, freight\n\n\
         table t from l\n  one row per no\n    freight = sum(freight)",
    ];
    let mut told = String::new();
    for plan in plans {
        let ran = folder.granum(&["check", "-e", plan]);
        assert!([2, 3].contains(&ran.code), "{plan}: {}", ran.out);
        told.push_str(&format!("== {plan} ({})\n{}\n", ran.code, ran.err));
    }
    insta::assert_snapshot!("no_list", told);
}

/// Where objects share a line, as in a file without line ends, each is told by its number.
#[test]
fn objects_of_one_line_are_told_by_their_numbers() {
    let folder = Folder::new();
    folder
        .file(
            "a.json",
            r#"[{"no":"A","net":1.5,"l":[{"q":1},{"q":2}]},{"no":"B","net":"soon","l":[]},{"no":"C","net":2}]"#,
        )
        .plan(
            "input t from \"a.json\"\n  read net as decimal(2) else aside\n\
             input l from \"a.json\" each \"l\" with no\noutput t to \"t.csv\"\noutput l to \"l.csv\"\n",
        );
    let ran = folder.run().code(0);
    assert!(ran.out.contains("\"soon\" (a.json object 2)"), "{}", ran.out);
    assert!(
        ran.out.contains("no row comes of them: a.json object 2, a.json object 3"),
        "{}",
        ran.out
    );
    folder
        .granum(&["trace", "p.granum", "l", "--line", "a.json:1"])
        .code(0)
        .says("2 rows of l on a.json object 1");
}
