//! Keys and links against the slow twin: a map of texts.

use proptest::prelude::*;
use std::borrow::Cow;
use std::collections::HashMap;

use super::mend::{Change, End, changed};
use super::order::link_ordered;
use super::*;
use crate::table::{Amount, Column, Held, Rows};
use crate::value::Scale;

type Row = (Option<String>, Option<i64>, i128);

fn rows(most: usize) -> impl Strategy<Value = Vec<Row>> {
    let text = prop_oneof![
        3 => "[ab]{1,2}",
        1 => "a longer text [ab]",
    ];
    let row = (prop::option::weighted(0.9, text), prop::option::weighted(0.9, 0_i64..4), 0_i128..3);
    prop::collection::vec(row, 0..most)
}

fn keys(rows: &[Row], blank: BlankKeys) -> Keys {
    let columns = vec![
        Column::Text(rows.iter().map(|row| row.0.clone()).collect()),
        Column::Integer(rows.iter().map(|row| row.1).collect()),
        Column::decimal(rows.iter().map(|row| row.2).collect(), None, Scale(2)),
    ];
    Keys::new(columns, blank, rows.len())
}

fn has_key(row: &Row) -> bool {
    row.0.is_some() && row.1.is_some()
}

/// The first row of each key.
fn firsts(rows: &[Row], blank: BlankKeys) -> HashMap<Row, u32> {
    let mut firsts = HashMap::new();
    for (at, row) in rows.iter().enumerate() {
        if blank == BlankKeys::Equal || has_key(row) {
            firsts.entry(row.clone()).or_insert(at as u32);
        }
    }
    firsts
}

proptest! {
    #[test]
    fn repeats_are_those_of_a_map(rows in rows(60), equal in any::<bool>()) {
        let blank = if equal { BlankKeys::Equal } else { BlankKeys::Apart };
        let firsts = firsts(&rows, blank);
        let wanted: Vec<(u32, u32)> = rows
            .iter()
            .enumerate()
            .filter_map(|(at, row)| Some((at as u32, *firsts.get(row)?)))
            .filter(|(row, first)| row != first)
            .collect();
        let keys = keys(&rows, blank);
        prop_assert_eq!(&KeyTable::build(&keys).repeats, &wanted);
        prop_assert_eq!(&repeated(&keys), &wanted);
        let absent = rows.iter().filter(|row| !has_key(row)).count();
        prop_assert_eq!(keys.absent(), if equal { 0 } else { absent });
    }

    #[test]
    fn a_key_that_is_said_to_be_as_the_one_before_is(
        rows in rows(40), from in 0_usize..40, equal in any::<bool>(),
    ) {
        let keys = keys(&rows, if equal { BlankKeys::Equal } else { BlankKeys::Apart });
        let from = from.min(rows.len());
        let changes = keys.changes(from, rows.len() - from);
        prop_assert_eq!(changes.len(), rows.len() - from);
        for (row, changed) in (from..).zip(changes) {
            let same = row > 0 && rows[row] == rows[row - 1];
            prop_assert!(changed == 1 || same);
            // Only of long texts, and of what stands under a blank, it may not be seen.
            let short = has_key(&rows[row]) && rows[row].0.as_ref().is_some_and(|text| text.len() < 12);
            prop_assert!(changed == 0 || !(same && short));
        }
    }

    #[test]
    fn texts_are_linked_in_pieces_as_they_are_one_by_one(
        from in prop::collection::vec(prop::option::weighted(0.9, "[a-d]{1,2}|[ab] and some more"), 0..70),
        to in prop::collection::vec(prop::option::weighted(0.9, "[a-d]{1,2}|[ab] and some more"), 0..30),
        equal in any::<bool>(),
    ) {
        let blank = if equal { BlankKeys::Equal } else { BlankKeys::Apart };
        let keys = |texts: &[Option<String>]| {
            let column = Column::Text(texts.iter().cloned().collect());
            Keys::new(vec![column], blank, texts.len())
        };
        let wanted: Vec<Option<u32>> = from
            .iter()
            .map(|text| {
                let first = to.iter().position(|own| own == text && (equal || own.is_some()));
                first.map(|first| first as u32)
            })
            .collect();
        let (left, right) = (keys(&from), keys(&to));
        let index = KeyTable::build(&right).link(&right, &left);
        prop_assert_eq!(index.iter().collect::<Vec<_>>(), wanted);
    }

    #[test]
    fn links_are_those_of_a_map(from in rows(60), to in rows(40)) {
        let firsts = firsts(&to, BlankKeys::Apart);
        let wanted: Vec<Option<u32>> = from
            .iter()
            .map(|row| firsts.get(row).copied().filter(|_| has_key(row)))
            .collect();
        let (left, right) = (keys(&from, BlankKeys::Apart), keys(&to, BlankKeys::Apart));
        let index = KeyTable::build(&right).link(&right, &left);
        prop_assert_eq!(index.iter().collect::<Vec<_>>(), wanted.clone());
        // The other way of building it needs unique keys.
        let unique: Vec<Row> = to
            .iter()
            .enumerate()
            .filter(|(at, row)| !has_key(row) || firsts[*row] == *at as u32)
            .map(|(_, row)| row.clone())
            .collect();
        let mut ordered: Vec<Row> = unique.iter().filter(|row| has_key(row)).cloned().collect();
        ordered.sort();
        let few = keys(&unique, BlankKeys::Apart);
        let in_order = keys(&ordered, BlankKeys::Apart);
        prop_assert!(in_order.increase());
        for (index, to) in
            [(link_few(&left, &few), &unique), (link_ordered(&left, &in_order), &ordered)]
        {
            let found = index.iter().map(|row| row.map(|at| &to[at as usize]));
            for (row, found) in from.iter().zip(found) {
                let wanted = has_key(row) && firsts.contains_key(row);
                prop_assert_eq!(found, wanted.then_some(row));
            }
        }
    }
}

proptest! {
    /// All that is told of a link against all pairs of its rows.
    #[test]
    fn what_is_told_of_a_link_is_what_pairs_of_rows_say(
        from in rows(40), to in rows(30), money in prop::collection::vec(prop::option::of(-9_i64..9), 40)
    ) {
        let (left, right) = (keys(&from, BlankKeys::Apart), keys(&to, BlankKeys::Apart));
        let linked = Linked::new(left, right, Method::Equal { unique: false });
        let meets = |row: &Row| to.iter().filter(|other| has_key(row) && *other == row).count() as u64;
        let money = &money[..from.len()];
        let fates = from.iter().map(|row| match (meets(row) > 0, has_key(row)) {
            (true, _) => 0,
            (false, true) => 1,
            (false, false) => 2,
        });
        let fates: Vec<usize> = fates.collect();
        let count = |fate: usize| fates.iter().filter(|at| **at == fate).count() as u64;
        let (rows, matched, missing, blank) = (from.len() as u64, count(0), count(1), count(2));
        prop_assert_eq!(linked.counts(), Counts { rows, matched, missing, blank });
        let whole: Column = Column::Integer(money.iter().copied().collect());
        let amounts = linked.amounts(&Held::Own(whole));
        let broken = Column::Number(money.iter().map(|v| v.map(|v| v as f64)).collect());
        let floats = linked.amounts(&Held::Own(broken));
        for (fate, (found, float)) in [amounts.matched, amounts.missing, amounts.blank]
            .into_iter()
            .zip([floats.matched, floats.missing, floats.blank])
            .enumerate()
        {
            let of: Vec<Option<i64>> =
                fates.iter().zip(money).filter(|(at, _)| **at == fate).map(|(_, v)| *v).collect();
            let sum = |size: fn(i64) -> i64| of.iter().flatten().map(|v| size(*v)).sum::<i64>();
            let blanks = of.iter().filter(|value| value.is_none()).count() as u64;
            let exact = |units: i64| Amount::exact(Some(units.into()), Scale(0), blanks);
            prop_assert_eq!(found.size, exact(sum(i64::abs)));
            prop_assert_eq!(found.net, exact(sum(|value| value)));
            prop_assert_eq!(float.net, Amount::Float { sum: sum(|value| value) as f64, blanks });
        }
        let repeated = |row: &&Row| meets(row) > 1;
        let pairs = from.iter().filter(repeated).map(meets).sum();
        let leading = from.iter().filter(repeated).count() as u64;
        prop_assert_eq!(linked.repeats.pairs(&linked.index), (leading, pairs));
        let repeating = to.iter().filter(|row| meets(row) > 1).count() as u64;
        prop_assert_eq!(linked.repeats.rows(), repeating);
        // The way back finds also rows that repeat a key.
        let back = linked.back();
        for (row, to) in to.iter().enumerate() {
            let first = from.iter().position(|from| has_key(to) && from == to);
            prop_assert_eq!(back.get(row).map(|row| row as usize), first);
        }
        let (unreached, spread) = linked.spread();
        let mut reached = vec![0_u64; to.len()];
        linked.index.numbers().for_each(|row| reached[row as usize] += 1);
        reached.sort_unstable();
        let led: Vec<u64> = reached.iter().copied().filter(|count| *count > 0).collect();
        prop_assert_eq!(unreached, (reached.len() - led.len()) as u64);
        let wanted = led.first().map(|least| (*least, led[(led.len() - 1) / 2], led[led.len() - 1]));
        prop_assert_eq!(spread.map(|spread| (spread.least, spread.median, spread.most)), wanted);
    }
}

/// Numbers mostly in order, as two files with every other key, one below the other.
fn in_order() -> impl Strategy<Value = Vec<i64>> {
    (0_i64..60, 0_i64..60, prop::collection::vec((0_usize..100, 0_i64..80), 0..4)).prop_map(
        |(odd, even, spoilt)| {
            let mut keys: Vec<i64> = (0..odd).map(|key| 2 * key + 1).collect();
            keys.extend((0..even).map(|key| 2 * key));
            for (at, key) in spoilt {
                let len = keys.len().max(1);
                keys.get_mut(at % len).into_iter().for_each(|place| *place = key);
            }
            keys
        },
    )
}

fn numbers(keys: &[i64]) -> Keys {
    let column = Column::Integer(keys.to_vec().into());
    Keys::new(vec![column], BlankKeys::Apart, keys.len())
}

proptest! {
    #[test]
    fn keys_in_order_lead_where_a_map_says(mut from in in_order(), to in in_order(), sorted: bool) {
        if sorted {
            from.sort_unstable();
        }
        let mut firsts = HashMap::new();
        for (at, key) in to.iter().enumerate() {
            firsts.entry(*key).or_insert(at as u32);
        }
        let wanted: Vec<Option<u32>> = from.iter().map(|key| firsts.get(key).copied()).collect();
        let right = numbers(&to);
        let index = KeyTable::build(&right).link(&right, &numbers(&from));
        prop_assert_eq!(index.iter().collect::<Vec<_>>(), wanted);
    }

    #[test]
    fn keys_increase_where_each_is_above_the_one_before(mut rows in rows(24), way in 0..3) {
        if way > 0 {
            rows.sort();
        }
        if way > 1 {
            rows.dedup();
            rows.retain(has_key);
        }
        let increase = rows.windows(2).all(|pair| pair[0] < pair[1]) && rows.iter().all(has_key);
        prop_assert_eq!(keys(&rows, BlankKeys::Apart).increase(), increase);
    }
}

#[test]
fn many_keys_increase_unless_the_last_does_not() {
    let mut rows: Vec<i64> = (0..200_000).collect();
    assert!(numbers(&rows).increase());
    assert!(numbers(&[]).increase());
    rows[199_999] = 199_998;
    assert!(!numbers(&rows).increase());
    let blank = Column::Integer(vec![Some(1), None, Some(2)].into());
    assert!(!Keys::new(vec![blank], BlankKeys::Equal, 3).increase());
}

#[test]
fn many_keys_in_many_parts_are_found() {
    let count = 200_000_u32;
    let column =
        |by: u32| Column::Integer((0..count).map(|row| Some(i64::from(row / by))).collect());
    let unique = Keys::new(vec![column(1)], BlankKeys::Apart, count as usize);
    let doubled = Keys::new(vec![column(2)], BlankKeys::Apart, count as usize);
    let table = KeyTable::build(&unique);
    assert!(table.repeats.is_empty());
    let index = table.link(&unique, &doubled);
    assert!((0..count).all(|row| index.get(row as usize) == Some(row / 2)));
    let repeats = KeyTable::build(&doubled).repeats;
    assert_eq!(repeats.len(), count as usize / 2);
    assert!(repeats.iter().all(|(row, first)| row % 2 == 1 && *first == row - 1));
}

#[test]
fn a_path_ends_where_a_link_leads_nowhere() {
    let rows: Rows = vec![Some(1), None, Some(0), Some(2)].into();
    let link: Rows = vec![None, Some(7), Some(9)].into();
    assert_eq!(rows.follow(&link).iter().collect::<Vec<_>>(), [Some(7), None, None, Some(9)]);
    assert_eq!(Rows::from(vec![None; 2]).follow(&Vec::<Option<u32>>::new().into()).blanks(), 2);
}

#[test]
fn minus_zero_and_zero_are_one_key() {
    let keys = Keys::new(vec![Column::Number(vec![0.0, -0.0].into())], BlankKeys::Apart, 2);
    assert_eq!(KeyTable::build(&keys).repeats, [(1, 0)]);
}

proptest! {
    #[test]
    fn changes_of_keys_are_what_they_are_called(text in "[ ]{0,2}[0aAzß\u{1c5}É-]{0,6}[ ]{0,2}") {
        let all = [
            (Change::Trim, text.trim().to_owned()),
            (Change::Upper, text.to_uppercase()),
            (Change::Lower, text.to_lowercase()),
            (Change::Zeros, text.trim_start_matches('0').to_owned()),
            (Change::Without('-'), text.chars().filter(|letter| *letter != '-').collect()),
        ];
        for (change, wanted) in &all {
            prop_assert_eq!(change.apply(&text).into_owned(), wanted.clone());
            let twice = changed(&[change.clone(), Change::Upper], &text);
            let upper = wanted.to_uppercase();
            prop_assert_eq!(twice.map(Cow::into_owned), Some(upper).filter(|text| !text.is_empty()));
        }
        let cut = Change::Cut { end: End::Before, text: " ".into(), all: false };
        let rest = text.strip_prefix(' ').filter(|rest| !rest.is_empty());
        prop_assert_eq!(&*cut.apply(&text), rest.unwrap_or(&text));
    }
}

#[test]
fn rows_that_very_many_lead_to_are_counted_as_all_others() {
    let key = |row: i64| if row < 600 { 9 } else { row % 20 };
    let source: Vec<i64> = (0..700).map(key).collect();
    let keys = |values: Vec<i64>| {
        let rows = values.len();
        Keys::new(vec![Column::Integer(values.into())], BlankKeys::Apart, rows)
    };
    let linked = Linked::new(keys(source), keys((0..30).collect()), Method::Equal { unique: true });
    let (unreached, spread) = linked.spread();
    let spread = spread.unwrap();
    assert_eq!((unreached, spread.least, spread.median, spread.most), (10, 5, 5, 605));
}
