//! How files link, and the plan that is drafted from it.

use std::fs;

use serde_json::Value;

use super::folder::Folder;
use super::survey::nursery;

const FILES: [&str; 12] = [
    "data/articles.csv",
    "data/customers.csv",
    "data/lines.csv",
    "data/orders_post.csv",
    "data/orders_shop.csv",
    "data/outreach_radio.csv",
    "data/places.csv",
    "data/prices.csv",
    "data/promotions.csv",
    "data/regions.csv",
    "data/returns.csv",
    "data/visits.csv",
];

fn with<'a>(command: &'a str, rest: &[&'a str]) -> Vec<&'a str> {
    [&[command], &FILES[..], rest].concat()
}

fn snapshot(name: &str, text: &str) {
    insta::with_settings!({ omit_expression => true }, { insta::assert_snapshot!(name, text) });
}

#[test]
fn the_demo_s_files_and_their_links() {
    let ran = nursery().granum(&with("relate", &[])).code(0);
    assert!(ran.out.lines().all(|line| line.chars().count() <= 100), "{}", ran.out);
    snapshot("relate", &ran.out);
}

#[test]
fn a_plan_is_drafted_and_holds_and_writes_its_output() {
    let folder = nursery();
    let ran = folder.granum(&with("draft", &[])).code(0);
    snapshot("draft", &ran.out);
    assert!(ran.out.lines().all(|line| line.chars().count() <= 100), "{}", ran.out);
    folder.plan(&ran.out);
    folder.run().code(0).says("HELD: ");
    let lines = folder.read("out/lines_joined.csv");
    assert!(lines.lines().count() > 500);
    assert!(lines.starts_with("order_no,line_no,"), "{lines:.200}");
    // A person who formats it finds it in the one layout.
    folder.granum(&["fmt", "--check", "p.granum"]).code(0);
}

#[test]
fn drafts_of_files_that_are_written_in_other_ways_run_as_well() {
    let folder = Folder::new();
    folder
        .file("a-1.csv", b"Report\nNr;Betrag;Tag\n007;1.234,50;31/12/2025\n008;(2,00);01/01/2026\n")
        .file("Kunden 2026.csv", b"Nr;Name\n007;M\xfcller\n008;Gro\xdf\n009;Sandner\n");
    let ran = folder.granum(&["draft", "a-1.csv", "Kunden 2026.csv"]).code(0);
    for text in [
        "input a_1 from \"a-1.csv\" delimiter \";\" header at 2",
        "Nr     as text",
        "Betrag as decimal \"(1.234,56)\"",
        "Tag    as date \"%d/%m/%Y\"",
        "input kunden_2026 from \"Kunden 2026.csv\" delimiter \";\" encoding \"windows-1252\"",
        "link a_1 to kunden_2026 on Nr complete",
    ] {
        assert!(ran.out.contains(text), "no {text} in\n{}", ran.out);
    }
    folder.plan(&ran.out);
    folder.run().code(0);
    let joined = folder.read("out/a_1_joined.csv");
    assert!(
        joined.contains("007,1234.50,2025-12-31") && joined.contains("M\u{fc}ller"),
        "{joined}"
    );
}

#[test]
fn a_draft_of_one_file_or_of_no_rows_is_a_plan_too() {
    let folder = Folder::new();
    folder.file("t.csv", "id,net\n1,2.50\n").file("none.csv", "id,net\n");
    for files in [&["t.csv"][..], &["none.csv"], &["t.csv", "none.csv"]] {
        let ran = folder.granum(&[&["draft"], files].concat()).code(0);
        folder.plan(&ran.out);
        folder.run().code(0);
    }
}

#[test]
fn columns_are_found_by_a_name_that_is_remembered() {
    let folder = nursery();
    let ran = folder.granum(&with("relate", &["--find", "CustomerNo"])).code(0);
    ran.says("  customer_no  customers").says("  customer_no  orders").says("data/visits.csv");
    let ran = folder.granum(&with("relate", &["--find", "weather"])).code(0);
    assert_eq!(ran.out, "no column has a name like weather\n");
}

#[test]
fn the_links_are_drawn() {
    let folder = nursery();
    let ran = folder.granum(&with("relate", &["--picture", "links.svg"])).code(0);
    ran.complains("drew links.svg");
    let svg = folder.read("links.svg");
    for text in ["orders", "one row per order_no, line_no", "article_no", "100%", "promo_code"] {
        assert!(svg.contains(text), "no {text}");
    }
    assert!(svg.starts_with("<svg"));
    folder.granum(&with("relate", &["--picture", "links.png"])).code(0);
    let png = fs::read(folder.path().join("links.png")).unwrap();
    assert_eq!(&png[..8], b"\x89PNG\r\n\x1a\n");
    // Every line and letter takes its bytes; a picture without text would be far smaller.
    assert!(png.len() > 60_000, "{}", png.len());
    folder
        .granum(&with("relate", &["--picture", "links.bmp"]))
        .code(2)
        .complains("a picture's path ends in .svg or .png");
    folder
        .granum(&with("relate", &["--picture", "links.svg/more.svg"]))
        .code(3)
        .complains("links.svg");
    assert!(!folder.names().iter().any(|name| name.contains(".granum-")));
}

#[test]
fn a_picture_shows_whatever_names_there_are_and_what_is_unsure() {
    let folder = Folder::new();
    let row = |at: usize| format!("S{at},C{:03},{at}", at % 15);
    let sales: Vec<String> = (0..30).map(row).collect();
    let sales = sales.join("\n");
    let customers: Vec<String> = (0..20).map(|at| format!("C{at:03},name {at}")).collect();
    let customers = customers.join("\n");
    folder
        .file("sales.csv", format!("sale_no,buyer,\"a <b> & \"\"c\"\"\"\n{sales}"))
        .file("customers.csv", format!("customer_no,name\n{customers}"))
        .file("alone.csv", "x\n1\n1\n");
    let files = ["sales.csv", "customers.csv", "alone.csv"];
    // A picture that is no XML could not be made a PNG.
    for name in ["t.svg", "t.png"] {
        folder.granum(&[&["relate", "--picture", name], &files[..]].concat()).code(0);
    }
    let svg = folder.read("t.svg");
    for text in ["a &lt;b&gt; &amp; ", "alone", "dashed: unsure", "30 rows"] {
        assert!(svg.contains(text), "no {text}");
    }
    // One unsure link: it is drawn in many short lines, a sure one in one.
    let lines = svg.matches("<polyline").count();
    folder.file("sales.csv", format!("sale_no,customer_no,n\n{sales}"));
    folder.granum(&[&["relate", "--picture", "t.svg"], &files[..]].concat()).code(0);
    assert!(folder.read("t.svg").matches("<polyline").count() < lines);
}

#[test]
fn files_that_cannot_be_read_or_stand_there_twice_are_told() {
    let folder = Folder::new();
    folder.file("a.csv", "id\n1\n").file("bad.csv", "id,x\n1\n");
    for command in ["relate", "draft"] {
        folder.granum(&[command, "a.csv", "bad.csv"]).code(3).complains("bad.csv line 2");
        folder.granum(&[command, "a.csv", "a.csv"]).code(3).complains("a.csv: is named twice");
    }
}

#[test]
fn the_documents_have_what_the_text_shows() {
    let folder = nursery();
    let ran = folder.granum(&with("relate", &["--format", "json"])).code(0);
    let told: Value = serde_json::from_str(&ran.out).unwrap();
    let links = told["links"].as_array().unwrap();
    let link = links.iter().find(|link| link["from"] == "lines" && link["to"] == "orders").unwrap();
    assert_eq!(link["line"], "link lines to orders on order_no");
    assert_eq!(link["multiplicity"], "many-to-one");
    assert_eq!(told["tables"].as_array().unwrap().len(), 11);
    let ran = folder.granum(&with("relate", &["--find", "mail", "--format", "json"])).code(0);
    let told: Value = serde_json::from_str(&ran.out).unwrap();
    assert_eq!(told["found"][0]["table"], "customers");
    let ran = folder.granum(&with("draft", &["--format", "json"])).code(0);
    let told: Value = serde_json::from_str(&ran.out).unwrap();
    let text = told["text"].as_str().unwrap();
    assert_eq!(text, folder.granum(&with("draft", &[])).out);
    let asked = told["report"]["links"].as_array().unwrap();
    assert!(asked.iter().all(|link| link["held"] == true) && !asked.is_empty());
}

/// Orders of two systems, and lines that need both.
fn two_systems(second: &str) -> Folder {
    let folder = Folder::new();
    let rows = |from: usize, row: &dyn Fn(usize) -> String| -> String {
        (from..from + 20).fold(String::new(), |all, at| all + &row(at) + "\n")
    };
    let shop = rows(100, &|at| format!("S{at},2026-01-{:02},C{}", at % 28 + 1, at % 7));
    folder.file("orders_a.csv", format!("order_no,ordered_on,customer_no\n{shop}"));
    let post = rows(500, &|at| match second {
        ";" => format!("C{};S{at};2026-02-{:02}", at % 7, at % 28 + 1),
        ";more" => format!("C{};S{at};2026-02-{:02};post", at % 7, at % 28 + 1),
        _ => format!("S{at},2026-02-{:02},C{},post", at % 28 + 1, at % 7),
    });
    let header = match second {
        ";" => "customer_no;order_no;ordered_on",
        ";more" => "customer_no;order_no;ordered_on;stamp",
        _ => "order_no,ordered_on,customer_no,stamp",
    };
    folder.file("zeta.csv", format!("{header}\n{post}"));
    let lines = rows(100, &|at| format!("S{at},1,2.50\nS{},1,1.00", at + 400));
    folder.file("lines.csv", format!("order_no,line_no,net\n{lines}"));
    folder
}

#[test]
fn orders_of_two_systems_are_one_table() {
    for (second, drafted) in [
        (";", "table orders_a from orders_a_1, orders_a_2\n"),
        // Neither reads what only the other has.
        (";more", "table orders_a from orders_a_1, orders_a_2 filling blanks\n"),
        ("more", "input orders_a from \"orders_a.csv\", \"zeta.csv\" filling blanks\n"),
    ] {
        let folder = two_systems(second);
        let files = ["orders_a.csv", "zeta.csv", "lines.csv"];
        let relate: Vec<&str> = std::iter::once("relate").chain(files).collect();
        let ran = folder.granum(&relate).code(0);
        assert!(ran.out.contains("link lines to orders_a on order_no"), "{}", ran.out);
        assert!(ran.out.contains("100.00% of 40 rows"), "{}", ran.out);
        if second.ends_with("more") {
            assert!(
                ran.out.contains("are taken for parts of one: keys of lines (order_no)"),
                "{}",
                ran.out
            );
        }
        let draft: Vec<&str> = std::iter::once("draft").chain(files).collect();
        let text = folder.granum(&draft).code(0).out;
        assert!(text.contains(drafted), "{text}");
        assert!(text.contains("link lines to orders_a on order_no complete\n"), "{text}");
        folder.plan(&text);
        folder.run().code(0);
    }
}

#[test]
fn of_several_files_that_cannot_be_read_the_first_is_told() {
    let folder = Folder::new();
    // The fault of the first stands far behind that of the second, which may be found sooner.
    let mut rows = "order_no,customer_no\n".to_owned();
    rows.push_str(&"M1,C1\n".repeat(60_000));
    rows.push_str("M2,\"C2\n");
    folder.file("a.csv", rows);
    folder.file("b.csv", "customer_no,name\nC1,one\nC2,\"two\n");
    folder.file("c.csv", "article_no,name\n1,\"one\n");
    for _ in 0..3 {
        let ran = folder.granum(&["relate", "a.csv", "b.csv", "c.csv"]);
        assert!(ran.err.contains("a.csv line 60002") && !ran.err.contains("b.csv"), "{}", ran.err);
    }
}

#[test]
fn of_several_files_that_cannot_be_opened_the_first_is_told() {
    let folder = Folder::new();
    folder.file("orders.csv", "order_no,net\n1,2\n");
    for name in ["lines.csv", "visits.csv"] {
        // Files are opened beside each other: the larger one takes longer.
        let rows = if name == "lines.csv" { "1,2\n".repeat(200_000) } else { "1,2\n".into() };
        folder.file(name, format!("order_no,order_no\n{rows}"));
    }
    folder.file("uneven.csv", "order_no,net\n1,2,3\n").file("quoted.csv", "order_no\n\"1\n");
    for (names, told) in [
        (["orders.csv", "lines.csv", "visits.csv"], "lines.csv line 1: has two columns"),
        (["visits.csv", "lines.csv", "orders.csv"], "visits.csv line 1: has two columns"),
        (["orders.csv", "uneven.csv", "quoted.csv"], "uneven.csv line 2: this row has 3 fields"),
        (["quoted.csv", "uneven.csv", "orders.csv"], "quoted.csv line 2: a quote is opened here"),
    ] {
        folder.granum(&[&["relate"], &names[..]].concat()).code(3).complains(told);
    }
}
