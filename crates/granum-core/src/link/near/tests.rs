//! Keys of a target, against a slow twin that holds them all; and what is told of keys, wherever they are.

use std::collections::{BTreeMap, HashSet};

use proptest::prelude::*;

use super::target::{Target, Which, print};
use super::*;
use crate::engine::tests::memory::Shelf;
use crate::link::{BlankKeys, KeyTable};
use crate::table::{Away, Held, Room};

type Row = (Option<String>, Option<i64>);

fn rows() -> impl Strategy<Value = Vec<Row>> {
    let text = prop::option::weighted(0.9, "[ 0]?[aA]{1,2}[-1]?");
    prop::collection::vec((text, prop::option::weighted(0.95, 0_i64..3)), 0..50)
}

fn keys(rows: &[Row], room: Option<&Room>) -> Keys {
    let columns = [
        Column::Text(rows.iter().map(|row| row.0.clone()).collect()),
        Column::Integer(rows.iter().map(|row| row.1).collect()),
    ];
    let held = columns.map(|column| match room {
        Some(room) => Held::away(Away::put(&column, &room.file())),
        None => Held::Own(column),
    });
    Keys::away(held.to_vec(), BlankKeys::Apart, rows.len())
}

/// The texts of each key, in the order of their first rows.
fn once(rows: &[Row]) -> Vec<Key> {
    let mut known = HashSet::new();
    let key = |row: &Row| Some(vec![row.0.clone()?, row.1?.to_string()]);
    rows.iter().filter_map(key).filter(|key| known.insert(key.clone())).collect()
}

/// A key's text without its zeros, so that some are alike.
fn bare(text: &str) -> String {
    text.replace('0', "")
}

proptest! {
    #[test]
    fn each_key_of_a_target_is_looked_at_once(
        (left, right) in (rows(), rows()),
        limit in prop::sample::select(vec![0_u64, 2_000, 1 << 20]),
        away in any::<bool>(),
    ) {
        let room = Shelf::room(limit, usize::MAX);
        let room = away.then_some(&room);
        let (all, index) = (once(&right), {
            let right = keys(&right, None);
            KeyTable::build(&right).link(&right, &keys(&left, None))
        });
        let right = keys(&right, room);
        let target = Target::new(&right, &index);
        let met: Vec<Key> = once(&left).into_iter().filter(|key| all.contains(key)).collect();
        prop_assert_eq!(target.len(), all.len());
        prop_assert_eq!(target.met_count(), met.len());
        prop_assert_eq!(&target.collected(|parts| Some(owned(parts))), &all);
        prop_assert_eq!(target.first_unmet(), all.iter().find(|key| !met.contains(key)).cloned());
        let wanted: HashSet<u128> = once(&left).iter().map(print).collect();
        let known = target.known(&wanted, |parts| Some(print(parts)));
        prop_assert_eq!(known, met.iter().map(print).collect::<HashSet<u128>>());
        for which in [Which::All, Which::Met] {
            let own = if which == Which::All { &all } else { &met };
            let is = |text: &str| text.starts_with('0');
            let any = target.any(which, |parts| is(&parts[0]));
            prop_assert_eq!(any, own.iter().any(|key| is(&key[0])));
        }
        let mut alike: BTreeMap<Key, u64> = BTreeMap::new();
        for key in &all {
            *alike.entry(vec![bare(&key[0]), key[1].clone()]).or_default() += 1;
        }
        let shared = target.shared(|parts| Some(print([bare(&parts[0]), parts[1].to_string()])));
        prop_assert_eq!(shared, alike.values().filter(|count| **count > 1).sum::<u64>());
    }

    #[test]
    fn keys_that_are_away_nearly_match_alike((left, right) in (rows(), rows())) {
        let words = [("k".to_owned(), "k".to_owned()), ("n".to_owned(), "n".to_owned())];
        let index = KeyTable::build(&keys(&right, None)).link(&keys(&right, None), &keys(&left, None));
        let near = |room: Option<&Room>| {
            let (left, right) = (&keys(&left, room), &keys(&right, room));
            let missing = Missing { left, right, index: &index, words: &words, confirm: None };
            format!("{:?}", near_misses(&missing))
        };
        prop_assert_eq!(near(Some(&Shelf::room(0, usize::MAX))), near(None));
    }
}

#[test]
fn of_many_keys_that_lead_nowhere_only_their_number_is_told() {
    let numbers = |first: usize, count: usize| -> Keys {
        let texts = (first..first + count).map(|at| Some(format!("K{at:06}")));
        Keys::new(vec![Column::Text(texts.collect())], BlankKeys::Apart, count)
    };
    let words = [("k".to_owned(), "k".to_owned())];
    let told = |count: usize| {
        let (left, right) = (&numbers(0, count), &numbers(900_000, 10));
        let index = &Rows::from(vec![None; count]);
        near_misses(&Missing { left, right, index, words: &words, confirm: None })
    };
    assert_eq!((told(KEYS + 1).0.len(), told(KEYS + 1).1), (0, KEYS as u64 + 1));
    // What one letter tells from the target is not looked for among so many, and nothing else is near.
    assert_eq!((told(KEYS).0.len(), told(KEYS).1), (0, KEYS as u64));
}
