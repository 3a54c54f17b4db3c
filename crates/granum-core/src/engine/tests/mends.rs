//! What is proposed to write mends: it wins the rows that it says, and changes no match that exists.

use std::collections::BTreeSet;

use proptest::prelude::*;

use super::memory::run_texts;
use crate::tally::NearMiss;

fn files(left: &[String], right: &[String]) -> [(&'static str, String); 2] {
    let rows = |keys: &[String]| -> String {
        keys.iter().enumerate().fold(String::new(), |all, (id, key)| all + &format!("{id},{key}\n"))
    };
    [("l", format!("id,k\n{}", rows(left))), ("r", format!("id,k\n{}", rows(right)))]
}

fn plan(on: &str, asked: &str) -> String {
    format!(
        "input l from \"l\"\n  read k as text\ninput r from \"r\"\n  read k as text\n\
         link l to r on {on}{asked}\ntable t from l\n  add to = r.id\n  columns id, to\n\
         output t to \"t.csv\"\n"
    )
}

/// Where each row leads, or why the link cannot be built.
fn leads(left: &[String], right: &[String], on: &str) -> Result<Vec<String>, &'static str> {
    let (report, written) = run_texts(&files(left, right), &plan(on, ""), 3);
    match report.problems.first() {
        Some(problem) => Err(problem.kind()),
        None => Ok(written["t.csv"].lines().map(str::to_owned).collect()),
    }
}

fn near(left: &[String], right: &[String]) -> Vec<NearMiss> {
    let (report, _) = run_texts(&files(left, right), &plan("k", " complete"), 3);
    report.links[0].near.clone()
}

/// What stands in `on`, worked on the whole link.
fn assert_mends(left: &[String], right: &[String], miss: &NearMiss) -> Result<(), TestCaseError> {
    let Some(on) = &miss.keys else { return Ok(()) };
    let before = leads(left, right, "k").unwrap();
    match leads(left, right, on) {
        Err(kind) => {
            prop_assert_eq!(kind, "repeated-keys", "{}", on);
            prop_assert!(miss.merged > 1, "{on}");
        }
        Ok(after) => {
            prop_assert_eq!(miss.merged, 0, "{}", on);
            let lost = before.iter().filter(|row| !row.ends_with(',') && !after.contains(row));
            prop_assert_eq!(lost.count(), 0, "{} changes a match", on);
            let open =
                |rows: &[String]| rows.iter().filter(|row| row.ends_with(',')).count() as u64;
            prop_assert_eq!(open(&before) - open(&after), miss.rows, "{}", on);
        }
    }
    Ok(())
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(150) })]

    #[test]
    fn a_mend_wins_what_it_says_and_loses_nothing(
        left in prop::collection::vec("[ 0]?[0-1Aa]{1,3}[ -]?", 1..14),
        right in prop::collection::btree_set("[ 0]?[0-1Aa]{1,3}[ -]?", 1..14),
    ) {
        let right: Vec<String> = right.into_iter().collect();
        for miss in near(&left, &right) {
            assert_mends(&left, &right, &miss)?;
        }
    }

    #[test]
    fn what_stands_before_or_behind_is_cut_only_where_that_is_sure(
        keys in prop::collection::btree_set("[0-9]{2,4}", 2..12),
        before in prop::sample::select(vec!["", "1", "K-"]),
        behind in prop::sample::select(vec!["", "0", "/b"]),
        plain in prop::collection::vec(any::<bool>(), 12),
        swapped in any::<bool>(),
    ) {
        let keys: Vec<String> = keys.into_iter().collect();
        let typed: Vec<String> = keys.iter().zip(&plain).map(|(key, plain)| {
            if *plain { key.clone() } else { format!("{before}{key}{behind}") }
        }).collect();
        let typed: BTreeSet<String> = typed.into_iter().collect();
        let typed: Vec<String> = typed.into_iter().collect();
        let (left, right) = if swapped { (&keys, &typed) } else { (&typed, &keys) };
        for miss in near(left, right) {
            assert_mends(left, right, &miss)?;
        }
    }
}

fn texts(keys: &[&str]) -> Vec<String> {
    keys.iter().map(|key| (*key).to_owned()).collect()
}

#[test]
fn a_mend_goes_on_both_sides_where_one_alone_would_part_what_matches() {
    let (left, right) = (texts(&["7", "007", "007", "008", "009"]), texts(&["007", "008", "009"]));
    let near = near(&left, &right);
    assert_eq!(near[0].keys.as_deref(), Some("trim_left(k, \"0\")"));
    assert_eq!((near[0].rows, near[0].merged), (1, 0));
    assert_mends(&left, &right, &near[0]).unwrap();
}

#[test]
fn no_digit_is_cut_from_keys_that_match() {
    // Some keys look as if a first digit were missing from the target; most match as they are.
    let right: Vec<String> = (100..1_000).map(|number| number.to_string()).collect();
    let left: Vec<String> =
        (100..400).chain(1_100..1_127).map(|number| number.to_string()).collect();
    for miss in near(&left, &right) {
        assert_mends(&left, &right, &miss).unwrap();
        assert_eq!(miss.keys, None, "{miss:?}");
    }
}
