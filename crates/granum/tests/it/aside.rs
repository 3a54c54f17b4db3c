//! `read … else aside`: rows that cannot be read are left out, and it is told which.

use serde_json::{Value, json};

use super::folder::Folder;

fn folder(read: &str) -> Folder {
    let folder = Folder::new();
    folder
        .file(
            "t.csv",
            "id,net,on\n1,2.50,2026-01-01\n2,x,2026-01-02\n3,y,soon\n4,,2026-01-04\n5,1.00,never\n",
        )
        .plan(&format!(
            "input t from \"t.csv\"\n{read}  grain id\n  track net\noutput t to \"o.csv\"\n"
        ));
    folder
}

const BOTH: &str = "  read net as decimal(2) else aside\n       on as date else aside\n";

#[test]
fn rows_are_set_aside_and_the_tally_says_which_and_what_they_had() {
    let folder = folder(BOTH);
    let ran = folder.run().code(0);
    assert_eq!(
        ran.out.split("bridge to").next().unwrap(),
        "t · one row per id

     step                     rows  change   net  change
     t                           5          3.50
  1  read net, on else aside     2      −3  2.50   −1.00

  net: 2 cells could not be read and set their rows aside: \"x\" (t.csv line 3), \"y\" (t.csv line 4)
  on: 2 cells could not be read and set their rows aside: \"soon\" (t.csv line 4), \"never\" (t.csv line
    6)
  net: blank in 1 row, which the sum passes over

"
    );
    assert_eq!(folder.read("o.csv"), "id,net,on\n1,2.50,2026-01-01\n4,,2026-01-04\n");
}

#[test]
fn the_report_has_them_with_their_places() {
    let folder = folder(BOTH);
    let ran = folder.granum(&["check", "p.granum", "--format", "json"]).code(0);
    let told: Value = serde_json::from_str(&ran.out).unwrap();
    let aside = &told["report"]["tables"][0]["aside"];
    assert_eq!((&aside[0]["column"], &aside[0]["count"]), (&json!("net"), &json!(2)));
    let soon = json!({ "text": "soon", "place": { "file": "t.csv", "line": 4 } });
    assert_eq!(aside[1]["examples"][0], soon);
}

#[test]
fn the_three_ways_to_read_what_cannot_be_read() {
    // Without `else` it stops; `else blank` keeps the row; the help names both.
    let stopped = folder("  read net as decimal(2)\n       on as date else aside\n");
    stopped
        .run()
        .code(1)
        .says("1 cell of `net` cannot be read as decimal(2)")
        .says("or let them be blank:  read net as decimal(2) else blank\n")
        .says("which the tally counts:  read net as decimal(2) else aside\n");
    let blanked = folder("  read net as decimal(2) else blank\n       on as date else aside\n");
    blanked.run().code(0).says("net: 1 cell could not be read and became blank");
    assert_eq!(
        blanked.read("o.csv"),
        "id,net,on\n1,2.50,2026-01-01\n2,,2026-01-02\n4,,2026-01-04\n"
    );
}

#[test]
fn a_grain_counts_only_rows_that_stay() {
    let folder = Folder::new();
    folder
        .file("t.csv", "id,n\n1,1\n1,total\n2,2\n")
        .plan("input t from \"t.csv\"\n  read n as integer else aside\n  grain id\n");
    folder.granum(&["check", "p.granum"]).code(0).says("HELD");
    // A column that no step uses is read for it all the same.
    folder.granum(&["show", "p.granum", "t"]).code(0).says("\n2 rows\n");
    folder.plan("input t from \"t.csv\"\n  read n as integer else aside\ntable u from t\n  columns id\noutput u to \"u.csv\"\n");
    folder.run().code(0);
    assert_eq!(folder.read("u.csv"), "id\n1\n2\n");
}

#[test]
fn rows_of_an_input_know_their_file_and_line() {
    let folder = Folder::new();
    folder.file("a.csv", "id\n1\n\n2\n").file("b.csv", "id\nx\n3\n").plan(
        "input t from \"a.csv\", \"b.csv\"\n  read id as integer else aside\n  drop id = 1\n  \
         add file = source_file()\n      line = source_line()\n  grain id\noutput t to \"t.out.csv\"\n",
    );
    folder.run().code(0);
    assert_eq!(folder.read("t.out.csv"), "id,file,line\n2,a.csv,4\n3,b.csv,3\n");
    folder.plan("input t from \"b.csv\"\ntable u from t\n  add file = source_file()\n");
    let ran = folder.granum(&["check", "p.granum"]).code(2);
    ran.complains("only rows of an input are known to come from a file")
        .complains("take it along from there:  add NAME = source_file()");
    folder.plan("input t from \"b.csv\"\n  add file = source_line(id)\n");
    folder.granum(&["check", "p.granum"]).code(2).complains("`source_line` takes nothing");
    let ran = folder.granum(&["check", "-e", "input t from \"b.csv\"\n  add x = source_lin()\n"]);
    ran.code(2).complains("did you mean `source_line`?");
}

#[test]
fn other_cells_of_rows_that_are_left_out_are_nobodys_trouble() {
    let folder = Folder::new();
    folder.file("t.csv", "k,x,y\nA,q,z\nB,1,2\n").plan(
        "input t from \"t.csv\"\n  read x as integer else aside\n       y as integer\n\
         output t to \"o.csv\"\n",
    );
    folder.run().code(0).says("1 cell could not be read and set its row aside");
    assert_eq!(folder.read("o.csv"), "k,x,y\nB,1,2\n");
    folder.file("t.csv", "k,x,y\nA,q,z\nB,1,w\n");
    folder.run().code(1).says("1 cell of `y` cannot be read").says("\"w\"   (t.csv line 3)");
}

#[test]
fn rows_that_went_go_into_a_book_or_a_database_too() {
    let folder = Folder::new();
    folder.file("t.csv", "id,net\n1,2.50\n1,2.50\n2,1.00\n").plan(
        "input t from \"t.csv\"\n  dedupe\n  drop id = 2\n  grain id\noutput t to \"o.csv\"\n",
    );
    for place in ["gone.xlsx", "gone.db"] {
        folder
            .granum(&["run", "p.granum", "--aside", place])
            .code(0)
            .says(&format!("{place}#t-1-dedupe"))
            .says(&format!("{place}#t-2-drop"));
        folder.granum(&["survey", place]).code(0).says("t-1-dedupe, t-2-drop").says("1 row, ");
    }
    folder.granum(&["show", "p.granum", "t", "--to", "gone.db#t"]).code(0);
    folder.granum(&["survey", "gone.db"]).code(0).says("3 tables: t, t-1-dedupe, t-2-drop");
}
