//! Steps by themselves, on columns made by hand.
use proptest::prelude::*;

use super::dedupe::{by_key, copies};
use super::units::split_units;
use crate::expr::{Kind, Typed};
use crate::lang::{Preference, Span};
use crate::resolve::{DedupeRule, UnitsPlan};
use crate::table::{Batch, Bits, Column, SlotId};
use crate::value::{Scale, Type};

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
    let (stays, cut) = copies(vec![a, b], 5);
    assert_eq!(kept(&stays), [0, 2, 4]);
    assert_eq!(cut.copies, 2);
    assert!(!cut.by_key);
}

#[test]
fn without_columns_all_rows_are_copies_of_the_first() {
    let (stays, cut) = copies(vec![], 3);
    assert_eq!(kept(&stays), [0]);
    assert_eq!(cut.copies, 2);
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

/// Splits rows of a quantity and an amount of two places.
fn split(quantities: Column, amounts: Column) -> (Batch, Vec<(&'static str, u64)>) {
    let ty = quantities.ty();
    let rows = quantities.len();
    let plan = UnitsPlan {
        of: Typed::new(Kind::Slot(SlotId(0)), ty, Span::default()),
        of_text: "q".into(),
        counted: Some((SlotId(0), SlotId(2))),
        unit: SlotId(4),
        split: vec![(SlotId(1), SlotId(3), "net".into())],
    };
    let batch =
        Batch::new(rows, vec![Some(quantities.clone()), Some(amounts), None, None, None], vec![]);
    let (batch, troubles) = split_units(&batch, &plan, &quantities);
    (batch, troubles.iter().map(|trouble| (trouble.what, trouble.count)).collect())
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
