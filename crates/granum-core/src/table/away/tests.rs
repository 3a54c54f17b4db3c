use proptest::prelude::*;

use super::bytes::{got, put};
use super::{AwayBuilder, InOrder, Scattered};
use crate::engine::tests::memory::Shelf;
use crate::table::{Batch, Column, PIECE, Rows, SlotId, Stack};
use crate::value::{Scalar, Scale, Type};

fn scalar(ty: Type) -> BoxedStrategy<Scalar> {
    let some = match ty {
        Type::Blank => return Just(Scalar::Blank).boxed(),
        Type::Text => "[a-cß]{1,3}|a rather long text of [0-3]".prop_map(Scalar::Text).boxed(),
        Type::Integer => prop_oneof![-3_i64..3, any::<i64>()].prop_map(Scalar::Integer).boxed(),
        Type::Decimal(scale) => prop_oneof![-300_i128..300, any::<i128>()]
            .prop_map(move |units| Scalar::Decimal(units, scale))
            .boxed(),
        Type::Number => (-9.0..9.0).prop_map(Scalar::Number).boxed(),
        Type::Date => any::<i32>().prop_map(Scalar::Date).boxed(),
        Type::DateTime => any::<i64>().prop_map(Scalar::DateTime).boxed(),
        Type::Boolean => any::<bool>().prop_map(Scalar::Boolean).boxed(),
    };
    prop_oneof![1 => Just(Scalar::Blank), 4 => some].boxed()
}

fn column() -> impl Strategy<Value = Column> {
    let types = [
        Type::Blank,
        Type::Text,
        Type::Integer,
        Type::Decimal(Scale(2)),
        Type::Number,
        Type::Date,
        Type::DateTime,
        Type::Boolean,
    ];
    let of = |ty: Type| {
        prop::collection::vec(scalar(ty), 0..5 * PIECE).prop_map(move |values| {
            let parts = values.iter().map(|value| Column::constant(value, ty, 1));
            let whole = Column::concat(&parts.collect::<Vec<_>>());
            if whole.is_empty() { Column::all_blank(ty, 0) } else { whole }
        })
    };
    prop::sample::select(types.to_vec()).prop_flat_map(of)
}

fn scalars(column: &Column) -> Vec<Scalar> {
    (0..column.len()).map(|row| column.scalar(row)).collect()
}

proptest! {
    #[test]
    fn what_is_put_away_comes_back(column in column(), cuts in any::<[prop::sample::Index; 2]>()) {
        let mut bytes = vec![];
        put(&column, &mut bytes);
        let back = got(&bytes).unwrap();
        prop_assert_eq!(scalars(&back), scalars(&column));
        prop_assert_eq!(back.ty(), column.ty());
        // Not all of it is nothing.
        prop_assert!(got(&bytes[..bytes.len() - 1]).is_none());

        let room = Shelf::room(0, usize::MAX);
        let mut away = AwayBuilder::new(&room.file());
        let ends = cuts.map(|cut| cut.index(column.len() + 1));
        let (from, to) = (ends[0].min(ends[1]), ends[0].max(ends[1]));
        away.push(&column.slice(0, from));
        away.push(&column.slice(from, column.len() - from));
        let away = away.finish();
        let part = away.slice(from, to - from);
        prop_assert_eq!(scalars(&part), scalars(&column.slice(from, to - from)));
        prop_assert_eq!(part.ty(), column.ty());
    }

    #[test]
    fn rows_are_taken_in_any_order(
        column in column(),
        wanted in prop::collection::vec(any::<Option<prop::sample::Index>>(), 0..40),
    ) {
        let room = Shelf::room(0, usize::MAX);
        let mut away = AwayBuilder::new(&room.file());
        away.push(&column);
        let away = away.finish();
        let row = |wanted: &Option<prop::sample::Index>| {
            Some(wanted.as_ref()?.index(column.len().max(1)) as u32).filter(|_| !column.is_empty())
        };
        let rows = Rows::from(wanted.iter().map(row).collect::<Vec<_>>());
        let taken = away.take(&rows);
        prop_assert_eq!(scalars(&taken), scalars(&column.take(&rows)));
        prop_assert_eq!(taken.ty(), column.ty());
        prop_assert!(room.failed().is_none());
    }
}

proptest! {
    #[test]
    fn scattered_rows_are_all_there_in_their_order(
        column in column(),
        to in prop::collection::vec(0_u32..3, 40),
        cut in any::<prop::sample::Index>(),
    ) {
        let room = Shelf::room(0, usize::MAX);
        let to = &to[..column.len().min(40)];
        let column = column.slice(0, to.len());
        let numbers = Column::Integer((0..to.len() as i64).collect::<Vec<_>>().into());
        let cut = cut.index(to.len() + 1);
        let mut rows = Scattered::new(&room, 3);
        for (first, end) in [(0, cut), (cut, to.len())] {
            let part = |column: &Column| column.slice(first, end - first);
            rows.send(&[part(&numbers), part(&column)], &to[first..end]);
        }
        let mut in_order = InOrder::new(&room, to.len());
        for part in 0..rows.parts() {
            let own = rows.part(part);
            let wanted: Vec<u32> = (0..).zip(to).filter(|(_, to)| **to as usize == part)
                .map(|(row, _)| row).collect();
            if let [_, own] = &own[..] {
                prop_assert_eq!(scalars(own), scalars(&column.take(&Rows::from(wanted))));
            }
            in_order.take(&own);
        }
        let back: Vec<Scalar> = in_order.windows().flat_map(|window| scalars(&window[0])).collect();
        prop_assert_eq!(back, scalars(&column));
        prop_assert!(room.failed().is_none());
    }
}

#[test]
fn bytes_that_are_no_column_are_none() {
    assert!(got(&[]).is_none());
    assert!(got(&[9, 0, 0, 0, 0]).is_none());
    // A text of a length that is not there, and a number of no dictionary's text.
    assert!(got(&[1, 1, 0, 0, 0, 0, 0, 9, 0, 0, 0, b'a']).is_none());
    assert!(got(&[1, 1, 0, 0, 0, 0, 1, 1, 0, 0, 0, 1, 0, 0, 0, b'a', 1, 0]).is_none());
}

#[test]
fn columns_make_way_that_have_no_room_to_grow() {
    let batch = |values: &[i64]| {
        let rows = values.len();
        let dates = Column::Date(vec![7; rows].into());
        let slots = vec![Some(Column::Integer(values.to_vec().into()).narrowed()), Some(dates)];
        Batch::new(rows, slots, vec![])
    };
    let (few, wide) = (batch(&[1; 100]), batch(&[1 << 40; 20]));
    // With room for 120 rows 800 bytes go over where a value needs 8 of them, and nothing of dates.
    let stacked = |left: u64, parts: &[&Batch]| {
        let mut stack = Stack::new();
        let mut files = 0;
        let mut after = 0;
        for part in parts {
            after = stack.make_way(&[(*part).clone()], left, || {
                files += 1;
                Shelf::room(0, usize::MAX).file()
            });
            stack.append(&[(*part).clone()], None, 120);
        }
        (stack.finish(None, false).0, files, after)
    };
    let (all, files, after) = stacked(1000, &[&few, &wide]);
    assert_eq!((files, after), (0, 1000 - 8 * 120));
    assert!(!all.has_away());
    for left in [0, 8 * 120 - 1] {
        let (away, files, after) = stacked(left, &[&few, &wide]);
        assert_eq!((files, after), (1, left), "{left} bytes");
        assert!(away.held(SlotId(0)).is_away() && !away.held(SlotId(1)).is_away());
        for slot in [0, 1].map(SlotId) {
            assert_eq!(scalars(&away.held(slot).whole()), scalars(&all.held(slot).whole()));
        }
    }
    // What fits behind stays; what has no place behind goes over as it is, dates as well.
    assert_eq!(stacked(0, &[&few, &batch(&[2; 20])]).1, 0);
    assert_eq!(stacked(120, &[&few, &batch(&[2; 21])]).1, 2);
    assert_eq!(stacked(121, &[&few, &batch(&[2; 21])]).1, 1);
    assert_eq!(stacked(5 * 121, &[&few, &batch(&[2; 21])]).1, 0);
}
