//! Arrays against plain vectors that do the same slowly.

use proptest::prelude::*;

mod texts;

use std::ops::Range;

use super::*;
use crate::engine::tests::memory::Shelf;
use crate::table::PIECE;
use crate::table::Rows;
use crate::table::packed::Packed;
use crate::table::rows::RowsBuilder;

/// Bits that do not begin where a word does, and what they are.
fn bits() -> impl Strategy<Value = (Bits, Vec<bool>)> {
    (prop::collection::vec(any::<bool>(), 0..300), 0.0..1.0, 0.0..1.0).prop_map(
        |(all, from, part)| {
            let from = (all.len() as f64 * from) as usize;
            let len = ((all.len() - from) as f64 * part) as usize;
            (all.iter().copied().collect::<Bits>().slice(from, len), all[from..from + len].to_vec())
        },
    )
}

proptest! {
    #[test]
    fn bits_are_what_they_were_made_of((bits, plain) in bits(), (others, more) in bits()) {
        prop_assert_eq!(bits.iter().collect::<Vec<_>>(), plain.clone());
        prop_assert_eq!((0..bits.len()).map(|at| bits.value(at)).collect::<Vec<_>>(), plain.clone());
        prop_assert_eq!(bits.count(), plain.iter().filter(|bit| **bit).count());
        let rows: Vec<usize> = (0..plain.len()).filter(|row| plain[*row]).collect();
        prop_assert_eq!(bits.rows().collect::<Vec<_>>(), rows.clone());
        let of = Bits::of(plain.len(), rows.iter().rev().map(|row| *row as u32));
        prop_assert_eq!(of.iter().collect::<Vec<_>>(), plain.clone());
        let runs: Vec<(usize, usize)> = bits.runs().collect();
        prop_assert_eq!(runs.iter().flat_map(|(from, to)| *from..*to).collect::<Vec<_>>(), rows);
        prop_assert!(runs.windows(2).all(|pair| pair[0].1 < pair[1].0));
        for each in [1, 2, 7, 64, 100] {
            let portions = bits.portions(each);
            let cut: Vec<bool> = portions.iter().flat_map(|rows| &plain[rows.clone()]).copied().collect();
            prop_assert_eq!(&cut, &plain[..cut.len()]);
            prop_assert!(!plain[cut.len()..].contains(&true));
            let true_in = |rows: &Range<usize>| plain[rows.clone()].iter().filter(|bit| **bit).count();
            let (last, before) = portions.split_last().map_or((each, &[][..]), |(last, before)| (true_in(last), before));
            prop_assert!((1..=each).contains(&last));
            prop_assert!(before.iter().all(|rows| true_in(rows) == each && plain[rows.end - 1]));
        }
        let not: Vec<bool> = plain.iter().map(|bit| !bit).collect();
        prop_assert_eq!((!&bits).iter().collect::<Vec<_>>(), not);
        let length = plain.len().min(more.len());
        let (a, b) = (bits.slice(0, length), others.slice(0, length));
        let pairs = || plain.iter().zip(&more);
        prop_assert_eq!((&a & &b).iter().collect::<Vec<_>>(), pairs().map(|(a, b)| a & b).collect::<Vec<_>>());
        prop_assert_eq!((&a | &b).iter().collect::<Vec<_>>(), pairs().map(|(a, b)| a | b).collect::<Vec<_>>());
        let mut builder = BitsBuilder::default();
        builder.append(&bits);
        builder.push(true);
        builder.push_all(more.len(), false);
        builder.append(&others);
        let wanted = [plain, vec![true], vec![false; more.len()], more].concat();
        prop_assert_eq!(builder.len(), wanted.len());
        prop_assert_eq!(builder.finish().iter().collect::<Vec<_>>(), wanted);
    }

    #[test]
    fn what_is_present_is_noted_from_the_first_blank_on(
        parts in prop::collection::vec(prop::collection::vec(any::<bool>(), 0..80), 0..6),
        all in any::<bool>(),
    ) {
        let mut builder = PresentBuilder::default();
        let mut wanted: Vec<bool> = vec![];
        for (at, part) in parts.iter().enumerate() {
            let part: Vec<bool> = part.iter().map(|there| all || *there).collect();
            match at % 3 {
                0 => part.iter().for_each(|there| builder.push(*there)),
                1 => builder.append(&part.clone().into()),
                _ => builder.push_all(part.len(), all),
            }
            wanted.extend(part.iter().map(|there| if at % 3 == 2 { all } else { *there }));
        }
        let blanks = wanted.iter().filter(|there| !**there).count();
        match builder.finish() {
            None => prop_assert_eq!(blanks, 0),
            Some(present) => {
                prop_assert_eq!(present.blanks(), blanks);
                prop_assert_eq!(present.bits().iter().collect::<Vec<_>>(), wanted);
            }
        }
    }

    #[test]
    fn rows_are_the_same_whether_they_are_a_run_or_written_down(
        runs in prop::collection::vec((0_u32..40, 0_usize..20), 0..5),
        link in prop::collection::vec(prop::option::of(0_u32..9), 60),
        from in 0_usize..5,
    ) {
        let mut builder = RowsBuilder::default();
        let mut wanted: Vec<u32> = vec![];
        for (first, count) in runs {
            // Now and then a run goes on where the one before ended.
            let first = wanted.last().filter(|last| first % 2 == 0 && **last < 39).map_or(first, |last| last + 1);
            builder.append(&Rows::run(first, count));
            wanted.extend(first..first + count as u32);
        }
        let rows = builder.finish();
        prop_assert_eq!(rows.iter().collect::<Vec<_>>(), wanted.iter().copied().map(Some).collect::<Vec<_>>());
        let from = from.min(rows.len());
        let part = rows.slice(from, rows.len() - from);
        prop_assert_eq!(part.numbers().collect::<Vec<_>>(), wanted[from..].to_vec());
        let even = Bits::collect(rows.len(), |row| row % 2 == 0);
        let kept: Vec<u32> = wanted.iter().copied().step_by(2).collect();
        prop_assert_eq!(rows.filter(&even).numbers().collect::<Vec<_>>(), kept);
        let led: Vec<Option<u32>> = wanted.iter().map(|row| link[*row as usize]).collect();
        let link = Rows::from(link);
        prop_assert_eq!(rows.follow(&link).iter().collect::<Vec<_>>(), led.clone());
        let written = Rows::from(wanted.clone());
        prop_assert_eq!(written.follow(&link).iter().collect::<Vec<_>>(), led);
        prop_assert_eq!(written.follow(&Rows::same(60)).numbers().collect::<Vec<_>>(), wanted.clone());
        let on: Vec<u32> = wanted.iter().map(|row| row + 7).collect();
        prop_assert_eq!(written.follow(&Rows::run(7, 60)).numbers().collect::<Vec<_>>(), on);
    }
}

/// Rows that lie near each other, far from each other, one behind the other, and blank ones.
fn led() -> impl Strategy<Value = Vec<Option<u32>>> {
    let some = prop_oneof![
        (0_u32..9).prop_map(|at| vec![Some(at)]),
        (0_u32..4_000_000_000, 1_u32..40)
            .prop_map(|(at, count)| (at..at + count).map(Some).collect()),
        (300_u32..900).prop_map(|at| vec![Some(at)]),
        (0_u32..2, 0_u32..60_000).prop_map(|(file, at)| vec![Some(900_000 * file + at)]),
        Just(vec![None, None]),
    ];
    prop::collection::vec(some, 0..20).prop_map(|some| some.concat())
}

proptest! {
    #[test]
    fn packed_rows_are_those_that_were_packed(
        rows in led(),
        cuts in any::<[prop::sample::Index; 2]>(),
        wanted in prop::collection::vec(any::<Option<prop::sample::Index>>(), 0..30),
    ) {
        let packed = Rows::from(rows.clone()).packed();
        let away = packed.away(&Shelf::room(0, usize::MAX).file());
        for packed in [packed, away] {
            are_those(&packed, &rows, cuts, &wanted)?;
        }
    }
}

/// Packed rows are those that were packed, and parts of them the same parts.
fn are_those(
    packed: &Rows,
    rows: &[Option<u32>],
    cuts: [prop::sample::Index; 2],
    wanted: &[Option<prop::sample::Index>],
) -> Result<(), TestCaseError> {
    prop_assert_eq!(packed.iter().collect::<Vec<_>>(), rows.to_vec());
    prop_assert_eq!(packed.blanks(), rows.iter().filter(|row| row.is_none()).count());
    let ends = cuts.map(|cut| cut.index(rows.len() + 1));
    let (from, to) = (ends[0].min(ends[1]), ends[0].max(ends[1]));
    let part = packed.slice(from, to - from);
    prop_assert_eq!(part.iter().collect::<Vec<_>>(), rows[from..to].to_vec());
    let even = Bits::collect(part.len(), |row| row % 2 == 0);
    let kept: Vec<_> = rows[from..to].iter().copied().step_by(2).collect();
    prop_assert_eq!(part.filter(&even).iter().collect::<Vec<_>>(), kept);
    let at = |wanted: &Option<prop::sample::Index>| {
        wanted.filter(|_| !rows.is_empty()).map(|wanted| wanted.index(rows.len()) as u32)
    };
    let wanted: Vec<Option<u32>> = wanted.iter().map(at).collect();
    let led: Vec<_> = wanted.iter().map(|at| at.and_then(|at| rows[at as usize])).collect();
    let wanted = Rows::from(wanted);
    prop_assert_eq!(wanted.follow(packed).iter().collect::<Vec<_>>(), led.clone());
    prop_assert_eq!(wanted.packed().follow(packed).iter().collect::<Vec<_>>(), led);
    Ok(())
}

#[test]
fn packed_rows_take_what_their_pieces_need() {
    let bytes = |rows: Vec<u32>| {
        let count = rows.len();
        (Packed::of(&rows.into()).bytes_held() as f64 / count as f64 * 10.0).round()
    };
    // A run, numbers near each other, far from each other, and a run with a gap.
    assert_eq!(bytes((7..7 + 8 * PIECE as u32).collect()), 5.0);
    assert_eq!(bytes((0..800).map(|at| 5_000 + at * 7 % 90).collect()), 10.0);
    assert_eq!(bytes((0..800).map(|at| at * 700).collect()), 20.0);
    assert_eq!(bytes((0..800).map(|at| at * 70_000).collect()), 40.0);
    // Rows of one of two stacked files.
    assert_eq!(bytes((0..800).map(|at| at % 3 / 2 * 900_000 + at * 700).collect()), 21.0);
}

#[test]
fn values_that_nobody_shares_are_moved_and_others_copied() {
    let values = Fixed::from(vec![1_i64, 2, 3]);
    let (kept, at) = (values.clone(), values.values().as_ptr());
    assert_ne!(values.into_parts().0.as_ptr(), at);
    assert_eq!(kept.values().as_ptr(), at);
    assert_eq!(kept.clone().slice(1, 2).into_parts().0, [2, 3]);
    assert_eq!(kept.into_parts().0.as_ptr(), at);
}

/// How many bytes all of some numbers need; one for none.
fn needed(values: &[Option<i64>]) -> usize {
    let each = values.iter().flatten().map(|value| match value {
        -0x80..0x80 => 1,
        -0x8000..0x8000 => 2,
        -0x8000_0000..0x8000_0000 => 4,
        _ => 8,
    });
    each.max().unwrap_or(1)
}

/// Whole numbers of which some need all their bytes, some of them blank.
fn wholes() -> impl Strategy<Value = Vec<Option<i64>>> {
    let number = prop_oneof![
        20 => -50_i64..50,
        2 => Just(128_i64),
        1 => Just(i64::from(i16::MIN) - 1),
        1 => Just(i64::from(i32::MAX) + 1),
        1 => Just(i64::from(i32::MIN)),
    ];
    prop::collection::vec(prop::option::weighted(0.8, number), 0..12)
}

proptest! {
    #[test]
    fn whole_numbers_are_the_same_in_as_few_bytes_as_they_need(
        parts in prop::collection::vec((wholes(), any::<bool>()), 0..5),
        picks in prop::collection::vec(prop::option::weighted(0.9, 0_usize..40), 0..20),
    ) {
        let mut growing = GrowingWhole::<i64>::new(3);
        let mut present = PresentBuilder::default();
        let mut plain: Vec<Option<i64>> = vec![];
        for (part, narrow) in &parts {
            let whole: Whole<i64> = part.iter().copied().collect();
            if !part.is_empty() {
                prop_assert_eq!(whole.clone().narrowed().size(), needed(part));
            }
            let whole = if *narrow { whole.narrowed() } else { whole };
            prop_assert_eq!(whole.iter().collect::<Vec<_>>(), part.clone());
            growing.append(&whole);
            growing.append_blanks(1);
            part.iter().for_each(|value| present.push(value.is_some()));
            present.push(false);
            plain.extend(part);
            plain.push(None);
        }
        let whole = growing.finish(present.finish());
        if !plain.is_empty() {
            prop_assert_eq!(whole.size(), needed(&plain));
        }
        prop_assert_eq!(whole.iter().collect::<Vec<_>>(), plain.clone());
        prop_assert_eq!(whole.len(), plain.len());
        prop_assert_eq!(whole.blanks(), plain.iter().filter(|value| value.is_none()).count());
        let keep: Vec<bool> = (0..plain.len()).map(|row| row % 3 != 1).collect();
        let kept: Vec<_> = plain.iter().zip(&keep).filter(|(_, keep)| **keep).map(|(v, _)| *v).collect();
        prop_assert_eq!(whole.filter(&keep.clone().into()).iter().collect::<Vec<_>>(), kept.clone());
        prop_assert_eq!(whole.clone().into_filtered(&keep.into()).iter().collect::<Vec<_>>(), kept);
        let half = plain.len() / 2;
        prop_assert_eq!(whole.slice(half, plain.len() - half).iter().collect::<Vec<_>>(), plain[half..].to_vec());
        let picks: Vec<Option<usize>> =
            picks.into_iter().map(|pick| pick.filter(|row| *row < plain.len())).collect();
        let rows: Fixed<u32> = picks.iter().map(|row| row.map(|row| row as u32)).collect();
        let taken: Vec<_> = picks.iter().map(|row| row.and_then(|row| plain[row])).collect();
        prop_assert_eq!(whole.take(&rows).iter().collect::<Vec<_>>(), taken);
    }
}

proptest! {
    #[test]
    fn numbers_of_eight_bytes_are_the_same_in_fewer(
        rows in wholes(), far in prop::option::of(any::<i64>()), times in 0_usize..5,
    ) {
        let rows: Vec<Option<i64>> = rows.into_iter().chain(far.map(Some)).collect();
        let values: Vec<i64> = rows.iter().map(|row| row.unwrap_or(7)).collect();
        let present: Present = rows.iter().map(Option::is_some).collect();
        let few = Whole::<i64>::of(&values, Some(present.clone()));
        let units = Whole::<i128>::of(&values, Some(present.clone()));
        prop_assert_eq!(few.iter().collect::<Vec<_>>(), rows.clone());
        let wanted: Vec<Option<i128>> = rows.iter().map(|row| row.map(i128::from)).collect();
        prop_assert_eq!(units.iter().collect::<Vec<_>>(), wanted.clone());
        if let Some(most) = values.iter().copied().max_by_key(|value| value.unsigned_abs()) {
            let widest = needed(&[Some(most), values.iter().min().copied(), values.iter().max().copied()]);
            prop_assert_eq!((few.size(), units.size()), (widest, widest));
            prop_assert_eq!(few.short().is_some(), widest <= 4);
        }
        // Blanks count for nothing, in whatever bytes they stand.
        let sum: i128 = wanted.iter().flatten().sum();
        prop_assert_eq!((few.sum(), units.sum()), (Some(sum), Some(sum)));
        prop_assert_eq!(Whole::<i64>::new(values.clone(), Some(present)).sum(), Some(sum));
        prop_assert_eq!(Whole::<i64>::new(values.clone(), None).sum(), Some(values.iter().map(|v| i128::from(*v)).sum()));
        let value = values.first().copied().unwrap_or_default();
        let same = Whole::<i64>::repeated(value, times);
        prop_assert_eq!(same.iter().collect::<Vec<_>>(), vec![Some(value); times]);
    }
}
