//! What is told of groups, against plain work on all of them.

use proptest::prelude::*;

use super::super::ranks::{Lots, ranked};
use super::pile::{Pairs, Piece};
use super::told::{SharedNames, Sizes, Years};
use crate::aggregate::{AggregateFunction, GroupFailure, Values, aggregate, number};
use crate::engine::tests::memory::Shelf;
use crate::lang::Percent;
use crate::link::hashes;
use crate::table::{Column, Scattered};
use crate::tally::Mistake;
use crate::value::{Scalar, Scale, Type, day};

proptest! {
    #![proptest_config(ProptestConfig::with_cases(256))]
    #[test]
    fn ranks_of_pairs_are_those_of_all_values_wherever_they_are(
        rows in prop::collection::vec((prop::option::of(0_i64..4), -30_i64..30), 1..120),
        lot in 1_usize..40,
        part in 1_u64..101,
        middle in any::<bool>(),
        in_all in any::<bool>(),
    ) {
        let percentile = AggregateFunction::Percentile(Percent { units: part, scale: 0 });
        let function = if middle { AggregateFunction::Median } else { percentile };
        let ty = if middle { Type::Decimal(Scale(1)) } else { Type::Integer };
        let told = |found: Result<Column, GroupFailure>| {
            found.map(|found| (0..found.len()).map(|row| found.scalar(row)).collect::<Vec<Scalar>>())
        };
        let column = |rows: &[(Option<i64>, i64)]| {
            let keys = Column::Integer(rows.iter().map(|(key, _)| *key).collect());
            let values = Column::Integer(rows.iter().map(|(_, value)| *value).collect::<Vec<_>>().into());
            (keys, values)
        };
        let (key, values) = column(&rows);
        let (groups, firsts) = number(if in_all { vec![] } else { vec![key.clone()] }, rows.len());
        let all = told(aggregate(&Values::of(function, Some(values), ty), &groups));
        let keys = if in_all { vec![] } else { vec![key.take(&firsts.into())] };

        let mut pairs = Pairs::new(true);
        let mut away = Scattered::new(&Shelf::room(0, usize::MAX), 2);
        for rows in rows.chunks(lot) {
            let (key, values) = column(rows);
            let often = Column::Integer(vec![1; rows.len()].into());
            let columns = vec![key, values, often];
            away.send_by(&hashes(&columns[..2], rows.len()), &columns);
            pairs.absorb(Piece { columns, count: rows.len() });
        }
        let here = pairs.take();
        for lots in [Lots::Here(&here.columns), Lots::Away(&away, 0..2)] {
            let found = ranked((function, ty), (&keys, groups.count), &lots);
            prop_assert_eq!(told(found), all.clone());
        }
    }
}

proptest! {
    #[test]
    fn sizes_are_those_of_all_groups_however_they_come(
        sizes in prop::collection::vec(1_u64..9, 0..40),
        cut in any::<prop::sample::Index>(),
    ) {
        let mut told = Sizes::default();
        let cut = cut.index(sizes.len() + 1);
        told.see(&sizes[cut..]);
        told.see(&sizes[..cut]);
        let told = told.told();
        let mut sorted = sizes.clone();
        sorted.sort_unstable();
        let at = |at: usize| sorted.get(at).copied().unwrap_or(0);
        prop_assert_eq!(told.groups, sizes.len() as u64);
        prop_assert_eq!(told.least, at(0));
        prop_assert_eq!(told.median, at(sorted.len().saturating_sub(1) / 2));
        prop_assert_eq!(told.most, at(sorted.len().saturating_sub(1)));
        prop_assert_eq!(Sizes::of(&sizes).told(), told);
    }
}

fn shared(names: &[(&[Option<&str>], &[u64])]) -> Option<(u64, Vec<(String, u64)>)> {
    let mut shared = SharedNames::default();
    for (names, sizes) in names {
        shared.see(&Column::Text(names.iter().copied().collect()), sizes);
    }
    match shared.mistake(("name", "group by no"), ("people", "no"))? {
        Mistake::SharedName { key, of, id, group, names, examples } => {
            assert_eq!([key, of, id, group], ["name", "people", "no", "group by no"]);
            Some((names, examples))
        }
        other => panic!("{other:?}"),
    }
}

#[test]
fn names_that_few_rows_share_are_told_with_the_first_of_them() {
    let many = ["a", "b", "c", "d", "e", "f"].map(Some);
    // None is shared; one is, in the second lot.
    assert_eq!(shared(&[(&many, &[1; 6])]), None);
    let told = shared(&[(&many, &[1; 6]), (&[Some("g"), Some("h")], &[2, 1])]);
    assert_eq!(told, Some((1, vec![("g".to_owned(), 2)])));
    // Three of four are told, in their order.
    let all: Vec<String> = (0..20).map(|at| format!("n{at:02}")).collect();
    let all: Vec<Option<&str>> = all.iter().map(|name| Some(name.as_str())).collect();
    let mut sizes = [1; 20];
    [3, 7, 8, 19].into_iter().for_each(|at| sizes[at] = 2);
    let (names, examples) = shared(&[(&all, &sizes)]).unwrap();
    assert_eq!(names, 4);
    let named: Vec<&str> = examples.iter().map(|(name, _)| name.as_str()).collect();
    assert_eq!(named, ["n03", "n07", "n08"]);
}

#[test]
fn what_most_rows_share_is_no_name_and_a_blank_is_none() {
    // A category: 2 of 9 rows are different.
    assert_eq!(shared(&[(&[Some("x"), Some("y")], &[4, 5])]), None);
    // Rows without a name do not count.
    let names = [Some("x"), None, Some("y"), Some("z")];
    assert_eq!(shared(&[(&names, &[1, 90, 1, 2])]), Some((1, vec![("z".to_owned(), 2)])));
    assert_eq!(shared(&[(&[None], &[9])]), None);
    assert_eq!(shared(&[]), None);
}

#[test]
fn months_of_several_years_are_told_wherever_the_years_came() {
    let day = |text: &str| day::parse_iso(text.as_bytes()).unwrap();
    let days = |texts: &[&str]| {
        Column::Date(texts.iter().map(|text| Some(day(text))).chain([None]).collect())
    };
    let told = |columns: &[Column]| {
        let mut years = Years::default();
        columns.iter().for_each(|column| years.see(column));
        years.mistake("month").map(|mistake| match mistake {
            Mistake::YearsMixed { key, years } => (key, years),
            other => panic!("{other:?}"),
        })
    };
    assert_eq!(told(&[]), None);
    assert_eq!(told(&[days(&[])]), None);
    assert_eq!(told(&[days(&["2025-03-01", "2025-12-31"]), days(&["2025-01-01"])]), None);
    let later = days(&["2026-01-01", "2023-06-30"]);
    assert_eq!(told(&[days(&["2025-03-01"]), later]), Some(("month".to_owned(), (2023, 2026))));
    let moment = |text: &str| Some(i64::from(day(text)) * 86_400_000_000 + 5);
    let moments = [moment("2024-12-31"), None, moment("2025-01-01")].into_iter().collect();
    let moments = Column::DateTime(moments);
    assert_eq!(told(&[moments]), Some(("month".to_owned(), (2024, 2025))));
    assert_eq!(told(&[Column::Integer(vec![2024, 2025].into())]), None);
}

/// Pairs of all rows in lots of which each pair comes once: the value, and how often it is there.
fn in_lots(lots: &[(Column, &[i64])]) -> Scattered {
    let mut away = Scattered::new(&Shelf::room(0, usize::MAX), 1);
    for (values, often) in lots {
        let often = Column::Integer(often.to_vec().into()).narrowed();
        away.send(&[values.clone(), often], &vec![0; values.len()]);
    }
    away
}

fn of_all(function: AggregateFunction, ty: Type, lots: &[(Column, &[i64])]) -> Scalar {
    let away = in_lots(lots);
    let found = ranked((function, ty), (&[], 1), &Lots::Away(&away, 0..1)).unwrap();
    assert_eq!(found.len(), 1);
    found.scalar(0)
}

const MIDDLE: AggregateFunction = AggregateFunction::Median;

#[test]
fn the_middle_of_many_is_where_their_counts_say() {
    let decimal = |units: &[i128]| Column::decimal(units.to_vec(), None, Scale(2));
    let ty = Type::Decimal(Scale(3));
    let middle = |lots: &[(Column, &[i64])]| of_all(MIDDLE, ty, lots).to_string();
    // Of two in the middle that come from several lots, their mean with a place more.
    assert_eq!(middle(&[(decimal(&[100, 300]), &[1, 1])]), "2.000");
    assert_eq!(middle(&[(decimal(&[101]), &[5]), (decimal(&[102]), &[5])]), "1.015");
    assert_eq!(middle(&[(decimal(&[101]), &[5]), (decimal(&[102]), &[4])]), "1.010");
    // A million of one, and as many on both sides, one by one: more than are looked at at once.
    let beside: Vec<i128> = (0..40).chain(60..100).collect();
    let ones = vec![1; beside.len()];
    let lots = [(decimal(&beside), ones.as_slice()), (decimal(&[50]), &[1_000_000])];
    assert_eq!(middle(&lots), "0.500");
    // The same one by one, and the middle between the last of one lot and the first of another.
    let upper: Vec<i128> = (20..40).collect();
    let lower: Vec<i128> = (0..20).collect();
    let lots = [(decimal(&upper), &ones[..20]), (decimal(&lower), &ones[..20])];
    assert_eq!(middle(&lots), "0.195");
}

#[test]
fn ranks_are_of_texts_and_days_as_well_and_of_nothing_blank() {
    let text = |texts: &[&str]| Column::Text(texts.iter().copied().map(Some).collect());
    let percentile = |part| AggregateFunction::Percentile(Percent { units: part, scale: 0 });
    let words: Vec<String> = (0..30).map(|at| format!("word {at:02} of the long list")).collect();
    let words: Vec<&str> = words.iter().map(String::as_str).collect();
    let lots = [(text(&words[10..]), [1; 20].as_slice()), (text(&words[..10]), &[3; 10])];
    let at = |part| of_all(percentile(part), Type::Text, &lots).to_string();
    assert_eq!(
        [at(1), at(50), at(60), at(62), at(100)],
        [words[0], words[8], words[9], words[10], words[29]]
    );
    let days = Column::Date((1..=4).map(Some).collect());
    assert_eq!(of_all(MIDDLE, Type::Date, &[(days, &[1; 4])]), Scalar::Date(2));
    assert_eq!(of_all(MIDDLE, Type::Date, &[]), Scalar::Blank);
    // Of groups those without a value have none.
    let keys = Column::Integer(vec![7, 8, 9].into());
    let pairs =
        [Column::Integer(vec![9, 7].into()), text(&["b", "a"]), Column::Integer(vec![2, 1].into())];
    let found = ranked((percentile(50), Type::Text), (&[keys], 3), &Lots::Here(&pairs)).unwrap();
    let found: Vec<String> = (0..3).map(|row| found.scalar(row).to_string()).collect();
    assert_eq!(found, ["a", "blank", "b"]);
}

#[test]
fn a_middle_of_too_many_digits_is_told_with_its_group() {
    let most = 10_i128.pow(38) - 1;
    let keys = Column::Integer(vec![1, 2].into());
    let pairs = [
        Column::Integer(vec![1, 2, 2].into()),
        Column::decimal(vec![5, most, most - 1], None, Scale(0)),
        Column::Integer(vec![1, 1, 1].into()),
    ];
    let found = ranked((MIDDLE, Type::Decimal(Scale(1))), (&[keys], 2), &Lots::Here(&pairs));
    assert_eq!(found.err(), Some(GroupFailure::Overflow { group: 1 }));
}
