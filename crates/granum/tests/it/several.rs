//! Tables laid from several, and calendars.

use super::folder::Folder;

fn folder() -> Folder {
    let folder = Folder::new();
    folder
        .file("a.csv", "k,net\n1,2.00\n2,3.00\n")
        .file("b.csv", "k,net,note\n2,4.00,late\n,1.00,\n")
        .file("c.csv", "k,cost\n2,0.50\n3,0.75\n,9.00\n");
    folder
}

fn plan(folder: &Folder, steps: &str) -> String {
    folder.plan(&format!(
        "input a from \"a.csv\"\n  grain k\n  track net\ninput b from \"b.csv\"\n  track net\n\
         input c from \"c.csv\"\n  track cost\n{steps}\n"
    ));
    folder.run().code(0).out
}

#[test]
fn tables_are_stacked_with_a_label_and_blanks_where_one_lacks_a_column() {
    let folder = folder();
    let told = plan(
        &folder,
        "table t from a, b filling blanks labelled source\n\
         check: sum(t.net) = sum(a.net) + sum(b.net)\noutput t to \"t.csv\"",
    );
    assert_eq!(
        folder.read("t.csv"),
        "k,net,note,source\n1,2.00,,a\n2,3.00,,a\n2,4.00,late,b\n,1.00,,b\n"
    );
    assert!(told.contains("t · each row for itself\n"), "{told}");
    assert!(told.contains("     t        4          10.00\n"), "{told}");
    assert!(told.contains("  2 rows of a, 2 rows of b\n"), "{told}");
}

#[test]
fn tables_meet_on_their_grain_and_a_blank_key_meets_a_blank() {
    let folder = folder();
    let told = plan(
        &folder,
        "table sales from a, b filling blanks\n  one row per k\n    net = sum(net)\n\
         table costs from c\n  one row per k\n    cost = sum(cost)\n\
         table t from sales meeting costs on k\n  add left = net - cost\n\
         check: sum(t.net) = sum(sales.net) and sum(t.cost) = sum(costs.cost)\n\
         output t to \"t.csv\"",
    );
    assert_eq!(
        folder.read("t.csv"),
        "k,net,cost,left\n1,2.00,,\n2,7.00,0.50,6.50\n,1.00,9.00,-8.00\n3,,0.75,\n"
    );
    assert!(told.contains("t · one row per k\n"), "{told}");
    assert!(told.contains("  3 rows of sales: 1 key meets none, as 1\n"), "{told}");
    assert!(told.contains("  3 rows of costs: 1 key meets none, as 3\n"), "{told}");
}

#[test]
fn what_does_not_go_together_is_refused_with_a_way_out() {
    let folder = folder();
    folder.file("d.csv", "k,net\nx,1\n");
    let wrong = |steps: &str, says: &[&str]| {
        folder.plan(&format!(
            "input a from \"a.csv\"\n  grain k\ninput b from \"b.csv\"\ninput c from \"c.csv\"\n  \
             grain k\ninput d from \"d.csv\"\n{steps}\n"
        ));
        let mut ran = folder.granum(&["check", "p.granum"]).code(2);
        for text in says {
            ran = ran.complains(text);
        }
    };
    wrong("table t from a, b", &["`a` has no column `note`, which `b` has", "filling blanks"]);
    wrong("table t from a, d", &["`k` is integer before, and text in `d`", "read k as integer"]);
    wrong("table t from a, a", &["`a` stands here twice"]);
    wrong("table t from a, b filling blanks labelled note", &["a column called `note` already"]);
    wrong("table t from a meeting b on k", &["`b` has each row for itself", "one row per KEY"]);
    wrong("table t from a meeting a on k", &["`a` stands here twice"]);
    wrong(
        "table u from c\n  rename cost to net\ntable t from a meeting u on k",
        &["two of these tables have a column `net`", "rename net to …"],
    );
    wrong("table t from a, t", &["these tables wait for each other: t → t"]);
}

#[test]
fn a_calendar_shows_days_on_which_nothing_was() {
    let folder = Folder::new();
    folder.file("s.csv", "on,net\n2026-12-30,2.00\n2027-01-02,3.00\n").plan(
        "param last date = date(\"2027-01-02\")\n\
         input days from calendar date(\"2026-12-30\") through last\n  drop weekday = 7\n\
         input s from \"s.csv\"\n  track net\nlink s to days on on = day complete\n\
         table t from days\n  add net = sum(s.net)\noutput t to \"t.csv\"\n",
    );
    folder.run().code(0);
    assert_eq!(
        folder.read("t.csv"),
        "day,month,quarter,year,week,weekday,net\n\
         2026-12-30,2026-12,2026-Q4,2026,2026-W53,3,2.00\n\
         2026-12-31,2026-12,2026-Q4,2026,2026-W53,4,0.00\n\
         2027-01-01,2027-01,2027-Q1,2027,2026-W53,5,0.00\n\
         2027-01-02,2027-01,2027-Q1,2027,2026-W53,6,3.00\n"
    );
    folder.granum(&["show", "p.granum", "days"]).code(0).says("days · one row per day\n");
    let ran = folder.granum(&["check", "p.granum", "--set", "last=2026-01-01"]).code(2);
    ran.complains("2026-12-30 is after 2026-01-01");
    folder.plan("input days from calendar 1 through date(\"2026-01-01\")\n");
    folder.run().code(2).complains("this is integer, but `the first day` is date");
    folder.plan(
        "input days from calendar date(\"2026-01-01\") through date(\"2026-01-02\")\n  \
         read day as text\n",
    );
    folder.run().code(2).complains("a calendar's columns are known");
}

#[test]
fn tables_of_common_rows_meet() {
    let folder = Folder::new();
    folder.file("a.csv", "k,v\na,1\nb,2\n").plan(
        "input a from \"a.csv\"\n  grain k\n  track v\n\
         table both from a meeting least on k\n\
         table least from a\n  bottom 1 by v\n  columns k, v as least\n\
         output both to \"both.csv\"\n",
    );
    folder.run().code(0);
    assert_eq!(folder.read("both.csv"), "k,v,least\na,1,1\nb,2,\n");
}
