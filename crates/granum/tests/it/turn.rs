//! Columns, and parts of cells, that become rows.

use super::folder::Folder;

const WIDE: &str = "store,kind,jan,feb,mar,tags\nS1,a,4.00,,5.00,red;blue\nS2,b,,,,\n\
                    S3,b,1.00,2.00,3.50,\" green ;; red\"\n";

fn plan(folder: &Folder, steps: &str) {
    folder.file("wide.csv", WIDE).plan(&format!(
        "input wide from \"wide.csv\"\n  grain store\n  track jan, feb, mar\n\ntable t from wide\n{steps}\n\
         output t to \"t.csv\"\n"
    ));
}

#[test]
fn months_become_rows_and_blanks_are_counted() {
    let folder = Folder::new();
    plan(&folder, "  turn columns jan through mar into rows month, net\n  track net");
    let ran = folder.run().code(0);
    ran.says(
        "  1  4 blanks, which went, and with them 1 row that had nothing else; jan, feb, mar end here; one\n    \
         row per store \u{2192} one row per store, month\n",
    )
    .says("+2  15.50");
    assert_eq!(
        folder.read("t.csv"),
        "store,kind,tags,month,net\nS1,a,red;blue,jan,4.00\nS1,a,red;blue,mar,5.00\n\
         S3,b, green ;; red,jan,1.00\nS3,b, green ;; red,feb,2.00\nS3,b, green ;; red,mar,3.50\n"
    );
    let told = folder.granum(&["trace", "p.granum", "t", "store=S2"]).code(0);
    told.says("all that is turned is blank").says("went into\n  t \u{b7} taken out");
    plan(
        &folder,
        "  turn mar, jan, feb into rows month, net keeping blanks\n  keep store != \"S3\"",
    );
    folder
        .run()
        .code(0)
        .says("  1  4 blanks, which became rows all the same; jan, feb, mar end here");
    assert!(folder.read("t.csv").contains("S2,b,,mar,\nS2,b,,jan,\nS2,b,,feb,\n"));
}

#[test]
fn a_list_in_a_cell_becomes_rows() {
    let folder = Folder::new();
    let steps = "  columns store, tags\n  turn tags split by \";\" into rows tag";
    plan(&folder, steps);
    folder.run().code(0).says("  2  1 row had nothing to turn and went;");
    assert_eq!(folder.read("t.csv"), "store,tag\nS1,red\nS1,blue\nS3,green\nS3,red\n");
    plan(&folder, &format!("{steps} keeping blanks"));
    folder.run().code(1).says("t: the grain store, tag does not hold").says("blank");
    plan(&folder, &format!("{steps} keeping blanks\n  one row per store, tag\n    n = rows()"));
    folder.run().code(0);
    assert!(folder.read("t.csv").contains("S2,,1\n"));
    // A part that stands in a cell twice breaks what one row is.
    folder.file("t.csv", "");
    plan(&folder, steps);
    folder.file("wide.csv", WIDE.replace("red;blue", "red;blue;red"));
    folder.run().code(1).says("S1/red on 2 rows");
}

#[test]
fn what_turn_cannot_do_is_refused_with_a_way_out() {
    let folder = Folder::new();
    let wrong = |steps: &str, says: &str, helps: &str| {
        plan(&folder, steps);
        folder.granum(&["check", "p.granum"]).code(2).complains(says).complains(helps);
    };
    let into = "into rows month, net";
    wrong(
        &format!("  turn jan, feb {into}"),
        "would repeat `mar`, which is tracked",
        "turn mar, \u{2026}",
    );
    wrong(
        &format!("  turn jan {into}"),
        "would repeat `feb`, `mar`, which are tracked",
        "turn feb",
    );
    wrong(
        &format!("  turn jan, feb, mar, kind {into}"),
        "`kind` is text, and `jan` is decimal(2)",
        "one type",
    );
    wrong(&format!("  turn store, kind {into}"), "a part of what one row is", "another grain");
    wrong(
        &format!("  turn columns mar through jan {into}"),
        "`mar` stands behind `jan`",
        "columns jan through mar",
    );
    wrong(&format!("  turn jan, jan, feb, mar {into}"), "`jan` is turned already", "jan");
    wrong("  turn jan, feb, mar into rows kind, net", "called `kind`", "another name");
    wrong(
        "  turn jan, feb, mar into rows month",
        "expected `,` and a name for the values",
        "found `output`",
    );
    wrong("  turn jan, feb, mar to rows month, net", "expected `into rows`", "to");
    wrong("  turn jan split by \";\" into rows tag", "only a text has parts", "text(jan)");
    wrong("  turn tags split by \"\" into rows tag", "something stands between", "split by \";\"");
    wrong(
        "  turn tags split by \";\" into rows tag",
        "would repeat `jan`, `feb`, `mar`",
        "columns \u{2026}",
    );
    // What stays is repeated, and is not summed by mistake.
    folder.file("u.csv", "k,fee,jan,feb\nA,1.00,2.00,3.00\n");
    let repeated = |track: &str, steps: &str, says: &str| {
        folder.plan(&format!(
            "input u from \"u.csv\"\n  grain k\n{track}\ntable t from u\n  turn jan, feb {into}\n{steps}\n"
        ));
        folder.granum(&["check", "p.granum"]).code(2).complains(says);
    };
    repeated("", "  track fee", "`fee` stood here before `turn`");
    folder.plan(&format!(
        "input u from \"u.csv\"\n  grain k\ntable s from u\n  add all = sum(fee per k)\ntable t from s\n  turn jan, feb {into}\n  \
         one row in all\n    net = sum(net)\n    top = max(fee)\noutput t to \"t.csv\"\n"
    ));
    folder.run().code(0);
    assert_eq!(folder.read("t.csv"), "net,top\n5.00,1.00\n");
}

#[test]
fn a_column_may_be_called_turn() {
    let folder = Folder::new();
    folder.file("t.csv", "turn,columns\n1,2\n").plan(
        "input t from \"t.csv\"\ntable u from t\n  add turn2 = turn\n      twice = columns\n  turn turn, columns into rows what, much\n\
         output u to \"u.csv\"\n",
    );
    folder.run().code(0);
    assert_eq!(folder.read("u.csv"), "turn2,twice,what,much\n1,2,turn,1\n1,2,columns,2\n");
}

const LONG: &str = "store,month,town,net\nS1,2026-02,Oakwell,4.00\nS1,2026-01,Oakwell,5.00\n\
                    S2,2026-02,Upper Thorn,1.00\nS3,2026-10,,\n";

/// A plan that writes months side by side, of some rows.
fn wide(folder: &Folder, rows: &str, steps: &str, columns: &str) {
    folder.file("long.csv", rows).plan(&format!(
        "input sales from \"long.csv\"\n{steps}  grain store, month\n  track net\n\noutput sales to \"w.csv\" {columns}\n"
    ));
}

#[test]
fn months_stand_side_by_side_in_an_output() {
    let folder = Folder::new();
    let columns = "columns from month of net";
    wide(&folder, LONG, "", columns);
    folder.run().code(0).says("  wrote w.csv \u{b7} 3 rows");
    let out = "store,town,2026-01,2026-02,2026-10\nS1,Oakwell,5.00,4.00,\nS2,Upper Thorn,,1.00,\nS3,,,,\n";
    assert_eq!(folder.read("w.csv"), out);
    folder.granum(&["run", "p.granum", "--changes"]).code(0).says("w.csv as it was");
    folder.granum(&["fmt", "p.granum"]).code(0);
    assert!(folder.read("p.granum").ends_with(&format!("output sales to \"w.csv\" {columns}\n")));
    folder
        .granum(&["trace", "p.granum", "sales", "store=S2", "month=2026-02"])
        .says("went into\n  w.csv\n");
    wide(&folder, "store,month,town,net\n", "", columns);
    folder.run().code(0);
    assert_eq!(folder.read("w.csv"), "store,town\n");
    // Turned back it is what it was, blanks left out.
    folder.file("w.csv", out).plan(
        "input w from \"w.csv\"\n  grain store\n  turn columns `2026-01` through `2026-10` into rows month, net\n\
         output w to \"back.csv\" columns from month of net\n",
    );
    folder.run().code(0);
    assert_eq!(
        folder.read("back.csv"),
        "store,town,2026-01,2026-02\nS1,Oakwell,5.00,4.00\nS2,Upper Thorn,,1.00\n"
    );
}

#[test]
fn what_cannot_become_columns_stops_the_run_and_checks_know_it() {
    let folder = Folder::new();
    let columns = "columns from month of net";
    let stops = |rows: &str, steps: &str, says: &str| {
        wide(&folder, rows, steps, columns);
        folder.granum(&["check", "p.granum"]).code(1).says(says);
        folder.run().code(1).says(says);
        assert!(!folder.exists("w.csv"));
    };
    let towns = LONG.replace("S2,2026-02,Upper", "S1,2026-03,Upper");
    stops(
        &towns,
        "",
        "`town` has several values in one row: Oakwell, Upper Thorn\n    leave it out before",
    );
    stops(&LONG.replace("2026-10", "town"), "", "a column is called as a value already: town\n");
    let many: Vec<String> = (0..1001).map(|day| format!("S1,{day},Oakwell,1.00\n")).collect();
    let many = format!("store,month,town,net\n{}", many.concat());
    stops(&many, "", "it has 1,001 different values");
    let wrong = |steps: &str, columns: &str, says: &str, helps: &str| {
        wide(&folder, LONG, steps, columns);
        folder.granum(&["check", "p.granum"]).code(2).complains(says).complains(helps);
    };
    wrong(
        "",
        "columns from town of net",
        "`town` is no part of what one row",
        "one row per store, month",
    );
    wrong("", "columns from month of store", "cannot stand in cells", "a column of values");
    wrong("", "columns from month of nett", "no column called `nett`", "did you mean `net`?");
    wrong("", "columns from month", "expected `of` and the column", "found the end");
    folder.plan(
        "input sales from \"long.csv\"\ntable t from sales\n  one row per store, month total row \"all\"\n    net = sum(net)\n\
         output t to \"w.csv\" columns from month of net\noutput sales to \"s.csv\" columns from month of net\n",
    );
    let ran = folder.granum(&["check", "p.granum"]).code(2);
    folder.file("blank.csv", LONG.replace("2026-10", "")).plan(
        "input sales from \"blank.csv\"\ntable t from sales\n  one row per store, month\n    net = sum(net)\n\
         output t to \"w.csv\" columns from month of net\n",
    );
    folder
        .run()
        .code(1)
        .says("1 row is blank there\n    leave them out before:  keep month is not blank");
    ran.complains("`t` has a total row").complains("what one row is: not known");
}
