use granum_core::lang::{Otherwise, Span};
use granum_core::port::{InputColumn, Part, ReadRequest, ReadRule};
use granum_core::table::{Column, Counted, Origin};
use granum_core::value::{Scalar, Scale, Type, Zone};

use super::{Keys, Native, Typed, needed};

fn rule(ty: Type, format: &str, zone: &str, otherwise: Otherwise) -> ReadRule {
    ReadRule {
        ty,
        formats: if format.is_empty() { vec![] } else { vec![format.into()] },
        zone: (!zone.is_empty()).then(|| Zone::named(zone).unwrap()),
        otherwise,
        span: Span::default(),
    }
}

/// One column as it is asked for.
fn asked(native: Native, ty: Type, rule: Option<ReadRule>, aside: bool) -> Part {
    let request = ReadRequest {
        columns: vec![InputColumn { column: 0, ty, rule }],
        fingerprints: vec![],
        aside,
        last: false,
    };
    assert_eq!(needed(&request), [0]);
    let rows = native.column.len();
    let origin = Origin { file: "t".into(), counted: Counted::Row };
    let natives = vec![(0, native)];
    Typed { request: &request, width: 1, rows, natives, origin, first: 5, alike: true }
        .part()
        .unwrap()
}

fn shown(part: &Part) -> Vec<String> {
    let column = &part.columns[0];
    let written = |row| {
        let mut out = vec![];
        column.write_value(row, &mut out);
        String::from_utf8(out).unwrap()
    };
    (0..column.len()).map(written).collect()
}

#[test]
fn what_is_asked_otherwise_is_made_of_what_is_there() {
    let numbers = || Native::from(Column::Integer([Some(20_260_301), None].into_iter().collect()));
    let texts = || Native::from(Column::Text([Some("01.03.2026"), None].into_iter().collect()));
    let stop = Otherwise::Stop;
    let date = |format| Some(rule(Type::Date, format, "", stop));
    let plain = |native, ty| shown(&asked(native, ty, None, false));
    assert_eq!(plain(numbers(), Type::Integer), ["20260301", ""]);
    assert_eq!(plain(numbers(), Type::Text), ["20260301", ""]);
    assert_eq!(plain(numbers(), Type::Decimal(Scale(2))), ["20260301.00", ""]);
    assert_eq!(plain(numbers(), Type::Number), ["20260301", ""]);
    assert_eq!(plain(Column::Blank(1).into(), Type::Date), [""]);
    assert_eq!(shown(&asked(numbers(), Type::Date, date("%Y%m%d"), false)), ["2026-03-01", ""]);
    assert_eq!(shown(&asked(texts(), Type::Date, date("%d.%m.%Y"), false)), ["2026-03-01", ""]);
    let decimals = Column::decimal(vec![1_250], None, Scale(2));
    assert_eq!(plain(decimals.clone().into(), Type::Decimal(Scale(3))), ["12.500"]);
    // A place would be lost.
    let one = Some(rule(Type::Decimal(Scale(0)), "", "", stop));
    assert_eq!(asked(decimals.into(), Type::Decimal(Scale(0)), one, false).troubles.len(), 1);
}

#[test]
fn moments_of_utc_are_read_by_the_clock_of_a_place_and_others_as_it_showed_them() {
    // Half past midnight UTC, on the night that a clock of Berlin goes forward at two.
    let moment = || Column::DateTime(vec![1_774_744_200_000_000].into());
    let berlin = || Some(rule(Type::DateTime, "", "Europe/Berlin", Otherwise::Stop));
    let read = |utc| {
        asked(
            Native { column: moment(), utc, without: vec![], others: vec![] },
            Type::DateTime,
            berlin(),
            false,
        )
    };
    assert_eq!(shown(&read(true)), ["2026-03-29T01:30:00"]);
    assert_eq!(shown(&read(false)), ["2026-03-29T00:30:00"]);
    let texts = Native { column: moment(), utc: true, without: vec![], others: vec![] };
    assert_eq!(shown(&asked(texts, Type::Text, None, false)), ["2026-03-29T00:30:00Z"]);
}

#[test]
fn a_cell_that_no_value_can_be_is_told_unless_somebody_said_what_becomes_of_it() {
    let native = || Native {
        column: Column::Number([Some(1.5), None, None].into_iter().collect()),
        utc: false,
        without: vec![(1, "NaN".into())],
        others: vec![],
    };
    let part = asked(native(), Type::Number, None, false);
    assert_eq!((part.troubles[0].count, part.contradicts), (1, false));
    let (text, place) = &part.troubles[0].examples[0];
    assert_eq!((text.as_str(), place.to_string().as_str()), ("NaN", "t row 6"));
    let aside = Some(rule(Type::Decimal(Scale(1)), "", "", Otherwise::Aside));
    let part = asked(native(), Type::Decimal(Scale(1)), aside, true);
    assert_eq!(shown(&part), ["1.5", "", ""]);
    assert_eq!(part.aside.unwrap().scalar(1).to_string(), "true");
}

#[cfg(feature = "columnar")]
#[test]
fn the_folders_of_a_path_say_columns() {
    let keys = Keys::of("sales/region=north/day=2026-03-01/a%20b=c%2Fd/region=east%zz/x=y.parquet");
    let told: Vec<(&str, &str)> =
        keys.names().map(|name| (name.as_str(), keys.value(name).unwrap())).collect();
    assert_eq!(told, [("day", "2026-03-01"), ("a b", "c/d"), ("region", "east%zz")]);
    assert_eq!(Keys::of("=a/b=/c.parquet").value("b"), Some(""));
    let all = [Keys::of("n=1/t=07/p"), Keys::of("n=2/t=8/p"), Keys::of("n=/t=8/p")];
    assert_eq!(Keys::types(all.iter()), [("n", Type::Integer), ("t", Type::Text)]);
    assert_eq!(Keys::read("2026-03-01", Type::Date).to_string(), "2026-03-01");
    assert_eq!(Keys::read("", Type::Integer), Scalar::Blank);
}
