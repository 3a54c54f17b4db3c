use granum_core::port::{Encoded, Encoder};
use granum_core::table::{Column, Fixed, Whole};
use granum_core::value::{Scale, Type};
use mysql::Value;

use super::address::{Encrypted, options, password_for_clients};
use super::encode::{RowEncoder, UNHELD};
use super::target::keeps;
use crate::typed::Growing;

#[test]
fn a_cell_is_a_value_of_its_column_or_told() {
    let date = |year, month, day| Value::Date(year, month, day, 0, 0, 0, 0);
    let bytes = |text: &str| Value::Bytes(text.into());
    let cases = [
        (Type::Integer, Value::Int(-5), Ok("-5")),
        (Type::Integer, Value::UInt(u64::MAX), Err("18446744073709551615")),
        (Type::Decimal(Scale(2)), bytes("-1.50"), Ok("-1.50")),
        (Type::Decimal(Scale(2)), bytes("1e9"), Err("1e9")),
        (Type::Number, Value::Float(0.1), Ok("0.1")),
        (Type::Number, Value::Double(f64::NAN), Err("NaN")),
        (Type::Date, date(2026, 3, 1), Ok("2026-03-01")),
        (Type::Date, date(0, 0, 0), Err("0000-00-00")),
        (Type::Date, date(2026, 2, 30), Err("2026-02-30")),
        (Type::DateTime, Value::Date(2026, 3, 1, 8, 0, 0, 500_000), Ok("2026-03-01T08:00:00.5")),
        (Type::DateTime, Value::Date(2026, 0, 1, 8, 0, 0, 0), Err("2026-00-01T08:00:00")),
        (Type::Boolean, Value::Int(1), Ok("true")),
        (Type::Boolean, Value::Int(7), Err("7")),
        (Type::Text, Value::Time(true, 1, 2, 3, 4, 50), Ok("-26:03:04.00005")),
        (Type::Text, bytes(""), Ok("")),
        (Type::Text, Value::Bytes(vec![0xff]), Err("1 bytes that are no text")),
        (Type::Text, Value::NULL, Ok("")),
    ];
    for (ty, value, expected) in cases {
        let mut growing = Growing::new(ty, false, 1);
        growing.take(&value);
        let native = growing.finish();
        let mut text = vec![];
        native.column.write_value(0, &mut text);
        let told =
            native.without.first().or(native.others.first()).map(|(_, told)| told.to_string());
        let found = told.map_or(Ok(String::from_utf8(text).unwrap()), Err);
        let expected = expected.map(str::to_owned).map_err(str::to_owned);
        assert_eq!(found, expected, "{value:?} as {ty}");
    }
}

#[test]
fn a_row_stands_in_a_query_as_it_is() {
    let columns = [
        Column::Text([Some("it's \\n"), None].into_iter().collect()),
        Column::Decimal([Some(-150_i128), None].into_iter().collect::<Whole<i128>>(), Scale(2)),
        Column::Number([Some(0.1), Some(1e300)].into_iter().collect::<Fixed<f64>>()),
        Column::Boolean([Some(true), Some(false)].into_iter().collect()),
        Column::DateTime([Some(1_500_000), None].into_iter().collect::<Fixed<i64>>()),
    ];
    let rows = |places: Option<u32>| {
        let places = [&[None; 4][..], &[places]].concat();
        let names = ["a", "b", "c", "d", "e"].map(str::to_owned).to_vec();
        let Encoded::Bytes(bytes) = (RowEncoder { places, names }).encode(&columns, 2) else {
            panic!("no bytes");
        };
        bytes
    };
    let text = String::from_utf8_lossy(&rows(Some(6))).into_owned();
    assert!(text.contains("('it''s \\n',-1.50,1e-1,1,'1970-01-01T00:00:01.5')"), "{text}");
    assert!(text.contains("(NULL,NULL,1e300,0,NULL)"), "{text}");
    let unheld = rows(Some(0));
    assert_eq!(unheld[..4], UNHELD.to_le_bytes());
    let text = String::from_utf8_lossy(&unheld).into_owned();
    assert!(
        text.contains("`e` is 1970-01-01T00:00:01.5, of which 0 places would be kept"),
        "{text}"
    );
}

#[test]
fn a_column_keeps_values_of_some_types() {
    let cases = [
        ("varchar(20)", Type::Text, true),
        ("mediumtext", Type::Text, true),
        ("int(11)", Type::Text, false),
        ("bigint(20) unsigned", Type::Integer, true),
        ("double", Type::Decimal(Scale(2)), false),
        ("decimal(8,1)", Type::Decimal(Scale(2)), true),
        ("float", Type::Number, false),
        ("datetime", Type::Date, true),
        ("date", Type::DateTime, false),
        ("tinyint(1)", Type::Boolean, true),
        ("blob", Type::Text, false),
    ];
    for (own, ty, expected) in cases {
        assert_eq!(keeps(own, ty), expected, "{own} {ty}");
    }
}

#[test]
fn an_address_says_where_and_the_environment_the_rest() {
    let says = |name: &str| match name {
        "USER" => Some("ada".to_owned()),
        "MYSQL_HOST" => Some("db.example".into()),
        "MYSQL_TCP_PORT" => Some("3307".into()),
        "MYSQL_PWD" => Some("secret".into()),
        _ => None,
    };
    let of = |text: &str| options(text, &says).map_err(|wrong| wrong.message);
    let (opts, encrypted) = of("mysql:///shop").unwrap();
    assert_eq!(opts.get_ip_or_hostname(), "db.example");
    assert_eq!(
        (opts.get_tcp_port(), opts.get_user(), opts.get_pass()),
        (3307, Some("ada"), Some("secret"))
    );
    assert_eq!((opts.get_db_name(), encrypted), (Some("shop"), Encrypted::IfItCan));
    let (opts, encrypted) = of("mariadb://bob@h:1/shop?ssl-mode=REQUIRED").unwrap();
    assert_eq!((opts.get_tcp_port(), opts.get_user(), encrypted), (1, Some("bob"), Encrypted::Yes));
    let (_, encrypted) = of("mysql://h/shop?ssl-ca=/ca.pem&ssl-mode=verify_identity").unwrap();
    assert_eq!(encrypted, Encrypted::Checked(Some("/ca.pem".into())));
    for (text, told) in [
        ("mysql://ada:secret@h/shop", "has a password in its address"),
        ("mysql://h/", "names no database"),
        ("mysql://h/shop?ssl-mode=odd", "has an unknown ssl-mode: odd"),
        ("mysql://h/shop?colour=red", "says what nobody knows: colour=red"),
        ("mysql://h:port/shop", "is no address: "),
    ] {
        assert!(of(text).unwrap_err().starts_with(told), "{text}");
    }
}

#[test]
fn the_password_of_clients_stands_in_their_part_of_the_file() {
    let text =
        "[mysqld]\npassword=no\n[client]\nuser = ada\npassword = \"a = b\"\n[other]\npassword=x\n";
    assert_eq!(password_for_clients(text).as_deref(), Some("a = b"));
    assert_eq!(password_for_clients("password=x\n"), None);
}
