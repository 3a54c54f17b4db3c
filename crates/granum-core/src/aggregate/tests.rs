//! Aggregates against slow twins that go group by group.

use crate::table::{Amount, Whole};
use proptest::prelude::*;

use super::*;
use crate::value::{Scalar, Scale};

/// A group, a value in cents, an order, and whether the row counts; any of them may be missing.
type Row = (u8, Option<i16>, Option<u8>, Option<bool>);

fn rows() -> impl Strategy<Value = Vec<Row>> {
    let row = (
        0..4_u8,
        prop::option::weighted(0.8, -300..300_i16),
        prop::option::weighted(0.8, 0..4_u8),
        prop::option::weighted(0.8, any::<bool>()),
    );
    prop::collection::vec(row, 0..40)
}

fn columns(rows: &[Row]) -> (Groups, Values) {
    let keys: Vec<i64> = rows.iter().map(|row| row.0.into()).collect();
    let (groups, _) = number(vec![Column::Integer(keys.into())], rows.len());
    let cents: Vec<Scalar> = rows
        .iter()
        .map(|row| row.1.map_or(Scalar::Blank, |cents| Scalar::Decimal(cents.into(), Scale(2))))
        .collect();
    let parts: Vec<Column> =
        cents.iter().map(|cell| Column::constant(cell, Type::Decimal(Scale(2)), 1)).collect();
    let by: Whole<i64> = rows.iter().map(|row| row.2.map(i64::from)).collect();
    let values = Values {
        function: AggregateFunction::Rows,
        value: Some(Column::concat(&parts)),
        filter: Some(rows.iter().map(|row| Some(row.3 != Some(false))).collect()),
        by: vec![(Column::Integer(by), false)],
        distinct: false,
        separator: "; ".into(),
        ty: Type::Decimal(Scale(2)),
        apart: None,
    };
    (groups, values)
}

/// A group's values in cents, each with what it is ordered by.
type Twin = Vec<(i128, Option<u8>)>;

/// The rows of each group that count and have a value, the groups as they first appear.
fn twins(rows: &[Row]) -> Vec<Twin> {
    let mut order: Vec<u8> = vec![];
    for row in rows {
        if !order.contains(&row.0) {
            order.push(row.0);
        }
    }
    let of = |group: &u8| {
        let own = rows.iter().filter(|row| row.0 == *group && row.3 != Some(false));
        own.filter_map(|row| Some((i128::from(row.1?), row.2))).collect()
    };
    order.iter().map(of).collect()
}

fn worked(values: &Values, groups: &Groups, function: AggregateFunction, ty: Type) -> Vec<Scalar> {
    let by = match function {
        AggregateFunction::Latest | AggregateFunction::Earliest => values.by.clone(),
        _ => vec![],
    };
    let values = Values { function, by, ty, ..values.clone() };
    let column = aggregate(&values, groups).unwrap();
    (0..groups.count).map(|group| column.scalar(group)).collect()
}

fn cents(value: Option<i128>) -> Scalar {
    value.map_or(Scalar::Blank, |value| Scalar::Decimal(value, Scale(2)))
}

proptest! {
    #[test]
    fn each_group_has_what_its_rows_give_one_by_one(rows in rows()) {
        use AggregateFunction::{Count, Distinct, Earliest, Latest, List, Max, Mean, Min, Sum};
        let (groups, values) = columns(&rows);
        let twins = twins(&rows);
        prop_assert_eq!(groups.count, twins.len());
        let decimal = Type::Decimal(Scale(2));
        let each = |of: &dyn Fn(&Twin) -> Scalar| twins.iter().map(of).collect::<Vec<_>>();
        let amounts = |rows: &Twin| rows.iter().map(|row| row.0).collect::<Vec<_>>();
        prop_assert_eq!(
            worked(&values, &groups, Count, Type::Integer),
            each(&|rows| Scalar::Integer(rows.len() as i64))
        );
        prop_assert_eq!(
            worked(&values, &groups, Sum, decimal),
            each(&|rows| cents(Some(amounts(rows).iter().sum())))
        );
        prop_assert_eq!(
            worked(&values, &groups, Min, decimal),
            each(&|rows| cents(amounts(rows).into_iter().min()))
        );
        prop_assert_eq!(
            worked(&values, &groups, Max, decimal),
            each(&|rows| cents(amounts(rows).into_iter().max()))
        );
        prop_assert_eq!(
            worked(&values, &groups, Distinct, Type::Integer),
            each(&|rows| {
                let mut all = amounts(rows);
                all.sort_unstable();
                all.dedup();
                Scalar::Integer(all.len() as i64)
            })
        );
        // Ten places, rounded half away from zero: of cents, eight more.
        prop_assert_eq!(
            worked(&values, &groups, Mean, Type::Decimal(Scale(10))),
            each(&|rows| {
                if rows.is_empty() {
                    return Scalar::Blank;
                }
                let (sum, count) = (amounts(rows).iter().sum::<i128>() * 100_000_000, rows.len() as i128);
                let rounded = (2 * sum.abs() + count) / (2 * count) * sum.signum();
                Scalar::Decimal(rounded, Scale(10))
            })
        );
        let ordered = |rows: &Twin, sign: i16| {
            // Of several the last.
            rows.iter()
                .filter_map(|row| Some((i16::from(row.1?) * sign, row.0)))
                .enumerate()
                .max_by_key(|(at, (order, _))| (*order, *at))
                .map(|(_, (_, value))| value)
        };
        prop_assert_eq!(worked(&values, &groups, Latest, decimal), each(&|rows| cents(ordered(rows, 1))));
        prop_assert_eq!(worked(&values, &groups, Earliest, decimal), each(&|rows| cents(ordered(rows, -1))));
        prop_assert_eq!(
            worked(&values, &groups, List, Type::Text),
            each(&|rows| {
                let texts: Vec<String> =
                    amounts(rows).iter().map(|cents_| cents(Some(*cents_)).to_string()).collect();
                if texts.is_empty() { Scalar::Blank } else { Scalar::Text(texts.join("; ")) }
            })
        );
    }

    #[test]
    fn sizes_and_sums_of_groups_add_up_to_the_whole(rows in rows()) {
        let (groups, values) = columns(&rows);
        prop_assert_eq!(groups.sizes().iter().sum::<u64>() as usize, rows.len());
        let sum = |groups: &Groups| -> i128 {
            worked(&values, groups, AggregateFunction::Sum, Type::Decimal(Scale(2)))
                .iter()
                .map(|value| match value { Scalar::Decimal(units, _) => *units, _ => 0 })
                .sum()
        };
        prop_assert_eq!(sum(&groups), sum(&Groups::one(rows.len())));
        let (sorted, starts) = groups.sorted();
        for group in 0..groups.count {
            let own = &sorted[starts[group]..starts[group + 1]];
            prop_assert!(own.windows(2).all(|pair| pair[0] < pair[1]));
            prop_assert!(own.iter().all(|row| groups.of(*row as usize) == Some(group)));
        }
    }
}

#[test]
fn nothing_gives_what_the_reference_says() {
    let (groups, mut values) = columns(&[]);
    assert_eq!(groups.count, 0);
    let one = Groups::one(0);
    let blank = [AggregateFunction::Min, AggregateFunction::Mean, AggregateFunction::Sole];
    for function in blank {
        assert_eq!(worked(&values, &one, function, Type::Decimal(Scale(2))), [Scalar::Blank]);
    }
    values.value = Some(Column::all_blank(Type::Boolean, 0));
    let truth = |function| worked(&values, &one, function, Type::Boolean);
    assert_eq!(truth(AggregateFunction::Any), [Scalar::Boolean(false)]);
    assert_eq!(truth(AggregateFunction::All), [Scalar::Boolean(true)]);
    assert_eq!(worked(&values, &one, AggregateFunction::Rows, Type::Integer), [Scalar::Integer(0)]);
    // Rows whose column has no value at all, and so no type, are as rows of blanks.
    let two = Groups::one(2);
    let blanks = |function, ty| {
        let values = Values::of(function, Some(Column::Blank(2)), ty);
        let seen = AllRows::new(values.clone(), 2).value(function, ty).unwrap();
        assert_eq!(
            worked(&values, &two, function, ty),
            std::slice::from_ref(&seen),
            "{function:?}"
        );
        seen
    };
    assert_eq!(blanks(AggregateFunction::Any, Type::Boolean), Scalar::Boolean(false));
    assert_eq!(blanks(AggregateFunction::All, Type::Boolean), Scalar::Boolean(true));
    let nothing = Scalar::Decimal(0, Scale(10));
    assert_eq!(blanks(AggregateFunction::Share, Type::Decimal(Scale(10))), nothing);
    assert_eq!(blanks(AggregateFunction::Mean, Type::Decimal(Scale(10))), Scalar::Blank);
    assert_eq!(blanks(AggregateFunction::Max, Type::Blank), Scalar::Blank);
    assert_eq!(blanks(AggregateFunction::Distinct, Type::Integer), Scalar::Integer(0));
}

#[test]
fn several_values_where_one_was_meant_are_named() {
    let rows: Vec<Row> = [(1, 5), (2, 7), (2, 7), (1, 5), (2, 9), (1, 5)]
        .map(|(group, value)| (group, Some(value), None, None))
        .to_vec();
    let (groups, values) = columns(&rows);
    let only = Values { function: AggregateFunction::Sole, ..values };
    let failure = aggregate(&only, &groups).unwrap_err();
    assert_eq!(failure, GroupFailure::Several { group: 1, rows: vec![1, 4] });
}

proptest! {
    #[test]
    fn groups_are_numbered_as_they_first_appear_whether_or_not_rows_stand_together(
        runs in prop::collection::vec((prop::option::of(0..4_i64), any::<bool>(), 1..9_usize), 0..12),
    ) {
        let rows: Vec<(Option<i64>, bool)> = runs
            .iter()
            .flat_map(|(number, truth, count)| std::iter::repeat_n((*number, *truth), *count))
            .collect();
        let integers = Column::Integer(rows.iter().map(|row| row.0).collect());
        let truths = Column::Boolean(rows.iter().map(|row| Some(row.1)).collect());
        let both: Vec<String> = rows.iter().map(|row| format!("{row:?}")).collect();
        numbered(vec![integers.clone(), truths], &both)?;
        let one: Vec<String> = rows.iter().map(|row| format!("{:?}", row.0)).collect();
        numbered(vec![integers], &one)?;
        // Texts that repeat stand in dictionaries, piece by piece.
        numbered(vec![Column::Text(both.iter().map(Some).collect())], &both)?;
        let some = rows.iter().map(|row| row.0.map(|number| number.to_string()));
        numbered(vec![Column::Text(some.collect())], &one)?;
    }

    #[test]
    fn many_groups_are_numbered_as_few_are(
        numbers in prop::collection::vec(0..40_i64, 0..400),
    ) {
        let texts: Vec<String> = numbers.iter().map(|number| format!("M{number}")).collect();
        numbered(vec![Column::Text(texts.iter().map(Some).collect())], &texts)?;
        numbered(vec![Column::Integer(numbers.into())], &texts)?;
    }
}

/// Groups of rows are numbered as their keys, which are told apart by `words`, first appear.
fn numbered(keys: Vec<Column>, words: &[String]) -> Result<(), TestCaseError> {
    let (groups, firsts) = number(keys, words.len());
    let mut seen: Vec<&String> = vec![];
    let mut wanted_firsts: Vec<u32> = vec![];
    for (at, row) in words.iter().enumerate() {
        if !seen.contains(&row) {
            seen.push(row);
            wanted_firsts.push(at as u32);
        }
        prop_assert_eq!(groups.of(at), seen.iter().position(|known| *known == row));
    }
    prop_assert_eq!((groups.count, firsts), (seen.len(), wanted_firsts));
    Ok(())
}

/// Of some rows what is in each: in words, how many rows, and cents. A zero that is in nothing is in none.
fn by_what(rows: &[&Row]) -> Vec<(Option<String>, u64, i128)> {
    let mut found: Vec<(Option<String>, u64, i128)> = vec![];
    for (_, cents, within, _) in rows {
        let Some(cents) = cents.filter(|cents| within.is_some() || *cents != 0) else { continue };
        let within = within.map(|within| within.to_string());
        match found.iter_mut().find(|(known, ..)| *known == within) {
            Some((_, rows, sum)) => (*rows, *sum) = (*rows + 1, *sum + i128::from(cents)),
            None => found.push((within, 1, cents.into())),
        }
    }
    found.sort();
    found
}

fn units_of(amount: Amount) -> i128 {
    match amount {
        Amount::Exact { units, .. } => units.unwrap(),
        Amount::Float { .. } => panic!("no number is of floating point"),
    }
}

proptest! {
    #[test]
    fn groups_in_several_are_found_with_all_that_is_in_each(rows in rows()) {
        let (groups, values) = columns(&rows);
        let apart = values.by[0].0.clone();
        let values = Values { apart: Some(apart), ..values };
        let mut numbers: Vec<u8> = vec![];
        rows.iter().for_each(|row| if !numbers.contains(&row.0) { numbers.push(row.0) });
        let expected = numbers.iter().enumerate().filter_map(|(group, number)| {
            let own = rows.iter().filter(|row| row.0 == *number && row.3 != Some(false));
            let parts = by_what(&own.collect::<Vec<_>>());
            (parts.len() > 1).then_some((group as u32, parts))
        });
        let told = mixed(&values, &groups).into_iter().map(|failure| match failure {
            GroupFailure::Apart { group, parts } => {
                let parts = parts.into_iter().map(|part| (part.value, part.rows, units_of(part.amount)));
                let mut parts: Vec<_> = parts.collect();
                parts.sort();
                (group, parts)
            }
            other => panic!("{other:?}"),
        });
        let (told, expected): (Vec<_>, Vec<_>) = (told.collect(), expected.collect());
        prop_assert_eq!(&told, &expected);
        // Such a group has no sum, the others have theirs.
        let of_sum = Values { function: AggregateFunction::Sum, ..values.clone() };
        let (_, failed) = aggregate_each(&of_sum, &groups);
        let failed: Vec<u32> = failed.iter().map(GroupFailure::group).collect();
        prop_assert_eq!(failed, told.iter().map(|(group, _)| *group).collect::<Vec<_>>());
    }

    #[test]
    fn a_sum_of_each_is_that_of_its_rows_however_they_are_cut(rows in rows(), cut in 0..40_usize) {
        let (_, values) = columns(&rows);
        let (value, apart) = (values.value.unwrap(), values.by[0].0.clone());
        let cut = cut.min(rows.len());
        let of = |from: usize, count: usize| {
            Sum::of(&value.slice(from, count), Some(&apart.slice(from, count)))
        };
        let whole = of(0, rows.len());
        prop_assert_eq!(&of(0, cut).plus(&of(cut, rows.len() - cut)), &whole);
        let Sum::Each(each) = whole else { panic!("one sum of several") };
        let mut told: Vec<(Option<String>, i128)> =
            each.into_iter().map(|(value, amount)| (value, units_of(amount))).collect();
        told.sort();
        let expected = by_what(&rows.iter().collect::<Vec<_>>());
        // A row without an amount is in something all the same.
        told.retain(|(value, _)| expected.iter().any(|(known, ..)| known == value));
        let expected: Vec<_> = expected.into_iter().map(|(value, _, sum)| (value, sum)).collect();
        prop_assert_eq!(told, expected);
    }
}

#[test]
fn few_rows_that_lead_to_many_give_what_all_groups_give() {
    use crate::table::{Column, Rows};
    use crate::value::Type;
    let index = Rows::from(vec![Some(3), None, Some(40), Some(3)]);
    let value = Column::Integer(vec![Some(1), Some(2), None, Some(4)].into());
    for function in [AggregateFunction::Sum, AggregateFunction::Max, AggregateFunction::Sole] {
        let values = Values::of(function, Some(value.clone()), Type::Integer);
        let told = |(column, failed): (Column, Vec<GroupFailure>)| {
            let values: Vec<Scalar> = (0..column.len()).map(|row| column.scalar(row)).collect();
            (values, failed.iter().map(GroupFailure::group).collect::<Vec<_>>())
        };
        let few = told(aggregate_led_to(&values, &index, 50));
        assert_eq!(few, told(aggregate_each(&values, &Groups::led_to(&index, 50))));
        assert_eq!(few.1.is_empty(), function != AggregateFunction::Sole);
    }
}

/// How often each value of each group is there, by the group's number and the value; and the first rows.
type Counted = std::collections::BTreeMap<(usize, i128), (u64, u32)>;

proptest! {
    #[test]
    fn each_value_of_a_group_is_counted_wherever_values_lie(
        rows in rows(),
        far in prop::sample::select(vec![1_i128, 1 << 20, 1 << 70]),
    ) {
        let (groups, values) = columns(&rows);
        let Some(Column::Decimal(..)) = &values.value else { return Ok(()) };
        let value = values.value.as_ref().unwrap();
        let there = value.present();
        let present = |row| there.as_ref().is_none_or(|there| there.has(row));
        let scaled = (0..rows.len()).map(|row| if present(row) { value.units(row) * far } else { 0 });
        let marks = Some((0..rows.len()).map(present).collect());
        let value = Column::decimal(scaled.collect(), marks, Scale(2));
        let mut expected = Counted::new();
        for row in (0..rows.len()).filter(|row| rows[*row].3 != Some(false) && present(*row)) {
            let key = (groups.of(row).unwrap(), value.units(row));
            expected.entry(key).or_insert((0, row as u32)).0 += 1;
        }
        let values = Values { value: Some(value.clone()), ..values };
        let (firsts, often) = counted(&values, &groups);
        let found: Counted = firsts
            .numbers()
            .zip(often)
            .map(|(row, often)| {
                let at = row as usize;
                ((groups.of(at).unwrap(), value.units(at)), (often, row))
            })
            .collect();
        prop_assert_eq!(&found, &expected);
        let different: Vec<u32> = different(&values, &groups).numbers().collect();
        let mut first: Vec<u32> = expected.values().map(|(_, row)| *row).collect();
        first.sort_unstable();
        prop_assert_eq!(different, first);
    }
}

#[test]
fn where_nearly_all_values_differ_none_is_looked_for_again() {
    let values = |of: &dyn Fn(i64) -> Option<i64>| {
        let column = Column::Integer((0..6_000).map(of).collect());
        Values::of(AggregateFunction::Distinct, Some(column), Type::Integer)
    };
    // How many rows stay, and the second of them.
    let rows = |of: &dyn Fn(i64) -> Option<i64>| {
        let rows = mostly_different(&values(of), &Groups::one(6_000))?;
        Some((rows.len(), rows.get(1)?))
    };
    assert_eq!(rows(&|at| Some(at * 7)), Some((6_000, 1)));
    assert_eq!(rows(&|at| (at % 2 == 1).then_some(at)), Some((3_000, 3)));
    // Every seventh value is there twice; few rows are never worth it.
    assert_eq!(rows(&|at| Some(at - i64::from(at % 7 == 1))), None);
    assert_eq!(rows(&|at| (at < 2_000).then_some(at)), None);
}
