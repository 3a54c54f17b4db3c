//! What sheets are taken for, and that what is written is read again.

use std::fs;

use granum_core::port::{
    CellTrouble, InputColumn, InputSource, InputSpec, Outputs, ReadRequest, SourceError, Sources,
    Style,
};
use granum_core::table::Column;
use granum_core::value::{Scalar, Scale, Type};
use proptest::prelude::*;
use rust_xlsxwriter::{ExcelDateTime, Format, Formula, Workbook, XlsxError};
use tempfile::TempDir;

use crate::Files;

/// A book that is written by hand.
fn book(write: impl FnOnce(&mut Workbook) -> Result<(), XlsxError>) -> TempDir {
    let folder = tempfile::tempdir().unwrap();
    let mut made = Workbook::new();
    write(&mut made).unwrap();
    made.save(folder.path().join("b.xlsx")).unwrap();
    folder
}

/// A book of one sheet of texts, a line of cells for each row with `|` between them.
fn texts(rows: &str) -> TempDir {
    book(|book| {
        let sheet = book.add_worksheet();
        for (row, line) in rows.lines().enumerate() {
            for (column, cell) in line.split('|').enumerate().filter(|(_, cell)| !cell.is_empty()) {
                match cell.parse::<f64>() {
                    Ok(number) => sheet.write_number(row as u32, column as u16, number)?,
                    Err(_) => sheet.write_string(row as u32, column as u16, cell)?,
                };
            }
        }
        Ok(())
    })
}

fn opened(
    folder: &TempDir,
    said: impl FnOnce(&mut InputSpec),
) -> Result<Box<dyn InputSource>, SourceError> {
    let mut spec = InputSpec::of_files("t".into(), vec!["b.xlsx".into()]);
    said(&mut spec);
    Files::new(folder.path()).open(&spec)
}

/// All rows of an input, the cells that have no value, and where the rows stand.
fn read(source: &dyn InputSource) -> (Vec<Column>, Vec<CellTrouble>, Vec<u64>) {
    let columns = source.shape().columns.into_iter().enumerate();
    let columns = columns.map(|(column, (_, ty))| InputColumn { column, ty, rule: None });
    let request = ReadRequest { columns: columns.collect(), ..ReadRequest::default() };
    let mut reader = source.read(request).unwrap();
    let (mut found, mut troubles, mut lines) = (vec![], vec![], vec![]);
    loop {
        let parts = reader.next(1).unwrap();
        if parts.is_empty() {
            let columns = if found.is_empty() { vec![] } else { Column::concat_each(&found) };
            return (columns, troubles, lines);
        }
        for part in parts {
            let part = part.parse().unwrap();
            assert!(!part.contradicts);
            lines.extend((0..part.rows).map(|row| part.lines.line(row)));
            found.push(part.columns);
            troubles.extend(part.troubles);
        }
    }
}

fn wrong(folder: &TempDir, said: impl FnOnce(&mut InputSpec)) -> (String, String) {
    match opened(folder, said) {
        Err(error) => (error.to_string(), error.help),
        Ok(_) => panic!("it was opened"),
    }
}

#[test]
fn cells_have_the_types_that_they_show() {
    let folder = book(|book| {
        let sheet = book.add_worksheet();
        for (at, name) in ["no", "on", "at", "net", "paid"].iter().enumerate() {
            sheet.write_string(0, at as u16, *name)?;
        }
        let day = Format::new().set_num_format("yyyy-mm-dd");
        let on = |day: u8| ExcelDateTime::from_ymd(2026, 5, day);
        for row in 1..=2_u32 {
            sheet.write_string(row, 0, format!("00{row}"))?;
            sheet.write_datetime_with_format(row, 1, on(row as u8)?, &day)?;
            sheet.write_number(row, 3, 0.1 + 0.2 * f64::from(row))?;
            sheet.write_boolean(row, 4, row == 1)?;
        }
        // A day among moments is its midnight.
        sheet.write_datetime_with_format(1, 2, on(1)?, &day)?;
        sheet.write_datetime_with_format(2, 2, on(2)?.and_hms(10, 30, 0)?, &day)?;
        Ok(())
    });
    let source = opened(&folder, |_| ()).unwrap();
    let types: Vec<Type> = source.shape().columns.into_iter().map(|(_, ty)| ty).collect();
    let decimal = Type::Decimal(Scale(1));
    assert_eq!(types, [Type::Text, Type::Date, Type::DateTime, decimal, Type::Boolean]);
    let (columns, troubles, lines) = read(source.as_ref());
    let shown: Vec<String> = columns.iter().map(|column| column.scalar(0).to_string()).collect();
    assert_eq!(shown, ["001", "2026-05-01", "2026-05-01T00:00:00", "0.3", "true"]);
    assert_eq!(columns[2].scalar(1).to_string(), "2026-05-02T10:30:00");
    assert!(troubles.is_empty());
    assert_eq!(lines, [2, 3]);
}

#[test]
fn a_cell_without_a_value_is_told_and_no_blank() {
    let folder = book(|book| {
        let sheet = book.add_worksheet().set_name("Orders")?;
        sheet.write_string(1, 1, "no")?.write_string(1, 2, "net")?.write_string(1, 3, "all")?;
        sheet.write_string(2, 1, "A")?;
        sheet.write_formula(2, 2, Formula::new("=NA()").set_result("#N/A"))?;
        sheet.write_formula(2, 3, Formula::new("=1+1").set_result("2"))?;
        sheet.merge_range(3, 1, 4, 1, "B", &Format::new())?;
        sheet.write_number(3, 2, 1.5)?.write_number(4, 2, 2)?;
        Ok(())
    });
    let (columns, troubles, lines) = read(opened(&folder, |_| ()).unwrap().as_ref());
    assert_eq!(lines, [3, 4, 5]);
    let told: Vec<String> = troubles
        .iter()
        .flat_map(|trouble| &trouble.examples)
        .map(|(text, place)| format!("{text}: {place}"))
        .collect();
    let expected = ["merged with B4: b.xlsx#Orders!B5", "#N/A: b.xlsx#Orders!C3"];
    assert_eq!(told, expected);
    assert_eq!(columns[1].scalar(0), Scalar::Blank);
    assert_eq!(columns[2].scalar(0), Scalar::Integer(2));
}

#[test]
fn a_header_is_found_or_the_way_to_it_is_told() {
    let folder = texts("Orders of May\n\nno|net\nA|1\n\nB|2.5\nTotal|3.5\n");
    let sheet = "b.xlsx#Sheet1";
    let (message, help) = wrong(&folder, |_| ());
    assert_eq!(message, format!("{sheet}: has a cell in B3, and no name for the column B"));
    assert_eq!(help, "its header seems to be row 3:  header at 3");
    let said = |spec: &mut InputSpec| {
        spec.written.header_at = Some(3);
        spec.written.footer = Some(1);
    };
    let source = opened(&folder, said).unwrap();
    let (columns, _, lines) = read(source.as_ref());
    assert_eq!(lines, [4, 6]);
    assert_eq!(columns[1].scalar(1).to_string(), "2.5");
    let left = source.left_out();
    assert_eq!(
        format!("{} ({})", left[0].text, left[0].place),
        format!("Total | 3.5 ({sheet} row 7)")
    );
    let look = |said: &dyn Fn(&mut InputSpec)| {
        let mut spec = InputSpec::of_files("t".into(), vec![]);
        said(&mut spec);
        Files::new(folder.path()).look("b.xlsx", &spec.written).unwrap()
    };
    let found = look(&|_| ());
    assert_eq!((found.header_at, found.footer), (Some(3), Some(1)));
    assert_eq!(look(&|spec| spec.written.range = Some("A4:B6".into())).header_at, None);
    let (message, _) = wrong(&folder, |spec| spec.written.header_at = Some(2));
    assert_eq!(message, format!("{sheet}: has nothing in row 2, where its header is said to be"));
    let (message, _) = wrong(&folder, |spec| spec.written.range = Some("B9".into()));
    assert_eq!(message, "b.xlsx: has no cells \"B9\"");
    let (message, help) = wrong(&texts("a|b|a\n"), |_| ());
    assert_eq!(message, format!("{sheet}: has two columns called `a`: A1 and C1"));
    assert!(help.ends_with("range \"A:B\""), "{help}");
    let (_, help) = wrong(&texts("a|b\n1|2|3\n"), |_| ());
    assert!(help.ends_with("range \"A:B\""), "{help}");
}

#[test]
fn a_range_is_all_that_is_read() {
    let folder = texts("note|||x\n|no|net|seen\n|A|1|9\n|B|2|\n|C|3|\n");
    let source = opened(&folder, |spec| spec.written.range = Some("B2:C4".into())).unwrap();
    let names: Vec<String> = source.shape().columns.into_iter().map(|(name, _)| name).collect();
    assert_eq!(names, ["no", "net"]);
    assert_eq!(read(source.as_ref()).2, [3, 4]);
}

/// A book of sheets of one column and one row each.
fn several(names: &[&str]) -> TempDir {
    book(|book| {
        for (at, name) in names.iter().enumerate() {
            let sheet = book.add_worksheet().set_name(*name)?;
            sheet.write_string(0, 0, "n")?.write_number(1, 0, at as f64)?;
        }
        book.add_worksheet().set_name("Empty")?;
        Ok(())
    })
}

#[test]
fn a_sheet_is_named_where_there_are_several() {
    let folder = several(&["Jan", "Feb", "Sum"]);
    let (message, help) = wrong(&folder, |_| ());
    assert_eq!(message, "b.xlsx: has 3 sheets: Jan, Feb, Sum");
    assert_eq!(help, "say which:  sheet \"Jan\"");
    let sheet =
        |name: &'static str| move |spec: &mut InputSpec| spec.written.sheet = Some(name.into());
    let rows = |name| read(opened(&folder, sheet(name)).unwrap().as_ref()).0[0].len();
    assert_eq!((rows("Feb"), rows("?a*"), rows("???")), (1, 1, 3));
    let (message, help) = wrong(&folder, sheet("feb"));
    assert_eq!(message, "b.xlsx: has no sheet \"feb\"");
    assert_eq!(help, "did you mean \"Feb\"?");
    let (message, _) = wrong(&folder, sheet("*"));
    assert_eq!(message, "b.xlsx#Empty: has nothing in it: there is no header");
}

#[test]
fn what_is_no_book_is_told() {
    let folder = tempfile::tempdir().unwrap();
    let told = |bytes: &[u8]| {
        fs::write(folder.path().join("b.xlsx"), bytes).unwrap();
        wrong(&folder, |_| ()).0
    };
    assert_eq!(told(b""), "b.xlsx: is empty");
    assert_eq!(told(b"a,b\n1,2\n"), "b.xlsx: is called a book of sheets and is text");
    let page = "b.xlsx: is called a book of sheets and is a page or a document of tags";
    assert_eq!(told(b"<html>"), page);
    assert!(told(b"PK\x03\x04 and then nothing").starts_with("b.xlsx: cannot be read as a book"));
    assert!(told(&[0xFF, 0, 1]).ends_with("is something else"));
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]
    /// Whatever bytes of a book are others, nothing panics.
    #[test]
    fn a_damaged_book_is_read_or_told(places in prop::collection::vec((any::<prop::sample::Index>(), any::<u8>()), 1..20)) {
        let folder = several(&["Jan"]);
        let path = folder.path().join("b.xlsx");
        let mut bytes = fs::read(&path).unwrap();
        for (at, byte) in places {
            let at = at.index(bytes.len());
            bytes[at] = byte;
        }
        fs::write(&path, bytes).unwrap();
        if let Ok(source) = opened(&folder, |_| ()) {
            prop_assert!(read(source.as_ref()).2.len() <= 1 << 20);
        }
    }
}

#[test]
fn what_a_cell_cannot_hold_is_told_and_leaves_nothing() {
    let folder = tempfile::tempdir().unwrap();
    let files = Files::new(folder.path());
    let told = |column: Column| {
        let types = [("a".to_owned(), column.ty())];
        let mut output = files.begin("b.xlsx", &types, &Style::default()).unwrap();
        let encoded = output.encoder().encode(&[column], 1);
        output.take(encoded).unwrap_err().to_string()
    };
    let text = |text: &str| Column::Text([Some(text)].into_iter().collect());
    let long = "b.xlsx: `a` in row 2 has 32768 letters, and a cell holds 32767";
    assert_eq!(told(text(&"x".repeat(32_768))), long);
    assert!(told(text("a\u{1}")).contains("the sign \\u{1}, which a cell cannot hold"));
    let number = told(Column::Integer([Some(1_234_567_890_123_456)].into_iter().collect()));
    assert!(
        number.ends_with("is 1234567890123456, which has 16 digits, and a cell keeps 15"),
        "{number}"
    );
    assert!(told(Column::Date([Some(-30_000)].into_iter().collect())).contains("1887-11-12"));
    assert!(told(Column::DateTime([Some(1)].into_iter().collect())).contains("millionths"));
    assert_eq!(fs::read_dir(folder.path()).unwrap().count(), 0);
}
