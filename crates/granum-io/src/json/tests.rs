//! What objects are taken for, and what is none.

use std::fs;

use granum_core::port::{Each, InputSource, InputSpec, ReadRequest, SourceError, Sources};
use granum_core::table::Place;
use proptest::prelude::*;

use super::cells::{Cell, Odd, cells, rows};
use super::objects::{Splitter, Wrong};
use crate::Files;

/// The objects of a text with their lines.
fn objects(text: &[u8]) -> Result<Vec<(String, u64)>, String> {
    let mut from = Splitter::new(text);
    let mut found = vec![];
    loop {
        match from.next_part() {
            Ok(None) => return Ok(found),
            Ok(Some(part)) => found.extend(part.each.iter().map(|(start, end, line)| {
                (String::from_utf8(part.text[*start..*end].to_vec()).unwrap(), *line)
            })),
            Err(Wrong::NoObject(line, sign)) => return Err(format!("{line}: {sign}")),
            Err(Wrong::Unended(line)) => return Err(format!("{line}: unended")),
            Err(other) => return Err(format!("{other:?}")),
        }
    }
}

#[test]
fn objects_come_one_behind_the_other_or_in_one_list() {
    let both = [("{\"a\":1}".to_owned(), 1), ("{\"a\":[2,{}]}".to_owned(), 2)];
    assert_eq!(objects(b"{\"a\":1}\n{\"a\":[2,{}]}").unwrap(), both);
    assert_eq!(objects(b"\xEF\xBB\xBF[{\"a\":1},\n{\"a\":[2,{}]} ]\n").unwrap(), both);
    assert_eq!(objects(b" {\"a\":\"}\\\"{\"} ").unwrap(), [("{\"a\":\"}\\\"{\"}".to_owned(), 1)]);
    assert_eq!(objects(b"").unwrap(), []);
    assert_eq!(objects(b"[]").unwrap(), []);
    let wrong = |text: &str| objects(text.as_bytes()).unwrap_err();
    assert_eq!(wrong("{}\n{}, {}"), "2: ,");
    assert_eq!(wrong("[{} {}]"), "1: {");
    assert_eq!(wrong("[{},,{}]"), "1: ,");
    assert_eq!(wrong("[{},]"), "1: ]");
    assert_eq!(wrong("[1]"), "1: 1");
    assert_eq!(wrong("order_no,net\n"), "1: o");
    assert_eq!(wrong("{}\n{\"a\": {\n"), "2: unended");
    assert_eq!(wrong("[{}\n,{}\n"), "3: unended");
}

#[test]
fn cells_are_named_by_their_paths() {
    let of = |text: &str| -> Result<Vec<(String, String)>, Odd> {
        let found = cells(text.as_bytes())?;
        Ok(found.into_iter().map(|cell| (cell.name, cell.text)).collect())
    };
    let named = |cells: &[(&str, &str)]| -> Vec<(String, String)> {
        cells.iter().map(|(name, cell)| ((*name).to_owned(), (*cell).to_owned())).collect()
    };
    assert_eq!(
        of(r#"{"no": 007.50e0, "to": {"name": "Ad\u00e4", "zip": null}, "tags": ["a", 1], "": true}"#)
            .unwrap_err(),
        Odd::NoJson("invalid number".into())
    );
    assert_eq!(
        of(r#"{"no": 1.50, "to": {"name": "Ad\u00e4", "zip": null}, "tags": ["a", 1], "": true}"#)
            .unwrap(),
        named(&[
            ("no", "1.50"),
            ("to.name", "Ad\u{e4}"),
            ("to.zip", ""),
            ("tags", "[\"a\", 1]"),
            ("", "true")
        ])
    );
    // All digits, whatever a number can hold.
    let long = "12345678901234567890123456789012345678.90";
    assert_eq!(of(&format!("{{\"a\":{long}}}")).unwrap(), named(&[("a", long)]));
    assert!(of(r#"{"a": tru}"#).is_err() && of(r#"{"a": 1 "b": 2}"#).is_err());
}

#[test]
fn objects_of_a_list_are_rows_with_what_stands_around_it() {
    let each = Each { list: "a.lines".into(), with: vec!["no".into(), "a.x".into()] };
    let of = |text: &str| {
        let texts = |row: Vec<Cell>| {
            let cell = |cell: Cell| format!("{}={}", cell.name, cell.text);
            row.into_iter().map(cell).collect::<Vec<_>>().join(" ")
        };
        let found = cells(text.as_bytes()).and_then(|outer| rows(outer, &each))?;
        Ok::<Vec<String>, Odd>(found.into_iter().map(texts).collect())
    };
    assert_eq!(
        of(r#"{"y": 1, "a": {"x": 2, "lines": [{"n": 1.0}, {"n": {"m": 2}}, {}]}, "no": "M1"}"#),
        Ok(vec![
            "no=M1 a.x=2 n=1.0".to_owned(),
            "no=M1 a.x=2 n.m=2".to_owned(),
            "no=M1 a.x=2".to_owned(),
        ])
    );
    // What is around and not there is blank, and is not taken from within.
    assert_eq!(of(r#"{"a": {"lines": [{"k": 1}]}}"#), Ok(vec!["no= a.x= k=1".to_owned()]));
    for nothing in [r#"{"no": 1}"#, r#"{"a": {"lines": null}}"#, r#"{"a": {"lines": []}}"#] {
        assert_eq!(of(nothing), Ok(vec![]), "{nothing}");
    }
    let no_list = Err(Odd::NoList("a.lines".into()));
    for one in
        [r#"{"a": {"lines": {"n": 1}}}"#, r#"{"a": {"lines": "[]"}}"#, r#"{"a": {"lines": 1}}"#]
    {
        assert_eq!(of(one), no_list, "{one}");
    }
    let no_object = Err(Odd::NoObject("a.lines".into()));
    assert_eq!(of(r#"{"a": {"lines": [{"n": 1}, 2]}}"#), no_object);
    assert_eq!(of(r#"{"a": {"lines": [[{"n": 1}]]}}"#), no_object);
    assert_eq!(of(r#"{"a": {"lines": [{"no": 1}]}}"#), Err(Odd::Twice("no".into())));
}

fn open(files: &[(&str, &str)]) -> Result<(tempfile::TempDir, Box<dyn InputSource>), SourceError> {
    let folder = tempfile::tempdir().unwrap();
    files.iter().for_each(|(name, text)| fs::write(folder.path().join(name), text).unwrap());
    let sources = files.iter().map(|(name, _)| (*name).to_owned()).collect();
    let source = Files::new(folder.path()).open(&InputSpec::of_files("t".into(), sources))?;
    Ok((folder, source))
}

#[test]
fn columns_are_all_keys_and_rows_know_their_lines() {
    let text = "{\"no\":\"M1\",\"net\":1.50}\n{\"no\":\"M2\",\"to\":{\"zip\":\"0\\n1\"}}\n\n{\"late\":true,\"net\":null,\"no\":\"\"}\n";
    let (_folder, source) = open(&[("a.jsonl", text), ("b.json", "[]")]).unwrap();
    let shape: Vec<(String, String)> =
        source.shape().columns.into_iter().map(|(name, ty)| (name, ty.to_string())).collect();
    let named = |name: &str, ty: &str| (name.to_owned(), ty.to_owned());
    assert_eq!(
        shape,
        [
            named("no", "text"),
            named("net", "decimal(2)"),
            named("to.zip", "text"),
            named("late", "boolean")
        ]
    );
    let mut reader = source.read(ReadRequest::default()).unwrap();
    let part = reader.next(1).unwrap().remove(0).parse().unwrap();
    let lines: Vec<u64> = (0..part.rows).map(|row| part.lines.line(row)).collect();
    assert_eq!(lines, [1, 2, 4]);
}

#[test]
fn what_is_no_row_is_told_with_its_line() {
    let wrong = |text: &str| match open(&[("a.jsonl", text)]) {
        Err(error) => error.to_string(),
        Ok(_) => panic!("{text} was read"),
    };
    assert_eq!(
        wrong("{\"a\":1}\n{\"a\":1,\"a\":2}\n"),
        "a.jsonl line 2: has an object with two values called `a`"
    );
    assert_eq!(
        wrong("{\"a.b\":1,\"a\":{\"b\":2}}"),
        "a.jsonl line 1: has an object with two values called `a.b`"
    );
    assert!(
        wrong("{\"a\":1}\n{\"a\" 1}")
            .starts_with("a.jsonl line 2: has an object that is no JSON: expected `:`")
    );
    assert_eq!(wrong("{\"a\":1}\n{\"a\":"), "a.jsonl line 2: ends before what begins here does");
    assert_eq!(wrong("{\"a\":1}x"), "a.jsonl line 1: has `x` where an object begins or ends");
    assert_eq!(wrong("[]\n"), "a.jsonl: has no objects, so nothing says which columns there are");
}

#[test]
fn a_bad_cell_has_the_line_of_its_object() {
    use granum_core::port::{InputColumn, ReadRule};
    let (_folder, source) =
        open(&[("a.json", "[\n{\"n\":\"x\\ny\",\"d\":1},\n{\"n\":\"z\",\"d\":\"soon\"}]")])
            .unwrap();
    let ty = granum_core::value::Type::Integer;
    let column = InputColumn { column: 1, ty, rule: Some(ReadRule::plain(ty)) };
    let request = ReadRequest { columns: vec![column], ..ReadRequest::default() };
    let mut reader = source.read(request).unwrap();
    let part = reader.next(1).unwrap().remove(0).parse().unwrap();
    assert_eq!(part.troubles[0].examples, [("soon".to_owned(), Place::line("a.json".into(), 3))]);
}

proptest! {
    #[test]
    fn any_bytes_are_objects_or_an_error(text in "[\\[\\]{}\",:\\\\a1 \n]{0,40}") {
        // Where a file is taken for objects, each of them is one, or is told.
        if let Ok(found) = objects(text.as_bytes()) {
            for (object, _) in found {
                let _ = cells(object.as_bytes());
            }
        }
    }
}
