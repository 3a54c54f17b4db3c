use std::collections::{BTreeMap, BTreeSet, HashMap};

use proptest::prelude::*;

use super::*;
use crate::engine::tests::memory::{Memory, Shelf};
use crate::port::{InputSpec, Silent, SourceErrorKind, Sources};

/// Surveys a text of rows with commas between cells, in a room of so many bytes.
fn look_in(text: &str, limit: u64) -> Survey {
    let files = HashMap::from([("t".to_owned(), text.to_owned())]);
    let memory = Memory { files, part: 3 };
    let source = memory.open(&InputSpec::of_files("t".into(), vec!["t".into()])).unwrap();
    let room = Shelf::room(limit, usize::MAX);
    survey(source.as_ref(), vec!["t".into()], &room, &Silent).unwrap()
}

/// Surveys a text, with all the room that it needs and with none: the same is told where all values are kept.
fn look(text: &str) -> Survey {
    let (survey, away) = (look_in(text, u64::MAX), look_in(text, 0));
    if away.columns.iter().all(|column| column.exact) {
        assert_eq!(
            format!("{survey:#?}"),
            format!("{away:#?}"),
            "what is put away changes what is told"
        );
    }
    survey
}

/// So many lines.
fn lines(count: usize, line: impl Fn(usize) -> String) -> String {
    (0..count).map(|at| line(at) + "\n").collect()
}

/// The survey of one column of cells that have no comma.
fn column(cells: &[&str]) -> ColumnSurvey {
    let rows = lines(cells.len(), |at| format!("{at},{}", cells[at]));
    look(&format!("row,it\n{rows}")).columns.remove(1)
}

fn told(column: &ColumnSurvey, kind: OddityKind) -> Option<(u64, String, u64)> {
    let oddity = column.oddities.iter().find(|oddity| oddity.kind == kind)?;
    Some((oddity.rows, oddity.example.clone(), oddity.place.as_ref()?.line))
}

#[test]
fn each_kind_of_oddity_has_its_count_its_first_cell_and_its_line() {
    use OddityKind as Kind;
    let cases: [(Kind, &[&str], u64, &str, u64); 15] = [
        (Kind::DateFormat, &["31/01/2026", "01/02/2026"], 2, "31/01/2026", 2),
        (Kind::TwoWayDays, &["01/02/2026", "03/02/2026"], 2, "01/02/2026", 2),
        (Kind::Currency, &["1.50", "\u{20ac} 2.50"], 1, "\u{20ac} 2.50", 3),
        (Kind::Currencies, &["$ 1.50", "\u{20ac} 2.50"], 2, "$ 1.50", 2),
        (Kind::Thousands, &["1 204.00", "3.00"], 1, "1 204.00", 2),
        (Kind::Brackets, &["3.00", "(1.00)"], 1, "(1.00)", 3),
        (Kind::TrailingMinus, &["3.00", "1.00-"], 1, "1.00-", 3),
        (Kind::TwoWayNumbers, &["1.000", "2.500"], 2, "1.000", 2),
        (Kind::LeadingZeros, &["7", "007"], 1, "007", 3),
        (Kind::SplitByZeros, &["7", "7", "007"], 1, "007", 4),
        (Kind::Exponent, &["871", "8.71E+12"], 1, "8.71E+12", 3),
        (Kind::OuterSpaces, &["a", " b"], 1, " b", 3),
        (Kind::LetterCase, &["Shop", "Shop", "shop"], 1, "shop", 4),
        (Kind::Control, &["a", "b\u{200b}"], 1, "b\u{200b}", 3),
        (Kind::Placeholder, &["5", "n/a", "n/a"], 2, "n/a", 3),
    ];
    let mut seen = BTreeSet::new();
    for (kind, cells, rows, example, line) in cases {
        let column = column(cells);
        assert_eq!(told(&column, kind), Some((rows, example.to_owned(), line)), "{column:#?}");
        seen.insert(format!("{kind:?}"));
    }
    let mut many: Vec<String> = (0..30).map(|number| number.to_string()).collect();
    many.insert(20, "x".into());
    let many: Vec<&str> = many.iter().map(String::as_str).collect();
    assert_eq!(told(&column(&many), Kind::Unlike), Some((1, "x".into(), 22)));
    seen.insert("Unlike".into());
    // A comma is written in cells of other delimiters only, which the numbers' own tests have.
    assert_eq!(seen.len(), 16);
}

#[test]
fn plain_columns_have_nothing_odd() {
    for cells in [
        ["M1", "M2", "M3"],
        ["1", "22", "-3"],
        ["1.50", "2.25", "0.005"],
        ["2026-01-31", "2026-02-28", ""],
        ["2026-01-31T10:00:00", "2026-02-28T10:00:00", ""],
        ["true", "false", "true"],
        ["Orla Ivystone", "Brim Mossback", "Elvi Vetchling"],
    ] {
        let column = column(&cells);
        assert_eq!((column.oddities, column.read), (vec![], None), "{cells:?}");
    }
}

#[test]
fn what_to_read_is_said_where_the_type_alone_would_not_do() {
    let cases: [(&[&str], &str, (&str, &str)); 9] = [
        (&["31/01/2026", "01/02/2026"], "date \"%d/%m/%Y\"", ("2026-01-31", "2026-02-01")),
        (
            &["2026-01-31", "31.1.2026"],
            "date \"%Y-%m-%d\" or \"%d.%m.%Y\"",
            ("2026-01-31", "2026-01-31"),
        ),
        (
            &["31/01/2026 09:15"],
            "datetime \"%d/%m/%Y %H:%M\"",
            ("2026-01-31T09:15:00", "2026-01-31T09:15:00"),
        ),
        (&["20260131", "20251231"], "date \"%Y%m%d\"", ("2025-12-31", "2026-01-31")),
        (&["$ 9.50", "$ 10.00"], "decimal \"$ 1,234.56\"", ("9.50", "10.00")),
        (&["(9.50)", "10.00"], "decimal \"(1,234.56)\"", ("-9.50", "10.00")),
        (&["007", "12"], "text", ("007", "12")),
        (&["5", "n/a", "12"], "integer else blank", ("5", "12")),
        (&["2026-01-31", "-"], "date else blank", ("2026-01-31", "2026-01-31")),
    ];
    for (cells, read, (least, greatest)) in cases {
        let column = column(cells);
        assert_eq!(column.read.as_deref(), Some(read), "{cells:?}");
        let range = (column.least.as_deref(), column.greatest.as_deref());
        assert_eq!(range, (Some(least), Some(greatest)), "{cells:?}");
    }
    // What nothing tells is not guessed.
    for cells in [["$ 1.50", "\u{20ac} 2.50"], ["5", "a word"], ["1.50", "8.71E+12"]] {
        assert_eq!(column(&cells).read, None, "{cells:?}");
    }
}

#[test]
fn typical_values_are_the_most_frequent_or_from_all_over_the_column() {
    let values = |cells: &[&str]| -> Vec<(String, u64)> {
        column(cells).typical.into_iter().map(|t| (t.value, t.rows)).collect()
    };
    let named = |told: &[(&str, u64)]| -> Vec<(String, u64)> {
        told.iter().map(|(value, rows)| ((*value).to_owned(), *rows)).collect()
    };
    assert_eq!(values(&["a", "b", "b", "c", "d", "d"]), named(&[("b", 2), ("d", 2), ("a", 1)]));
    assert_eq!(values(&["a", "b", "c", "d", "e"]), named(&[("a", 1), ("c", 1), ("e", 1)]));
    assert_eq!(values(&["a"]), named(&[("a", 1)]));
    assert_eq!(values(&[""]), named(&[]));
}

#[test]
fn versions_of_one_key_are_told_with_what_tells_the_latest() {
    let text = "order_no,sent_at,status\n\
                M1,2026-01-01,open\nM2,2026-01-01,open\nM1,2026-01-02,closed\nM3,2026-01-03,open\n\
                M4,2026-01-04,open\nM5,2026-01-04,open\nM6,2026-01-04,open\nM6,2026-01-04,open\n";
    let survey = look(text);
    assert_eq!(survey.duplicates.copies, 1);
    let lines = &survey.duplicates.copy_places[0];
    assert_eq!((lines.0.line, lines.1.line), (8, 9));
    let versions = survey.duplicates.versions.unwrap();
    assert_eq!((versions.keys, versions.rows, versions.unlike), (1, 2, false));
    assert_eq!(versions.differ, [("sent_at".to_owned(), 1), ("status".to_owned(), 1)]);
    let dedupe = survey.duplicates.dedupe.unwrap();
    assert_eq!(dedupe, "dedupe by order_no keep latest sent_at");
    let near = &survey.grain.nearly[0];
    assert_eq!((near.columns.as_slice(), near.repeating), (&["order_no".to_owned()][..], 1));
    assert_eq!(near.examples[0].key, "M1");
    let lines: Vec<u64> = near.examples[0].places.iter().map(|place| place.line).collect();
    assert_eq!(lines, [2, 4]);
    assert_eq!(survey.grain.unique[0], ["order_no", "sent_at"]);
}

#[test]
fn things_that_differ_in_all_are_no_versions_of_one() {
    let rows = lines(10, |at| format!("{},n{at},p{at},m{at}", at.min(8)));
    let survey = look(&format!("staff_no,name,place,mail\n{rows}"));
    assert!(survey.duplicates.versions.unwrap().unlike);
    // Two people of one number must not become one.
    assert_eq!(survey.duplicates.dedupe, None);
}

#[test]
fn a_key_by_name_comes_before_what_is_unique_by_chance() {
    let rows = lines(40, |at| format!("{}.50,2026-01-{:02},K{at}", at * 7, at % 28 + 1));
    let survey = look(&format!("net,sold_on,visit_no\n{rows}"));
    assert_eq!(survey.grain.unique, [["visit_no"]]);
    let rows = lines(40, |at| format!("{},{},{at}.50", at / 4, at % 4));
    let survey = look(&format!("order_no,line_no,net\n{rows}"));
    assert_eq!(survey.grain.unique, [["order_no", "line_no"]]);
}

#[test]
fn above_what_is_counted_values_are_estimated_and_keys_found_all_the_same() {
    let rows = lines(9_000, |at| format!("K{at},{}", at % 7));
    let survey = look_in(&format!("id,part\n{rows}"), 0);
    let id = &survey.columns[0];
    assert!(!id.exact && survey.columns[1].exact && id.one_in >= 16);
    assert!(id.distinct.abs_diff(9_000) < 900, "about {}", id.distinct);
    let ends = (id.least.as_deref(), id.greatest.as_deref());
    assert_eq!(ends, (Some("K0"), Some("K999")), "what is seen of each cell is seen of all");
    assert_eq!(survey.grain.unique, [["id"]]);
    let twice = look_in(&format!("id,part\n{rows}K77,9\nK5,5\n"), 0);
    assert_eq!((twice.grain.nearly[0].repeating, twice.duplicates.copies), (1, 1));
    let repeated = &twice.grain.nearly[0].examples[0];
    assert_eq!((repeated.key.as_str(), repeated.rows), ("K77", 2), "it is read again");
    assert_eq!(twice.duplicates.versions.unwrap().differ, [("part".to_owned(), 1)]);
    assert_eq!(twice.columns[1].distinct, 8);
}

#[test]
fn what_is_odd_about_values_is_told_of_a_sample_and_about_cells_of_all() {
    let rows = lines(4_000, |at| format!("M{at:04},{at}.50"));
    let more = "m0017,1 204.00\n M0018,7\nM0019,\u{20ac} 3.00\n";
    let all = look_in(&format!("id,net\n{rows}{more}"), u64::MAX);
    let some = look_in(&format!("id,net\n{rows}{more}"), 0);
    for (all, some) in all.columns.iter().zip(&some.columns) {
        assert!(some.one_in > 1);
        assert_eq!((all.ty, &all.read, all.blank), (some.ty, &some.read, some.blank));
        let told = |of: &ColumnSurvey| -> Vec<_> {
            let cells = |oddity: &&Oddity| oddity.kind != OddityKind::LetterCase;
            let of_all = of.oddities.iter().filter(cells);
            of_all.map(|oddity| (oddity.kind, oddity.rows, oddity.example.clone())).collect()
        };
        assert_eq!(told(all), told(some));
        assert_eq!(all.least, some.least);
    }
    // Those of one bare form are kept together or not at all.
    let folds = lines(8_000, |at| format!("{}{:04}", ["M", "m"][at % 2], at / 2));
    let folded = look_in(&format!("id\n{folds}"), 0).columns.remove(0);
    let case = folded.oddities.iter().find(|oddity| oddity.kind == OddityKind::LetterCase);
    let rows = case.unwrap().rows;
    assert!(folded.one_in > 1 && rows.abs_diff(4_000) < 800, "about {rows}");
}

#[test]
fn a_disk_that_is_full_is_told() {
    let rows = lines(9_000, |at| format!("K{at},{}", at % 7));
    let memory =
        Memory { files: HashMap::from([("t".into(), format!("id,part\n{rows}"))]), part: 3 };
    let source = memory.open(&InputSpec::of_files("t".into(), vec!["t".into()])).unwrap();
    for bytes in [0, 500, 60_000] {
        let told = survey(source.as_ref(), vec![], &Shelf::room(0, bytes), &Silent).unwrap_err();
        assert_eq!((told.kind, told.message.as_str()), (SourceErrorKind::Spill, "is full"));
    }
}

proptest! {
    #[test]
    fn a_column_is_told_as_its_cells_are_one_by_one(
        cells in prop::collection::vec(
            prop_oneof![Just(String::new()), "[0-9]{1,3}", "-?[0-9]{1,2}\\.[0-9]{1,2}", "[a-c]{1,2}", "2026-0[1-3]-1[0-5]"],
            1..40,
        ),
        one_kind in any::<bool>(),
    ) {
        // Mixed columns are text; to see others, the first kind is kept alone.
        let kind = |cell: &String| crate::value::found_type(cell.as_bytes()).scale().is_some();
        let cells: Vec<String> = match (one_kind, cells.iter().find(|cell| !cell.is_empty())) {
            (true, Some(first)) => {
                let first = kind(first);
                cells.iter().filter(|cell| cell.is_empty() || kind(cell) == first).cloned().collect()
            }
            _ => cells,
        };
        let rows = lines(cells.len(), |at| format!("{at},{}", cells[at]));
        let column = look(&format!("row,it\n{rows}")).columns.remove(1);
        let filled: Vec<&String> = cells.iter().filter(|cell| !cell.is_empty()).collect();
        prop_assert_eq!(column.blank as usize, cells.len() - filled.len());
        let mut found = crate::value::Found::default();
        filled.iter().for_each(|cell| found.cell(cell.as_bytes()));
        prop_assert_eq!(column.ty, found.ty());
        let mut counts: BTreeMap<&String, u64> = BTreeMap::new();
        filled.iter().for_each(|cell| *counts.entry(cell).or_default() += 1);
        prop_assert_eq!(column.distinct as usize, counts.len());
        for typical in &column.typical {
            prop_assert_eq!(counts[&typical.value], typical.rows);
        }
        let most_often = counts.values().max().copied();
        prop_assert_eq!(column.typical.first().map(|t| t.rows), most_often);
        if column.ty.scale().is_some() {
            let number = |cell: &&String| cell.parse::<f64>().unwrap();
            let least = filled.iter().map(number).fold(f64::MAX, f64::min);
            let told: f64 = column.least.unwrap().parse().unwrap();
            prop_assert!((told - least).abs() < 1e-9);
        } else if column.read_as == column.ty {
            prop_assert_eq!(column.least.as_ref(), filled.iter().min().copied());
            prop_assert_eq!(column.greatest.as_ref(), filled.iter().max().copied());
        }
    }

    #[test]
    fn copies_and_versions_account_for_all_rows_of_a_key(
        rows in prop::collection::vec((0..12_u8, 0..2_u8), 1..30),
    ) {
        let text = lines(rows.len(), |at| format!("{},v{}", rows[at].0, rows[at].1));
        let survey = look(&format!("id,value\n{text}"));
        let distinct: BTreeSet<_> = rows.iter().collect();
        prop_assert_eq!(survey.duplicates.copies as usize, rows.len() - distinct.len());
        let keys: BTreeSet<u8> = rows.iter().map(|(key, _)| *key).collect();
        if let Some(versions) = survey.duplicates.versions {
            prop_assert_eq!(versions.rows - versions.keys, (distinct.len() - keys.len()) as u64);
        }
        let unique = survey.grain.unique.contains(&vec!["id".to_owned()]);
        prop_assert_eq!(unique, keys.len() == distinct.len() && keys.len() > 1
            || distinct.len() == 1);
    }
}
