//! Steps by themselves, on columns made by hand.
use num_bigint::BigInt;
use proptest::prelude::*;

use super::dedupe::copies;
use super::units::{UnitsMade, split_units};
use crate::expr::{Kind, Typed};
use crate::lang::{OddQuantity, Preference, Span, UnitsPolicy};
use crate::link::{BlankKeys, Keys, repeated};
use crate::resolve::{DedupeByPlan, DedupeRule, SplitPlan, UnitsPlan};
use crate::table::{Batch, Bits, Column, SlotId};
use crate::tally::Cut;
use crate::value::{Scalar, Scale, Type};

fn text(values: &[Option<&str>]) -> Column {
    Column::Text(values.iter().copied().collect())
}

fn whole(values: &[Option<i64>]) -> Column {
    Column::Integer(values.iter().copied().collect())
}

fn kept(stays: &Bits) -> Vec<usize> {
    (0..stays.len()).filter(|row| stays.value(*row)).collect()
}

#[test]
fn copies_are_rows_equal_in_every_column() {
    let a = text(&[Some("x"), Some("x"), None, None, Some("x")]);
    let b = whole(&[Some(1), Some(1), None, None, Some(2)]);
    let (stays, cut) = copies(&repeated(&Keys::new(vec![a, b], BlankKeys::Equal, 5)), 5);
    assert_eq!(kept(&stays), [0, 2, 4]);
    assert_eq!(cut.copies, 2);
    assert!(!cut.by_key);
}

#[test]
fn without_columns_all_rows_are_copies_of_the_first() {
    let (stays, cut) = copies(&repeated(&Keys::new(vec![], BlankKeys::Equal, 3)), 3);
    assert_eq!(kept(&stays), [0]);
    assert_eq!(cut.copies, 2);
}

fn by_key(
    keys: Vec<Column>,
    rows: usize,
    rule: &DedupeRule,
    ranks: &[Column],
    whole: Vec<Column>,
) -> (Bits, Cut) {
    let slots: Vec<Option<Column>> = ranks.iter().cloned().chain(whole).map(Some).collect();
    let copies = (ranks.len()..slots.len()).map(SlotId).collect();
    let plan = DedupeByPlan { keys: vec![], rule: rule.clone(), copies };
    let keys = Keys::new(keys, BlankKeys::Apart, rows);
    plan.stays(&keys, &Batch::new(rows, slots, vec![]))
}

fn best(how: Preference) -> DedupeRule {
    DedupeRule::Best(vec![(how, SlotId(0))])
}

#[test]
fn the_best_row_of_a_key_stays_where_it_stands() {
    let keys = vec![text(&[Some("a"), Some("b"), Some("a"), None, Some("a"), None])];
    let rank = whole(&[Some(5), Some(1), Some(9), Some(1), Some(9), Some(1)]);
    let rows = vec![whole(&[Some(0), Some(1), Some(2), Some(3), Some(4), Some(5)])];
    let run = |rule| {
        let ranks = [rank.clone()];
        let (stays, cut) = by_key(keys.clone(), 6, &rule, &ranks, rows.clone());
        (kept(&stays), cut)
    };
    let (rows_kept, cut) = run(best(Preference::Largest));
    assert_eq!(rows_kept, [1, 3, 4, 5]);
    assert_eq!((cut.copies, cut.older, cut.ties, cut.blank_keys), (0, 1, 1, 2));
    assert_eq!(run(best(Preference::Smallest)).0, [0, 1, 3, 5]);
    assert_eq!(run(DedupeRule::First).0, [0, 1, 3, 5]);
    assert_eq!(run(DedupeRule::Last).0, [1, 3, 4, 5]);
}

#[test]
fn a_blank_never_wins_and_copies_are_told_from_ties() {
    let keys = vec![text(&[Some("a"); 4])];
    let rank = whole(&[Some(1), None, Some(1), Some(1)]);
    let rows = vec![whole(&[Some(7), Some(8), Some(7), Some(7)])];
    let ranks = [rank];
    let (stays, cut) = by_key(keys, 4, &best(Preference::Latest), &ranks, rows);
    assert_eq!(kept(&stays), [3]);
    assert_eq!((cut.copies, cut.older, cut.ties), (2, 1, 0));
}

#[test]
fn later_columns_decide_where_earlier_ones_tie() {
    let keys = vec![text(&[Some("a"); 3])];
    let ranks = [whole(&[Some(1), Some(1), Some(0)]), whole(&[Some(3), Some(2), Some(9)])];
    let rule =
        DedupeRule::Best(vec![(Preference::Largest, SlotId(0)), (Preference::Smallest, SlotId(1))]);
    let rows = vec![whole(&[Some(0), Some(1), Some(2)])];
    let (stays, cut) = by_key(keys, 3, &rule, &ranks, rows);
    assert_eq!(kept(&stays), [1]);
    assert_eq!(cut.older, 2);
}

/// Splits rows of a quantity and an amount, into parts of two places or more.
fn split(quantities: Column, amounts: Column) -> (Batch, Vec<(&'static str, u64)>) {
    let places = amounts.ty().scale().unwrap_or_default().max(Scale(2));
    let made = made(quantities, amounts, places, &UnitsPolicy::default());
    let troubles = made.troubles.iter().map(|trouble| (trouble.what, trouble.count)).collect();
    (made.units, troubles)
}

fn made(quantities: Column, amounts: Column, places: Scale, policy: &UnitsPolicy) -> UnitsMade {
    let ty = quantities.ty();
    let rows = quantities.len();
    let plan = UnitsPlan {
        of: Typed::new(Kind::Slot(SlotId(0)), ty, Span::default()),
        of_text: "q".into(),
        counted: Some((SlotId(0), SlotId(2))),
        unit: SlotId(4),
        split: vec![SplitPlan { old: SlotId(1), new: SlotId(3), places }],
        policy: policy.clone(),
    };
    let batch =
        Batch::new(rows, vec![Some(quantities.clone()), Some(amounts), None, None, None], vec![]);
    split_units(&batch, &plan, &quantities)
}

fn values(column: Option<&Column>) -> Vec<String> {
    let column = column.unwrap();
    (0..column.len()).map(|row| column.scalar(row).to_string()).collect()
}

#[test]
fn units_are_numbered_and_amounts_divided() {
    let amounts = Column::decimal(vec![1000, -1000, 7], None, Scale(2));
    let (batch, troubles) = split(whole(&[Some(3), Some(2), Some(1)]), amounts);
    assert!(troubles.is_empty());
    assert_eq!(values(batch.slots[2].as_ref()), ["1"; 6]);
    assert_eq!(values(batch.slots[3].as_ref()), ["3.34", "3.33", "3.33", "-5.00", "-5.00", "0.07"]);
    assert_eq!(values(batch.slots[4].as_ref()), ["1", "2", "3", "1", "2", "1"]);
}

#[test]
fn blank_amounts_stay_blank_on_every_unit() {
    let amounts: Column = {
        let present = vec![true, false, true].into();
        Column::decimal(vec![100, 0, 50], Some(present), Scale(2))
    };
    let (batch, _) = split(whole(&[Some(2), Some(2), Some(1)]), amounts);
    let out = values(batch.slots[3].as_ref());
    assert_eq!(out, ["0.50", "0.50", "blank", "blank", "0.50"]);
}

#[test]
fn what_cannot_be_counted_is_left_out_and_told() {
    let quantities = whole(&[Some(0), Some(-1), None, Some(10_001), Some(10_000)]);
    let amounts = Column::decimal(vec![1; 5], None, Scale(2));
    let (batch, troubles) = split(quantities, amounts);
    assert_eq!(batch.rows, 10_000);
    assert_eq!(troubles, [("zero", 1), ("negative", 1), ("blank", 1), ("many", 1)]);
    let fractions = Column::decimal(vec![150, 200, -150, 0], None, Scale(2));
    let amounts = Column::decimal(vec![1; 4], None, Scale(2));
    let (batch, troubles) = split(fractions, amounts);
    assert_eq!(batch.rows, 2);
    assert_eq!(values(batch.slots[2].as_ref()), ["1.00", "1.00"]);
    assert_eq!(troubles, [("fraction", 1), ("negative", 1), ("zero", 1)]);
}

#[test]
fn whole_amounts_get_two_places() {
    let (batch, _) = split(whole(&[Some(3)]), whole(&[Some(10)]));
    assert_eq!(batch.slots[3].as_ref().unwrap().ty(), Type::Decimal(Scale(2)));
    assert_eq!(values(batch.slots[3].as_ref()), ["3.34", "3.33", "3.33"]);
}

proptest! {
    #[test]
    fn units_conserve_every_amount(
        rows in prop::collection::vec((1_i64..40, any::<i64>(), any::<bool>()), 0..30)
    ) {
        let quantities = whole(&rows.iter().map(|row| Some(row.0)).collect::<Vec<_>>());
        let present: Vec<bool> = rows.iter().map(|row| row.2).collect();
        let amounts: Vec<i128> = rows.iter().map(|row| i128::from(row.1)).collect();
        let amounts = Column::decimal(amounts, Some(present.into()), Scale(4));
        let (batch, troubles) = split(quantities.clone(), amounts.clone());
        prop_assert!(troubles.is_empty());
        let count: i64 = rows.iter().map(|row| row.0).sum();
        prop_assert_eq!(batch.rows as i64, count);
        if let Some(divided) = &batch.slots[3] {
            prop_assert!(divided.sum().minus(amounts.sum()).is_zero());
            prop_assert!(batch.slots[2].as_ref().unwrap().sum().minus(quantities.sum()).is_zero());
        }
    }
}

/// What each unit's part is, by big integers: shares rounded down, what is left over to the largest
/// remainders, the earlier first.
fn slow_parts(amount: i128, weights: &[i128]) -> Vec<i128> {
    let all: BigInt = weights.iter().map(|weight| BigInt::from(*weight)).sum();
    let size = BigInt::from(amount.unsigned_abs());
    let products = weights.iter().map(|weight| &size * BigInt::from(*weight));
    let shares: Vec<(BigInt, BigInt)> = products.map(|p| (&p / &all, &p % &all)).collect();
    let given: BigInt = shares.iter().map(|(share, _)| share).sum();
    let mut order: Vec<usize> = (0..weights.len()).collect();
    order.sort_by(|a, b| shares[*b].1.cmp(&shares[*a].1));
    let left = usize::try_from(&(&size - given)).unwrap();
    let mut parts: Vec<BigInt> = shares.into_iter().map(|(share, _)| share).collect();
    order.iter().take(left).for_each(|at| parts[*at] += 1);
    let sign = if amount < 0 { -1 } else { 1 };
    parts.iter().map(|part| sign * i128::try_from(part).unwrap()).collect()
}

proptest! {
    /// All kinds of quantities with all policies against a slow twin, amounts of up to 38 digits.
    #[test]
    fn odd_quantities_become_what_the_plan_says(
        rows in prop::collection::vec(
            (
                prop_oneof![
                    6 => (1_i128..4000).prop_map(Some), 1 => Just(Some(0)), 1 => (-999_i128..0).prop_map(Some),
                    1 => Just(None), 1 => (1_i128..9).prop_map(|whole| Some(whole * 100)),
                ],
                prop_oneof![4 => -5000_i128..5000, 1 => -99_999_999_999_999_999_999_999_999_999_999_999_999_i128..=9],
            ),
            0..12,
        ),
        drops in prop::collection::vec(0_usize..3, 0..3),
        keeps_fraction in any::<bool>(), keeps_negative in any::<bool>(), most in prop::option::of(1_u32..60),
    ) {
        use OddQuantity::{Blank, Fraction, Negative, Zero};
        let mut dropping: Vec<OddQuantity> = drops.iter().map(|at| [Zero, Negative, Blank][*at]).collect();
        dropping.sort_unstable();
        dropping.dedup();
        dropping.retain(|odd| !(keeps_negative && *odd == Negative));
        let keeping = [(keeps_negative, Negative), (keeps_fraction, Fraction)];
        let keeping: Vec<_> = keeping.into_iter().filter(|(keeps, _)| *keeps).map(|(_, odd)| odd).collect();
        let policy = UnitsPolicy { dropping: dropping.clone(), keeping, most };
        let present: Vec<bool> = rows.iter().map(|row| row.0.is_some()).collect();
        let quantities = rows.iter().map(|row| row.0.unwrap_or(0)).collect();
        let quantities = Column::decimal(quantities, Some(present.into()), Scale(2));
        let amounts = Column::decimal(rows.iter().map(|row| row.1).collect(), None, Scale(2));
        let made = made(quantities, amounts, Scale(2), &policy);
        let (mut parts, mut ones, mut numbers) = (vec![], vec![], vec![]);
        let (mut dropped, mut troubles, mut kept) = ([0; 3], 0, [0; 2]);
        for (quantity, amount) in &rows {
            let odd = match quantity { None => Some(Blank), Some(0) => Some(Zero), Some(..0) => Some(Negative), _ => None };
            let weights = match (*quantity, odd) {
                (Some(quantity), Some(Negative)) if keeps_negative => { kept[0] += 1; vec![quantity] }
                (_, Some(odd)) if dropping.contains(&odd) => { dropped[odd as usize] += 1; continue }
                (_, Some(_)) | (None, _) => { troubles += 1; continue }
                (Some(quantity), None) if quantity % 100 != 0 && !keeps_fraction => {
                    let _ = quantity;
                    troubles += 1;
                    continue
                }
                (Some(quantity), None) => {
                    let mut weights = vec![100; (quantity / 100) as usize];
                    weights.extend((quantity % 100 != 0).then_some(quantity % 100));
                    if weights.len() > most.unwrap_or(10_000) as usize { troubles += 1; continue }
                    kept[1] += u64::from(quantity % 100 != 0);
                    weights
                }
            };
            numbers.extend(1..=weights.len() as i64);
            parts.extend(slow_parts(*amount, &weights.iter().map(|weight| weight.abs()).collect::<Vec<_>>()));
            ones.extend(weights);
        }
        prop_assert_eq!(made.troubles.iter().map(|trouble| trouble.count).sum::<u64>(), troubles);
        for (odd, rows) in &made.dropped {
            prop_assert_eq!(rows.len(), dropped[*odd as usize]);
        }
        prop_assert_eq!(made.dropped.iter().map(|(_, rows)| rows.len()).sum::<usize>(), dropped.iter().sum::<usize>());
        let told: Vec<_> = [(Negative, kept[0]), (Fraction, kept[1])].into_iter().filter(|(_, rows)| *rows > 0).collect();
        prop_assert_eq!(made.kept, told);
        let cells = |units: Vec<i128>| units.into_iter().map(|units| Scalar::Decimal(units, Scale(2)).to_string());
        prop_assert_eq!(values(made.units.slots[2].as_ref()), cells(ones).collect::<Vec<_>>());
        prop_assert_eq!(values(made.units.slots[3].as_ref()), cells(parts).collect::<Vec<_>>());
        prop_assert_eq!(values(made.units.slots[4].as_ref()), numbers.iter().map(ToString::to_string).collect::<Vec<_>>());
    }
}

#[test]
fn parts_have_the_places_that_are_said_or_it_is_told() {
    let amounts = Column::decimal(vec![1_000_000, 100_050], None, Scale(4));
    let made = made(whole(&[Some(3), Some(2)]), amounts, Scale(2), &UnitsPolicy::default());
    assert_eq!(values(made.units.slots[3].as_ref())[..3], ["33.34", "33.33", "33.33"]);
    let told: Vec<_> =
        made.troubles.iter().map(|trouble| (trouble.what, trouble.rows.clone())).collect();
    assert_eq!(told, [("fine", vec![1])]);
}
