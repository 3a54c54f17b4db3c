//! Values against slow twins.

use num_bigint::BigInt;
use proptest::prelude::*;

use super::*;

fn limit() -> BigInt {
    BigInt::from(decimal::LIMIT)
}

/// A number rounded half away from zero by big integers.
fn divided(numerator: &BigInt, denominator: &BigInt) -> BigInt {
    let doubled: BigInt = numerator.magnitude().clone().into();
    let size: BigInt = denominator.magnitude().clone().into();
    let rounded: BigInt = (doubled * 2 + &size) / (size * 2);
    let negative = (numerator.sign() == num_bigint::Sign::Minus)
        != (denominator.sign() == num_bigint::Sign::Minus);
    if negative { -rounded } else { rounded }
}

fn power(by: u32) -> BigInt {
    BigInt::from(10).pow(by)
}

fn fitting(value: &BigInt) -> Option<i128> {
    let size: BigInt = value.magnitude().clone().into();
    if size < limit() { i128::try_from(value).ok() } else { None }
}

fn units() -> impl Strategy<Value = i128> {
    prop_oneof![
        -1000_i128..1000,
        any::<i64>().prop_map(i128::from),
        (-decimal::LIMIT + 1)..decimal::LIMIT,
    ]
}

proptest! {
    #[test]
    fn sums_and_products_are_those_of_big_integers(
        a in units(), b in units(), sa in 0_u8..21, sb in 0_u8..21
    ) {
        let (big_a, big_b) = (BigInt::from(a), BigInt::from(b));
        prop_assert_eq!(decimal::add(a, b), fitting(&(&big_a + &big_b)));
        prop_assert_eq!(decimal::subtract(a, b), fitting(&(&big_a - &big_b)));
        let to = (sa + sb).min(20);
        let product = divided(&(&big_a * &big_b), &power(u32::from(sa + sb - to)));
        let worked = decimal::multiply(a, Scale(sa), b, Scale(sb));
        // A product may also be refused where only its dropped places are too many.
        if worked.is_some() || sa + sb <= 20 {
            prop_assert_eq!(worked, fitting(&product));
        }
    }

    #[test]
    fn quotients_have_ten_places_rounded_half_away_from_zero(
        a in -1_000_000_000_000_i128..1_000_000_000_000, b in -1_000_000_i128..1_000_000,
        sa in 0_u8..8, sb in 0_u8..8
    ) {
        prop_assume!(b != 0);
        let wanted = divided(
            &(BigInt::from(a) * power(10 + u32::from(sb))),
            &(BigInt::from(b) * power(u32::from(sa))),
        );
        prop_assert_eq!(decimal::divide(a, Scale(sa), b, Scale(sb)), fitting(&wanted));
    }

    #[test]
    fn comparing_is_that_of_big_integers(a in units(), b in units(), sa in 0_u8..21, sb in 0_u8..21) {
        let left = BigInt::from(a) * power(u32::from(sb));
        let right = BigInt::from(b) * power(u32::from(sa));
        prop_assert_eq!(decimal::compare(a, Scale(sa), b, Scale(sb)), left.cmp(&right));
    }

    #[test]
    fn rescaling_is_exact_upwards_and_rounds_downwards(a in units(), from in 0_u8..21, to in 0_u8..21) {
        let big = BigInt::from(a);
        let wanted = if to >= from {
            big * power(u32::from(to - from))
        } else {
            divided(&big, &power(u32::from(from - to)))
        };
        prop_assert_eq!(decimal::rescale(a, Scale(from), Scale(to)), fitting(&wanted));
    }

    #[test]
    fn what_is_written_is_read_again(a in units(), scale in 0_u8..21) {
        let text = decimal::to_text(a, Scale(scale));
        prop_assert_eq!(decimal::parse(text.as_bytes()), Some((a, Scale(scale))), "{}", text);
        prop_assert_eq!(decimal::parse_to(text.as_bytes(), Scale(scale)), Some(a));
        let grouped = decimal::grouped(a, Scale(scale)).replace(',', "").replace('\u{2212}', "-");
        prop_assert_eq!(grouped, text);
    }

    #[test]
    fn digits_are_read_whatever_their_number(
        sign in "[+-]?", whole in "[0-9]{1,24}", places in prop::option::of("[0-9]{1,24}")
    ) {
        let big: BigInt = format!("{whole}{}", places.as_deref().unwrap_or("")).parse().unwrap();
        let big = if sign == "-" { -big } else { big };
        let text = match &places {
            Some(places) => format!("{sign}{whole}.{places}"),
            None => format!("{sign}{whole}"),
        };
        let scale = Scale(places.as_ref().map_or(0, |places| places.len() as u8));
        let wanted = fitting(&big).map(|units| (units, scale));
        prop_assert_eq!(decimal::parse(text.as_bytes()), wanted);
        let wanted = if places.is_none() { i64::try_from(&big).ok() } else { None };
        prop_assert_eq!(parse_integer(text.as_bytes()), wanted);
        // Fewer places are taken only where nothing but zeros is lost.
        if let Some(units) = fitting(&big).filter(|_| scale >= Scale(2)) {
            let by = decimal::power(scale.0 - 2);
            let wanted = (units % by == 0).then_some(units / by);
            prop_assert_eq!(decimal::parse_to(text.as_bytes(), Scale(2)), wanted);
        }
    }

    #[test]
    fn what_is_no_number_is_not_read(text in "[0-9.+ e-]{0,24}") {
        let digits = text.strip_prefix(['+', '-']).unwrap_or(&text);
        let plain = |part: &str| !part.is_empty() && part.bytes().all(|byte| byte.is_ascii_digit());
        let number = match digits.split_once('.') {
            Some((whole, places)) => plain(whole) && plain(places),
            None => plain(digits),
        };
        prop_assert_eq!(decimal::parse(text.as_bytes()).is_some(), number);
        let integer = plain(digits) && text.parse::<i64>().is_ok();
        prop_assert_eq!(parse_integer(text.as_bytes()).is_some(), integer);
    }

    #[test]
    fn any_split_adds_up_and_no_part_is_more_than_one_unit_apart(amount in units(), count in 1_u64..300) {
        let parts: Vec<i128> = parts::equal(amount, count).collect();
        prop_assert_eq!(parts.len() as u64, count);
        prop_assert_eq!(parts.iter().sum::<i128>(), amount);
        prop_assert!(parts[0].abs() - parts[parts.len() - 1].abs() <= 1);
        prop_assert!(parts.windows(2).all(|pair| pair[0].abs() >= pair[1].abs()));
        let mirror: Vec<i128> = parts::equal(-amount, count).map(|part| -part).collect();
        prop_assert_eq!(parts, mirror);
    }

    #[test]
    fn days_are_those_of_the_calendar(days in -4_371_222_i32..2_932_896) {
        let date = day::to_civil(days).unwrap();
        prop_assert_eq!(day::from_civil(date), days);
        let epoch = jiff::civil::Date::constant(1970, 1, 1);
        let span = epoch.until(date).unwrap().get_days();
        prop_assert_eq!(span, days);
        if date.year() >= 0 {
            let mut text = vec![];
            day::write(days, &mut text);
            prop_assert_eq!(day::parse_iso(&text), Some(days));
        }
    }

    #[test]
    fn moments_are_read_as_they_are_written(micros in -62_000_000_000_000_000_i64..250_000_000_000_000_000) {
        let mut text = vec![];
        day::write_time(micros, &mut text);
        prop_assert_eq!(day::parse_iso_time(&text), Some(micros), "{}", String::from_utf8_lossy(&text));
    }

    #[test]
    fn the_type_of_parts_together_is_that_of_the_whole(
        cells in prop::collection::vec(prop_oneof![
            "-?[0-9]{1,4}", "-?[0-9]{1,3}\\.[0-9]{1,3}", "20[0-9]{2}-0[1-9]-[12][0-9]", "true|false", "[a-z]{1,3}",
        ], 1..12), at in 0_usize..12
    ) {
        let find = |cells: &[String]| {
            let mut found = Found::default();
            cells.iter().for_each(|cell| found.cell(cell.as_bytes()));
            found
        };
        let at = at.min(cells.len());
        let mut together = find(&cells[..at]);
        together.merge(find(&cells[at..]));
        prop_assert_eq!(together.ty(), find(&cells).ty());
        // Whatever is found can be read.
        for cell in &cells {
            prop_assert!(Scalar::parse(cell, find(&cells).ty()).is_some());
        }
    }
}

#[test]
fn cells_are_found_to_be_what_they_look_like() {
    for (cell, ty) in [
        ("12", Type::Integer),
        ("-12", Type::Integer),
        ("0", Type::Integer),
        ("007", Type::Text),
        ("-007", Type::Text),
        ("+5", Type::Text),
        ("9223372036854775807", Type::Integer),
        ("9223372036854775808", Type::Text),
        ("1.50", Type::Decimal(Scale(2))),
        ("-0.5", Type::Decimal(Scale(1))),
        ("01.5", Type::Text),
        (".5", Type::Text),
        ("1.", Type::Text),
        ("1,5", Type::Text),
        ("1e5", Type::Text),
        ("0.123456789012345678901", Type::Text),
        ("2026-02-28", Type::Date),
        ("2026-02-29", Type::Text),
        ("2026-02-28T10:00", Type::DateTime),
        ("2026-02-28 10:00:01.5", Type::DateTime),
        ("2026-02-28T10:00:00Z", Type::Text),
        ("true", Type::Boolean),
        ("True", Type::Text),
        (" 1", Type::Text),
        ("", Type::Blank),
    ] {
        assert_eq!(found_type(cell.as_bytes()), ty, "{cell}");
    }
}

#[test]
fn types_go_together_without_loss() {
    use Type::{Blank, Boolean, Date, DateTime, Decimal, Integer, Number, Text};
    for (a, b, common) in [
        (Integer, Decimal(Scale(2)), Some(Decimal(Scale(2)))),
        (Decimal(Scale(1)), Decimal(Scale(3)), Some(Decimal(Scale(3)))),
        (Integer, Number, Some(Number)),
        (Blank, Date, Some(Date)),
        (Text, Integer, None),
        (Date, DateTime, None),
        (Boolean, Integer, None),
        (Text, Text, Some(Text)),
    ] {
        assert_eq!(a.common(b), common, "{a} {b}");
        assert_eq!(b.common(a), common, "{b} {a}");
    }
}

#[test]
fn scalars_are_read_and_written() {
    for (text, ty) in [
        ("a b", Type::Text),
        ("-5", Type::Integer),
        ("5.00", Type::Decimal(Scale(2))),
        ("1.5", Type::Number),
        ("2026-06-30", Type::Date),
        ("2026-06-30T01:02:03.000400", Type::DateTime),
        ("true", Type::Boolean),
    ] {
        let scalar = Scalar::parse(text, ty).unwrap();
        assert_eq!(scalar.ty(), ty);
        let written = scalar.to_string();
        assert_eq!(Scalar::parse(&written, ty), Some(scalar), "{text}");
    }
    assert_eq!(Scalar::parse("", Type::Integer), Some(Scalar::Blank));
    assert_eq!(Scalar::parse("x", Type::Integer), None);
    assert_eq!(Scalar::Blank.to_string(), "blank");
}

#[test]
fn formats_are_tried_before_they_are_used() {
    assert_eq!(day::format_error("%d.%m.%Y", false), None);
    assert_eq!(day::format_error("%Y-%m-%dT%H:%M:%S", true), None);
    assert!(day::format_error("%H:%M", false).is_some());
    assert!(day::format_error("%", false).is_some());
    assert_eq!(day::parse_format("%d.%m.%Y", b"1.12.2025"), day::parse_iso(b"2025-12-01"));
    assert_eq!(day::parse_format("%d.%m.%Y", b"31.2.2025"), None);
    assert_eq!(
        day::parse_time_format("%d/%m/%Y %H:%M", b"01/02/2026 03:04"),
        day::parse_iso_time(b"2026-02-01T03:04:00")
    );
}

/// A number as a style writes it.
fn written(units: i64, group: &str, point: &str, style: usize) -> String {
    let digits = format!("{:03}", units.unsigned_abs());
    let (whole, places) = digits.split_at(digits.len() - 2);
    let mut grouped = String::new();
    for (at, digit) in whole.chars().enumerate() {
        if at > 0 && (whole.len() - at).is_multiple_of(3) {
            grouped.push_str(group);
        }
        grouped.push(digit);
    }
    let number = format!("{grouped}{point}{places}");
    match (units < 0, style) {
        (false, 3) => format!("€ {number}"),
        (false, _) => number,
        (true, 0) => format!("-{number}"),
        (true, 1) => format!("({number})"),
        (true, 2) => format!("{number}-"),
        (true, _) => format!("-€ {number}"),
    }
}

proptest! {
    #[test]
    fn numbers_are_read_as_their_example_writes_them(units: i64, style in 0_usize..4, signs in 0_usize..5) {
        let (group, point) = [(".", ","), (",", "."), (" ", ","), ("'", "."), ("\u{202f}", ",")][signs];
        let example = written(-123_456_789, group, point, style);
        let example = NumberExample::parse(&example, false).unwrap();
        prop_assert_eq!(example.places(), Scale(2));
        let read = |text: &str| example.read(text, &mut vec![]);
        let wanted = Some((i128::from(units), Scale(2)));
        prop_assert_eq!(read(&written(units, group, point, style)), wanted);
        // Thousands need not be set off.
        prop_assert_eq!(read(&written(units, "", point, style)), wanted);
        prop_assert_eq!(read(&format!(" {} ", written(units, group, point, 0))), wanted);
    }

    #[test]
    fn no_text_makes_an_example_or_its_reading_fall_over(
        example in "[-(€0-9., ')]{0,12}", cell in "[-(€0-9., ')]{0,12}", whole: bool
    ) {
        let Ok(example) = NumberExample::parse(&example, whole) else { return Ok(()) };
        if let Some((units, places)) = example.read(&cell, &mut vec![]) {
            // No digit is lost, and none comes from elsewhere.
            let digits: String = cell.chars().filter(char::is_ascii_digit).collect();
            prop_assert_eq!(units.abs(), digits.parse::<i128>().unwrap());
            prop_assert!(usize::from(places.0) < digits.len());
        }
    }
}

#[test]
fn examples_show_one_way_or_say_what_is_wrong() {
    let read = |example: &str, cell: &str| {
        let example = NumberExample::parse(example, false).unwrap_or_else(|e| panic!("{e}"));
        example.read(cell, &mut vec![]).map(|(units, scale)| decimal::to_text(units, scale))
    };
    for (example, cell, wanted) in [
        ("1.234,56", "1.234.567,5", Some("1234567.5")),
        ("1.234,56", "12.34,5", None),
        ("1.234,56", "1.2345,5", None),
        ("1.234,56", ".234,5", None),
        ("1.234,56", "1,234.56", None),
        ("1.234,56", "5,", None),
        ("1.234,56", "1 234,56", None),
        ("1234,5", "7,25", Some("7.25")),
        ("1234,567", "1,5", Some("1.5")),
        ("EUR 1,234.56", "1,234.56", Some("1234.56")),
        ("EUR 1,234.56", "USD 1,234.56", None),
        ("1.234,56 €", "-3,10 €", Some("-3.10")),
        ("1.234,56 €", "3,10\u{a0}€", Some("3.10")),
        ("(1,234.56)", "(5)", Some("-5")),
        ("(1,234.56)", "(-5)", None),
        ("(1,234.56)", "5-", None),
        ("1,234.56-", "5-", Some("-5")),
        ("1,234.56-", "-5-", None),
        ("1 234 567", "1 234", Some("1234")),
        ("12", "1234", Some("1234")),
        ("\u{2212}12", "\u{2212}7", Some("-7")),
    ] {
        assert_eq!(read(example, cell).as_deref(), wanted, "{cell} by {example}");
    }
    for (example, whole, says) in [
        ("", false, "it has no digits"),
        ("€", false, "it has no digits"),
        ("1.234", false, "it could be read two ways, as 1234 or as 1.234"),
        ("1,234", false, "it could be read two ways, as 1234 or as 1.234"),
        ("1.2.3,4", false, "thousands are three digits each"),
        ("1,234,56", false, "thousands are three digits each"),
        ("1.234,5,6", false, "only one sign can stand before the places"),
        ("1.234'567,8", false, "it is no number"),
        ("1.234,56", true, "whole numbers have no places"),
        ("12,5", true, "whole numbers have no places"),
    ] {
        let error = NumberExample::parse(example, whole).unwrap_err();
        assert!(error.starts_with(says), "{example}: {error}");
    }
    assert_eq!(NumberExample::parse("1.234", true).unwrap().places(), Scale(0));
}

/// Parts over weights by big integers: shares rounded down, what is left over to the largest remainders, the
/// earlier first.
fn slow_parts(amount: i128, weights: &[u128]) -> Option<Vec<BigInt>> {
    let all: BigInt = weights.iter().map(|weight| BigInt::from(*weight)).sum();
    if all == BigInt::from(0) {
        return None;
    }
    let size = BigInt::from(amount.unsigned_abs());
    let products = weights.iter().map(|weight| &size * BigInt::from(*weight));
    let (mut parts, over): (Vec<BigInt>, Vec<BigInt>) =
        products.map(|product| (&product / &all, product % &all)).unzip();
    let left = usize::try_from(size - parts.iter().sum::<BigInt>()).unwrap();
    let mut order: Vec<usize> = (0..weights.len()).collect();
    order.sort_by(|a, b| over[*b].cmp(&over[*a]));
    order.iter().take(left).for_each(|at| parts[*at] += 1);
    Some(parts.into_iter().map(|part| if amount < 0 { -part } else { part }).collect())
}

proptest! {
    #[test]
    fn parts_over_weights_are_those_of_big_integers(
        amount in prop_oneof![3 => -5000_i128..5000, 1 => -decimal::LIMIT..=decimal::LIMIT],
        weights in prop::collection::vec(
            prop_oneof![4 => 0_u128..50, 1 => Just(0), 1 => 0..=decimal::LIMIT.unsigned_abs()], 0..12,
        ),
    ) {
        let mut parts = vec![7];
        let divided = parts::ByWeights::default().divide(amount, &weights, &mut parts);
        let found: Vec<BigInt> = parts[1..].iter().map(|part| BigInt::from(*part)).collect();
        prop_assert_eq!(divided.then_some(found), slow_parts(amount, &weights));
    }
}

#[test]
fn a_million_parts_add_up_and_so_do_those_of_the_largest_weights() {
    let most = decimal::LIMIT.unsigned_abs();
    for (amount, rows, largest) in
        [(-99_999, 1_000_000, 1_000_000), (-decimal::LIMIT, 20_000, most)]
    {
        let weights: Vec<u128> = (0..rows).map(|at| largest - at).collect();
        let mut parts = vec![];
        assert!(parts::ByWeights::default().divide(amount, &weights, &mut parts));
        assert_eq!(parts.iter().sum::<i128>(), amount);
        assert!(parts.is_sorted());
    }
}
