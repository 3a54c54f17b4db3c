use granum_core::table::Column;
use granum_core::value::{Scale, Type};
use rusqlite::Connection;
use rusqlite::types::ValueRef;

use super::kinds::declared;
use super::refill::refill;
use super::values::{fits, stored};
use crate::place::Refill;

#[test]
fn a_declaration_says_a_type_or_leaves_it_to_the_cells() {
    let cases = [
        ("INTEGER", Some(Type::Integer)),
        ("unsigned big int", Some(Type::Integer)),
        ("varchar(20)", Some(Type::Text)),
        ("double precision", Some(Type::Number)),
        ("Decimal(10, 2)", Some(Type::Decimal(Scale(2)))),
        ("NUMERIC(8)", Some(Type::Decimal(Scale(0)))),
        ("decimal(40,30)", None),
        ("NUMERIC", None),
        ("DATE", Some(Type::Date)),
        ("timestamp with time zone", Some(Type::DateTime)),
        ("boolean", Some(Type::Boolean)),
        ("", None),
        ("blob", None),
    ];
    for (words, ty) in cases {
        assert_eq!(declared(words), ty, "{words}");
    }
}

#[test]
fn a_cell_fits_a_type_blank_cells_say_nothing() {
    let text = |text: &'static str| ValueRef::Text(text.as_bytes());
    let cases = [
        (ValueRef::Null, Type::Integer, None),
        (text(""), Type::Date, None),
        (ValueRef::Integer(3), Type::Boolean, Some(false)),
        (ValueRef::Integer(1), Type::Boolean, Some(true)),
        (ValueRef::Real(2.0), Type::Integer, Some(true)),
        (ValueRef::Real(2.5), Type::Integer, Some(false)),
        (ValueRef::Real(0.1), Type::Decimal(Scale(2)), Some(true)),
        (ValueRef::Real(0.125), Type::Decimal(Scale(2)), Some(false)),
        (ValueRef::Integer(i64::MAX), Type::Number, Some(false)),
        (text("2026-03-01 00:00:00"), Type::Date, Some(true)),
        (text("2026-03-01 08:00:00"), Type::Date, Some(false)),
        (text("2026-03-01"), Type::DateTime, Some(true)),
        (ValueRef::Blob(b"a"), Type::Text, Some(false)),
        (ValueRef::Text(b"\xff"), Type::Text, Some(false)),
        (ValueRef::Real(f64::INFINITY), Type::Number, Some(false)),
    ];
    for (value, ty, expected) in cases {
        assert_eq!(fits(value, ty), expected, "{value:?} as {ty}");
    }
}

#[test]
fn a_decimal_is_kept_if_it_comes_back_the_same() {
    let held = |units: i128, scale| {
        let column = Column::decimal(vec![units], None, Scale(scale));
        stored(&column, 0, &mut vec![]).map(drop)
    };
    assert_eq!(held(999_999_999_999_999, 2), Ok(()));
    assert_eq!(held(-100_000_000_000_000_000_000, 2), Ok(()));
    assert_eq!(
        held(12_345_678_901_234_567_891, 2),
        Err("is 123456789012345678.91, of which a database would keep fifteen digits: \
             123456789012345680"
            .into())
    );
}

#[test]
fn a_table_is_refilled_once_for_a_run_and_all_else_stays() {
    let folder = tempfile::tempdir().unwrap();
    let (stage, target) = (folder.path().join("stage"), folder.path().join("a.db"));
    let staged = Connection::open(&stage).unwrap();
    staged
        .execute_batch(
            "CREATE TABLE a (k TEXT, n INTEGER); INSERT INTO a VALUES ('x', 1), ('y', 2);
             CREATE TABLE b (k TEXT); INSERT INTO b VALUES ('z'); CREATE UNIQUE INDEX b_key ON b (k)",
        )
        .unwrap();
    drop(staged);
    let own = Connection::open(&target).unwrap();
    own.execute_batch(
        "CREATE TABLE A (n INTEGER, k TEXT PRIMARY KEY, CHECK (n > 0)); INSERT INTO A VALUES (7, 'old');
         CREATE TABLE other (x); INSERT INTO other VALUES (1); CREATE VIEW v AS SELECT * FROM a",
    )
    .unwrap();
    let tables = vec!["a".to_owned(), "b".to_owned()];
    let run = |name: &str| Refill { run: name.into(), tables: tables.clone() };
    let told = |query: &str| -> String { own.query_row(query, [], |row| row.get(0)).unwrap() };
    let all = "SELECT (SELECT group_concat(k || n) FROM v) || (SELECT count(*) FROM other) || (SELECT count(*) FROM granum_run)";
    refill(&stage, &target, &run("one")).unwrap();
    assert_eq!(told(all), "x1,y211");
    assert_eq!(told("SELECT k FROM b"), "z");
    // Somebody goes on with it; the same run comes again.
    own.execute_batch("UPDATE A SET n = 5").unwrap();
    refill(&stage, &target, &run("one")).unwrap();
    assert_eq!(told(all), "x5,y511");
    refill(&stage, &target, &run("two")).unwrap();
    assert_eq!(told(all), "x1,y212");
    // What the table refuses leaves all as it was.
    Connection::open(&stage).unwrap().execute_batch("UPDATE a SET n = -1 WHERE k = 'y'").unwrap();
    assert!(refill(&stage, &target, &run("three")).is_err());
    assert_eq!(told(all), "x1,y212");
}
