//! Keys of links that steps took out: all are told of, each with the last step that took it out, and nothing else.

use std::collections::{BTreeMap, BTreeSet};

use proptest::prelude::*;

use super::memory::run_texts;
use crate::tally::{LinkTally, TakenOut};

/// Which row of `r` a key goes with, and whether steps take it out.
type Row = (u8, char, u8);

const STEPS: [&str; 3] = ["drop s = \"x\"", "keep n > 1", "drop s = \"y\""];

fn plan(steps: &[&str]) -> String {
    let own = |at: usize| steps.get(at).map_or(String::new(), |step| format!("  {step}\n"));
    format!(
        "input l from \"l\"\n  read k as text\n\
         input r from \"r\"\n  read k as text\n       n as integer\n       s as text\n  add c = k & \"!\"\n{}{}\
         table m from r\n{}  add d = upper(c)\n  dedupe by d keep first\n  grain d\n\
         link l to m on k & \"!\" = d complete\n",
        own(0),
        own(1),
        own(2)
    )
}

/// The link, which is the same with next to no memory.
fn linked(left: &[u8], right: &[Row], steps: &[&str]) -> LinkTally {
    let all = |lines: Vec<String>| lines.join("\n");
    let rows = all(left.iter().map(|key| format!("K{key}")).collect());
    let of_right = |(key, state, number): &Row| format!("k{key},{state},{number}");
    let targets = all(right.iter().map(of_right).collect());
    let files = [("l", format!("k\n{rows}")), ("r", format!("k,s,n\n{targets}"))];
    run_texts(&files, &plan(steps), 3).0.links.remove(0)
}

/// What steps took out, by the last that took out each key.
fn wanted(left: &[u8], right: &[Row]) -> BTreeMap<usize, (u64, BTreeSet<u8>)> {
    let goes = |row: &Row| match row {
        (_, 'x', _) => Some(0),
        (_, _, ..=1) => Some(1),
        (_, 'y', _) => Some(2),
        _ => None,
    };
    let mut wanted: BTreeMap<usize, (u64, BTreeSet<u8>)> = BTreeMap::new();
    for key in left {
        let mut rows = right.iter().filter(|row| row.0 == *key).map(goes).collect::<Vec<_>>();
        // One that stays leads somewhere.
        if rows.contains(&None) {
            continue;
        }
        rows.sort_unstable();
        if let Some(Some(last)) = rows.last() {
            let told = wanted.entry(*last).or_default();
            told.0 += 1;
            told.1.insert(*key);
        }
    }
    wanted
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(120) })]

    #[test]
    fn each_key_that_a_step_took_out_is_told_of_once_with_the_last_that_did(
        left in prop::collection::vec(0..6_u8, 1..12),
        right in prop::collection::vec((0..6_u8, prop::sample::select(vec!['x', 'y', 'z']), 0..4_u8), 0..14),
    ) {
        let link = linked(&left, &right, &STEPS);
        let wanted = wanted(&left, &right);
        let nowhere: BTreeSet<u8> =
            left.iter().copied().filter(|key| !right.iter().any(|(own, state, number)| {
                own == key && *state == 'z' && *number > 1
            })).collect();
        // Four different keys are looked for in tests.
        let all = nowhere.len() <= 4;
        let told = |at: usize| link.taken_out.iter().find(|told| told.step.text == STEPS[at]);
        for (at, (rows, keys)) in &wanted {
            match told(*at) {
                Some(TakenOut { rows: told, distinct, at_least, examples, .. }) => {
                    prop_assert_eq!(*at_least, !all);
                    let told = (*told, *distinct);
                    let whole = (*rows, keys.len() as u64);
                    let within = told.0 <= whole.0 && told.1 <= whole.1;
                    prop_assert!(within && (!all || told == whole), "{:?} of {:?}", told, whole);
                    for one in examples {
                        let own = keys.iter().any(|key| one.key == format!("K{key}!"));
                        prop_assert!(own && one.place.is_some(), "{:?}", one);
                    }
                    prop_assert_eq!(examples.len() as u64, told.1.min(3));
                }
                None => prop_assert!(!all, "step {} is not told of", at),
            }
        }
        let known = |told: &TakenOut| wanted.keys().any(|at| STEPS[*at] == told.step.text);
        prop_assert!(link.taken_out.iter().all(known), "{:?}", link.taken_out);
        // What is told of is not looked for among keys that are near, and nothing is counted twice.
        let known: u64 = link.taken_out.iter().map(|told| told.rows).sum();
        let near: u64 = link.near.iter().map(|near| near.rows).sum();
        prop_assert_eq!(known + near + link.unlike, link.missing);
    }

    #[test]
    fn without_its_step_a_key_leads_somewhere(
        left in prop::collection::vec(0..4_u8, 1..9),
        right in prop::collection::vec((0..4_u8, prop::sample::select(vec!['y', 'z']), 2..4_u8), 1..9),
    ) {
        let link = linked(&left, &right, &STEPS);
        let without = linked(&left, &right, &STEPS[..2]);
        let told: u64 = link.taken_out.iter().map(|told| told.rows).sum();
        prop_assert_eq!(without.matched - link.matched, told);
        prop_assert!(without.taken_out.is_empty());
    }
}
