//! Files as they are met in life: what is read all the same, and what is refused with its place.

use std::io::Write;
use std::process::Stdio;

use super::folder::Folder;

const PLAN: &str = "input t from \"t.csv\"\ntable o from t\noutput o to \"o.csv\"\n";

/// What is written from a file that is read all the same.
fn read(csv: impl AsRef<[u8]>) -> String {
    let folder = Folder::new();
    folder.file("t.csv", csv).plan(PLAN);
    folder.run().code(0);
    folder.read("o.csv")
}

/// What is said of a file that is refused; nothing is written.
fn refused(csv: impl AsRef<[u8]>) -> String {
    let folder = Folder::new();
    folder.file("t.csv", csv).plan(PLAN);
    let ran = folder.run().code(3);
    assert_eq!(folder.names(), ["p.granum", "t.csv"]);
    assert_eq!(ran.out, "");
    ran.err
}

#[test]
fn quoted_fields_hold_delimiters_quotes_and_line_ends() {
    let csv = "a,b\n\"x, y\",\"say \"\"hi\"\"\"\n\"two\nlines\",z\n";
    assert_eq!(read(csv), csv);
}

#[test]
fn carriage_returns_and_a_byte_order_mark_are_no_part_of_the_data() {
    assert_eq!(read("\u{feff}a,b\r\n1,x\r\n2,\"y\"\r\n"), "a,b\n1,x\n2,y\n");
}

#[test]
fn empty_lines_are_no_rows_and_the_last_line_needs_no_end() {
    assert_eq!(read("\n\na,b\n\n1,x\n\r\n2,y"), "a,b\n1,x\n2,y\n");
}

#[test]
fn a_quote_within_an_unquoted_field_is_a_sign_like_any_other() {
    assert_eq!(read("a,b\n5\" pot,x\n"), "a,b\n\"5\"\" pot\",x\n");
}

#[test]
fn quoted_empty_cells_are_blank() {
    assert_eq!(read("a,b\n\"\",x\n"), "a,b\n,x\n");
}

#[test]
fn a_column_without_a_name_gets_one() {
    assert_eq!(read("a,,\n1,2,3\n"), "a,column_2,column_3\n1,2,3\n");
}

#[test]
fn other_delimiters_are_said() {
    let folder = Folder::new();
    folder.file("s.csv", "a;b\n1;x,y\n").file("t.csv", "a\tb\n2\tz\n").plan(
        "input s from \"s.csv\" delimiter \";\"\ninput t from \"t.csv\" delimiter \"\\t\"\n\
             table o from s\ntable p from t\noutput o to \"o.csv\"\noutput p to \"p.csv\"\n",
    );
    folder.run().code(0);
    assert_eq!(folder.read("o.csv"), "a,b\n1,\"x,y\"\n");
    assert_eq!(folder.read("p.csv"), "a,b\n2,z\n");
}

#[test]
fn lines_are_right_after_empty_lines_and_line_ends_in_fields() {
    let folder = Folder::new();
    folder
        .file("t.csv", "a,n\n\n\"x\ny\",1\n\nz,oops\n")
        .plan("input t from \"t.csv\"\n  read n as integer\n");
    folder.run().code(1).says("\"oops\"   (t.csv line 6)");
}

#[test]
fn a_quote_that_is_never_closed_is_refused_where_it_opens() {
    assert_eq!(
        refused("a,b\n1,x\n2,\"y\n3,z\n"),
        "error: t.csv line 3: a quote is opened here and never closed\n  \
         close it, or double it if it is part of the text\n"
    );
}

#[test]
fn text_after_a_closing_quote_is_refused() {
    assert_eq!(
        refused("a,b\n1,\"x\"y\n"),
        "error: t.csv line 2: text follows a closing quote\n  \
         a quote within a quoted field is written twice\n"
    );
}

#[test]
fn rows_of_the_wrong_length_are_refused() {
    assert_eq!(
        refused("a,b\n1,x\n2\n"),
        "error: t.csv line 3: this row has 1 field, and the header has 2: 2\n  \
         the row is cut off, or its fields have another delimiter\n"
    );
    assert_eq!(
        refused("a,b\n1,x,y\n"),
        "error: t.csv line 2: this row has 3 fields, and the header has 2: 1 | x | y\n  \
         a delimiter within a field needs quotes around the field\n"
    );
    let ended = "error: t.csv line 2: this row has 3 fields, and the header has 2: 1 | x | \n  a \
                 delimiter stands at the row's end; where every row has one, put one behind the \
                 header too\n";
    let csv = "a,b\n1,x,\n2,y,\n";
    assert_eq!(refused(csv), ended);
    let folder = Folder::new();
    folder.file("t.csv", csv);
    let surveyed = folder.granum(&["survey", "t.csv"]).code(3);
    assert_eq!(surveyed.err, ended);
    assert_eq!(read("a,b,\n1,x,\n2,y,\n"), "a,b,column_3\n1,x,\n2,y,\n");
}

#[test]
fn a_column_without_a_name_gets_one_that_is_free() {
    assert_eq!(read("k,,column_2\n1,2,3\n"), "k,column_3,column_2\n1,2,3\n");
}

#[test]
fn what_is_not_utf8_is_refused_with_its_line() {
    assert_eq!(
        refused(b"a,b\n1,x\n2,caf\xe9\n"),
        "error: t.csv line 3: is not UTF-8: byte 0xe9 does not belong there\n  \
         say how it is written, often  encoding \"windows-1252\"  (or save it as UTF-8)\n"
    );
    assert_eq!(
        refused(b"caf\xe9,b\n1,x\n"),
        "error: t.csv line 1: is not UTF-8: byte 0xe9 in the header\n  \
         say how it is written, often  encoding \"windows-1252\"  (or save it as UTF-8)\n"
    );
}

#[test]
fn headers_that_cannot_be_are_refused() {
    assert_eq!(
        refused("a,b,a\n1,2,3\n"),
        "error: t.csv line 1: has two columns called `a`\n  give each column a name of its own\n"
    );
    assert_eq!(
        refused("\"a\"x,b\n"),
        "error: t.csv line 1: the header has a quote that is not closed, or text after one\n  \
         look for a quote at the beginning of a column's name\n"
    );
    assert_eq!(
        refused("\"a,b\n1,2\n"),
        "error: t.csv line 1: the header has a quote that is not closed, or text after one\n  \
         look for a quote at the beginning of a column's name\n"
    );
    assert_eq!(
        refused("\n\r\n\n"),
        "error: t.csv line 1: has only empty lines: there is no header\n  \
         ask for the file again, or leave it out of the plan\n"
    );
    assert_eq!(
        refused("a,b\r1,2\r"),
        "error: t.csv line 1: has lines that end in a carriage return alone\n  \
         save it with line feeds, as every system does today\n"
    );
}

#[test]
fn a_file_of_no_bytes_is_refused() {
    assert_eq!(
        refused(""),
        "error: t.csv: is empty: it has not even a header\n  \
         ask for the file again, or leave it out of the plan\n"
    );
}

#[test]
fn what_is_no_file_is_refused() {
    let folder = Folder::new();
    folder.plan(PLAN);
    folder.run().code(3).complains(
        "error: t.csv: there is no such file\n  paths are relative to the plan's folder\n",
    );
    // Of several that cannot be opened the plan's first is told.
    let both = format!("{PLAN}input u from \"u.csv\"\n");
    folder.plan(&both.replace("t.csv", "z.csv"));
    folder.run().code(3).complains("error: z.csv: there is no such file\n");
    folder.plan(PLAN);
    folder.file("t.csv/inner.txt", "");
    folder.run().code(3).complains("error: t.csv: is a folder, not a file\n  name a file in it\n");
    folder.plan("input t from \"x/*.csv\"\n");
    folder.run().code(3).complains(
        "error: x/*.csv: no file is found by this pattern\n  \
         paths are relative to the plan's folder\n",
    );
}

#[test]
fn files_of_one_input_have_the_same_columns_or_it_says_so() {
    let folder = Folder::new();
    folder
        .file("a.csv", "k,n\n1,2\n")
        .file("b.csv", "k\n1\n")
        .plan("input t from \"a.csv\", \"b.csv\"\n");
    folder.run().code(3).complains(
        "error: b.csv: has no column `n`, which another file of the same input has\n  \
         say  filling blanks  after the files if that is as it should be\n",
    );
}

#[test]
fn a_file_that_is_named_twice_is_refused() {
    let folder = Folder::new();
    folder.file("a.csv", "k\n1\n").plan("input t from \"a.csv\", \"*.csv\"\n");
    folder.run().code(3).complains(
        "error: a.csv: is named twice for one input, so all its rows would be doubled\n  \
         name it once; a pattern may find it a second time\n",
    );
}

#[test]
fn a_record_that_does_not_end_is_not_read_for_ever() {
    // A quote opens in the second row, and the file goes on beyond what is read at once.
    let mut csv = String::from("a,b\n\"1,x\n");
    for row in 0..200_000 {
        csv.push_str(&format!("{row},some text\n"));
    }
    let err = refused(csv);
    assert!(err.contains("t.csv line 2: a quote is opened here and never closed"), "{err}");
}

#[test]
fn errors_far_into_a_file_have_their_line() {
    let mut csv = String::from("a,b\n");
    for row in 0..300_000 {
        csv.push_str(&format!("{row},text\n"));
    }
    csv.push_str("300000\n");
    let err = refused(csv);
    assert!(err.contains("t.csv line 300002: this row has 1 field"), "{err}");
}

#[test]
fn a_pipe_that_closes_is_no_error() {
    let folder = Folder::new();
    let mut csv = String::from("a,b\n");
    for row in 0..50_000 {
        csv.push_str(&format!("{row},text that fills a pipe\n"));
    }
    folder.file("t.csv", csv).plan(PLAN);
    let args = ["show", "p.granum", "t", "--rows", "50000"];
    let mut child =
        folder.command(&args).stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap();
    drop(child.stdout.take());
    let ended = child.wait_with_output().unwrap();
    assert_eq!(ended.status.code(), Some(0), "{}", String::from_utf8_lossy(&ended.stderr));
    assert_eq!(String::from_utf8_lossy(&ended.stderr), "");
}

#[test]
fn wide_and_narrow_files_are_read() {
    let header: Vec<String> = (0..300).map(|at| format!("c{at}")).collect();
    let row: Vec<String> = (0..300).map(|at| at.to_string()).collect();
    let csv = format!("{}\n{}\n", header.join(","), row.join(","));
    assert_eq!(read(&csv), csv);
    assert_eq!(read("one\n1\n\"\"\n3\n"), "one\n1\n\"\"\n3\n");
}

/// The same text as it is met: packed, and in other encodings.
fn as_met(text: &str) -> Vec<(&'static str, &'static str, Vec<u8>)> {
    let utf16 = |mark: [u8; 2], bytes: fn(u16) -> [u8; 2]| -> Vec<u8> {
        mark.into_iter().chain(text.encode_utf16().flat_map(bytes)).collect()
    };
    let mut gzip = flate2::write::GzEncoder::new(vec![], flate2::Compression::default());
    gzip.write_all(text.as_bytes()).unwrap();
    let gzip = gzip.finish().unwrap();
    let zstandard = crate::folder::zstandard(text.as_bytes());
    let mut both = flate2::write::GzEncoder::new(vec![], flate2::Compression::default());
    both.write_all(&utf16([0xFF, 0xFE], u16::to_le_bytes)).unwrap();
    let latin: Vec<u8> = text.chars().map(|letter| u8::try_from(letter).unwrap()).collect();
    vec![
        ("t.csv", "", text.as_bytes().to_vec()),
        ("t.csv", "encoding \"UTF-8\"", text.as_bytes().to_vec()),
        ("t.csv", "encoding \"windows-1252\"", latin),
        ("t.csv", "", utf16([0xFF, 0xFE], u16::to_le_bytes)),
        ("t.csv", "", utf16([0xFE, 0xFF], u16::to_be_bytes)),
        ("t.csv", "encoding \"utf-16le\"", utf16([0xFF, 0xFE], u16::to_le_bytes)),
        ("t.csv", "", gzip.clone()),
        ("t.csv", "", zstandard.clone()),
        ("t.csv.gz", "", gzip),
        ("t.csv.gz", "", both.finish().unwrap()),
        ("t.csv.zst", "", zstandard),
    ]
}

#[test]
fn packed_files_and_other_encodings_are_read_as_the_text_they_hold() {
    // More than the sample that types are found from, and than one part.
    let rows: String = (0..60_000)
        .map(|row| format!("Gärtner {row},\"é,{}\"\n", row % 7))
        .chain(["last,\"two\nlines\"\n".to_owned()])
        .collect();
    let text = format!("k,v\n{rows}");
    for (name, options, bytes) in as_met(&text) {
        let folder = Folder::new();
        folder.file(name, bytes).plan(&format!(
            "input t from \"{name}\" {options}\n  grain k\ntable o from t\noutput o to \"o.csv\"\n"
        ));
        folder.run().code(0);
        assert!(folder.read("o.csv") == text, "{name} {options}");
    }
}

#[test]
fn bytes_that_do_not_belong_to_an_encoding_are_refused_with_their_line() {
    let folder = Folder::new();
    let mut bytes: Vec<u8> = vec![0xFF, 0xFE];
    let text = format!("k\n{}", "é\n".repeat(40_000));
    bytes.extend(text.encode_utf16().flat_map(u16::to_le_bytes));
    // Half of a letter that needs two.
    bytes.extend([0x00, 0xD8, b'\n', 0]);
    folder.file("t.csv", &bytes).plan(PLAN);
    folder.run().code(3).complains(
        "error: t.csv line 40002: is not UTF-16LE\n  say the encoding that it has:  encoding \"…\"\n",
    );
    folder.file("t.csv", b"k\n\x81\n").plan("input t from \"t.csv\" encoding \"gbk\"\n");
    folder.run().code(3).complains("error: t.csv line 2: is not GBK\n");
}

#[test]
fn an_encoding_that_nobody_knows_is_a_mistake_of_the_plan() {
    let folder = Folder::new();
    folder.file("t.csv", "k\n").plan("input t from \"t.csv\" encoding \"latin-99\"\n");
    folder
        .run()
        .code(2)
        .complains("error[unknown-name]: no encoding is called \"latin-99\"\n")
        .complains("1 │ input t from \"t.csv\" encoding \"latin-99\"\n")
        .complains("for example \"windows-1252\"");
}

#[test]
fn packed_files_that_are_damaged_are_refused() {
    let folder = Folder::new();
    let rows: Vec<String> = (0..50_000).map(|row| row.to_string()).collect();
    let text = format!("k\n{}\n", rows.join("\n"));
    for (name, _, bytes) in as_met(&text) {
        if name == "t.csv" {
            continue;
        }
        let plan = format!("input t from \"{name}\"\n");
        folder.file(name, &bytes[..bytes.len() / 2]).plan(&plan);
        let cut = folder.run().code(3);
        assert!(
            cut.err.starts_with(&format!("error: {name}: cannot be unpacked: ")),
            "{}",
            cut.err
        );
        assert!(
            cut.err.ends_with("  ask for the file again: it is cut off, or was never packed\n")
        );
        folder.file(name, "k\n1\n");
        folder.run().code(3).complains("cannot be unpacked");
    }
}

#[test]
fn lines_above_a_header_are_passed_over() {
    let folder = Folder::new();
    let plan =
        |line: u64| format!("input t from \"t.csv\" header at {line}\n  read n as integer\n");
    folder.file("t.csv", "\u{feff}Report of \"June\r\nby hand\r\n\r\nk,n\r\nA,1\r\nB,x\r\n");
    // Lines keep their numbers.
    folder.plan(&plan(4));
    folder.run().code(1).says("t.csv line 6");
    folder.file("t.csv", "Report\n\n\nk,n\nA,1\n").plan(&plan(2));
    folder.granum(&["show", "p.granum", "t"]).code(0).says("  k  n\n  A  1\n");
    folder.plan(&plan(6));
    folder.run().code(3).complains(
        "error: t.csv: has no line 6, where its header is said to be\n  \
         look where the header is, or leave  header at  out\n",
    );
    folder.file("t.csv", "\u{feff}").plan("input t from \"t.csv\"\n");
    folder.run().code(3).complains("error: t.csv: is empty: it has not even a header");
    for wrong in ["0", "x", "1.5", "-1"] {
        folder.plan(&format!("input t from \"t.csv\" header at {wrong}\n"));
        folder.run().code(2).complains("expected a line's number: 1, 2, 3 and so on, found ");
    }
}
