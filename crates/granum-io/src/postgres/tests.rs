use granum_core::port::{Encoded, Encoder, SourceErrorKind};
use granum_core::table::{Column, Fixed, Whole};
use granum_core::value::{Scale, decimal};
use postgres::types::Type as Server;
use proptest::prelude::*;

use super::address::Address;
use super::decode::{Rows, natives};
use super::encode::{END, RowEncoder};
use super::kinds::{Coming, Kind, kind};
use super::numeric;
use super::password::fitting;

/// A decimal as the server would send it: what is written without its length.
fn sent(units: i128, scale: u8) -> Vec<u8> {
    let mut out = vec![];
    numeric::write(units, Scale(scale), &mut out);
    assert_eq!(i32::from_be_bytes(out[..4].try_into().unwrap()) as usize, out.len() - 4);
    out.split_off(4)
}

#[test]
fn decimals_are_groups_of_four_digits_around_the_point() {
    // As the server itself sends 12345.678, -0.01 and 0.
    assert_eq!(sent(12_345_678, 3), [0, 3, 0, 1, 0, 0, 0, 3, 0, 1, 9, 41, 26, 124]);
    assert_eq!(sent(-1, 2), [0, 1, 255, 255, 64, 0, 0, 2, 0, 100]);
    assert_eq!(sent(0, 2), [0, 0, 0, 0, 0, 0, 0, 2]);
    assert_eq!(numeric::read(&sent(5, 0), Scale(2)), Ok(500));
    let told = |bytes: &[u8], scale| numeric::read(bytes, Scale(scale)).unwrap_err();
    assert_eq!(told(&sent(-12_345_678, 3), 2), "-12345.678");
    assert_eq!(told(&sent(1, 4), 3), "0.0001");
    assert_eq!(told(&[0, 0, 0, 0, 0xC0, 0, 0, 0], 2), "NaN");
    assert_eq!(told(&[0, 0, 0, 0, 0xF0, 0, 0, 0], 2), "-Infinity");
    assert_eq!(told(&[0, 1, 0, 10, 0, 0, 0, 0, 0, 7], 2), format!("7{}", "0".repeat(40)));
    assert_eq!(told(&[0, 9, 0], 2), "3 bytes that are no number");
}

#[test]
fn a_type_says_how_its_values_come() {
    let comes = |coming| Kind::Comes { coming, as_text: false };
    let with = |places: i32| (12 << 16 | places & 0x7ff) + 4;
    let cases = [
        (Server::INT2, -1, comes(Coming::Int2)),
        (Server::NUMERIC, -1, Kind::Open),
        (Server::NUMERIC, with(2), comes(Coming::Numeric(Scale(2)))),
        (Server::NUMERIC, with(-3), comes(Coming::Numeric(Scale(0)))),
        (Server::NUMERIC, with(30), Kind::No("a decimal of 30 places".into())),
        (Server::TIMESTAMPTZ, -1, comes(Coming::Moment { utc: true })),
        (Server::UUID, -1, Kind::Comes { coming: Coming::Text, as_text: true }),
        (Server::TEXT_ARRAY, -1, Kind::No("a list".into())),
        (Server::BYTEA, -1, Kind::No("bytes".into())),
    ];
    for (ty, modifier, expected) in cases {
        assert_eq!(kind(&ty, modifier), expected, "{ty} {modifier}");
    }
}

#[test]
fn a_line_of_the_password_file_fits_or_does_not() {
    let doors = ["db:1", "5432", "shop", "ada"].map(str::to_owned);
    let cases = [
        ("db\\:1:5432:shop:ada:pass\\\\w:rd", Some("pass\\w:rd")),
        ("*:*:*:*:any", Some("any")),
        ("db\\:1:5432:shop:bob:no", None),
        ("# db\\:1:5432:shop:ada:no", None),
        ("db\\:1:5432:shop:ada", None),
        ("db\\:1:5432:shop:ada:", None),
        ("", None),
    ];
    for (line, expected) in cases {
        assert_eq!(fitting(line, &doors).as_deref(), expected, "{line}");
    }
}

#[test]
fn an_address_is_refused_with_words_that_show_no_password() {
    let none = |_: &str| None;
    let refused = |text: &str, says: &dyn Fn(&str) -> Option<String>| {
        Address::of(text, says).err().map(|wrong| (wrong.kind, wrong.message))
    };
    let (kind, told) = refused("postgres://ada:secret@db/shop", &none).unwrap();
    assert_eq!((kind, told.as_str()), (SourceErrorKind::Access, "has a password in its address"));
    assert_eq!(refused("postgres:///shop", &none).unwrap().1, "says no user");
    let says = |name: &str| match name {
        "PGUSER" => Some("ada".into()),
        "PGPORT" => Some("x1".into()),
        _ => None,
    };
    assert_eq!(refused("postgres:///shop", &says).unwrap().1, "PGPORT is no number: x1");
    assert_eq!(refused("postgres://:5432/shop?sslmode=require", &says), None);
}

/// A row: a whole number, a decimal, a day, a moment, a number, a truth value.
type Row = (Option<i64>, Option<i128>, Option<i32>, Option<i64>, Option<f64>, Option<bool>);

fn row() -> impl Strategy<Value = Row> {
    let micros = -62_135_596_800_000_000..253_402_300_800_000_000_i64;
    (
        any::<Option<i64>>(),
        prop::option::of(1 - decimal::LIMIT..decimal::LIMIT),
        prop::option::of(-719_162..=2_932_896_i32),
        prop::option::of(micros),
        prop::option::of(any::<f64>().prop_filter("finite", |value| value.is_finite())),
        any::<Option<bool>>(),
    )
}

proptest! {
    #[test]
    fn a_decimal_comes_back_as_it_was(units in 1 - decimal::LIMIT..decimal::LIMIT, scale in 0..=20_u8) {
        prop_assert_eq!(numeric::read(&sent(units, scale), Scale(scale)), Ok(units));
    }

    #[test]
    fn rows_come_back_as_they_were_however_they_are_cut(
        rows in prop::collection::vec(row(), 0..20),
        texts in prop::collection::vec(prop::option::of("[^\0]{1,8}"), 20),
        cut in any::<prop::sample::Index>(),
    ) {
        let count = rows.len();
        let columns = vec![
            Column::Integer(rows.iter().map(|row| row.0).collect()),
            Column::Decimal(rows.iter().map(|row| row.1).collect::<Whole<i128>>(), Scale(7)),
            Column::Date(rows.iter().map(|row| row.2).collect::<Fixed<i32>>()),
            Column::DateTime(rows.iter().map(|row| row.3).collect::<Fixed<i64>>()),
            Column::Number(rows.iter().map(|row| row.4).collect::<Fixed<f64>>()),
            Column::Boolean(rows.iter().map(|row| row.5).collect()),
            Column::Text(texts.iter().take(count).map(Option::as_deref).collect()),
        ];
        let Encoded::Bytes(mut bytes) = RowEncoder.encode(&columns, count) else {
            return Err(TestCaseError::fail("no bytes"));
        };
        bytes.extend_from_slice(END);
        let mut found = Rows::default();
        found.go_on(&bytes[..cut.index(bytes.len())]).unwrap();
        prop_assert!(!found.ended && found.count <= count);
        found.go_on(&bytes).unwrap();
        prop_assert!(found.ended && found.count == count && found.at == bytes.len() - 2);
        let coming = [
            Coming::Int8, Coming::Numeric(Scale(7)), Coming::Date, Coming::Moment { utc: false }, Coming::Float8,
            Coming::Boolean, Coming::Text,
        ];
        let natives = natives(&bytes, count, &coming).unwrap();
        for (own, native) in columns.iter().zip(natives) {
            prop_assert!(native.without.is_empty());
            for row in 0..count {
                prop_assert_eq!(own.scalar(row), native.column.scalar(row));
            }
        }
    }

    /// What is no row is told, and nothing panics.
    #[test]
    fn bytes_that_are_no_rows_are_told(bytes in prop::collection::vec(any::<u8>(), 0..80)) {
        let mut rows = Rows::default();
        if rows.go_on(&bytes).is_ok() {
            let _ = natives(&bytes, rows.count, &[Coming::Int4, Coming::Numeric(Scale(2)), Coming::Text]);
        }
        let _ = numeric::read(&bytes, Scale(4));
    }
}
