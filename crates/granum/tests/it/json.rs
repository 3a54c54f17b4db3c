//! `--format json`: one document, whatever happens, with all that the text tells.

use serde_json::{Value, json};

use super::folder::{Folder, Ran, SHOP, shop};
use super::schema::record_holds;

fn document(ran: &Ran) -> Value {
    assert_eq!(ran.err, "");
    let document: Value = serde_json::from_str(&ran.out).unwrap();
    assert_eq!(document["format"], 1);
    document
}

fn told(folder: &Folder, args: &[&str], code: i32) -> Value {
    let args: Vec<&str> = args.iter().copied().chain(["--format", "json"]).collect();
    document(&folder.granum(&args).code(code))
}

const STOPPED: &str = "link lines to orders on order_no at least 90% of net
link orders to customers on customer_no complete
table sales from lines
  keep has(orders)
  units of quantity as unit_no split net
check \"all\": sum(sales.net) = sum(lines.net)
warn \"dear\" lines: net > 5
output sales to \"sales.csv\"
";

#[test]
fn a_report_holds_all_that_the_text_tells() {
    let folder = shop();
    folder.plan(&format!("plan \"Sales\"\n{SHOP}{STOPPED}"));
    let told = told(&folder, &["run", "p.granum"], 1);
    assert_eq!(told["outcome"], "stopped");
    assert_eq!(told["plan"], "p.granum");
    let text = serde_json::to_string_pretty(&told["report"]).unwrap();
    insta::with_settings!({ omit_expression => true }, { insta::assert_snapshot!("report", text) });
    assert!(!folder.exists("sales.csv"));
}

#[test]
fn outputs_that_were_written_are_told() {
    let folder = shop();
    folder.plan(&format!("{SHOP}output lines to \"out/lines.csv\"\n"));
    let told = told(&folder, &["run", "p.granum"], 0);
    assert_eq!(told["outcome"], "held");
    let bytes = folder.read("out/lines.csv").len();
    let written = json!([{ "table": "lines", "path": "out/lines.csv", "rows": 4, "total": false, "bytes": bytes }]);
    assert_eq!(told["report"]["written"], written);
}

#[test]
fn a_plan_that_is_wrong_is_told_with_lines_and_columns() {
    let folder = shop();
    folder.plan(&format!("{SHOP}table t from lines\n  add é = 1 + nett\n"));
    let told = told(&folder, &["check", "p.granum"], 2);
    assert_eq!(told["outcome"], "plan-wrong");
    let line = SHOP.lines().count() + 2;
    let names = json!([{
        "also": [],
        "kind": "unknown-name",
        "label": "",
        "message": "`t` has no column called `nett`",
        "help": "did you mean `net`?",
        "file": "p.granum",
        "from": { "line": line, "column": 15 },
        "to": { "line": line, "column": 19 },
    }]);
    assert_eq!(told["diagnostics"], names);
}

#[test]
fn a_file_that_cannot_be_read_or_written_is_told() {
    let folder = shop();
    folder.file("bad.csv", "a,b\n1,2\n3\n").plan("input t from \"bad.csv\"\n");
    let read = told(&folder, &["check", "p.granum"], 3);
    assert_eq!(read["outcome"], "file-failed");
    assert_eq!(read["error"]["kind"], "row-length");
    assert_eq!(read["error"]["line"], 3);
    folder
        .file("folder/x", "")
        .plan(&format!("{SHOP}output lines to \"folder\"\n").replace("folder", "folder.csv"));
    folder.file("folder.csv/x", "");
    let written = told(&folder, &["run", "p.granum"], 3);
    assert_eq!(written["error"]["file"], "folder.csv");
    assert_eq!(written["error"]["message"], "is a folder, not a file");
}

#[test]
fn problems_have_their_kinds() {
    let folder = shop();
    folder.file("orders.csv", "order_no,freight\nM1,1\nM1,2\n").plan(SHOP);
    let told = told(&folder, &["check", "p.granum"], 1);
    let problem = &told["report"]["problems"][0];
    assert_eq!((&problem["kind"], &problem["table"]), (&json!("grain"), &json!("orders")));
    assert_eq!(problem["examples"][0]["places"][1]["line"], 3);
}

#[test]
fn rows_keep_their_types() {
    let folder = Folder::new();
    folder
        .file("t.csv", "k,n,d,on,yes\nA,1,2.50,2026-03-01,true\nB,,-0.05,,false\n")
        .plan("input t from \"t.csv\"\n  read n as integer\n  grain k\n");
    let told = told(&folder, &["show", "p.granum", "t"], 0);
    let table = &told["table"];
    assert_eq!(table["grain"], json!(["k"]));
    let types: Vec<&str> =
        table["columns"].as_array().unwrap().iter().map(|c| c["type"].as_str().unwrap()).collect();
    assert_eq!(types, ["text", "integer", "decimal(2)", "date", "boolean"]);
    assert_eq!(
        table["rows"],
        json!([["A", 1, "2.50", "2026-03-01", true], ["B", null, "-0.05", null, false]])
    );
    assert_eq!(table["rows_in_all"], 2);
}

/// Each command has a document, also where it fails; the schema holds all of them.
#[test]
fn every_command_tells_its_result_as_json() {
    let folder = shop();
    folder.plan(&format!(
        "{SHOP}link lines to orders on order_no\nlink orders to customers on customer_no\n\
         table both from lines, orders filling blanks labelled source\n\
         table sums from lines\n  one row per order_no total row \"all\"\n    orders = rows()\n\
         table freights from orders\n  columns order_no, freight\n\
         table met from sums meeting freights on order_no\n  top 1 by orders\n\
         table named from orders\n  one row per customers.name as name\n    n = rows()\n\
         table parts from lines\n  allocate orders.freight as freight equally\n\
         output named to \"named.csv\"\n"
    ));
    let periods = "id,starts_on,ends_on\n1,2025-12-01,2025-12-31\n2,2025-12-31,2025-12-31\n\
                   3,2026-02-01,2026-02-03\n";
    folder
        .file("customers.csv", "customer_no,name\nC1,Ada\nC2,Ada\nC3,Ben\nC4,Cai\n")
        .file("odd.csv", "id,seen_on,net\n1,31/12/2025,1.50\n1,31/12/2025,1.50\n2,n/a,2.00\n")
        .file("more.csv", "order_no,paid\nM1,1\nM1,2\nM2,3\nM2,3\n")
        .file("periods.csv", periods)
        .file("days.csv", "no,seen_on\n1,2025-12-31\n2,2026-01-01\n3,2026-02-01\n")
        .file("loose.granum", "input  a from \"a.csv\"\n");
    let on =
        ["match", "lines.csv", "more.csv", "--on", "order_no", "--amount", "net", "--by", "net"];
    let within = "input days from \"days.csv\"\ninput periods from \"periods.csv\"\n  grain id\n\
                  link days to periods on seen_on within starts_on through ends_on";
    let (wrong, latest) = (within.to_owned(), format!("{within} prefer latest starts_on"));
    let commands: [(&[&str], i32, &str); 24] = [
        (&["check", "p.granum"], 0, "report"),
        (&["check", "-e", &wrong], 1, "report"),
        (&["check", "-e", &latest], 0, "report"),
        (&["check", "nope.granum"], 3, "error"),
        (&["run", "p.granum", "--aside", "gone", "--record", "r.json"], 0, "report"),
        (&["run", "p.granum", "--changes", "--against", "r.json"], 0, "report"),
        (&["show", "p.granum"], 0, "outline"),
        (&["show", "p.granum", "sums"], 0, "table"),
        (&["show", "p.granum", "sums", "--where", "zzz > 1"], 2, "diagnostics"),
        (&["show", "p.granum", "sums", "--to", "sums.csv"], 0, "written"),
        (&["trace", "p.granum", "met", "order_no=M1"], 0, "story"),
        (&["trace", "p.granum", "lines", "order_no=M7"], 1, "story"),
        (&["example", "p.granum", "sums", "order_no=M1"], 0, "example"),
        (&["survey", "lines.csv", "odd.csv"], 0, "surveys"),
        (&["relate", "lines.csv", "orders.csv", "more.csv"], 0, "links"),
        (&["relate", "days.csv", "periods.csv"], 0, "periods"),
        (&["relate", "--find", "net", "lines.csv", "odd.csv"], 0, "found"),
        (&on, 0, "match"),
        (&["draft", "lines.csv", "orders.csv", "odd.csv"], 0, "text"),
        (&["compare", "lines.csv", "orders.csv"], 1, "compared"),
        (&["compare", "r.json", "r.json"], 0, "records"),
        (&["fmt", "loose.granum", "--check"], 1, "layout"),
        (&["fmt", "loose.granum"], 0, "layout"),
        (&["demo", "demo", "--orders", "50"], 0, "demo"),
    ];
    for (command, code, field) in commands {
        let told = told(&folder, command, code);
        assert!(!told[field].is_null(), "{command:?}: {told:#}");
    }
    record_holds(&folder.read("r.json"));
    let demo = told(&folder, &["demo", "demo", "--orders", "50"], 0);
    assert_eq!(demo["demo"]["runs"][0]["outcome"], "held");
    assert_eq!(demo["demo"]["runs"][1]["outcome"], "stopped");
    folder.file("demo/mine.txt", "mine");
    let taken = told(&folder, &["demo", "."], 3);
    assert_eq!(taken["error"]["kind"], "folder");
    let layout = told(&folder, &["fmt", "loose.granum"], 0);
    assert_eq!(layout["layout"], json!({ "was": true, "written": false, "text": null }));
}

/// A run whose record cannot be written tells so in its one document.
#[test]
fn a_record_that_cannot_be_written_is_told_beside_the_report() {
    let folder = shop();
    folder.plan(&format!("{SHOP}output lines to \"out.csv\"\n")).file("taken/x", "");
    let told = told(&folder, &["run", "p.granum", "--record", "taken"], 3);
    assert_eq!(told["outcome"], "file-failed");
    assert_eq!(told["report"]["unwritten"]["file"], "taken");
    assert_eq!(told["report"]["written"][0]["path"], "out.csv");
}
