//! The tally tells what one row is, before and after each step that changes it.

use serde_json::{Value, json};

use super::folder::Folder;

fn folder(steps: &str) -> Folder {
    let folder = Folder::new();
    folder
        .file(
            "lines.csv",
            "order_no,line_no,version,units,net\nM1,1,1,2,4.00\nM1,1,2,2,5.00\nM1,2,1,1,1.00\n",
        )
        .file("more.csv", "order_no,cost\nM1,0.50\nM2,0.25\n")
        .plan(&format!(
            "input lines from \"lines.csv\"\n  track units, net\n\
             input more from \"more.csv\"\n  grain order_no\n  track cost\n{steps}\n"
        ));
    folder
}

/// The notes below a table's steps.
fn notes(steps: &str, table: &str) -> Vec<String> {
    let ran = folder(steps).granum(&["check", "p.granum"]).code(0);
    let tally = ran.out.split_once(&format!("{table} · ")).unwrap().1;
    let notes = tally.split("\n\n").nth(2).unwrap().to_owned();
    // A note that is folded is one note.
    let notes = notes.replace("\n    ", " ");
    notes.lines().map(|line| line.trim().to_owned()).collect()
}

#[test]
fn each_step_that_changes_it_says_how() {
    assert_eq!(
        notes(
            "table t from lines\n  dedupe by order_no, line_no keep last\n  \
             units of units as unit_no split net\n  keep net > 0\n  \
             one row per order_no, unit_no\n    net = sum(net)\n  one row in all\n    net = sum(net)",
            "t"
        ),
        [
            "1  0 exact copies, 1 other version, 0 ties; each row for itself → one row per order_no, \
             line_no",
            "2  net, units add up to what they were; one row per order_no, line_no → one row per \
             order_no, line_no, unit_no",
            "4  one row per order_no, line_no, unit_no → one row per order_no, unit_no; 2 groups of 1 \
             to 2 rows, median 1; units ends here",
            "5  one row per order_no, unit_no → one row in all; 1 group of 2 rows",
        ]
    );
}

#[test]
fn steps_that_leave_it_say_nothing_of_it() {
    let told = notes(
        "table t from lines\n  grain order_no, line_no, version\n  dedupe\n  keep net > 0\n  top 2 by net",
        "t",
    );
    assert_eq!(told, ["1  0 rows equal to one before"]);
}

#[test]
fn what_is_laid_from_several_begins_with_its_own() {
    let ran = folder(
        "table sums from lines\n  one row per order_no\n    net = sum(net)\n\
         table both from sums meeting more on order_no\n\
         table all from sums, more filling blanks\n  one row per order_no\n    net = sum(net)",
    )
    .granum(&["check", "p.granum"])
    .code(0);
    for line in [
        "both · one row per order_no\n",
        "  1 row of sums: 0 keys meet none\n",
        "  2 rows of more: 1 key meets none, as M2\n",
        "  1 row of sums, 2 rows of more\n",
        "  1  each row for itself → one row per order_no; 2 groups of 1 to 2 rows, median 1; cost ends here\n",
    ] {
        assert!(ran.out.contains(line), "no {line} in\n{}", ran.out);
    }
}

#[test]
fn the_report_has_it_as_columns() {
    let folder = folder(
        "table t from lines\n  dedupe by order_no, line_no keep last\n  one row per order_no\n    \
         n = rows()",
    );
    let ran = folder.granum(&["check", "p.granum", "--format", "json"]).code(0);
    let told: Value = serde_json::from_str(&ran.out).unwrap();
    let tables = told["report"]["tables"].as_array().unwrap();
    let t = tables.iter().find(|table| table["name"] == "t").unwrap();
    let change = |step: usize| &t["steps"][step]["grain"];
    assert_eq!(change(0), &json!({ "before": [], "after": ["order_no", "line_no"] }));
    assert_eq!(change(1), &json!({ "before": ["order_no", "line_no"], "after": ["order_no"] }));
    let sizes = &t["steps"][1]["detail"]["groups"]["sizes"];
    assert_eq!(sizes, &json!({ "groups": 1, "least": 2, "median": 2, "most": 2 }));
}

#[test]
fn what_was_gathered_goes_on_like_any_table() {
    let folder = folder(
        "table sums from lines\n  one row per order_no, line_no\n    net = sum(net)\n    \
         versions = rows()\n  change net = round(net * 2, 2)\n  rename versions to sent\n  \
         columns order_no, line_no, net, sent\n\
         link sums to more on order_no complete\n\
         table shown from sums\n  add cost = more.cost\n  keep sent > 1\n\
         table costs from more\n  add net = sum(sums.net)\n      of = list(sums.line_no, \"+\")\n\
         check \"twice\": sum(sums.net) = sum(lines.net) * 2\n\
         check sums: has(more)\noutput shown to \"shown.csv\"\noutput costs to \"costs.csv\"",
    );
    let ran = folder.run().code(0);
    // The amount is followed through the groups and what is made of it after.
    ran.says("sums → more     2  100.00%        0      0  100.00% of net  complete  ok");
    assert_eq!(folder.read("shown.csv"), "order_no,line_no,net,sent,cost\nM1,1,18.00,2,0.50\n");
    assert_eq!(
        folder.read("costs.csv"),
        "order_no,cost,net,of\nM1,0.50,20.00,1+2\nM2,0.25,0.00,\n"
    );
    folder.granum(&["show", "p.granum", "sums", "--unmatched", "more"]).code(0).says("0 rows");
    folder.granum(&["match", "p.granum", "sums.more", "--amount", "net"]).code(0).says("20.00");
}

#[test]
fn links_of_the_base_end_where_rows_become_groups() {
    let folder = folder(
        "link lines to more on order_no\ntable t from lines\n  one row per order_no\n    n = rows()\n  \
         add cost = more.cost",
    );
    folder
        .granum(&["check", "p.granum"])
        .code(2)
        .complains("no link called `more` leads on from `t`");
    // Before that they lead as ever, in keys and inside aggregates.
    let folder = self::folder(
        "link lines to more on order_no\ntable t from lines\n  one row per more.cost\n    \
         most = max(more.cost)\n    n = rows(where has(more))\noutput t to \"t.csv\"",
    );
    folder.run().code(0);
    assert_eq!(folder.read("t.csv"), "cost,most,n\n0.50,0.50,3\n");
    // An amount of the other table is none of these rows', and cannot be summed here.
    let folder = self::folder(
        "link lines to more on order_no\ntable t from lines\n  one row per order_no\n    \
         cost = sum(more.cost)",
    );
    folder
        .granum(&["check", "p.granum"])
        .code(2)
        .complains("this amount came over a link and stands on every row that leads there");
}

#[test]
fn a_grain_is_not_believed_where_blank_keys_came_from_farther_back() {
    let folder = Folder::new();
    folder.file("t.csv", "k,v\na,1\n,2\n,3\nb,4\n");
    let plan = |steps: &str| {
        format!(
            "input d from \"t.csv\"\n  dedupe by k keep first\n{steps}\
             table a from d\ntable b from a\n  grain k\noutput b to \"b.csv\"\n"
        )
    };
    folder.plan(&plan(""));
    folder.run().code(1).says("  b: the grain k does not hold\n    2 rows have a blank in it");
    folder.plan(&plan("  drop k is blank\n  grain k\n"));
    folder.run().code(0);
    assert_eq!(folder.read("b.csv"), "k,v\na,1\nb,4\n");
}
