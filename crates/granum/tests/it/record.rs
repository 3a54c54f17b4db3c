//! What is written down of a run, what changed since, and what is written of a run that stopped.

use serde_json::Value;

use super::folder::Folder;
use super::schema::record_holds;

const PLAN: &str = "\
param least integer = 0
input orders from \"orders.csv\"
  grain order_no
input lines from \"lines.csv\"
  grain order_no, line_no
  track net
link lines to orders on order_no
table sales from lines
  keep has(orders)
check \"enough\" sales: line_no > least
output sales to \"out/sales.csv\"
output orders to \"out/orders.csv\"
";

fn shop() -> Folder {
    let folder = Folder::new();
    let rows: Vec<String> = (1..=100).map(|row| format!("M{row},1,2.50")).collect();
    let orders: Vec<String> = (1..=98).map(|row| format!("M{row}")).collect();
    folder
        .plan(PLAN)
        .file("lines.csv", format!("order_no,line_no,net\n{}\n", rows.join("\n")))
        .file("orders.csv", format!("order_no\n{}\n", orders.join("\n")));
    folder
}

/// Takes so many of the last lines of a file away.
fn shorten(folder: &Folder, name: &str, lines: usize) {
    let text = folder.read(name);
    let kept = text.lines().count() - lines;
    let kept: Vec<&str> = text.lines().take(kept).collect();
    folder.file(name, kept.join("\n") + "\n");
}

#[test]
fn a_record_has_what_was_read_what_was_told_and_what_was_written() {
    let folder = shop();
    folder.granum(&["run", "p.granum", "--record", "r.json", "--set", "least=0"]).code(0);
    record_holds(&folder.read("r.json"));
    let record: Value = serde_json::from_str(&folder.read("r.json")).unwrap();
    assert_eq!((&record["format"], &record["verdict"]), (&1.into(), &"held".into()));
    assert_eq!(record["plan"]["text"], PLAN);
    assert_eq!(record["parameters"][0]["value"], "0");
    // As `sha256sum` says.
    assert_eq!(record["inputs"][0]["path"], "orders.csv");
    assert_eq!(record["inputs"][0]["bytes"], folder.read("orders.csv").len());
    let output = &record["outputs"][0];
    assert_eq!((&output["rows"], &output["sums"][0]["value"]), (&98.into(), &"245.00".into()));
    let sum =
        std::process::Command::new("sha256sum").arg(folder.path().join("out/sales.csv")).output();
    if let Ok(sum) = sum {
        let sum = String::from_utf8(sum.stdout).unwrap();
        assert_eq!(output["sha256"], sum.split(' ').next().unwrap());
    }
    assert_eq!(record["report"]["links"][0]["share"], "98.00%");
    assert!(record["seconds"].as_f64().unwrap() > 0.0);
    // Of a run that stops as well.
    folder.granum(&["run", "p.granum", "--record", "r.json", "--set", "least=5"]).code(1);
    let record: Value = serde_json::from_str(&folder.read("r.json")).unwrap();
    assert_eq!(
        (&record["verdict"], record["outputs"].as_array().unwrap().len()),
        (&"stopped".into(), 0)
    );
}

#[test]
fn what_changed_since_and_what_moved_more_than_before() {
    let folder = shop();
    let run = |more: &[&str]| {
        let args = [&["run", "p.granum", "--record", "r.json"], more].concat();
        folder.granum(&args)
    };
    run(&[]).code(0);
    shorten(&folder, "lines.csv", 1);
    let first = run(&["--against", "r.json"]).code(0);
    assert!(!first.out.contains("more than before"), "{}", first.out);
    shorten(&folder, "lines.csv", 10);
    folder.plan(&format!("{PLAN}# a remark\n"));
    let second = run(&["--against", "r.json", "--set", "least=0"]).code(0);
    let since = second.out.split("since ").nth(1).unwrap().split("checks\n").next().unwrap();
    insta::assert_snapshot!("since", since);
    assert!(second.out.contains(" 4 numbers moved more than before."), "{}", second.out);
    let third = run(&["--against", "r.json"]).code(0).says("  inputs: the same, 2 files\n");
    assert!(third.out.contains("  every number is as it was\n"), "{}", third.out);
    // It can hold outputs back.
    shorten(&folder, "lines.csv", 1);
    run(&["--against", "r.json"]).code(0);
    shorten(&folder, "lines.csv", 40);
    folder
        .granum(&["run", "p.granum", "--against", "r.json", "--deny", "warnings"])
        .code(1)
        .says("STOPPED: 0 of 1 links failed, 0 of 1 checks failed, 3 warnings, which are denied.");
    let json =
        folder.granum(&["run", "p.granum", "--against", "r.json", "--format", "json"]).code(0);
    let told: Value = serde_json::from_str(&json.out).unwrap();
    assert_eq!(told["report"]["moved"][0]["kind"], "rows");
    assert_eq!(told["report"]["moved"][0]["more"], true);
}

#[test]
fn records_that_are_none_and_places_that_are_taken() {
    let folder = shop();
    let refuses = |args: &[&str], text: &str| {
        folder.granum(&[&["run", "p.granum"], args].concat()).code(3).complains(text);
        assert!(!folder.exists("out"), "{args:?}");
    };
    refuses(&["--against", "no.json"], "no.json: cannot be read: ");
    refuses(&["--against", "lines.csv"], "lines.csv: is no record of a run: ");
    refuses(&["--record", "lines.csv"], "lines.csv: an input is read from this file");
    refuses(&["--record", "p.granum"], "p.granum: a plan stands in this file");
    refuses(
        &["--record", "out/sales.csv"],
        "out/sales.csv: an output of the plan stands in this file",
    );
    let text = "{\"format\": 2}";
    folder.file("new.json", text);
    refuses(&["--against", "new.json"], "is no record of a run");
}

#[test]
fn each_output_beside_what_it_replaces() {
    let folder = shop();
    let changes =
        |args: &[&str]| folder.granum(&[&["run", "p.granum", "--changes"], args].concat());
    // There is nothing to replace yet.
    assert!(!changes(&[]).code(0).out.contains("as it was"));
    let lines =
        folder.read("lines.csv").replace("M3,1,2.50", "M3,1,4.00").replace("M5,1,2.50\n", "");
    folder.file("lines.csv", lines);
    changes(&[])
        .code(0)
        .says("out/sales.csv as it was \u{2192} now \u{b7} by order_no, line_no\n")
        .says("  gone          1  order_no M5, line_no 1\n")
        .says("  net \u{b7} order_no M3, line_no 1: 2.50 \u{2192} 4.00\n");
    // What stands there may be anything.
    folder.file("out/sales.csv", "x\n\"open").file("out/orders.csv", "");
    changes(&[]).code(0);
    let told = changes(&["--format", "json"]).code(0);
    let told: Value = serde_json::from_str(&told.out).unwrap();
    assert_eq!(told["report"]["changes"][0]["compared"]["same"], 97);
}

#[test]
fn outputs_of_one_table_alone() {
    let folder = shop();
    folder.granum(&["run", "p.granum", "--only", "orders"]).code(0);
    assert!(folder.exists("out/orders.csv") && !folder.exists("out/sales.csv"));
    // All checks hold all the same.
    folder.granum(&["run", "p.granum", "--only", "orders", "--set", "least=5"]).code(1);
    folder
        .granum(&["run", "p.granum", "--only", "lines"])
        .code(2)
        .complains("--only: the plan has no output of `lines`")
        .complains("it has outputs of sales, orders");
}

#[test]
fn what_could_be_built_of_a_run_that_stops() {
    let folder = shop();
    folder.file("out/sales.csv", "old\n");
    folder
        .granum(&["run", "p.granum", "--set", "least=5", "--anyway-to", "look"])
        .code(1)
        .says(" No output was written.")
        .says("  what could be built all the same, to be looked at\n")
        .says("look/STOPPED-sales.csv \u{b7} 98 rows");
    assert_eq!(folder.read("out/sales.csv"), "old\n");
    assert_eq!(folder.read("look/STOPPED-sales.csv").lines().count(), 99);
    // A table that failed is not there; what does not need it is.
    folder.plan(
        &PLAN.replace("  keep has(orders)\n", "  keep has(orders)\n  change order_no = \"x\"\n"),
    );
    folder
        .granum(&["run", "p.granum", "--anyway-to", "more"])
        .code(1)
        .says("not built: sales.")
        .says("more/STOPPED-orders.csv");
    assert!(!folder.exists("more/STOPPED-sales.csv"));
    // A run that holds has nothing to be looked at.
    folder.plan(PLAN).granum(&["run", "p.granum", "--anyway-to", "none"]).code(0);
    assert!(!folder.exists("none"));
}

#[test]
fn two_records_side_by_side() {
    let folder = shop();
    folder.granum(&["run", "p.granum", "--record", "one.json"]).code(0);
    folder
        .granum(&["compare", "one.json", "one.json"])
        .code(0)
        .says("  outputs: the same, 2 files\n");
    shorten(&folder, "lines.csv", 10);
    folder.granum(&["run", "p.granum", "--record", "two.json", "--set", "least=0"]).code(0);
    folder
        .granum(&["compare", "one.json", "two.json"])
        .code(1)
        .says("  parameter least: as the plan says \u{2192} 0\n")
        .says("  outputs: out/sales.csv (")
        .says("out/sales.csv net  245.00   225.00");
    let told = folder.granum(&["compare", "one.json", "two.json", "--format", "json"]).code(1);
    let told: Value = serde_json::from_str(&told.out).unwrap();
    assert_eq!(told["records"]["moved"][0]["of"], "lines");
}
