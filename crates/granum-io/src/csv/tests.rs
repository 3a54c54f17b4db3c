//! The scanner and the splitter against slow twins and the usual library.

use granum_core::port::{
    Encoded, InputColumn, InputSource, InputSpec, RawPart, ReadRequest, ReadRule, SourceErrorKind,
    Style,
};
use granum_core::table::{Column, Lines};
use granum_core::value::Type;
use proptest::prelude::*;

use super::lines::{Desk, bytes_of};
use super::part::{CsvPart, Layout, cell};
use super::quotes::write_text;
use super::scan::last_record_end;
use super::signs::PLAIN;
use super::*;
use crate::find::FoundFile;
use crate::format::Writer;

/// A line with nothing in it but its end.
fn is_empty_line(record: &str) -> bool {
    let line = record.strip_suffix('\n').unwrap_or(record);
    line.strip_suffix('\r').unwrap_or(line).is_empty()
}

/// All records by the scanner, empty lines left out.
fn scanned(text: &str, delimiter: u8) -> Result<Vec<Vec<String>>, Fault> {
    let mut scanner = Scanner::new(text.as_bytes(), delimiter);
    let mut fields = vec![];
    let mut records = vec![];
    let mut start = 0;
    while scanner.next(&mut fields)? {
        let end = scanner.position();
        if !is_empty_line(&text[start..end]) {
            records.push(fields.iter().map(|field| cell(text, *field).into_owned()).collect());
        }
        assert!(end > start, "the scanner stands still");
        start = end;
    }
    Ok(records)
}

/// All records by the usual library, which passes over empty lines itself.
fn usual(text: &str, delimiter: u8) -> Vec<Vec<String>> {
    let mut reader = csv::ReaderBuilder::new()
        .has_headers(false)
        .flexible(true)
        .delimiter(delimiter)
        .from_reader(text.as_bytes());
    reader.records().map(|record| record.unwrap().iter().map(str::to_owned).collect()).collect()
}

/// A field as it may stand in a file: what it holds, and how it is written.
fn field() -> impl Strategy<Value = String> {
    prop_oneof![
        3 => "[a-z0-9 .é]{0,5}",
        1 => "[a-z]{1,2}\"[a-z]{0,2}",
        2 => "[a-z,;\"\n\r ]{0,6}".prop_map(|text| format!("\"{}\"", text.replace('"', "\"\""))),
    ]
}

/// A file without faults. A carriage return alone ends no line here, so none stands outside quotes.
fn file() -> impl Strategy<Value = String> {
    let line =
        (prop::collection::vec(field(), 1..5), prop::sample::select(vec!["\n", "\r\n", "\n\n"]));
    (prop::collection::vec(line, 0..12), any::<bool>()).prop_map(|(lines, ended)| {
        let mut text = String::new();
        for (fields, end) in lines {
            text.push_str(&fields.join(","));
            text.push_str(end);
        }
        if !ended {
            text.truncate(text.trim_end_matches(['\n', '\r']).len());
        }
        text
    })
}

/// Bytes with many quotes, delimiters and line ends.
fn jumble() -> impl Strategy<Value = String> {
    "[ab,\"\n\r]{0,40}"
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(2000))]

    #[test]
    fn files_without_faults_are_read_as_the_usual_library_does(text in file()) {
        prop_assert_eq!(scanned(&text, b',').unwrap(), usual(&text, b','));
    }

    #[test]
    fn what_has_no_fault_is_the_same_in_parts_of_any_size(text in jumble(), part in 1_usize..20) {
        let Ok(whole) = scanned(&text, b',') else { return Ok(()) };
        let mut splitter = Splitter::new(text.as_bytes(), b',', part);
        let mut records = vec![];
        let mut joined = vec![];
        while let Some(piece) = splitter.next_part().unwrap() {
            records.extend(scanned(std::str::from_utf8(&piece).unwrap(), b',').unwrap());
            joined.extend(piece);
        }
        prop_assert_eq!(joined, text.as_bytes());
        prop_assert_eq!(records, whole);
    }

    #[test]
    fn the_first_fault_is_found_in_parts_too(text in jumble(), part in 1_usize..20) {
        let Err(fault) = scanned(&text, b',') else { return Ok(()) };
        let mut splitter = Splitter::new(text.as_bytes(), b',', part);
        let mut found = None;
        let mut before = 0;
        while let Some(piece) = splitter.next_part().unwrap() {
            if let Err(fault) = scanned(std::str::from_utf8(&piece).unwrap(), b',') {
                found = Some(match fault {
                    Fault::OpenQuote(at) => Fault::OpenQuote(before + at),
                    Fault::AfterQuote(at) => Fault::AfterQuote(before + at),
                });
                break;
            }
            before += piece.len();
        }
        prop_assert_eq!(found, Some(fault));
    }

    #[test]
    fn a_part_ends_where_a_record_does(text in jumble()) {
        if let Some(end) = last_record_end(text.as_bytes(), b',')
            && scanned(&text, b',').is_ok()
        {
            let (first, rest) = text.split_at(end);
            let mut both = scanned(first, b',').unwrap();
            both.extend(scanned(rest, b',').unwrap());
            prop_assert_eq!(both, scanned(&text, b',').unwrap());
        }
    }

    #[test]
    fn what_is_written_is_read_again(
        rows in prop::collection::vec(prop::collection::vec("[a-c,\"\n\r é]{0,4}", 3), 0..8)
    ) {
        let column = |at: usize| {
            let cells = rows.iter().map(|row| Some(row[at].clone()).filter(|cell| !cell.is_empty()));
            Column::Text(cells.collect())
        };
        let columns: Vec<Column> = (0..3).map(column).collect();
        let text = String::from_utf8(bytes_of(&columns, rows.len(), PLAIN)).unwrap();
        prop_assert_eq!(scanned(&text, b',').unwrap(), rows);
    }

    #[test]
    fn lines_are_those_that_the_records_begin_on(text in file()) {
        // By a delimiter that no field has, every record is one field; text behind a quote is a
        // fault then, and such files are left out.
        let Ok(records) = scanned(&text, 1) else { return Ok(()) };
        let mut part = part_of(&text, 1);
        let request = part.layout.request.clone();
        part.layout = std::sync::Arc::new(Layout { delimiter: 1, request });
        let parsed = RawPart::parse(&part).unwrap();
        prop_assert_eq!(parsed.rows, records.len());
        let mut scanner = Scanner::new(text.as_bytes(), 1);
        let (mut row, mut start) = (0, 0);
        while scanner.next(&mut vec![]).unwrap() {
            let record = &text[start..scanner.position()];
            if !is_empty_line(record) {
                let line = 7 + text[..start].matches('\n').count() as u64;
                prop_assert_eq!(parsed.lines.line(row), line);
                row += 1;
            }
            start = scanner.position();
        }
        prop_assert_eq!(row, parsed.rows);
    }
}

/// Rows of three cells each, quoted or not, long enough that some reach over 64 bytes.
fn rows_of_three() -> impl Strategy<Value = (Vec<Vec<String>>, String)> {
    let cell = prop_oneof![3 => "[a-z0-9.é ]{0,9}", 1 => "[a-c,\"\n\r]{0,4}", 1 => "[a-z]{40,70}"];
    let row = (prop::collection::vec((cell, any::<bool>()), 3), 0_usize..6);
    prop::collection::vec(row, 0..30).prop_map(|rows| {
        let mut text = String::new();
        for (cells, end) in &rows {
            for (at, (cell, quoted)) in cells.iter().enumerate() {
                text.push_str(if at > 0 { "," } else { "" });
                if *quoted || cell.contains([',', '"', '\n', '\r']) {
                    text.push_str(&format!("\"{}\"", cell.replace('"', "\"\"")));
                } else {
                    text.push_str(cell);
                }
            }
            text.push_str(["\n", "\n", "\n", "\r\n", "\n\n", "\r\n\r\n"][*end]);
        }
        let cells = |(cells, _): (Vec<(String, bool)>, usize)| {
            cells.into_iter().map(|(cell, _)| cell).collect()
        };
        (rows.into_iter().map(cells).collect(), text)
    })
}

/// All columns of a part as texts, blanks as nothing.
fn parsed(part: &CsvPart) -> Result<Vec<Vec<String>>, granum_core::port::SourceError> {
    let parsed = RawPart::parse(part)?;
    let cell = |column: &Column, row| match column.scalar(row) {
        granum_core::value::Scalar::Text(text) => text,
        _ => String::new(),
    };
    let row = |row| parsed.columns.iter().map(|column| cell(column, row)).collect();
    Ok((0..parsed.rows).map(row).collect())
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(1000))]

    #[test]
    fn plain_rows_and_others_come_out_as_they_were_put_in((rows, text) in rows_of_three()) {
        prop_assert_eq!(parsed(&part_of(&text, 3)).unwrap(), rows);
    }

    #[test]
    fn what_is_taken_by_the_block_is_what_the_scanner_finds(
        text in "([ab\"]{0,3},){0,2}[ab,\"\n\r]{0,60}", width in 1_usize..4
    ) {
        let wanted = scanned(&text, b',');
        match parsed(&part_of(&text, width)) {
            Ok(rows) => prop_assert_eq!(Ok(rows), wanted),
            Err(error) if error.kind == SourceErrorKind::RowLength => {
                let line = usize::try_from(error.line.unwrap()).unwrap() - 7;
                let before: usize = text.split_inclusive('\n').take(line).map(str::len).sum();
                let first = scanned(&text[..before], b',').unwrap();
                prop_assert!(first.iter().all(|row| row.len() == width));
                let mut fields = vec![];
                Scanner::new(&text.as_bytes()[before..], b',').next(&mut fields).unwrap();
                prop_assert_ne!(fields.len(), width);
            }
            Err(_) => prop_assert!(wanted.is_err()),
        }
    }

    #[test]
    fn rows_have_one_fingerprint_if_and_only_if_their_cells_are_equal(
        (rows, text) in rows_of_three(), swapped in any::<bool>()
    ) {
        let mut part = part_of(&text, 3);
        let columns = if swapped { vec![2, 0] } else { vec![0, 1, 2] };
        let request = ReadRequest { fingerprints: vec![columns.clone()], ..ReadRequest::default() };
        part.layout = std::sync::Arc::new(Layout { delimiter: b',', request });
        let parsed = RawPart::parse(&part).unwrap();
        let Column::Decimal(prints, _) = &parsed.fingerprints[0] else { panic!() };
        for (at, row) in rows.iter().enumerate() {
            for (before, other) in rows[..at].iter().enumerate() {
                let equal = columns.iter().all(|column| row[*column] == other[*column]);
                prop_assert_eq!(equal, prints.value(at) == prints.value(before));
            }
        }
    }

    #[test]
    fn lines_that_repeat_the_one_before_are_written_as_if_they_did_not(
        rows in prop::collection::vec((0_i64..3, prop::option::of(8_i64..12), "[a,]{0,2}"), 0..20),
        columns in prop::collection::vec(0_usize..3, 1..70)
    ) {
        let wide: Vec<Column> = columns
            .iter()
            .map(|column| match column {
                0 => Column::Integer(rows.iter().map(|row| row.0).collect::<Vec<_>>().into()),
                1 => Column::Integer(rows.iter().map(|row| row.1).collect()),
                _ => Column::Text(rows.iter().map(|row| Some(&row.2).filter(|t| !t.is_empty())).collect()),
            })
            .collect();
        let one_by_one: Vec<u8> = (0..rows.len())
            .flat_map(|row| {
                let line: Vec<Column> = wide.iter().map(|column| column.slice(row, 1)).collect();
                bytes_of(&line, 1, PLAIN)
            })
            .collect();
        prop_assert_eq!(&bytes_of(&wide, rows.len(), PLAIN), &one_by_one);
        // What was there before does not shine through, neither on the desk nor in the memory.
        let mut desk = Desk::default();
        let others = vec![Column::Text((0..9).map(|row| Some("\"long\" ".repeat(row))).collect()); 3];
        let memory = desk.lines(&others, 9, PLAIN, vec![]);
        prop_assert_eq!(&memory, &bytes_of(&others, 9, PLAIN));
        prop_assert_eq!(desk.lines(&wide, rows.len(), PLAIN, memory), one_by_one);
    }

    #[test]
    fn a_text_is_in_quotes_where_it_has_one_of_four_signs(text in "[a-z,;\"\n\r \u{80}-\u{ff}]{0,40}", semicolon: bool) {
        let delimiter = if semicolon { b';' } else { b',' };
        let mut out = vec![];
        write_text(text.as_bytes(), delimiter, &mut out);
        let quoted = text.contains(['"', '\n', '\r', char::from(delimiter)]);
        let wanted = if quoted { format!("\"{}\"", text.replace('"', "\"\"")) } else { text };
        prop_assert_eq!(out, wanted.as_bytes());
    }
}

#[test]
fn rows_beyond_a_block_have_their_cells_and_lines() {
    let text: String = (0..10_000)
        .map(|row| if row == 5000 { "\"5000\n\",x\n".into() } else { format!("{row},x\n") })
        .collect();
    let part = part_of(&text, 2).parse().unwrap();
    assert_eq!(part.rows, 10_000);
    for row in [0, 4095, 4096, 4999, 5000, 5001, 9999] {
        assert_eq!(part.columns[0].scalar(row).to_string().trim_end(), row.to_string());
        assert_eq!(part.lines.line(row), 7 + row as u64 + u64::from(row > 5000), "row {row}");
    }
}

/// A part that begins on line 7, asked for all its columns as texts.
fn part_of(text: &str, width: usize) -> CsvPart {
    let columns =
        (0..width).map(|column| InputColumn { column, ty: Type::Text, rule: None }).collect();
    let request = ReadRequest { columns, ..ReadRequest::default() };
    CsvPart {
        text: text.as_bytes().to_vec(),
        line: 7,
        name: "t.csv".into(),
        width,
        fields: (0..width).map(Some).collect(),
        layout: std::sync::Arc::new(Layout { delimiter: b',', request }),
        made_of: None,
    }
}

#[test]
fn rows_that_follow_line_by_line_need_no_list_of_lines() {
    assert_eq!(part_of("a\nb\n", 1).parse().unwrap().lines, Lines::From(7));
    assert_eq!(part_of("a\n\nb\n", 1).parse().unwrap().lines, Lines::Each(vec![7, 9]));
    assert_eq!(part_of("\"a\nx\"\nb\n", 1).parse().unwrap().lines, Lines::Each(vec![7, 9]));
}

#[test]
fn fingerprints_tell_cells_apart_and_take_quotes_away() {
    let prints = |text: &str| {
        let mut part = part_of(text, 2);
        let request = ReadRequest { fingerprints: vec![vec![0, 1]], ..ReadRequest::default() };
        part.layout = std::sync::Arc::new(Layout { delimiter: b',', request });
        let parsed = part.parse().unwrap();
        let Column::Decimal(prints, _) = &parsed.fingerprints[0] else { panic!() };
        prints.all().collect::<Vec<i128>>()
    };
    let same = prints("a,b\n\"a\",b\n\"a\",\"b\"\n");
    assert!(same.windows(2).all(|pair| pair[0] == pair[1]));
    let other = prints("ab,\n,ab\na,b\n\"a,b\",\na,\"b,\"\n\"say \"\"x\"\"\",1\nsay x,1\n");
    for (at, print) in other.iter().enumerate() {
        assert!(!other[..at].contains(print), "row {at}");
    }
}

fn spec(rules: Vec<(String, ReadRule)>) -> InputSpec {
    InputSpec { reads: rules, ..InputSpec::of_files("t".into(), vec![]) }
}

fn source(text: &str) -> (tempfile::TempDir, CsvSource) {
    let dir = tempfile::tempdir().unwrap();
    let path = dir.path().join("t.csv");
    std::fs::write(&path, text).unwrap();
    let source = CsvSource::open(&spec(vec![]), &[FoundFile::at(path, "t.csv".into())]).unwrap();
    (dir, source)
}

#[test]
fn a_small_file_is_settled_when_it_is_opened() {
    let (_dir, source) = source("a,b\n1,x\n2.5,\n");
    assert!(source.settled());
    let types: Vec<Type> = source.shape().columns.into_iter().map(|(_, ty)| ty).collect();
    assert_eq!(types, [Type::Decimal(granum_core::value::Scale(1)), Type::Text]);
    assert_eq!(source.bytes(), 13);
}

#[test]
fn a_large_file_is_settled_when_all_cells_were_seen() {
    let mut text = String::from("a\n");
    text.push_str(&"1\n".repeat(700_000));
    text.push_str("x\n");
    let (_dir, mut source) = source(&text);
    assert!(!source.settled());
    assert_eq!(source.shape().columns[0].1, Type::Integer);
    source.settle().unwrap();
    assert!(source.settled());
    assert_eq!(source.shape().columns[0].1, Type::Text);
}

#[test]
fn cells_that_contradict_the_type_that_was_found_are_told() {
    let (_dir, source) = source("a\n1\n2\n");
    for (ty, contradicts) in [
        (Type::Integer, false),
        (Type::Decimal(granum_core::value::Scale(2)), false),
        (Type::Text, false),
        (Type::Boolean, true),
        (Type::Date, true),
        (Type::Blank, true),
    ] {
        let columns = vec![InputColumn { column: 0, ty, rule: None }];
        let mut reader = source.read(ReadRequest { columns, ..ReadRequest::default() }).unwrap();
        let part = reader.next(1).unwrap()[0].parse().unwrap();
        assert_eq!(part.contradicts, contradicts, "{ty}");
    }
}

#[test]
fn a_file_that_changes_while_it_is_read_is_refused() {
    let (dir, source) = source("a\n1\n2\n");
    let mut reader = source.read(ReadRequest::default()).unwrap();
    std::fs::write(dir.path().join("t.csv"), "a\n1\n2\n3\n").unwrap();
    let Err(error) = reader.next(10) else { panic!("it was read") };
    assert_eq!(error.kind, SourceErrorKind::Changed);
    assert_eq!(error.to_string(), "t.csv: changed while it was read");
}

#[test]
fn a_file_that_goes_away_is_missing() {
    let (dir, source) = source("a\n1\n");
    std::fs::remove_file(dir.path().join("t.csv")).unwrap();
    let mut reader = source.read(ReadRequest::default()).unwrap();
    let Err(error) = reader.next(10) else { panic!("it was read") };
    assert_eq!(error.kind, SourceErrorKind::Missing);
}

#[test]
fn rows_are_written_as_their_bytes_are() {
    let columns = vec![Column::Integer(vec![Some(1), None].into())];
    let named = [("n, m".to_owned(), Type::Integer)];
    let mut writer = CsvWriter::new("t.csv", &named, &Style::default()).unwrap();
    let (mut rows, mut bytes) = (vec![], vec![]);
    writer.begin(&mut rows).unwrap();
    writer.take(Encoded::Rows(columns.clone(), 2), &mut rows).unwrap();
    writer.finish(&mut rows).unwrap();
    writer.begin(&mut bytes).unwrap();
    writer.take(writer.encoder().encode(&columns, 2), &mut bytes).unwrap();
    assert_eq!(rows, bytes);
    assert_eq!(rows, b"\"n, m\"\n1\n\"\"\n");
}

#[test]
fn numbers_and_days_are_written_with_all_their_places() {
    let columns = [
        Column::decimal(vec![500, 500, -1, 0], None, granum_core::value::Scale(2)),
        Column::Date(vec![Some(0), Some(0), None, Some(20_000)].into()),
        Column::DateTime(vec![0, 1, 1_000_000, 0].into()),
        Column::Boolean(vec![true, false, true, true].into()),
        Column::Number(vec![1.5, 1.5, 1e21, -0.0].into()),
        Column::Integer(vec![7, 7, 7, -7].into()),
        Column::Blank(4),
    ];
    let text = String::from_utf8(bytes_of(&columns, 4, PLAIN)).unwrap();
    assert_eq!(
        text,
        "5.00,1970-01-01,1970-01-01T00:00:00,true,1.5,7,\n\
         5.00,1970-01-01,1970-01-01T00:00:00.000001,false,1.5,7,\n\
         -0.01,,1970-01-01T00:00:01,true,1000000000000000000000,7,\n\
         0.00,2024-10-04,1970-01-01T00:00:00,true,0,-7,\n"
    );
    assert_eq!(write::header(["a", "b,c", "d\"e"].into_iter(), b','), b"a,\"b,c\",\"d\"\"e\"\n");
}

#[test]
fn a_first_row_that_never_ends_is_told_for_what_it_is() {
    let told = |text: &[u8]| source::unended(text).1;
    assert!(told(&[0; 99]).starts_with("has nothing but bytes of zero"));
    assert!(told(b"k,\"x").ends_with("a quote is opened and never closed"));
    assert_eq!(told(b"k,x"), "begins with a line of more than 64 MiB");
}
