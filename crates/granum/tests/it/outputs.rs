//! How outputs are written, and JSON in and out.

use std::io::Read;

use super::folder::Folder;

const ORDERS: &str = r#"{"order_no":"M1","ordered_on":"2026-03-01","customer":{"no":"C1","city":"Lakeside"},"net":12.50,"tags":["a","b"]}
{"order_no":"M2","ordered_on":"2026-03-02","customer":{"no":"C2"},"net":3,"note":"two\nlines; or \"more\""}
{"order_no":"M3","ordered_on":null,"customer":{"no":""},"net":-1.005}
"#;

const PLAN: &str = "input orders from \"orders.jsonl\"\n  grain order_no\n  track net\n\n\
                    table brief from orders\n  columns order_no, ordered_on, `customer.no` as customer_no, net, note\n\n";

/// A run of a plan over the orders, with these outputs.
fn run(outputs: &str) -> (Folder, super::folder::Ran) {
    let folder = Folder::new();
    folder.file("orders.jsonl", ORDERS).plan(&format!("{PLAN}{outputs}\n"));
    let ran = folder.run();
    (folder, ran)
}

#[test]
fn outputs_are_written_as_is_said() {
    let (folder, ran) = run("output brief to \"a.csv\" delimiter \"|\" with mark\n\
                             output brief to \"b.txt\" decimals \",\"\n\
                             output brief to \"c.tsv\" encoding \"UTF-16LE\" with mark\n\
                             output brief to \"d.jsonl\"\n\
                             output brief to \"e.json\"");
    ran.code(0);
    let header = "order_no|ordered_on|customer_no|net|note\n";
    let rows = "M1|2026-03-01|C1|12.500|\nM2|2026-03-02|C2|3.000|\"two\nlines; or \"\"more\"\"\"\nM3|||-1.005|\n";
    assert_eq!(folder.read("a.csv"), format!("\u{feff}{header}{rows}"));
    let semicolons = format!("{header}{rows}").replace('|', ";").replace("00|", "00;");
    let semicolons = [("12.500", "12,500"), ("3.000", "3,000"), ("-1.005", "-1,005")]
        .iter()
        .fold(semicolons, |text, (point, comma)| text.replace(point, comma));
    assert_eq!(folder.read("b.txt"), semicolons);
    let units: Vec<u16> = std::fs::read(folder.path().join("c.tsv"))
        .unwrap()
        .chunks(2)
        .map(|two| u16::from_le_bytes([two[0], two[1]]))
        .collect();
    let tabs = format!("\u{feff}{header}{rows}").replace('|', "\t");
    assert_eq!(String::from_utf16(&units).unwrap(), tabs);
    let objects = "{\"order_no\":\"M1\",\"ordered_on\":\"2026-03-01\",\"customer_no\":\"C1\",\"net\":12.500,\"note\":null}\n\
                   {\"order_no\":\"M2\",\"ordered_on\":\"2026-03-02\",\"customer_no\":\"C2\",\"net\":3.000,\"note\":\"two\\nlines; or \\\"more\\\"\"}\n\
                   {\"order_no\":\"M3\",\"ordered_on\":null,\"customer_no\":null,\"net\":-1.005,\"note\":null}\n";
    assert_eq!(folder.read("d.jsonl"), objects);
    assert_eq!(
        folder.read("e.json"),
        format!("[\n{}\n]\n", objects.trim_end().replace("}\n", "},\n"))
    );
}

/// What is packed is the same bytes, and whatever is written is the same table when it is read.
#[test]
fn what_is_written_is_the_same_table_when_it_is_read_again() {
    let (folder, ran) = run("output brief to \"plain.csv\"\n\
                             output brief to \"packed.csv.gz\"\n\
                             output brief to \"packed.csv.zst\"\n\
                             output brief to \"commas.csv\" delimiter \";\" decimals \",\" encoding \"windows-1252\"\n\
                             output brief to \"objects.json.zst\"");
    ran.code(0);
    let mut unpacked = String::new();
    let packed = std::fs::File::open(folder.path().join("packed.csv.gz")).unwrap();
    flate2::read::MultiGzDecoder::new(packed).read_to_string(&mut unpacked).unwrap();
    assert_eq!(unpacked, folder.read("plain.csv"));
    for other in ["packed.csv.gz", "packed.csv.zst", "objects.json.zst"] {
        folder.granum(&["compare", "plain.csv", other]).code(0).says("THE SAME: 3 rows.");
    }
    // A decimal comma is read as is said.
    folder.plan(
        "input brief from \"commas.csv\" delimiter \";\" encoding \"windows-1252\"\n  \
         read net as decimal \"1.234,555\"\n  grain order_no\n\noutput brief to \"back.csv\"\n",
    );
    folder.run().code(0);
    assert_eq!(folder.read("back.csv"), folder.read("plain.csv"));
}

#[test]
fn an_encoding_that_lacks_a_letter_leaves_all_as_it_was() {
    let folder = Folder::new();
    folder
        .file("t.csv", "k,name\n1,plain\n2,Łucja\n")
        .file("out.csv", "before\n")
        .plan("input t from \"t.csv\"\n\noutput t to \"out.csv\" encoding \"windows-1252\"\n");
    folder.run().code(3).complains("Ł");
    assert_eq!(folder.read("out.csv"), "before\n");
}

#[test]
fn options_that_cannot_be_are_refused() {
    let mut told = String::new();
    for output in [
        "output brief to \"a.json\" delimiter \";\"",
        "output brief to \"a.jsonl\" with mark",
        "output brief to \"a.csv\" delimiter \";;\"",
        "output brief to \"a.csv\" delimiter \",\" decimals \",\"",
        "output brief to \"a.csv\" decimals \"x\"",
        "output brief to \"a.csv\" encoding \"latin-99\"",
        "output brief to \"a.csv\" encoding \"windows-1252\" with mark",
        "output brief to \"a.csv.bz2\"",
    ] {
        let (folder, ran) = run(output);
        assert!([2, 3].contains(&ran.code), "{output}: {}", ran.err);
        assert_eq!(folder.names(), ["orders.jsonl", "p.granum"], "{output}");
        told.push_str(&format!("== {output} ({})\n{}\n", ran.code, ran.err));
    }
    insta::assert_snapshot!("options", told);
}

#[test]
fn json_that_is_no_table_is_told_with_its_line() {
    let mut told = String::new();
    let files = [
        ("a.jsonl", "{\"k\":1}\n{\"k\":1,\"k\":2}\n", ""),
        ("a.jsonl", "{\"k\":1}\n[1]\n", ""),
        ("a.jsonl", "{\"k\":1}\n{\"k\":tru}\n", ""),
        ("a.json", "[{\"k\":1},\n", ""),
        ("a.json", "[]", ""),
        ("a.json", "", ""),
        ("a.json", "{\"k\":\"\u{0}\"}", ""),
        ("a.json", "{\"k\":{\"a\":1},\"k.a\":2}", ""),
        ("a.jsonl", "{\"k\":1}", " delimiter \";\""),
        ("a.jsonl", "{\"k\":1}", " footer 1"),
        ("a.jsonl", "k\n1\n", ""),
    ];
    for (name, text, said) in files {
        let folder = Folder::new();
        let plan = format!("input t from \"{name}\"{said}\n\noutput t to \"out.csv\"\n");
        let ran = folder.file(name, text).plan(&plan).run().code(3);
        told.push_str(&format!("== {text:?}{said}\n{}\n", ran.err));
    }
    insta::assert_snapshot!("no_json", told);
}

#[test]
fn files_of_two_formats_are_two_inputs() {
    let folder = Folder::new();
    folder
        .file("a.jsonl", "{\"order_no\":\"M1\",\"net\":1.5,\"shop\":\"s\"}\n")
        .file("b.csv", "order_no,net,shop\nM2,2.25,s\n")
        .plan("input t from \"a.jsonl\", \"b.csv\"\n\noutput t to \"out.csv\"\n");
    folder.run().code(3).complains(
        "error: b.csv: is CSV, and a.jsonl of the same input is JSON\n  \
         name them as two inputs, and stack those in a table: from A, B\n",
    );
    // They are two tables for whoever looks at them.
    folder
        .granum(&["relate", "a.jsonl", "b.csv"])
        .code(0)
        .says("  a     1  order_no")
        .says("  b     1  order_no");
    folder.plan(
        "input a from \"a.jsonl\"\ninput b from \"b.csv\"\n\n\
         table t from a, b\n\noutput t to \"out.csv\"\n",
    );
    folder.run().code(0);
    assert_eq!(folder.read("out.csv"), "order_no,net,shop\nM1,1.50,s\nM2,2.25,s\n");
}

/// What is drafted for JSON runs, and finds the links that are there.
#[test]
fn a_draft_of_json_runs() {
    let folder = Folder::new();
    let mut lines = String::new();
    let mut orders = String::from("[");
    for order in 1..=40 {
        let comma = if order == 1 { "" } else { "," };
        orders.push_str(&format!(
            "{comma}\n{{\"order_no\":\"M{order:03}\",\"to\":{{\"city\":\"Lakeside\"}}}}"
        ));
        for line in 1..=3 {
            lines.push_str(&format!(
                "{{\"order_no\":\"M{order:03}\",\"line_no\":{line},\"net\":{order}.{line}0}}\n"
            ));
        }
    }
    orders.push_str("\n]\n");
    folder.file("orders.json", orders).file("lines.jsonl", lines);
    let drafted = folder.granum(&["draft", "orders.json", "lines.jsonl"]).code(0);
    folder.plan(&drafted.out);
    folder.run().code(0).says("lines → orders   120  100.00%");
    folder.granum(&["survey", "orders.json"]).code(0).says("JSON, UTF-8").says("to.city");
}

/// What a run changes is told column by column, however the output is written.
#[test]
fn changes_are_told_of_outputs_with_other_signs_and_letters() {
    for output in [
        "a.csv\" delimiter \";\" decimals \",\"",
        "a.tsv",
        "a.csv\" encoding \"UTF-16LE\" with mark",
        "a.jsonl",
    ] {
        let folder = Folder::new();
        let closed = if output.contains("\" ") { "" } else { "\"" };
        let plan = |net: &str| {
            format!(
                "input t from \"\"\"\n  k,net,note\n  A,{net},x\n  B,2.00,y\n  \"\"\"\n  grain k\n\noutput t to \"{output}{closed}\n"
            )
        };
        folder.plan(&plan("1.00")).run().code(0);
        folder.plan(&plan("1.50"));
        let told = folder.granum(&["run", "p.granum", "--changes", "--format", "json"]).code(0).out;
        let told: serde_json::Value = serde_json::from_str(&told).unwrap();
        let compared = &told["report"]["changes"][0]["compared"];
        let column = &compared["columns"][0];
        assert_eq!(compared["grain"], serde_json::json!(["k"]), "{output}: {compared}");
        assert_eq!((&column["name"], &column["changed"]), (&"net".into(), &1.into()), "{output}");
    }
}
