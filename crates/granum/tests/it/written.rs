//! However a file is written, what is found of it reads it: survey and draft against the rows that
//! were written.

use std::io::Write;
use std::process::Stdio;

use proptest::prelude::*;
use serde_json::Value;

use super::folder::{Folder, Ran};

/// Runs a command with something on standard input.
fn with_input(folder: &Folder, args: &[&str], input: &[u8]) -> Ran {
    let mut command = folder.command(args);
    command.stdin(Stdio::piped()).stdout(Stdio::piped()).stderr(Stdio::piped());
    let mut child = command.spawn().unwrap();
    child.stdin.take().unwrap().write_all(input).unwrap();
    let output = child.wait_with_output().unwrap();
    Ran {
        code: output.status.code().unwrap(),
        out: String::from_utf8(output.stdout).unwrap(),
        err: String::from_utf8(output.stderr).unwrap(),
    }
}

fn gzip(bytes: &[u8]) -> Vec<u8> {
    let mut packed = flate2::write::GzEncoder::new(vec![], flate2::Compression::fast());
    packed.write_all(bytes).unwrap();
    packed.finish().unwrap()
}

/// How a file is written.
#[derive(Debug, Clone)]
struct Style {
    delimiter: char,
    encoding: &'static str,
    line_end: &'static str,
    packed: &'static str,
    /// Lines above the header.
    above: usize,
}

fn style() -> impl Strategy<Value = Style> {
    let delimiter = prop::sample::select(vec![',', ';', '\t', '|']);
    let encoding = prop::sample::select(vec!["UTF-8", "windows-1252", "UTF-16LE", "UTF-16BE"]);
    let line_end = prop::sample::select(vec!["\n", "\r\n"]);
    let packed = prop::sample::select(vec!["", ".gz", ".zst"]);
    (delimiter, encoding, line_end, packed, prop::sample::select(vec![0, 0, 2])).prop_map(
        |(delimiter, encoding, line_end, packed, above)| {
            // Lines above are only found where the sign between fields does not stand in them.
            Style { delimiter, encoding, line_end, packed, above }
        },
    )
}

impl Style {
    fn bytes(&self, rows: &[Vec<String>]) -> Vec<u8> {
        let mut text =
            format!("Sales{}Year 2026{}", self.line_end, self.line_end).repeat(self.above / 2);
        for row in rows {
            let cells = row.iter().map(|cell| {
                if cell.contains([self.delimiter, '"', '\n', '\r']) {
                    format!("\"{}\"", cell.replace('"', "\"\""))
                } else {
                    cell.clone()
                }
            });
            text.push_str(&cells.collect::<Vec<_>>().join(&self.delimiter.to_string()));
            text.push_str(self.line_end);
        }
        let bytes: Vec<u8> = match self.encoding {
            "UTF-8" => text.into_bytes(),
            "windows-1252" => text.chars().map(|letter| letter as u32 as u8).collect(),
            wide => {
                let units = format!("\u{feff}{text}");
                let pair = |unit: u16| {
                    if wide == "UTF-16LE" { unit.to_le_bytes() } else { unit.to_be_bytes() }
                };
                units.encode_utf16().flat_map(pair).collect()
            }
        };
        match self.packed {
            ".gz" => gzip(&bytes),
            ".zst" => crate::folder::zstandard(&bytes[..]),
            _ => bytes,
        }
    }
}

/// Rows of a key, a name, a remark and an amount. The name has a letter that tells encodings apart.
fn rows() -> impl Strategy<Value = Vec<Vec<String>>> {
    let row = ("[A-Z][a-z]{1,7}", "[a-z,;|\"\u{e4}\u{f6}]{0,6}( [a-z]{1,4})?", 0..9_999_u32);
    prop::collection::vec(row, 3..12).prop_map(|rows| {
        let mut all = vec![["order_no", "name", "remark", "net"].map(str::to_owned).to_vec()];
        for (at, (name, remark, cents)) in rows.into_iter().enumerate() {
            all.push(vec![
                format!("M{:04}", at + 1),
                format!("{name}\u{fc}"),
                remark,
                format!("{}.{:02}", cents / 100, cents % 100),
            ]);
        }
        all
    })
}

/// Rows as an output writes them.
fn as_output(rows: &[Vec<String>]) -> String {
    let style = Style { delimiter: ',', encoding: "UTF-8", line_end: "\n", packed: "", above: 0 };
    String::from_utf8(style.bytes(rows)).unwrap()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]

    #[test]
    fn what_is_drafted_for_a_file_of_any_style_reads_its_rows(rows in rows(), style in style()) {
        let folder = Folder::new();
        let name = format!("t.csv{}", style.packed);
        folder.file(&name, style.bytes(&rows));
        let ran = folder.granum(&["survey", &name, "--format", "json"]).code(0);
        let told: Value = serde_json::from_str(&ran.out).unwrap();
        let survey = &told["surveys"][0];
        prop_assert_eq!(survey["rows"].as_u64(), Some(rows.len() as u64 - 1));
        let written = &survey["written"];
        prop_assert_eq!(&written["delimiter"], &Value::from(style.delimiter.to_string()));
        prop_assert_eq!(written["encoding"].as_str(), Some(style.encoding));
        let header_at = written["header_at"].as_u64().unwrap_or(1);
        prop_assert_eq!(header_at, style.above as u64 + 1);
        let ran = folder.granum(&["draft", &name]).code(0);
        folder.plan(&ran.out).run().code(0);
        let output = folder.names().into_iter().find(|name| name.starts_with("out/")).unwrap();
        prop_assert_eq!(folder.read(&output), as_output(&rows));
    }

    #[test]
    fn numbers_of_any_style_are_read_as_survey_proposes(
        cents in prop::collection::vec(-9_999_999_i64..9_999_999, 4..12),
        style in 0..5_usize,
    ) {
        // A few that leave no doubt how the others are meant.
        let cents = [cents, vec![-123_456_789, 5]].concat();
        let folder = Folder::new();
        let write = |cents: i64| {
            let (whole, part) = (cents.abs() / 100, cents.abs() % 100);
            let grouped = |sign: &str| {
                let digits = whole.to_string();
                let parts = digits.as_bytes().rchunks(3).rev();
                let parts: Vec<&str> = parts.map(|p| std::str::from_utf8(p).unwrap()).collect();
                parts.join(sign)
            };
            let number = match style {
                0 => format!("{}.{part:02}", grouped(",")),
                1 => format!("{},{part:02}", grouped(".")),
                2 => format!("{},{part:02}", grouped("\u{a0}")),
                3 => format!("$ {}.{part:02}", grouped(",")),
                _ => format!("{whole},{part:02}"),
            };
            match (cents < 0, style) {
                (false, _) => number,
                (true, 1) => format!("({number})"),
                (true, 4) => format!("{number}-"),
                (true, _) => format!("-{number}"),
            }
        };
        let mut text = String::from("id\tnet\n");
        let mut plain = String::from("id,net\n");
        for (at, cents) in cents.iter().enumerate() {
            text.push_str(&format!("K{at}\t{}\n", write(*cents)));
            let sign = if *cents < 0 { "-" } else { "" };
            plain.push_str(&format!("K{at},{sign}{}.{:02}\n", cents.abs() / 100, cents.abs() % 100));
        }
        folder.file("t.tsv", text);
        let ran = folder.granum(&["draft", "t.tsv"]).code(0);
        folder.plan(&ran.out).run().code(0);
        prop_assert_eq!(folder.read("out/t_joined.csv"), plain, "{}", ran.out);
    }

    #[test]
    fn days_of_any_format_are_read_as_survey_proposes(
        days in prop::collection::vec((1..29_u8, 1..13_u8, 2020..2030_u16), 3..12),
        format in 0..5_usize,
    ) {
        // A day above twelve, so that there is no doubt.
        let days = [days, vec![(28, 2, 2026)]].concat();
        let (mut text, mut plain) = (String::from("id;day\n"), String::from("id,day\n"));
        for (at, (day, month, year)) in days.iter().enumerate() {
            let written = match format {
                0 => format!("{day:02}/{month:02}/{year}"),
                1 => format!("{month:02}/{day:02}/{year}"),
                2 => format!("{day:02}.{month:02}.{year}"),
                3 => format!("{year}{month:02}{day:02}"),
                _ => format!("{day:02}-{month:02}-{year}"),
            };
            text.push_str(&format!("K{at};{written}\n"));
            plain.push_str(&format!("K{at},{year}-{month:02}-{day:02}\n"));
        }
        let folder = Folder::new();
        folder.file("t.csv", text);
        let ran = folder.granum(&["draft", "t.csv"]).code(0);
        folder.plan(&ran.out).run().code(0);
        prop_assert_eq!(folder.read("out/t_joined.csv"), plain, "{}", ran.out);
    }
}

#[test]
fn standard_input_is_read_once_for_all_that_ask_for_it() {
    let folder = Folder::new();
    let text = b"id,name\n1,M\xfcller\n2,Sandner\n";
    for input in [text.to_vec(), gzip(text), crate::folder::zstandard(&text[..])] {
        with_input(&folder, &["survey", "-"], &input)
            .code(0)
            .says("windows-1252")
            .says("one row per id");
    }
    let ran = with_input(&folder, &["draft", "-"], text).code(0);
    ran.says("input data from \"-\" encoding \"windows-1252\"");
    with_input(&folder, &["match", "-", "-", "--on", "id"], text).code(0).says("a look-up is safe");
    folder.plan(
        "input a from \"-\" encoding \"windows-1252\"\n  grain id\n\
         input b from \"-\" encoding \"windows-1252\"\n  grain id\nlink a to b on id complete\n",
    );
    with_input(&folder, &["check", "p.granum"], text).code(0).says("HELD: 1 link");
    let ran = with_input(&folder, &["survey", "-"], b"a,b\n1\n").code(3);
    ran.complains("standard input line 2: this row has 1 field, and the header has 2");
    let ran = with_input(&folder, &["draft", "-"], b"").code(3);
    ran.complains("standard input: is empty");
}

#[test]
fn standard_input_is_kept_for_those_who_ask_for_it_again() {
    let folder = Folder::new();
    let text = "x".repeat(2_000);
    let row = |row: u32| format!("{row},{text}\n");
    let input = "k,v\n".to_owned() + &(1..=8_000).map(row).collect::<String>();
    folder.file("t.csv", &input);
    let plan = |source: &str| {
        format!(
            "input t from \"{source}\"\n  read k as integer\n       v as text\n  grain k\n\
             table u from t\n  one row in all\n    n = rows()\n    least = min(k)\n    total = sum(k)\n\
             check: rows(t) = 8000\noutput u to \"u.csv\"\n"
        )
    };
    folder.plan(&plan("-"));
    for more in [&[][..], &["--record", "r.json"], &["--changes"], &["--report", "p.html"]] {
        let args = [&["run", "p.granum"], more].concat();
        with_input(&folder, &args, input.as_bytes()).code(0);
        assert_eq!(folder.read("u.csv"), "n,least,total\n8000,1,32004000\n", "{more:?}");
    }
    let record: Value = serde_json::from_str(&folder.read("r.json")).unwrap();
    folder.file("q.granum", plan("t.csv"));
    folder.granum(&["run", "q.granum", "--record", "s.json"]).code(0);
    let other: Value = serde_json::from_str(&folder.read("s.json")).unwrap();
    assert_eq!(record["inputs"][0]["sha256"], other["inputs"][0]["sha256"]);
}
