//! `trace`, `show --removed`, `show --after` and `run --aside`: what became of rows, and why.

use serde_json::Value;

use super::folder::Folder;

/// Two sources of orders, lines, and prices by period; a step of each kind.
fn depot() -> Folder {
    let folder = Folder::new();
    folder
        .file(
            "shop.csv",
            "order_no,customer,sent_on,state,freight\n\
             A1,ada,2026-03-01,closed,1.00\n\
             A1,ada,2026-03-03,open,9.00\n\
             A1,ada,2026-03-03,closed,1.01\n\
             A2,ben,2026-03-02,void,0.00\n\
             A3,ben,2026-03-09,,0.00\n\
             A3,ben,2026-03-09,,0.00\n",
        )
        .file("post.csv", "order_no,customer,sent_on,state,freight\nP1,ada,2026-04-01,closed,2.00\n")
        .file(
            "lines.csv",
            "order_no,line_no,item,quantity,net\n\
             A1,1,ash,2,10.00\n\
             A1,2,elm,1,5.00\n\
             A2,1,ash,1,4.00\n\
             A3,1,fir,0,0.00\n\
             P1,1,oak,3,9.00\n\
             p1 ,2,oak,1,3.00\n\
             A1,3,yew,x,1.00\n\
             A9,1,ash,1,2.00\n",
        )
        .file("prices.csv", "item,starts,ends,price\nash,2026-03-02,2026-03-31,4.50\noak,2026-01-01,2026-03-31,3.00\n");
    folder.plan(DEPOT);
    folder
}

const DEPOT: &str = "\
input shop from \"shop.csv\"
  read sent_on as date
       freight as decimal(2)
  dedupe by order_no keep latest sent_on

input post from \"post.csv\"
  read sent_on as date
       freight as decimal(2)
  grain order_no

input lines from \"lines.csv\"
  read quantity as integer else aside
       net      as decimal(2)
  grain order_no, line_no
  track net

input prices from \"prices.csv\"
  read starts as date
       ends   as date

table orders from shop, post labelled source
  drop state = \"void\"
  grain order_no
  track freight

link lines to orders on order_no
link lines to prices on item, orders.sent_on within starts through ends

table sales from lines
  keep has(orders)
  add customer = orders.customer
      price    = prices.price
      share    = net / sum(net per order_no)
  allocate orders.freight as freight by net else equally

table units from sales
  units of quantity as unit_no split net, freight dropping zero

table by_customer from units
  one row per customer
    net   = sum(net)
    large = sum(net where price > 4)

table best from by_customer
  top 1 by net

table both from by_customer meeting worst on customer

table worst from by_customer
  bottom 1 by net
  columns customer, net as least

output best to \"best.csv\"
";

fn trace(words: &[&str]) -> String {
    let args = [&["trace", "p.granum"], words].concat();
    depot().granum(&args).code(0).out
}

#[test]
fn a_row_from_its_files_to_the_outputs() {
    let told = [
        trace(&["units", "order_no=A1", "line_no=1", "unit_no=2"]),
        trace(&["by_customer", "customer=ada"]),
        trace(&["both", "customer=ada"]),
        trace(&["orders", "order_no=A1"]),
    ];
    insta::assert_snapshot!("trace_made_of", told.join("----\n"));
}

#[test]
fn a_row_that_went_says_by_which_step_and_why() {
    let told = [
        trace(&["sales", "order_no=A2"]),
        trace(&["lines", "order_no=A1", "line_no=3"]),
        trace(&["units", "order_no=A3"]),
        trace(&["worst", "customer=ada"]),
        trace(&["shop", "--line", "shop.csv:2"]),
        trace(&["shop", "--line", "shop.csv:3"]),
        trace(&["orders", "order_no=A2"]),
        trace(&["best", "order_no=P1"]),
    ];
    insta::assert_snapshot!("trace_gone", told.join("----\n"));
}

#[test]
fn a_key_that_nothing_has_is_told_with_those_near_it() {
    let folder = depot();
    let says = |words: &[&str], text: &str| {
        folder.granum(&[&["trace", "p.granum"], words].concat()).code(1).says(text);
    };
    says(&["orders", "order_no=a1"], "  order_no A1 differs but for letter case\n");
    says(&["orders", "order_no=B7"], "  the nearest that are there: order_no A3 ; order_no P1\n");
    says(
        &["orders", "order_no=B7"],
        "no row of orders, and none on the way to it, with order_no B7\n",
    );
    says(&["best", "net=19.00"], "  the nearest that are there: net 24.00\n");
}

#[test]
fn what_cannot_be_asked_for() {
    let folder = depot();
    let complains = |words: &[&str], text: &str| {
        folder.granum(&[&["trace", "p.granum"], words].concat()).code(2).complains(text);
    };
    complains(&["orders"], "trace takes a table and what columns of the row hold");
    complains(&["orders", "order_no"], "`order_no` is no COLUMN=VALUE");
    complains(&["orders", "order=A1"], "`orders` has no column called `order`");
    complains(&["orders", "order=A1"], "did you mean `order_no`?");
    complains(&["order", "order_no=A1"], "the plan has no table called `order`");
    complains(&["sales", "line_no=x"], "\"x\" is no integer, which `line_no` is");
    complains(
        &["both", "line_no=1", "least=1"],
        "no table on the way to `both` has line_no, least together",
    );
    complains(&["orders", "--line", "shop.csv:2"], "`orders` has no file");
    complains(&["shop", "--line", "shop.csv:1"], "no row of `shop` begins on line 1 of shop.csv");
    complains(&["shop", "--line", "shop.csv"], "a line is asked for as FILE:LINE");
    folder.file("a/x.csv", "k\n1\n").file("b/x.csv", "k\n2\n");
    let plan = "input x from \"a/x.csv\", \"b/x.csv\"\n";
    folder
        .granum(&["trace", "-e", plan, "x", "--line", "x.csv:2"])
        .code(2)
        .complains("a/x.csv and b/x.csv both end in x.csv");
    folder.granum(&["trace", "-e", plan, "x", "--line", "b/x.csv:2"]).code(0).says("  k  2\n");
}

#[test]
fn a_table_that_failed_is_told_as_far_as_it_came() {
    let folder = depot();
    folder.plan(&DEPOT.replace(" dropping zero", ""));
    folder
        .granum(&["trace", "p.granum", "units", "order_no=A3", "--quiet"])
        .code(0)
        .says("  units: not every row can be counted in units of quantity\n")
        .says("  units \u{b7} could not be built\n");
}

#[test]
fn the_story_as_json() {
    let ran = depot().granum(&["trace", "p.granum", "sales", "order_no=A2", "--format", "json"]);
    let told: Value = serde_json::from_str(&ran.code(0).out).unwrap();
    let story = &told["story"];
    assert_eq!(story["found"], 1);
    let gone = &story["rows"][0]["became"][0]["gone"];
    assert_eq!(gone["why"], "is-false");
    assert_eq!(gone["step"]["number"], 2);
    assert_eq!(gone["met"][0]["what"], "nowhere");
    assert_eq!(gone["met"][0]["once"][1]["text"], "drop state = \"void\"");
    assert_eq!(story["rows"][0]["row"]["place"]["line"], 4);
}

#[test]
fn all_rows_that_steps_took_out() {
    let folder = depot();
    let ran = folder.granum(&["show", "p.granum", "units", "--removed"]).code(0);
    insta::assert_snapshot!("show_removed", ran.out);
    folder
        .granum(&["show", "p.granum", "post", "--removed"])
        .code(0)
        .says("post \u{b7} rows that steps took out\n\n0 rows\n");
    folder.granum(&["show", "p.granum", "units", "--removed", "--to", "gone.csv"]).code(0);
    let gone = folder.read("gone.csv");
    assert_eq!(gone.lines().count(), 6, "{gone}");
}

#[test]
fn a_table_as_it_stood_after_a_step() {
    let folder = depot();
    let shows = |after: &str, more: &[&str], text: &str| {
        let args = [&["show", "p.granum", "units", "--after", after], more].concat();
        folder.granum(&args).code(0).says(text);
    };
    // As it is read: a cell that cannot be read is blank, its row is there.
    shows("0", &[], "\n8 rows; \u{b7} is blank\n");
    shows("1", &[], "\n7 rows\n");
    shows(
        "2",
        &[],
        "units \u{b7} after 2  keep has(orders) \u{b7} one row per order_no, line_no\n",
    );
    shows(
        "2",
        &["--where", "net > 5", "--sort", "net"],
        "  P1              1  oak          3   9.00\n",
    );
    shows("4", &["--rows", "1"], "the first 1 of 6 rows\n");
    folder
        .granum(&["show", "p.granum", "units", "--after", "5"])
        .code(2)
        .complains("the tally of `units` has no step 5")
        .complains("2 keep has(orders)");
}

#[test]
fn removed_rows_go_into_files_of_their_own() {
    let folder = depot();
    let ran = folder.granum(&["run", "p.granum", "--aside", "gone"]).code(0);
    let report = folder.granum(&["check", "p.granum", "--format", "json"]).code(0).out;
    let report: Value = serde_json::from_str(&report).unwrap();
    let mut rows = 0;
    for table in report["report"]["tables"].as_array().unwrap() {
        let mut before = table["rows"].as_u64().unwrap();
        for step in table["steps"].as_array().unwrap() {
            let after = step["rows"].as_u64().unwrap();
            let text = step["text"].as_str().unwrap();
            if ["keep", "drop", "dedupe", "read", "top", "bottom"]
                .iter()
                .any(|w| text.starts_with(w))
            {
                rows += before - after;
            }
            before = after;
        }
    }
    let names = folder.names();
    let files: Vec<&String> = names.iter().filter(|name| name.starts_with("gone/")).collect();
    let lines = files.iter().map(|name| folder.read(name).lines().count() as u64 - 1).sum::<u64>();
    // The tally of `units` tells the one that it drops beside its rows.
    assert_eq!(lines, rows + 1, "{files:?}");
    assert_eq!(
        folder.read("gone/lines-1-read.csv"),
        "why_removed,row_that_stays,source_file,source_line,order_no,line_no,item,quantity,net\n\
         a cell of it cannot be read,,lines.csv,8,A1,3,yew,,1.00\n"
    );
    ran.says("gone/best-6-top.csv").says("best.csv");
    // A step that took out none leaves no file of an earlier run.
    folder.file("lines.csv", folder.read("lines.csv").replace("yew,x", "yew,1"));
    folder.granum(&["run", "p.granum", "--aside", "gone"]).code(0);
    assert_eq!(folder.read("gone/lines-1-read.csv").lines().count(), 1);
}

#[test]
fn removed_rows_replace_nothing_of_the_plan() {
    let folder = depot();
    let plan = DEPOT.replace("\"best.csv\"", "\"gone/best-6-top.csv\"");
    folder.plan(&plan);
    folder
        .granum(&["run", "p.granum", "--aside", "gone"])
        .code(3)
        .complains("an output of the plan stands in this file");
    assert!(!folder.exists("gone"));
    // They are written where the run stops as well.
    folder.plan(&DEPOT.replace("as decimal(2)\n  grain", "as decimal(2)\n  drop net > 8\n  grain"));
    folder.plan(&format!("{DEPOT}check \"all\" sales: net > 5\n"));
    folder
        .granum(&["run", "p.granum", "--aside", "gone"])
        .code(1)
        .says(" No output was written.")
        .says("gone/lines-1-read.csv");
    assert!(!folder.exists("best.csv"));
}
