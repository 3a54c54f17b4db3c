//! Expressions by themselves: each function's example, blanks, types, exactness.

use std::sync::atomic::AtomicU64;

use proptest::prelude::*;

use super::*;
use crate::resolve::resolve_alone;
use crate::table::{Batch, Column, Present, Whole};
use crate::value::{Scalar, Scale, Type};

/// What an expression gives for rows of some columns, each value in words.
fn worked(columns: &[(&str, Column)], text: &str) -> Result<Vec<String>, String> {
    let rows = columns.first().map_or(1, |(_, column)| column.len());
    let typed = resolve_alone(columns, text)?;
    let batch =
        Batch::new(rows, columns.iter().map(|(_, column)| Some(column.clone())).collect(), vec![]);
    let scope = Scope {
        batch: &batch,
        world: &World::default(),
        zero_divisions: &AtomicU64::new(0),
        failing: Failing::Stops,
    };
    let column = evaluate(&typed, &scope)
        .map_err(|failure| format!("row {}: {:?}", failure.row, failure.kind))?;
    assert_eq!(column.len(), rows, "{text}");
    assert!(
        column.ty() == typed.ty || column.ty() == Type::Blank,
        "{text} is {} and gave {}",
        typed.ty,
        column.ty()
    );
    Ok((0..rows).map(|row| column.scalar(row).to_string()).collect())
}

fn one(text: &str) -> String {
    worked(&[], text).unwrap().remove(0)
}

#[test]
fn every_function_gives_what_its_example_says() {
    for function in FUNCTIONS {
        let (example, result) = function.example;
        assert_eq!(one(example), result, "{example}");
        assert!(!function.doc.is_empty() && function.doc.ends_with('.'), "{}", function.name);
        assert!(function.signature.starts_with(function.name), "{}", function.name);
    }
}

#[test]
fn every_function_gives_blank_from_blank() {
    for function in FUNCTIONS {
        let places = function.takes.last() == Some(&Takes::Places);
        let count = function.takes.len() - function.optional;
        let mut args = vec!["blank"; count];
        if places {
            args[count - 1] = "2";
        }
        for (at, takes) in function.takes.iter().enumerate() {
            if matches!(takes, Takes::Pattern | Takes::Template) {
                args[at] = "\"a\"";
            }
        }
        let call = format!("{}({})", function.name, args.join(", "));
        assert_eq!(one(&call), "blank", "{call}");
    }
}

/// Calls of a function with columns of each type that it takes: `t` and `u` are texts, `n` whole, `d`
/// decimals, `f` numbers, `on` days, `at` times.
fn calls(function: &Function) -> Vec<String> {
    let fitting = |takes: &Takes| match takes {
        Takes::Text => vec!["t"],
        Takes::Replacement => vec!["u", "\"\""],
        Takes::Integer => vec!["n"],
        Takes::Temporal => vec!["on", "at"],
        Takes::Numeric => vec!["n", "d", "f"],
        Takes::Ordered => vec!["n", "d", "f", "on", "at"],
        Takes::Any => vec!["n", "d", "f", "t", "on", "at"],
        Takes::Number => vec!["n", "d", "f", "u"],
        Takes::Day => vec!["on", "at", "u"],
        Takes::Places => vec!["2", "0"],
        Takes::Format => vec![],
        Takes::Moment => vec!["at"],
        Takes::Pattern => vec!["\"[a-z]+|-.*$\"", "\"0(.)\""],
        Takes::Template => vec!["\"\"", "\"$1$1\""],
    };
    let takes: Vec<Vec<&str>> =
        function.takes.iter().map(fitting).filter(|fitting| !fitting.is_empty()).collect();
    let widths = takes.iter().map(Vec::len).max().unwrap();
    let args = |at: usize| takes.iter().map(move |fitting| fitting[at.min(fitting.len() - 1)]);
    let call =
        |at: usize| format!("{}({})", function.name, args(at).collect::<Vec<_>>().join(", "));
    (0..widths).map(call).collect()
}

/// A row of values of each type, any of them blank.
type Values = (Option<usize>, Option<usize>, Option<i64>, Option<i128>, Option<i32>);

const TEXTS: [&str; 6] = ["Moss & Fern", "2026-01-02", "007", "-2.5", "\u{e9}tage ", "2026-02-30"];

fn columns_of(rows: &[Values]) -> Vec<(&'static str, Column)> {
    let text = |at: Option<usize>| at.map(|at| TEXTS[at]);
    let micros = |days: i32| i64::from(days) * 86_400_000_000 + 3_600_000_001;
    let sizes = rows.iter().map(|row| row.3.unwrap_or(0)).collect();
    let present = Some(rows.iter().map(|row| row.3.is_some()).collect::<Vec<bool>>().into());
    vec![
        ("t", Column::Text(rows.iter().map(|row| text(row.0)).collect())),
        ("u", Column::Text(rows.iter().map(|row| text(row.1)).collect())),
        ("n", Column::Integer(rows.iter().map(|row| row.2).collect())),
        ("d", Column::decimal(sizes, present, Scale(2))),
        ("f", Column::Number(rows.iter().map(|row| row.2.map(|n| n as f64 / 4.0)).collect())),
        ("on", Column::Date(rows.iter().map(|row| row.4).collect())),
        ("at", Column::DateTime(rows.iter().map(|row| row.4.map(micros)).collect())),
    ]
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    /// Each row is worked as if it were alone, and the first that cannot be worked is told.
    #[test]
    fn every_function_works_each_row_as_if_it_were_alone(rows in prop::collection::vec(
        (
            prop::option::weighted(0.8, 0..TEXTS.len()), prop::option::weighted(0.8, 0..TEXTS.len()),
            prop::option::weighted(0.8, -3_i64..9), prop::option::weighted(0.8, -250_i128..250),
            prop::option::weighted(0.8, -40_000_i32..40_000),
        ),
        1..40,
    )) {
        let columns = columns_of(&rows);
        for call in FUNCTIONS.iter().flat_map(calls) {
            let alone: Result<Vec<String>, String> = (0..rows.len())
                .map(|row| {
                    let one = worked(&columns_of(&rows[row..=row]), &call);
                    one.map(|mut one| one.remove(0)).map_err(|failure| {
                        failure.replacen("row 0", &format!("row {row}"), 1)
                    })
                })
                .collect();
            prop_assert_eq!(worked(&columns, &call), alone, "{}", call);
        }
    }
}

#[test]
fn arithmetic_is_exact_and_keeps_places() {
    for (text, value) in [
        ("1 + 2", "3"),
        ("1.50 + 2", "3.50"),
        ("0.1 + 0.2", "0.3"),
        ("2.50 * 1.5", "3.750"),
        ("3 * 0.5", "1.5"),
        ("1 / 3", "0.3333333333"),
        ("2 / 3", "0.6666666667"),
        ("-2 / 3", "-0.6666666667"),
        ("10.00 / 4", "2.5000000000"),
        ("7 / 0", "blank"),
        ("-5", "-5"),
        ("--5", "5"),
        ("-(1.5 - 2)", "0.5"),
        ("date(\"2026-03-01\") - date(\"2026-02-27\")", "2"),
        ("0.00000000001 * 0.0000000001", "0.00000000000000000000"),
        ("round(0.5, 0)", "1"),
        ("round(-0.5, 0)", "-1"),
        ("round(7, 2)", "7.00"),
        ("round(1.005, 2)", "1.01"),
        ("decimal(7, 1) + 1", "8.0"),
    ] {
        assert_eq!(one(text), value, "{text}");
    }
}

#[test]
fn what_does_not_fit_fails_and_says_so() {
    for text in [
        "9223372036854775807 + 1",
        "-9223372036854775807 - 2",
        "9223372036854775807 * 2",
        "99999999999999999999999999999999999999 + 1",
        "99999999999999999999999999999999999999 * 2",
        "99999999999999999999999999999999999999 + 0.1",
        "99999999999999999999999999999999999999 / 0.1",
        "round(99999999999999999999999999999999999999, 2)",
    ] {
        assert_eq!(worked(&[], text).unwrap_err(), "row 0: Overflow", "{text}");
    }
    for text in [
        "add_days(date(\"2026-01-01\"), 9223372036854775807)",
        "add_days(date(\"9999-12-31\"), 1)",
        "add_months(date(\"1583-01-01\"), -1)",
        "pad_left(\"v\", 9999999999, \"x\")",
    ] {
        let failure = worked(&[], text).unwrap_err();
        assert!(failure.starts_with("row 0: Limit("), "{text}: {failure}");
    }
    assert_eq!(worked(&[], "add_days(date(\"0033-04-03\"), 2)").unwrap(), ["0033-04-05"]);
    for text in [
        "integer(\"x\")",
        "integer(2.5)",
        "decimal(\"1.234\", 2)",
        "decimal(1.25, 1)",
        "date(\"1.2.2026\")",
        "date(\"x\", \"%d\")",
    ] {
        let said = worked(&[], text);
        assert!(said.as_ref().is_err(), "{text} gave {said:?}");
    }
}

#[test]
fn a_failure_names_the_first_row_that_counts() {
    let numbers = Column::Integer(vec![Some(1), None, Some(i64::MAX), Some(i64::MAX)].into());
    assert_eq!(worked(&[("n", numbers.clone())], "n + 1").unwrap_err(), "row 2: Overflow");
    let guarded = worked(&[("n", numbers.clone())], "if n < 5 then n + 1 else 0").unwrap();
    assert_eq!(guarded, ["2", "blank", "0", "0"]);
    assert_eq!(
        worked(&[("n", numbers)], "n < 5 and n + 1 > 0").unwrap(),
        ["true", "blank", "false", "false"]
    );
    let texts = Column::Text([Some("7"), Some("x")].into_iter().collect());
    let values = Column::Integer(vec![None, Some(3)].into());
    assert_eq!(worked(&[("t", texts), ("v", values)], "v ?? integer(t)").unwrap(), ["7", "3"]);
}

#[test]
fn blank_in_blank_out_and_three_valued_logic() {
    for (text, value) in [
        ("blank + 1", "blank"),
        ("1 < blank + 1", "blank"),
        ("not (blank = 1 or false)", "blank"),
        ("true or blank = 1 + 0", "true"),
        ("false and 1 = blank + 0", "false"),
        ("false or 1 = blank + 0", "blank"),
        ("1 in (2, blank)", "blank"),
        ("1 in (1, blank)", "true"),
        ("1 not in (2, 3)", "true"),
        ("blank is blank", "true"),
        ("1 is not blank", "true"),
        ("blank ?? 3", "3"),
        ("blank & \"x\"", "x"),
        ("\"\" & blank", "blank"),
        ("if 1 = blank + 0 then 1 else 2", "blank"),
        ("trim(\"  \")", "blank"),
        ("part(\"a-b\", \"-\", 3)", "blank"),
        ("part(\"a-b\", \"-\", 0)", "blank"),
        ("left(\"ab\", -1)", "blank"),
        ("replace(\"a\", \"a\", \"\")", "blank"),
        ("highest(1, blank)", "blank"),
    ] {
        // `1 = blank` is an error in a plan; a blank that is reckoned stands in for a column.
        assert_eq!(one(text), value, "{text}");
    }
}

#[test]
fn values_of_different_scales_compare_by_value() {
    for (text, value) in [
        ("1.50 = 1.5", "true"),
        ("1 = 1.000", "true"),
        ("0.1 < 0.11", "true"),
        ("99999999999999999999999999999999999999 > 0.00000000000000000001", "true"),
        ("-99999999999999999999999999999999999999 < 0.00000000000000000001", "true"),
        ("2 in (1.0, 2.00)", "true"),
        ("2 in (1, 2)", "true"),
        ("2.5 in (1, 2.50, blank)", "true"),
        ("3 not in (1, 2)", "true"),
        ("\"b\" in (\"a\", \"b\")", "true"),
        ("date(\"2026-01-02\") in (date(\"2026-01-01\"), date(\"2026-01-02\"))", "true"),
        ("\"a\" < \"b\"", "true"),
        ("\"long text that is not inline\" = \"long text that is not inline\"", "true"),
        ("\"long text that is not inline\" = \"long text that is not in line\"", "false"),
        ("true > false", "true"),
        ("date(\"2026-01-02\") > date(\"2026-01-01\")", "true"),
        ("lowest(3, 2.50, 7)", "2.50"),
        ("highest(date(\"2026-01-02\"), date(\"2026-01-01\"))", "2026-01-02"),
    ] {
        assert_eq!(one(text), value, "{text}");
    }
}

#[test]
fn a_datetime_compares_with_a_date_by_its_day() {
    let moments = Column::DateTime(vec![1_767_225_600_000_000 + 86_399_000_000].into());
    assert_eq!(worked(&[("m", moments.clone())], "m").unwrap(), ["2026-01-01T23:59:59"]);
    assert_eq!(worked(&[("m", moments.clone())], "m = date(\"2026-01-01\")").unwrap(), ["true"]);
    assert_eq!(worked(&[("m", moments)], "date(m) - date(\"2025-12-31\")").unwrap(), ["1"]);
}

#[test]
fn numbers_of_floating_point_do_as_they_do() {
    let numbers = Column::Number(vec![1.5, -0.0, 1e300].into());
    let x = |text| worked(&[("x", numbers.clone())], text);
    assert_eq!(x("x + 1").unwrap()[0], "2.5");
    assert_eq!(x("x = 0").unwrap()[1], "true");
    assert_eq!(x("round(x, 0)").unwrap()[0], "2");
    assert_eq!(x("abs(-x)").unwrap()[0], "1.5");
    assert_eq!(x("x * x").unwrap_err(), "row 2: Overflow");
    assert_eq!(x("x / 0").unwrap()[0], "blank");
    assert!(x("integer(x)").is_err());
}

#[test]
fn constants_take_the_places_of_what_they_are_compared_with() {
    let net = Column::decimal(vec![150, -1], None, Scale(2));
    let typed = resolve_alone(&[("net", net)], "net >= 0").unwrap();
    let Kind::Compare { right, .. } = &typed.kind else { panic!() };
    assert_eq!(right.constant(), Some(&Scalar::Decimal(0, Scale(2))));
}

#[test]
fn what_can_fail_is_known() {
    let columns = [
        ("n", Column::Integer(vec![1].into())),
        ("t", Column::Text([Some("x")].into_iter().collect())),
    ];
    let fails = |text| resolve_alone(&columns, text).unwrap().can_fail();
    for text in ["n + 1", "integer(t)", "-n", "round(n, 2)", "date(t)", "add_days(date(t), 1)"] {
        assert!(fails(text), "{text}");
    }
    for text in ["n > 1", "upper(t) & t", "n is blank", "t ?? \"x\"", "text(n)", "length(t)"] {
        assert!(!fails(text), "{text}");
    }
    assert!(fails("pad_left(t, n, \"0\")") && !fails("lowest(n, 2)"));
}

#[test]
fn what_cannot_fail_comes_out_of_whatever_there_is() {
    let most = i64::MAX;
    // The first day and the last that can be written.
    let day = |year| crate::value::day::from_civil(jiff::civil::Date::new(year, 12, 31).unwrap());
    let (first, last) = (day(-9999), day(9999));
    let start = crate::value::day::start_of;
    let large = 10_i128.pow(38) - 1;
    let columns = [
        ("n", Column::Integer(vec![most, i64::MIN, 0, -1].into())),
        ("d", Column::decimal(vec![large, -large, 0, 5], None, Scale(2))),
        ("f", Column::Number(vec![f64::MAX, f64::MIN, -0.0, 0.5].into())),
        ("t", Column::Text([Some("x"), Some(" "), None, Some("é\u{0}")].into_iter().collect())),
        ("u", Column::Text([Some(""), Some("x"), Some("é"), None].into_iter().collect())),
        ("on", Column::Date(vec![first, last, 0, -1].into())),
        ("at", Column::DateTime(vec![start(first), start(last), 0, -1].into())),
    ];
    for call in FUNCTIONS.iter().filter(|function| !function.fails).flat_map(calls) {
        assert_eq!(worked(&columns, &call).map(|rows| rows.len()), Ok(4), "{call}");
    }
}

proptest! {
    /// Days over four hundred years, so that leap years and all kinds of first weeks are met.
    #[test]
    fn the_words_of_a_day_are_those_of_the_calendar(days in -100_000..60_000_i32, by in -30..30_i64) {
        let date = crate::value::day::to_civil(days).unwrap();
        let columns = [
            ("on", Column::Date(vec![days].into())),
            ("at", Column::DateTime(vec![crate::value::day::start_of(days) + 86_399_000_000].into())),
            ("n", Column::Integer(vec![by].into())),
        ];
        let one = |text: &str| worked(&columns, text).unwrap().remove(0);
        let (year, month, day) = (date.year(), date.month(), date.day());
        let week = date.iso_week_date();
        let later = {
            // Counted in months, and the day brought back into its month.
            let months = i64::from(year) * 12 + i64::from(month) - 1 + by;
            let (year, month) = (months.div_euclid(12) as i16, months.rem_euclid(12) as i8 + 1);
            let first = jiff::civil::Date::new(year, month, 1).unwrap();
            jiff::civil::Date::new(year, month, day.min(first.days_in_month())).unwrap()
        };
        for (text, wanted) in [
            ("year(on)", year.to_string()),
            ("quarter(on)", format!("{year:04}-Q{}", (month + 2) / 3)),
            ("month(on)", format!("{year:04}-{month:02}")),
            ("month_number(on)", month.to_string()),
            ("day(on)", day.to_string()),
            ("week(on)", format!("{:04}-W{:02}", week.year(), week.week())),
            ("weekday(on)", (i64::from(days + 3).rem_euclid(7) + 1).to_string()),
            ("start_of_month(on)", format!("{year:04}-{month:02}-01")),
            ("add_months(on, n)", later.to_string()),
            ("add_months(add_months(start_of_month(on), n), -n)", format!("{year:04}-{month:02}-01")),
            // A time of day changes nothing.
            ("week(at)", one("week(on)")),
            ("month_name(at)", one("month_name(on)")),
        ] {
            prop_assert_eq!(one(text), wanted, "{} of {}", text, date);
        }
    }

    #[test]
    fn whole_numbers_below_and_above(units in -100_000..100_000_i64) {
        let columns = [("x", Column::decimal(vec![units.into()], None, Scale(3)))];
        let one = |text: &str| -> i64 { worked(&columns, text).unwrap().remove(0).parse().unwrap() };
        let (below, above) = (one("floor(x)"), one("ceil(x)"));
        prop_assert_eq!(below, units.div_euclid(1000));
        prop_assert_eq!(above - below, i64::from(units % 1000 != 0));
        prop_assert_eq!(one("floor(number(x))"), below);
        prop_assert_eq!(one("-ceil(-x)"), below);
    }

    #[test]
    fn a_padded_text_has_its_width_and_ends_as_it_was(
        text in "[a-zé]{1,8}", width in -3..14_i64, what in "[0x]{1,3}",
    ) {
        let columns = [
            ("t", Column::Text(vec![Some(text.as_str())].into_iter().collect())),
            ("n", Column::Integer(vec![width].into())),
            ("w", Column::Text(vec![Some(what.as_str())].into_iter().collect())),
        ];
        let padded = worked(&columns, "pad_left(t, n, w)").unwrap().remove(0);
        let letters = text.chars().count() as i64;
        prop_assert_eq!(padded.chars().count() as i64, letters.max(width));
        let pad = padded.strip_suffix(text.as_str()).unwrap();
        prop_assert!(what.repeat(14).starts_with(pad));
        let back = worked(&columns, "right(pad_left(t, n, w), length(t))").unwrap().remove(0);
        prop_assert_eq!(back, text);
    }
}

#[test]
fn days_beyond_the_calendar_and_wholes_beyond_integers_fail() {
    for text in [
        "add_months(date(\"9999-12-01\"), 1)",
        "add_months(date(\"2026-01-01\"), 9000000000000000000)",
        "floor(decimal(\"99999999999999999999.5\", 1))",
        "number(\"much\")",
    ] {
        assert!(worked(&[], text).is_err(), "{text}");
    }
}

/// Whole numbers and amounts, with neighbours that need few bytes, more, or all of them.
fn sizes() -> impl Strategy<Value = Vec<Option<i64>>> {
    let size = prop_oneof![
        6 => -300_i64..300,
        2 => Just(i64::from(i32::MAX)),
        2 => Just(i64::from(i32::MIN)),
        1 => Just(i64::from(i32::MAX) + 1),
    ];
    prop::collection::vec(prop::option::weighted(0.8, size), 6)
}

proptest! {
    /// However many bytes values stand in, what is worked with them is the same.
    #[test]
    fn numbers_in_few_bytes_are_worked_as_in_all(a in sizes(), b in sizes()) {
        let values = |rows: &[Option<i64>]| rows.iter().map(|row| row.unwrap_or(3)).collect::<Vec<i64>>();
        let present = |rows: &[Option<i64>]| Some(rows.iter().map(Option::is_some).collect::<Present>());
        let amounts = |rows: &[Option<i64>]| values(rows).into_iter().map(i128::from).collect();
        let all = [
            ("n", Column::Integer(Whole::new(values(&a), present(&a)))),
            ("m", Column::Integer(Whole::new(values(&b), present(&b)))),
            ("d", Column::decimal(amounts(&a), present(&a), Scale(2))),
            ("e", Column::decimal(amounts(&b), present(&b), Scale(2))),
            ("f", Column::decimal(amounts(&b), present(&b), Scale(4))),
        ];
        let few = all.clone().map(|(name, column)| (name, column.narrowed()));
        for text in [
            "n + m", "n - m", "n * m", "d + e", "d - e", "d * e", "d * f", "n * d", "d + f", "n - f", "n + 2", "d * 3",
            "n = m", "n != m", "n < m", "n <= m", "d > e", "d >= e", "d > f", "d >= 0", "n < d", "d / e", "-d",
        ] {
            prop_assert_eq!(worked(&few, text), worked(&all, text), "{}", text);
        }
    }
}
