//! `compare`: two builds of a table side by side.

use serde_json::Value;

use super::folder::Folder;

fn builds() -> Folder {
    let folder = Folder::new();
    folder
        .file("old.csv", "order_no,line_no,net,state\nM1,1,10.00,open\nM1,2,5.50,open\nM2,1,7.01,open\nM3,1,1.00,\n")
        .file("new.csv", "order_no,line_no,net,state\nM1,1,12.00,open\nM1,2,5.50,closed\nM2,1,7.02,open\nM4,1,3.00,open\n");
    folder
}

#[test]
fn what_was_added_what_is_gone_and_what_changed() {
    let folder = builds();
    let ran =
        folder.granum(&["compare", "old.csv", "new.csv", "--grain", "order_no,line_no"]).code(1);
    insta::assert_snapshot!("compared", ran.out);
    folder
        .granum(&["compare", "old.csv", "new.csv"])
        .code(1)
        .says("by order_no, line_no (found; --grain says another)");
    folder
        .granum(&["compare", "old.csv", "new.csv", "--tolerance", "0.01", "-q"])
        .code(1)
        .says("THEY DIFFER: 1 row added, 1 row gone, 2 rows changed.");
    folder.granum(&["compare", "old.csv", "old.csv"]).code(0).says("THE SAME: 4 rows.\n");
}

#[test]
fn what_cannot_be_compared() {
    let folder = builds();
    let complains = |args: &[&str], code: i32, text: &str| {
        folder.granum(&[&["compare", "old.csv"], args].concat()).code(code).complains(text);
    };
    complains(
        &["new.csv", "--grain", "order_no"],
        2,
        "1 key of order_no stands on several rows of old.csv",
    );
    complains(
        &["new.csv", "--grain", "order_no"],
        2,
        "M1   2 rows (old.csv line 2, old.csv line 3)",
    );
    complains(&["new.csv", "--grain", "order"], 2, "old.csv has no column called `order`");
    complains(&["new.csv", "--tolerance", "little"], 2, "a number such as 0.01");
    complains(
        &["no.csv"],
        3,
        "no.csv: there is no such file\n  paths are relative to the folder that this is called in\n",
    );
    folder.file("only.csv", "order_no,extra\nM1,x\n");
    folder
        .granum(&["compare", "old.csv", "only.csv", "--grain", "order_no,extra"])
        .code(2)
        .complains("old.csv has no column called `extra`\n  it has order_no, line_no, net, state");
}

#[test]
fn builds_in_other_clothes() {
    let folder = builds();
    // Another sign between fields, another order of columns, more places.
    folder.file("other.csv", "net;state;line_no;order_no\n10.000;open;1;M1\n5.500;open;2;M1\n7.010;open;1;M2\n1.000;;1;M3\n");
    folder.granum(&["compare", "old.csv", "other.csv"]).code(0).says("THE SAME: 4 rows.");
    let ran = folder.granum(&["compare", "old.csv", "new.csv", "--format", "json"]).code(1);
    let told: Value = serde_json::from_str(&ran.out).unwrap();
    assert_eq!(told["outcome"], "stopped");
    let compared = &told["compared"];
    assert_eq!(compared["changed"], 3);
    assert_eq!(compared["columns"][0]["largest"][0]["after"], "12.00");
}
