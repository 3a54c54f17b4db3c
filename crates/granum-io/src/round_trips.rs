//! What is written in any format, in any way, and read again is the same table.

use std::fs;

use granum_core::lang::{Otherwise, Span};
use granum_core::port::{
    InputColumn, InputSpec, Outputs, ReadRequest, ReadRule, Sources, Style, Written,
};
use granum_core::table::Column;
use granum_core::value::{Scale, Type};
use proptest::prelude::*;

use crate::Files;

/// A row of each type; texts have letters that every encoding of the tests has.
type Row = (Option<i64>, Option<i128>, Option<String>, Option<i32>, Option<bool>, Option<i64>);

fn row() -> impl Strategy<Value = Row> {
    let text = "[a-c,;\"\n\r\t é\\\\{}:]{1,6}";
    (
        prop::option::of(prop_oneof![any::<i64>(), -3..3_i64]),
        // Up to 38 digits.
        prop::option::of(prop_oneof![
            -99_999_999_999_999_999_999_999_999_999_999_999_999_i128
                ..=99_999_999_999_999_999_999_999_999_999_999_999_999,
            -300..300_i128
        ]),
        prop::option::of(text.prop_map(|text| text)),
        // From 1583 to 9999.
        prop::option::of(-141_346..2_932_896_i32),
        prop::option::of(any::<bool>()),
        prop::option::of(-12_212_294_400_000_000..253_402_300_799_999_999_i64),
    )
}

fn columns(rows: &[Row]) -> Vec<(String, Column)> {
    let column = |name: &str, column| (name.to_owned(), column);
    let decimals: Vec<i128> = rows.iter().map(|row| row.1.unwrap_or(0)).collect();
    let there: Vec<bool> = rows.iter().map(|row| row.1.is_some()).collect();
    vec![
        column("no", Column::Integer(rows.iter().map(|row| row.0).collect())),
        column("net, \"all\"", Column::decimal(decimals, Some(there.into()), Scale(2))),
        column("a.b", Column::Text(rows.iter().map(|row| row.2.as_deref()).collect())),
        column("on", Column::Date(rows.iter().map(|row| row.3).collect())),
        column("yes", Column::Boolean(rows.iter().map(|row| row.4).collect())),
        column("at", Column::DateTime(rows.iter().map(|row| row.5).collect())),
    ]
}

/// Writes a table in a way, and reads it as it says.
fn read_again(
    name: &str,
    style: &Style,
    written: Written,
    columns: &[(String, Column)],
    cut: usize,
) -> Vec<Column> {
    let folder = tempfile::tempdir().unwrap();
    let files = Files::new(folder.path());
    let rows = columns[0].1.len();
    let types: Vec<(String, Type)> =
        columns.iter().map(|(name, column)| (name.clone(), column.ty())).collect();
    let mut output = files.begin(name, &types, style).unwrap();
    let encoder = output.encoder();
    for start in (0..rows).step_by(cut) {
        let count = cut.min(rows - start);
        let part: Vec<Column> =
            columns.iter().map(|(_, column)| column.slice(start, count)).collect();
        output.take(encoder.encode(&part, count)).unwrap();
    }
    output.complete().unwrap();
    files.publish(vec![output]).unwrap();
    let decimals = style.decimals == Some(b',');
    let rule = |ty: Type| ReadRule {
        ty,
        formats: if decimals && ty == Type::Decimal(Scale(2)) {
            vec!["0,00".into()]
        } else {
            vec![]
        },
        zone: None,
        otherwise: Otherwise::Stop,
        span: Span::default(),
    };
    let mut spec = InputSpec::of_files("t".into(), vec![name.to_owned()]);
    spec.written = written;
    spec.reads = types.iter().map(|(name, ty)| (name.clone(), rule(*ty))).collect();
    let source = Files::new(folder.path()).open(&spec).unwrap();
    // Objects say their keys in the order in which they come.
    let shape = source.shape();
    let wanted = types.iter().map(|(name, ty)| InputColumn {
        column: shape.columns.iter().position(|(known, _)| known == name).unwrap(),
        ty: *ty,
        rule: Some(rule(*ty)),
    });
    let request = ReadRequest { columns: wanted.collect(), ..ReadRequest::default() };
    let mut reader = source.read(request).unwrap();
    let mut found: Vec<Vec<Column>> = vec![];
    loop {
        let parts = reader.next(2).unwrap();
        if parts.is_empty() {
            break;
        }
        for part in parts {
            let part = part.parse().unwrap();
            assert!(part.troubles.is_empty(), "{:?}", part.troubles);
            found.push(part.columns);
        }
    }
    if found.is_empty() { vec![] } else { Column::concat_each(&found) }
}

fn style(
    delimiter: Option<u8>,
    decimals: Option<u8>,
    encoding: Option<&str>,
    marked: bool,
) -> Style {
    Style { delimiter, decimals, encoding: encoding.map(str::to_owned), marked, ..Style::default() }
}

fn said(delimiter: Option<u8>, encoding: Option<&str>) -> Written {
    Written { delimiter, encoding: encoding.map(str::to_owned), ..Written::default() }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]
    #[test]
    fn what_is_written_in_any_way_is_read_again(
        rows in prop::collection::vec(row(), 1..30),
        way in 0..12_usize,
        cut in 1..9_usize,
    ) {
        let none = || style(None, None, None, false);
        let (name, style, written) = match way {
            0 => ("t.csv", none(), said(None, None)),
            1 => ("t.tsv", none(), said(Some(b'\t'), None)),
            2 => ("t.csv.gz", none(), said(None, None)),
            3 => ("t.txt.zst", none(), said(None, None)),
            4 => ("t.csv", style(None, Some(b','), None, true), said(Some(b';'), None)),
            5 => ("t.csv", style(Some(b'-'), None, None, false), said(Some(b'-'), None)),
            6 => ("t.csv", style(Some(b','), Some(b'.'), Some("windows-1252"), false), said(None, Some("windows-1252"))),
            7 => ("t.csv", style(Some(b'e'), None, Some("utf-16le"), true), said(Some(b'e'), None)),
            8 => ("t.csv.gz", style(None, None, Some("utf-16be"), false), said(None, Some("utf-16be"))),
            9 => ("t.jsonl", none(), said(None, None)),
            10 => ("t.json", none(), said(None, None)),
            _ => ("t.ndjson.zst", none(), said(None, None)),
        };
        let columns = columns(&rows);
        let found = read_again(name, &style, written, &columns, cut);
        for ((name, own), found) in columns.iter().zip(&found) {
            for row in 0..rows.len() {
                prop_assert_eq!(own.scalar(row), found.scalar(row), "{} in row {} of way {}", name, row, way);
            }
        }
        prop_assert_eq!(found[0].len(), rows.len());
    }
}

#[test]
fn packed_files_have_the_same_bytes_whatever_the_batches() {
    let rows: Vec<Row> =
        (0..5_000).map(|no| (Some(no), Some(1), Some("x".into()), None, None, None)).collect();
    let columns = columns(&rows);
    for name in ["t.csv.gz", "t.jsonl.zst"] {
        let bytes = |cut: usize| {
            let folder = tempfile::tempdir().unwrap();
            let files = Files::new(folder.path());
            let types: Vec<(String, Type)> =
                columns.iter().map(|(name, column)| (name.clone(), column.ty())).collect();
            let mut output = files.begin(name, &types, &Style::default()).unwrap();
            for start in (0..rows.len()).step_by(cut) {
                let part: Vec<Column> =
                    columns.iter().map(|(_, column)| column.slice(start, cut)).collect();
                output.take(output.encoder().encode(&part, cut)).unwrap();
            }
            output.complete().unwrap();
            files.publish(vec![output]).unwrap();
            fs::read(folder.path().join(name)).unwrap()
        };
        assert!(bytes(5_000) == bytes(125), "{name} has other bytes");
        assert!(bytes(5_000).len() < 100_000);
    }
}

#[test]
fn what_cannot_be_written_is_told_and_leaves_nothing() {
    let folder = tempfile::tempdir().unwrap();
    let files = Files::new(folder.path());
    let types = [("name".to_owned(), Type::Text)];
    let with = |encoding: &str, marked| style(None, None, Some(encoding), marked);
    let wrong = |style: &Style| match files.begin("t.csv", &types, style) {
        Err(error) => error.to_string(),
        Ok(_) => panic!("it was begun"),
    };
    assert_eq!(wrong(&with("klingon", false)), "t.csv: no encoding is called \"klingon\"");
    assert_eq!(wrong(&with("windows-1252", true)), "t.csv: windows-1252 has no mark that says it");
    let mut output = files.begin("t.csv", &types, &with("windows-1252", false)).unwrap();
    let names = Column::Text(["Ada", "\u{141}\u{f3}d\u{17a}"].into_iter().map(Some).collect());
    let error = output.take(output.encoder().encode(&[names], 2)).unwrap_err();
    assert_eq!(
        (error.message.as_str(), error.help.as_str()),
        (
            "windows-1252 has no letter `\u{141}` (U+0141), as in  \u{141}\u{f3}d\u{17a}",
            "nothing was written; leave the encoding out: UTF-8 has all letters"
        )
    );
    drop(output);
    assert_eq!(fs::read_dir(folder.path()).unwrap().count(), 0);
}

#[cfg(feature = "sheets")]
proptest! {
    #![proptest_config(ProptestConfig::with_cases(32))]
    /// A cell holds fifteen digits, days from 1900 and thousandths of a second: what it holds is read again.
    #[test]
    fn what_a_sheet_can_hold_is_read_again(
        rows in prop::collection::vec(row(), 1..30),
        small in prop::collection::vec(-999_999_999_999_999..=999_999_999_999_999_i64, 30),
        cut in 1..9_usize,
    ) {
        let fitting = |(row, small): (&Row, &i64)| {
            let text = row.2.as_ref().map(|text| text.replace('\r', " "));
            (
                row.0.map(|_| *small),
                row.1.map(|units| units % 1_000_000_000_000_000),
                // A cell of spaces alone is blank.
                text.filter(|text| !text.trim().is_empty()),
                row.3.map(|days| days.max(-25_567)),
                row.4,
                row.5.map(|micros| micros.max(-2_208_902_400_000_000) / 1_000 * 1_000),
            )
        };
        let rows: Vec<Row> = rows.iter().zip(&small).map(fitting).collect();
        let columns = columns(&rows);
        let found = read_again("t.xlsx", &style(None, None, None, false), said(None, None), &columns, cut);
        // A row of blanks alone is none in a sheet.
        let blank = |row: &usize| columns.iter().all(|(_, column)| column.is_blank(*row));
        let there: Vec<usize> = (0..rows.len()).filter(|row| !blank(row)).collect();
        for ((name, own), found) in columns.iter().zip(&found) {
            for (at, row) in there.iter().enumerate() {
                prop_assert_eq!(own.scalar(*row), found.scalar(at), "{} in row {}", name, row);
            }
        }
        prop_assert_eq!(found.first().map_or(0, Column::len), there.len());
    }
}

#[cfg(feature = "columnar")]
mod columns {
    use super::*;

    /// Writes a table into a file of a name; gives the folder.
    fn written(name: &str, columns: &[(String, Column)], cut: usize) -> tempfile::TempDir {
        let folder = tempfile::tempdir().unwrap();
        let files = Files::new(folder.path());
        let types: Vec<(String, Type)> =
            columns.iter().map(|(name, column)| (name.clone(), column.ty())).collect();
        let mut output = files.begin(name, &types, &Style::default()).unwrap();
        let rows = columns[0].1.len();
        for start in (0..rows).step_by(cut) {
            let count = cut.min(rows - start);
            let part: Vec<Column> =
                columns.iter().map(|(_, column)| column.slice(start, count)).collect();
            output.take(output.encoder().encode(&part, count)).unwrap();
        }
        output.complete().unwrap();
        files.publish(vec![output]).unwrap();
        folder
    }

    /// All columns of a file of which nothing is said.
    fn read(folder: &tempfile::TempDir, name: &str) -> Vec<(String, Column)> {
        let spec = InputSpec::of_files("t".into(), vec![name.to_owned()]);
        let source = Files::new(folder.path()).open(&spec).unwrap();
        let shape = source.shape();
        assert!(shape.typed);
        let asked = |(column, (_, ty)): (usize, &(String, Type))| InputColumn {
            column,
            ty: *ty,
            rule: None,
        };
        let columns = shape.columns.iter().enumerate().map(asked).collect();
        let mut reader = source.read(ReadRequest { columns, ..ReadRequest::default() }).unwrap();
        let mut found: Vec<Vec<Column>> = vec![];
        while let [part, ..] = reader.next(1).unwrap().as_slice() {
            found.push(part.parse().unwrap().columns);
        }
        let types = shape.columns.iter().map(|(_, ty)| Column::all_blank(*ty, 0)).collect();
        found.insert(0, types);
        let names = shape.columns.into_iter().map(|(name, _)| name);
        names.zip(Column::concat_each(&found)).collect()
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(32))]
        #[test]
        fn what_is_written_as_columns_is_read_again_with_its_types(
            rows in prop::collection::vec(row(), 1..30),
            texts in prop::collection::vec(prop::option::of(any::<String>()), 30),
            numbers in prop::collection::vec(prop::option::of(any::<f64>().prop_filter("finite", |n| n.is_finite())), 30),
            name in prop::sample::select(vec!["t.parquet", "t.arrow", "t.arrows"]),
            cut in 1..9_usize,
        ) {
            let mut columns = columns(&rows);
            let texts = texts.iter().map(|text| text.as_deref().filter(|text| !text.is_empty()));
            columns.push(("any".into(), Column::Text(texts.take(rows.len()).collect())));
            columns.push(("number".into(), Column::Number(numbers.into_iter().take(rows.len()).collect())));
            columns.push(("nothing".into(), Column::Blank(rows.len())));
            let folder = written(name, &columns, cut);
            let found = read(&folder, name);
            prop_assert_eq!(found.len(), columns.len());
            for ((name, own), (found_name, found)) in columns.iter().zip(&found) {
                prop_assert_eq!(name, found_name);
                prop_assert_eq!(own.ty(), found.ty(), "{}", name);
                for row in 0..rows.len() {
                    prop_assert_eq!(own.scalar(row), found.scalar(row), "{} in row {}", name, row);
                }
                prop_assert_eq!(found.len(), rows.len());
            }
        }

        /// Bytes that are changed, and files that are cut off: what cannot be read is told, and nothing panics.
        #[test]
        fn a_damaged_file_of_columns_is_read_or_told(
            places in prop::collection::vec((any::<prop::sample::Index>(), any::<u8>()), 0..8),
            length in any::<prop::sample::Index>(),
            name in prop::sample::select(vec!["t.parquet", "t.arrow", "t.arrows"]),
        ) {
            let rows: Vec<Row> = (0..40).map(|no| (Some(no), Some(1), Some("x".into()), None, None, None)).collect();
            let folder = written(name, &columns(&rows), 40);
            let path = folder.path().join(name);
            let mut bytes = fs::read(&path).unwrap();
            if places.is_empty() {
                bytes.truncate(length.index(bytes.len()));
            }
            for (place, byte) in places {
                let at = place.index(bytes.len());
                bytes[at] = byte;
            }
            fs::write(&path, bytes).unwrap();
            let spec = InputSpec::of_files("t".into(), vec![name.to_owned()]);
            let read = Files::new(folder.path()).open(&spec).and_then(|source| {
                let asked = |(column, (_, ty)): (usize, &(String, Type))| InputColumn { column, ty: *ty, rule: None };
                let columns = source.shape().columns.iter().enumerate().map(asked).collect();
                let mut reader = source.read(ReadRequest { columns, ..ReadRequest::default() })?;
                while let [part, ..] = reader.next(1)?.as_slice() {
                    part.parse()?;
                }
                Ok(())
            });
            if let Err(error) = read {
                prop_assert_eq!(error.file, name);
            }
        }
    }

    #[test]
    fn a_file_of_columns_that_was_changed_since_it_was_opened_is_told() {
        let rows: Vec<Row> = vec![(Some(1), None, None, None, None, None)];
        for name in ["t.parquet", "t.arrow", "t.arrows"] {
            let folder = written(name, &columns(&rows), 1);
            let spec = InputSpec::of_files("t".into(), vec![name.to_owned()]);
            let source = Files::new(folder.path()).open(&spec).unwrap();
            let path = folder.path().join(name);
            fs::write(&path, [fs::read(&path).unwrap(), vec![0]].concat()).unwrap();
            let columns = vec![InputColumn { column: 0, ty: Type::Integer, rule: None }];
            let request = ReadRequest { columns, ..ReadRequest::default() };
            let mut reader = source.read(request).unwrap();
            let read = reader.next(1).and_then(|parts| parts[0].parse());
            assert_eq!(
                read.unwrap_err().kind,
                granum_core::port::SourceErrorKind::Changed,
                "{name}"
            );
        }
    }

    #[test]
    fn columns_have_the_same_bytes_whatever_the_batches_and_no_rows_are_a_table() {
        let rows: Vec<Row> = (0..140_000)
            .map(|no| (Some(no), Some(1), Some("x".into()), None, None, None))
            .collect();
        let columns = columns(&rows);
        for name in ["t.parquet", "t.arrow", "t.arrows"] {
            let bytes =
                |cut: usize| fs::read(written(name, &columns, cut).path().join(name)).unwrap();
            assert!(bytes(140_000) == bytes(999), "{name} has other bytes");
            let none: Vec<(String, Column)> =
                columns.iter().map(|(name, column)| (name.clone(), column.slice(0, 0))).collect();
            let found = read(&written(name, &none, 1), name);
            assert_eq!(found.iter().map(|(_, column)| column.len()).max(), Some(0));
            assert_eq!(found.len(), columns.len());
        }
    }
}

#[cfg(feature = "sqlite")]
proptest! {
    #![proptest_config(ProptestConfig::with_cases(32))]
    /// A database keeps fifteen digits of a decimal: what it keeps is read again, in its order.
    #[test]
    fn what_a_database_can_hold_is_read_again(
        rows in prop::collection::vec(row(), 1..30),
        texts in prop::collection::vec(prop::option::of(any::<String>()), 30),
        cut in 1..9_usize,
    ) {
        let mut rows = rows;
        rows.iter_mut().for_each(|row| row.1 = row.1.map(|units| units % 1_000_000_000_000_000));
        let mut columns = columns(&rows);
        // What comes first orders the rows, as nothing else is said.
        let order: Vec<i64> = (0..rows.len() as i64).collect();
        columns.insert(0, ("row".into(), Column::Integer(order.into())));
        let texts = texts.iter().map(|text| text.as_deref().filter(|text| !text.is_empty()));
        columns.push(("any".into(), Column::Text(texts.take(rows.len()).collect())));
        let found = read_again("t.db", &style(None, None, None, false), said(None, None), &columns, cut);
        for ((name, own), found) in columns.iter().zip(&found) {
            for row in 0..rows.len() {
                prop_assert_eq!(own.scalar(row), found.scalar(row), "{} in row {}", name, row);
            }
        }
        prop_assert_eq!(found[0].len(), rows.len());
    }
}

/// Servers that are told of, each with a database; none where there is none.
#[cfg(all(feature = "postgres", feature = "mysql"))]
fn servers() -> Vec<String> {
    let named = [("GRANUM_TEST_POSTGRES", "postgres"), ("GRANUM_TEST_MYSQL", "granum_tests")];
    let told = named.into_iter().filter_map(|(name, database)| {
        let server = std::env::var(name).ok();
        if server.is_none() {
            eprintln!("left out: {name} names no server (scripts/with_servers.sh starts one)");
        }
        Some(format!("{}/{database}", server?))
    });
    told.collect()
}

#[cfg(all(feature = "postgres", feature = "mysql"))]
proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]
    /// A table of a server holds all that columns hold, but for one letter that is none.
    #[test]
    fn what_a_server_has_taken_is_read_again(
        rows in prop::collection::vec(row(), 1..30),
        texts in prop::collection::vec(prop::option::of(any::<String>()), 30),
        numbers in prop::collection::vec(prop::option::of(any::<f64>().prop_filter("finite", |n| n.is_finite())), 30),
        cut in 1..9_usize,
    ) {
        let mut columns = columns(&rows);
        let order: Vec<i64> = (0..rows.len() as i64).collect();
        columns.insert(0, ("row".into(), Column::Integer(order.into())));
        let texts: Vec<Option<String>> =
            texts.into_iter().map(|text| text.map(|text| text.replace('\0', "0"))).collect();
        let texts = texts.iter().map(|text| text.as_deref().filter(|text| !text.is_empty()));
        columns.push(("any".into(), Column::Text(texts.take(rows.len()).collect())));
        columns.push(("number".into(), Column::Number(numbers.into_iter().take(rows.len()).collect())));
        for address in servers() {
            let named = Some("granum_round_trip".to_owned());
            let style = Style { named: named.clone(), key: vec!["row".into()], ..Style::default() };
            let written = Written { named, ..Written::default() };
            // Made at first, refilled from then on.
            let found = read_again(&address, &style, written, &columns, cut);
            for ((name, own), found) in columns.iter().zip(&found) {
                for row in 0..rows.len() {
                    prop_assert_eq!(own.scalar(row), found.scalar(row), "{} in row {}: {}", name, row, address);
                }
            }
            prop_assert_eq!(found[0].len(), rows.len());
        }
    }
}
