//! Books of sheets, in and out.

use super::folder::{Folder, Ran};

/// A book that another program saved; `scripts/books.sh` makes them.
fn book(name: &str) -> Vec<u8> {
    let path = format!("{}/tests/books/{name}", env!("CARGO_MANIFEST_DIR"));
    std::fs::read(path).unwrap()
}

/// A run of a plan over the book with everything odd in it.
fn odd(said: &str) -> (Folder, Ran) {
    let folder = Folder::new();
    let plan = format!("input t from \"odd.xlsx\"{said}\noutput t to \"out.csv\"\n");
    folder.file("odd.xlsx", book("odd.xlsx")).plan(&plan);
    let ran = folder.run();
    (folder, ran)
}

#[test]
fn books_of_other_programs_have_the_same_rows_whatever_their_kind() {
    for kind in ["xlsx", "ods", "xls"] {
        let folder = Folder::new();
        folder.file(&format!("orders.{kind}"), book(&format!("orders.{kind}"))).plan(&format!(
            "input t from \"orders.{kind}\"\n  read net as decimal(2) else blank\n  \
             track net\n\noutput t to \"out.csv\"\n"
        ));
        folder.run().code(0).says("net: 1 cell could not be read and became blank");
        assert_eq!(
            folder.read("out.csv"),
            "order_no,ordered_on,sent_at,net,paid,customer_no\n\
             M1,2026-03-01,2026-03-02T08:15:00,12.50,true,00417\n\
             M2,2026-03-02,2026-03-02T00:00:00,1234.05,false,00009\n\
             M3,2026-03-31,,-3.00,true,\n\
             M4,2026-04-01,2026-04-02T17:59:30,,true,00417\n",
            "{kind}"
        );
    }
}

#[test]
fn what_is_odd_in_a_sheet_is_told_by_its_cell() {
    let folder = Folder::new();
    folder.file("odd.xlsx", book("odd.xlsx"));
    insta::assert_snapshot!("odd_survey", folder.granum(&["survey", "odd.xlsx"]).code(0).out);
    insta::assert_snapshot!("odd_draft", folder.granum(&["draft", "odd.xlsx"]).code(0).out);
    let (_, ran) = odd(" header at 3 footer 1");
    insta::assert_snapshot!("odd_stopped", ran.code(1).out);
    let (folder, ran) = odd(
        " header at 3 footer 1\n  read order_no as text          else aside\n       net      as decimal(2) else blank",
    );
    insta::assert_snapshot!("odd_run", ran.code(0).out);
    assert_eq!(
        folder.read("out.csv"),
        "order_no,ordered_on,net,note\nM1,2026-05-01T00:00:00,19.99,x\nM2,2026-05-02T10:30:00,,\n\
         M3,2026-05-03T00:00:00,,\nM4,2026-05-04T00:00:00,0.30,\n"
    );
    let json = folder.granum(&["survey", "odd.xlsx", "--format", "json"]).code(0).out;
    assert!(
        json.contains("\"place\":{\"file\":\"odd.xlsx\",\"line\":5")
            || json.contains("\"cell\": \"C5\""),
        "{json}"
    );
}

#[test]
fn what_a_sheet_is_not_is_told_with_the_way_out() {
    let mut told = String::new();
    for said in [
        "",
        " header at 2",
        " sheet \"orders\"",
        " sheet \"May\"",
        " range \"A3\"",
        " range \"A3:B9\" header at 3",
        " delimiter \";\"",
        " encoding \"windows-1252\"",
        " each \"lines\"",
    ] {
        let (folder, ran) = odd(said);
        let kept = if ran.code == 0 { folder.read("out.csv") } else { ran.err };
        told.push_str(&format!("== {said} ({})\n{kept}\n", ran.code));
    }
    for (name, text, said) in [
        ("a.csv", "k\n1\n", " sheet \"A\""),
        ("a.csv", "k\n1\n", " range \"A1:B2\""),
        ("a.json", "{\"k\":1}", " sheet \"A\""),
        ("a.db", "k", ""),
        ("a.xls", "<html><table></table></html>", ""),
    ] {
        let folder = Folder::new();
        folder
            .file(name, text)
            .plan(&format!("input t from \"{name}\"{said}\noutput t to \"o.csv\"\n"));
        told.push_str(&format!("== {name}{said}\n{}\n", folder.run().code(3).err));
    }
    insta::assert_snapshot!("no_sheet", told);
}

const PLAN: &str = "input lines from \"\"\"\n  order_no,line_no,on,net\n  M1,1,2026-03-01,1.50\n  M1,2,2026-03-01,2.25\n  \
                    M2,1,2026-03-31,-0.75\n  \"\"\"\n  grain order_no, line_no\n  track net\n\n\
                    table orders from lines\n  one row per order_no\n    on  = min(on)\n    net = sum(net)\n\n";

fn written(outputs: &str) -> (Folder, Ran) {
    let folder = Folder::new();
    folder.plan(&format!("{PLAN}{outputs}\n"));
    let ran = folder.run();
    (folder, ran)
}

#[test]
fn tables_become_sheets_of_one_book_and_are_read_again() {
    let outputs = "output lines  to \"out/book.xlsx\"\noutput orders to \"out/book.xlsx\" sheet \"Per order\"\n\
                   output lines to \"out/book.xlsx\" columns from line_no of net sheet \"Wide\"";
    let (folder, ran) = written(outputs);
    let ran = ran.code(0);
    let wrote = ran.out.lines().filter(|line| line.contains("wrote"));
    let wrote: Vec<&str> = wrote.map(|line| line.rsplit_once(" \u{b7} ").unwrap().0).collect();
    assert_eq!(
        wrote,
        [
            "  wrote out/book.xlsx#lines \u{b7} 3 rows",
            "  wrote out/book.xlsx#Per order \u{b7} 2 rows",
            "  wrote out/book.xlsx#Wide \u{b7} 2 rows"
        ]
    );
    assert_eq!(folder.names(), ["out/book.xlsx", "p.granum"]);
    let bytes = std::fs::read(folder.path().join("out/book.xlsx")).unwrap();
    folder.granum(&["run", "p.granum", "--threads", "1"]).code(0);
    assert!(bytes == std::fs::read(folder.path().join("out/book.xlsx")).unwrap(), "other bytes");
    // What a run changes is told sheet by sheet, and written down so.
    folder.plan(&format!("{}{outputs}\n", PLAN.replace("2.25", "2.50")));
    let ran = folder.granum(&["run", "p.granum", "--changes", "--record", "r.json"]).code(0);
    assert!(ran.out.contains("out/book.xlsx#Per order"), "{}", ran.out);
    assert!(
        folder.read("r.json").contains("\"sheet\": \"Per order\""),
        "{}",
        folder.read("r.json")
    );
    folder.plan(&format!("{PLAN}{outputs}\n"));
    folder.granum(&["run", "p.granum"]).code(0);
    folder.file(
        "again.granum",
        "input a from \"out/book.xlsx\" sheet \"Per order\"\ninput b from \"out/book.xlsx\" sheet \"W*\"\n\
         output a to \"a.csv\"\noutput b to \"b.csv\"\n",
    );
    folder.granum(&["run", "again.granum"]).code(0);
    assert_eq!(folder.read("a.csv"), "order_no,on,net\nM1,2026-03-01,3.75\nM2,2026-03-31,-0.75\n");
    assert!(folder.read("b.csv").starts_with("order_no,on,1,2\n"), "{}", folder.read("b.csv"));
    // Every sheet is a table to whoever looks at the book.
    let relations = folder.granum(&["relate", "out/book.xlsx"]).code(0).out;
    assert!(relations.contains("per_order") && relations.contains("wide"), "{relations}");
    folder.granum(&["survey", "out/book.xlsx"]).code(0).says("out/book.xlsx#Per order");
    folder.granum(&["survey", "out/book.xlsx", "--sheet", "lines"]).code(0).says("3 rows");
    folder
        .granum(&["match", "out/book.xlsx#lines", "out/book.xlsx#Per order", "--on", "order_no"])
        .code(0)
        .says("lines");
    folder
        .granum(&["compare", "out/book.xlsx", "a.csv", "--grain", "order_no"])
        .code(3)
        .complains("say which:  --sheet \"lines\"");
    folder.granum(&["compare", "out/book.xlsx#Per order", "a.csv", "--grain", "order_no"]).code(0);
    folder
        .granum(&["trace", "again.granum", "a", "--line", "out/book.xlsx#Per order:3"])
        .code(0)
        .says("M2");
    folder.granum(&["show", "p.granum", "orders", "--to", "shown.xlsx"]).code(0);
    folder.granum(&["survey", "shown.xlsx"]).code(0).says("sheet shown");
}

#[test]
fn what_cannot_be_written_to_a_book_is_told_and_nothing_is() {
    let mut told = String::new();
    for outputs in [
        "output lines to \"b.xlsx\"\noutput orders to \"b.xlsx\" sheet \"LINES\"",
        "output lines to \"b.xlsx\" sheet \"a/b\"",
        "output lines to \"b.xlsx\" sheet \"\"",
        "output lines to \"b.xlsx\" sheet \"'a\"",
        "output lines to \"b.xlsx\" sheet \"a name of more than thirty-one letters\"",
        "output lines to \"b.xlsx\" delimiter \";\"",
        "output lines to \"b.csv\" sheet \"A\"",
        "output lines to \"b.jsonl\" sheet \"A\"",
        "output lines to \"b.xlsx.gz\"",
        "output lines to \"b.ods\"",
        "output lines to \"b.xlsx\"\noutput orders to \"./b.xlsx\"",
        "table long from lines\n  add key = 123456789012345678\n\noutput long to \"b.xlsx\"",
    ] {
        let (folder, ran) = written(outputs);
        assert!([2, 3].contains(&ran.code), "{outputs}: {}", ran.err);
        assert_eq!(folder.names(), ["p.granum"], "{outputs}");
        told.push_str(&format!("== {outputs} ({})\n{}\n", ran.code, ran.err));
    }
    insta::assert_snapshot!("not_written", told);
}
