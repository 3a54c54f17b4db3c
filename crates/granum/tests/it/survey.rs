//! What is told of files before any plan.

use std::io::Write;
use std::process::Stdio;

use serde_json::Value;

use super::folder::{Folder, Ran};

/// The demo's files.
pub fn nursery() -> Folder {
    let folder = Folder::new();
    folder.granum(&["demo", ".", "--orders", "300", "--only-data", "-q"]).code(0);
    folder
}

fn snapshot(name: &str, text: &str) {
    insta::with_settings!({ omit_expression => true }, { insta::assert_snapshot!(name, text) });
}

/// The survey of one file.
fn surveyed(name: &str, content: impl AsRef<[u8]>) -> Ran {
    let folder = Folder::new();
    folder.file(name, content);
    folder.granum(&["survey", name]).code(0)
}

#[test]
fn the_demo_s_orders_as_they_came() {
    let ran = nursery().granum(&["survey", "data/orders_post.csv"]).code(0);
    snapshot("survey_orders", &ran.out);
}

#[test]
fn lines_with_their_copies_and_a_key_of_two_columns() {
    let ran = nursery().granum(&["survey", "data/lines.csv"]).code(0);
    snapshot("survey_lines", &ran.out);
}

#[test]
fn everything_that_can_be_odd() {
    let text = "Order No;Amount;Charge;When;Paid;Ref;Code;Note;Left;void\n\
                1;1.234,56;$ 1.50;01/02/2026;31/01/2026;007;8.71E+12; y ;1.000;\n\
                2;(12,00);\u{20ac} 2.00;03/04/2026;2026-02-01;7;871;n/a;2.500;\n\
                3;5,00-;$ 3.00;05/06/2026;13/02/2026;008;x;Y;3.125;\n\
                4;3,20;;07/08/2026;;8;12;a\u{a0}b;4.000;\n";
    snapshot("survey_odd", &surveyed("odd.csv", text).out);
}

#[test]
fn files_of_all_shapes() {
    let wide: Vec<String> = (0..300).map(|at| format!("column_{at}")).collect();
    let cells: Vec<String> = (0..300).map(|at| (at % 7).to_string()).collect();
    let wide = format!("{}\n{}\n{}\n", wide.join(","), cells.join(","), cells.join(","));
    let shapes = [
        ("none.csv", "a,b\n"),
        ("one.csv", "a,b\n1,x\n"),
        ("blank.csv", "a,b\n,\n,\n"),
        ("single.csv", "only\nx\ny\n\nz\n"),
    ];
    let mut out = String::new();
    for (name, content) in shapes {
        out.push_str(&surveyed(name, content).out);
    }
    snapshot("survey_shapes", &out);
    let ran = surveyed("wide.csv", wide);
    // Every column is there, and none of its lines is too long.
    assert!((0..300).all(|at| ran.out.contains(&format!("  column_{at} "))));
    assert!(ran.out.lines().all(|line| line.chars().count() <= 100));
    ran.says("1 row is an exact copy of another, letter for letter: line 3 of line 2");
}

#[test]
fn how_a_file_is_written_is_found() {
    let utf16: Vec<u8> =
        "\u{feff}a,b\n1,\u{fc}\n".encode_utf16().flat_map(u16::to_le_bytes).collect();
    let cases: [(&str, &[u8], &str); 6] = [
        ("plain.csv", b"a,b\n1,2\n", "UTF-8, fields by comma, lines by \\n\n"),
        ("semi.csv", b"a;b\r\n1,5;2\r\n", "UTF-8, fields by semicolon, lines by \\r\\n\n"),
        ("tab.tsv", b"a\tb\n1\t2\r\n", "fields by tab, lines by \\n and \\r\\n both\n"),
        ("latin.csv", b"name,town\nM\xfcller,K\xf6ln\n", "windows-1252, fields by comma"),
        ("wide.csv", &utf16, "UTF-16LE, fields by comma"),
        ("title.csv", b"Sales of June\n\nid,net\n1,2.50\n2,3.50\n", "header at line 3\n"),
    ];
    for (name, content, written) in cases {
        surveyed(name, content).says(written);
    }
}

#[test]
fn an_encoding_that_shows_further_down_is_found_too() {
    let mut text = b"id,name\n".to_vec();
    for id in 0..60_000 {
        writeln!(text, "{id},Orla").unwrap();
    }
    text.extend(b"60001,M\xfcller\n");
    surveyed("late.csv", &text).says("windows-1252").says("60,001 rows").says("M\u{fc}ller");
}

#[test]
fn what_is_said_of_a_file_is_not_guessed() {
    let folder = Folder::new();
    folder.file("t.csv", b"x\na;b\n1,5;\xe4\n");
    let ran = folder
        .granum(&[
            "survey",
            "t.csv",
            "--delimiter",
            ";",
            "--encoding",
            "iso-8859-15",
            "--header-at",
            "2",
        ])
        .code(0);
    ran.says("1 row, 2 columns").says("fields by semicolon").says("header at line 2");
    folder.granum(&["survey", "t.csv", "--delimiter", "ab"]).code(2).complains("one sign");
    folder
        .granum(&["survey", "t.csv", "--delimiter", "\n"])
        .code(2)
        .complains("cannot part fields");
    let ran = folder.granum(&["survey", "t.csv", "--encoding", "latin-9000"]).code(2);
    ran.complains("no encoding is called \"latin-9000\"");
}

#[test]
fn standard_input_and_packed_files_are_read() {
    let folder = Folder::new();
    let text = "id,net\n1,2.50\n2,3.50\n";
    let mut packed = flate2::write::GzEncoder::new(vec![], flate2::Compression::fast());
    packed.write_all(text.as_bytes()).unwrap();
    folder.file("t.csv.gz", packed.finish().unwrap());
    folder.file("t.csv.zst", crate::folder::zstandard(text.as_bytes()));
    for name in ["t.csv.gz", "t.csv.zst"] {
        folder.granum(&["survey", name]).code(0).says("2 rows, 2 columns").says("one row per id");
    }
    let mut child = folder
        .command(&["survey", "-"])
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .spawn()
        .unwrap();
    child.stdin.take().unwrap().write_all(text.as_bytes()).unwrap();
    let output = child.wait_with_output().unwrap();
    let out = String::from_utf8(output.stdout).unwrap();
    assert!(output.status.success() && out.contains("2 rows, 2 columns"), "{out}");
}

#[test]
fn a_file_that_cannot_be_read_is_told_and_the_others_are_shown() {
    let folder = Folder::new();
    folder.file("good.csv", "id\n1\n").file("bad.csv", "id,x\n1,2\n3\n").file("empty.csv", "");
    let names = ["survey", "bad.csv", "good.csv", "empty.csv", "nope.csv", "."];
    let ran = folder.granum(&names).code(3);
    ran.says("good.csv \u{b7} 1 row, 1 column")
        .complains("bad.csv line 3: this row has 1 field, and the header has 2")
        .complains("empty.csv: is empty")
        .complains("nope.csv: there is no such file")
        .complains(".: is a folder");
}

#[test]
fn the_document_has_what_the_text_shows() {
    let folder = nursery();
    let ran = folder.granum(&["survey", "data/orders_post.csv", "--format", "json"]).code(0);
    let told: Value = serde_json::from_str(&ran.out).unwrap();
    let survey = &told["surveys"][0];
    assert_eq!(survey["written"]["delimiter"], ",");
    let columns = survey["columns"].as_array().unwrap();
    let on = columns.iter().find(|column| column["name"] == "ordered_on").unwrap();
    assert_eq!(on["read"], "date \"%d/%m/%Y\"");
    assert_eq!(on["oddities"][0]["kind"], "date-format");
    assert_eq!(survey["duplicates"]["dedupe"], "dedupe by order_no keep latest sent_at");
    let ran = folder.granum(&["survey", "nope.csv", "--format", "json"]).code(3);
    let told: Value = serde_json::from_str(&ran.out).unwrap();
    assert_eq!(
        (&told["outcome"], &told["error"]["kind"]),
        (&"file-failed".into(), &"missing".into())
    );
}

#[test]
fn threads_change_nothing() {
    let folder = nursery();
    for command in ["survey", "relate", "draft"] {
        let files = ["data/lines.csv", "data/orders_shop.csv", "data/customers.csv"];
        let run = |threads: &str| {
            folder.granum(&[&[command, "--threads", threads][..], &files].concat()).code(0).out
        };
        assert_eq!(run("1"), run("4"), "{command}");
    }
}

#[test]
fn files_of_one_pattern_are_read_as_the_first_is_written() {
    let folder = Folder::new();
    folder.file("d/x.csv", "a;b\n1;2\n").file("d/y.csv", "a;b\n3;4\n");
    folder
        .granum(&["survey", "d/*.csv"])
        .code(0)
        .says("d/*.csv \u{b7} 2 rows, 2 columns \u{b7} UTF-8, fields by semicolon, lines by \\n\n");
}
