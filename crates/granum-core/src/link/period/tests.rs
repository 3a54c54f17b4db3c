//! Links by periods against the slow twin: all pairs of rows.

use proptest::prelude::*;

use super::super::{BlankKeys, LinkWords, Linked};
use super::*;
use crate::engine::tests::memory::Shelf;
use crate::table::Away;
use crate::tally::PeriodRange;

/// A row of the source: its key and its day.
type Left = (Option<i64>, Option<i32>);

/// A row of the target: its key, its start, its end, what is preferred, and its grain.
#[derive(Debug, Clone)]
struct Right {
    key: Option<i64>,
    start: Option<i32>,
    end: Option<i32>,
    size: Option<i64>,
    grain: i64,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Kind {
    Through,
    Until,
    Onward,
}

const KINDS: [Kind; 3] = [Kind::Through, Kind::Until, Kind::Onward];

fn right() -> impl Strategy<Value = Right> {
    let day = |most: i32| prop::option::weighted(0.9, 0..most);
    let key = prop::option::weighted(0.9, 0_i64..3);
    let size = prop::option::weighted(0.8, 0_i64..3);
    (key, day(20), day(8), size, 0_i64..4).prop_map(|(key, start, length, size, grain)| {
        let end = length.map(|length| start.unwrap_or(5) + length);
        Right { key, start, end, size, grain }
    })
}

fn left() -> impl Strategy<Value = Left> {
    (prop::option::weighted(0.9, 0_i64..4), prop::option::weighted(0.9, -2_i32..30))
}

fn moments<T>(rows: &[T], times: bool, of: impl Fn(&T) -> Option<i32>) -> Column {
    let days = rows.iter().map(of);
    if times {
        Column::DateTime(days.map(|day| day.map(i64::from)).collect())
    } else {
        Column::Date(days.collect())
    }
}

/// Links with the program. The keys are equal keys if there are any.
fn linked(
    lefts: &[Left],
    rights: &[Right],
    (kind, keyed, times, prefers): (Kind, bool, bool, bool),
) -> Result<Linked, Inverted> {
    let ends = Moments::new(moments(rights, times, |row| row.end));
    let size = Column::Integer(rights.iter().map(|row| row.size).collect());
    let grain = Column::Integer(rights.iter().map(|row| Some(row.grain)).collect());
    let periods = Periods {
        starts: Moments::new(moments(rights, times, |row| row.start)),
        ends: match kind {
            Kind::Through => Ends::Through(ends),
            Kind::Until => Ends::Until(ends),
            Kind::Onward => Ends::Onward,
        },
        prefer: prefers
            .then(|| Order { by: vec![(Preference::Largest, size)], grain: vec![grain] }),
    };
    let left = Column::Integer(lefts.iter().map(|row| row.0).collect());
    let right = Column::Integer(rights.iter().map(|row| row.key).collect());
    let when = moments(lefts, times, |row| row.1);
    let (left, right) = if keyed { (vec![left, when], vec![right]) } else { (vec![when], vec![]) };
    Linked::by_period(Keys::new(left, BlankKeys::Apart, lefts.len()), right, periods)
}

/// The same with the rows of the source away.
fn again_away(linked: &Linked) -> Linked {
    let file = Shelf::room(0, usize::MAX).file();
    let away = |column: &Column| Held::away(Away::put(column, &file));
    let Linked { left, right, within, .. } = linked;
    let away = Keys::away(left.columns().iter().map(away).collect(), BlankKeys::Apart, left.rows());
    let periods = within.as_ref().sure("periods").periods.clone();
    Linked::by_period(away, right.columns().to_vec(), periods).ok().sure("no inverted period")
}

/// The words of a link, whose near misses are told.
fn words(kind: Kind, keyed: bool) -> LinkWords {
    let named = |name: &str| (name.to_owned(), name.to_owned());
    let ends = (kind != Kind::Onward).then(|| "ends".to_owned());
    let period =
        PeriodWords { text: "p".into(), when: "day".into(), starts: "starts".into(), ends };
    LinkWords { keys: keyed.then(|| named("key")).into_iter().collect(), period: Some(period) }
}

/// The rows of the target that hold for a row, the preferred first: by looking at all of them.
fn holding(left: Left, rights: &[Right], kind: Kind, keyed: bool) -> Vec<usize> {
    let Some(day) = left.1 else { return vec![] };
    let same = |right: &Right| !keyed || (left.0.is_some() && left.0 == right.key);
    let started = |right: &Right| right.start.is_none_or(|start| start <= day);
    let mut found: Vec<usize> = (0..rights.len())
        .filter(|at| {
            let right = &rights[*at];
            let ends = match kind {
                Kind::Through => right.end.is_none_or(|end| day <= end),
                Kind::Until => right.end.is_none_or(|end| day < end),
                Kind::Onward => true,
            };
            same(right) && started(right) && ends
        })
        .collect();
    if kind == Kind::Onward {
        let latest = found.iter().map(|at| rights[*at].start).max();
        found.retain(|at| Some(rights[*at].start) == latest);
    }
    found.sort_by_key(|at| {
        let size = rights[*at].size;
        (std::cmp::Reverse(size), rights[*at].grain, *at)
    });
    found
}

fn why(left: Left, rights: &[Right], kind: Kind, keyed: bool) -> Option<Outside> {
    let day = left.1?;
    if keyed && left.0.is_none() {
        return None;
    }
    let never =
        |right: &Right| kind == Kind::Until && right.start.is_some() && right.start == right.end;
    let of: Vec<&Right> =
        rights.iter().filter(|right| (!keyed || right.key == left.0) && !never(right)).collect();
    if of.is_empty() {
        return Some(Outside::Key);
    }
    if !holding(left, rights, kind, keyed).is_empty() {
        return None;
    }
    if of.iter().all(|right| right.start.is_some_and(|start| day < start)) {
        return Some(Outside::Before);
    }
    let again = of.iter().any(|right| right.start.is_some_and(|start| start > day));
    Some(if again { Outside::Gap } else { Outside::After })
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 1_000, ..ProptestConfig::default() })]

    #[test]
    fn links_by_periods_are_those_of_all_pairs(
        lefts in prop::collection::vec(left(), 0..40),
        rights in prop::collection::vec(right(), 0..14),
        kind in prop::sample::select(&KINDS[..]),
        keyed in any::<bool>(),
        times in any::<bool>(),
    ) {
        let linked = match linked(&lefts, &rights, (kind, keyed, times, true)) {
            Ok(linked) => linked,
            Err(Inverted(rows)) => {
                // Periods here never end before they start.
                prop_assert!(rows.is_empty());
                return Ok(());
            }
        };
        let within = linked.within.as_ref().sure("periods");
        let away = again_away(&linked);
        prop_assert!(linked.index.iter().eq(away.index.iter()));
        let words = words(kind, keyed);
        prop_assert_eq!(linked.near(&words), away.near(&words));
        prop_assert_eq!(linked.missing_keys(), away.missing_keys());
        prop_assert_eq!(linked.latest_start_decides(), away.latest_start_decides());
        let file = away.left.file_for_led(lefts.len());
        let held = away.within.sure("periods").choices(file.as_ref());
        prop_assert_eq!(file.is_some(), held.is_away());
        let all: Vec<Vec<usize>> =
            lefts.iter().map(|left| holding(*left, &rights, kind, keyed)).collect();
        let found: Vec<Option<usize>> =
            linked.index.iter().map(|to| to.map(|row| row as usize)).collect();
        let wanted: Vec<Option<usize>> = all.iter().map(|all| all.first().copied()).collect();
        prop_assert_eq!(found, wanted);
        let choices = within.choices(None).whole();
        for (row, all) in all.iter().enumerate() {
            prop_assert_eq!(choices.units(row), all.len() as i128);
            prop_assert_eq!(held.slice(row, 1).whole().units(0), all.len() as i128);
            prop_assert_eq!(within.outside(row), why(lefts[row], &rights, kind, keyed));
        }
        let several = all.iter().filter(|all| all.len() > 1);
        let tied = several.clone().filter(|all| rights[all[0]].size == rights[all[1]].size);
        let chosen = within.chosen();
        prop_assert_eq!(chosen.several, several.clone().count() as u64);
        prop_assert_eq!(chosen.pairs, several.map(Vec::len).sum::<usize>() as u64);
        prop_assert_eq!(chosen.tied, tied.count() as u64);
        let inside = |ranges: &[PeriodRange]| ranges.iter().map(|range| range.rows).sum::<u64>();
        // Few enough that all ranges are told.
        let (gaps, _) = within.gaps();
        prop_assert_eq!(inside(&gaps), within.counts()[Outside::Gap as usize]);
        let (overlaps, ranges) = within.overlaps(&|row| row.to_string());
        let told: Vec<PeriodRange> = overlaps.iter().map(|one| one.range.clone()).collect();
        if ranges == told.len() as u64 {
            prop_assert_eq!(inside(&told), chosen.several);
        }
        prop_assert!(within.overlaps_met() <= ranges);
    }
}

#[test]
fn a_period_that_ends_before_it_starts_is_told_with_its_row() {
    let right = |start, end| Right { key: Some(1), start, end, size: None, grain: 0 };
    let rights = [right(Some(3), Some(5)), right(Some(5), Some(3)), right(Some(4), Some(4))];
    for kind in [Kind::Through, Kind::Until] {
        let found = linked(&[(Some(1), Some(4))], &rights, (kind, true, false, true));
        assert_eq!(found.err(), Some(Inverted(vec![1])));
    }
    let onward = linked(&[(Some(1), Some(4))], &rights, (Kind::Onward, true, false, true));
    assert!(onward.is_ok());
}

#[test]
fn a_day_that_ends_one_period_and_starts_another_is_shared_only_if_it_is_part_of_both() {
    let right =
        |start, end| Right { key: None, start: Some(start), end: Some(end), size: None, grain: 0 };
    let rights = [right(1, 5), right(5, 9), right(20, 20)];
    let lefts: Vec<Left> = [5, 9, 20].map(|day| (None, Some(day))).to_vec();
    let of = |kind| {
        let linked =
            linked(&lefts, &rights, (kind, false, false, false)).ok().sure("no inverted period");
        let within = linked.within.sure("periods");
        let to: Vec<Option<u32>> = linked.index.iter().collect();
        (to, within.chosen().several, within.never(), within.span())
    };
    let span = |last: i32| {
        let words = |day: i32| crate::value::Scalar::Date(day).to_string();
        (Some(words(1)), Some(words(last)))
    };
    assert_eq!(of(Kind::Through), (vec![Some(0), Some(1), Some(2)], 1, 0, span(20)));
    assert_eq!(of(Kind::Until), (vec![Some(1), None, None], 0, 1, span(9)));
}
