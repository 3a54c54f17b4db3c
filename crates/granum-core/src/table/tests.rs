//! Columns, batches, amounts and places.

use proptest::prelude::*;

use super::*;
use crate::value::{Scalar, Scale, Type, decimal};

/// One column of each type, with a blank in the middle.
fn each_type() -> Vec<Column> {
    vec![
        Column::Blank(3),
        Column::Text(
            [Some("a"), None, Some("a text that is longer than a view")].into_iter().collect(),
        ),
        Column::Integer(vec![Some(1), None, Some(-3)].into()),
        Column::decimal(vec![100, 0, -5], Some(vec![true, false, true].into()), Scale(2)),
        Column::Number(vec![Some(1.5), None, Some(-0.5)].into()),
        Column::Date(vec![Some(1), None, Some(20_000)].into()),
        Column::DateTime(vec![Some(1), None, Some(2)].into()),
        Column::Boolean([Some(true), None, Some(false)].into_iter().collect()),
    ]
}

fn scalars(column: &Column) -> Vec<Scalar> {
    (0..column.len()).map(|row| column.scalar(row)).collect()
}

#[test]
fn every_type_is_taken_filtered_sliced_and_put_together() {
    for column in each_type() {
        let all = scalars(&column);
        let rows: Rows = vec![Some(2), None, Some(0), Some(2)].into();
        let taken = column.take(&rows);
        assert_eq!(taken.ty(), column.ty());
        let wanted = [all[2].clone(), Scalar::Blank, all[0].clone(), all[2].clone()];
        assert_eq!(scalars(&taken), wanted);
        let kept = column.filter(&vec![true, false, true].into());
        assert_eq!(scalars(&kept), [all[0].clone(), all[2].clone()]);
        assert_eq!(scalars(&column.slice(1, 2)), all[1..]);
        let both = Column::concat(&[column.clone(), Column::Blank(1), kept]);
        assert_eq!(both.len(), 6);
        assert_eq!(both.ty(), column.ty());
        assert_eq!(both.scalar(3), Scalar::Blank);
        assert_eq!(both.scalar(5), all[2]);
        assert_eq!(column.blanks(), if column.ty() == Type::Blank { 3 } else { 1 });
        assert!(column.is_blank(1) && column.present().is_some());
    }
}

#[test]
fn constants_and_blanks_have_their_type_and_length() {
    for column in each_type() {
        let value = column.scalar(0);
        let constant = Column::constant(&value, column.ty(), 4);
        assert_eq!(constant.ty(), column.ty());
        assert_eq!(scalars(&constant), vec![value; 4]);
        let blank = Column::all_blank(column.ty(), 2);
        assert_eq!((blank.ty(), blank.len(), blank.blanks()), (column.ty(), 2, 2));
        assert!(Column::all_blank(column.ty(), 0).is_empty());
    }
}

#[test]
fn values_are_written_as_cells_have_them() {
    let mut out = vec![];
    for column in each_type() {
        for row in 0..3 {
            column.write_value(row, &mut out);
            out.push(b'|');
        }
    }
    assert_eq!(
        String::from_utf8(out).unwrap(),
        "|||a||a text that is longer than a view|1||-3|1.00||-0.05|1.5||-0.5|1970-01-02||2024-10-04|\
         1970-01-01T00:00:00.000001||1970-01-01T00:00:00.000002|true||false|"
    );
}

#[test]
fn texts_that_share_their_bytes_are_put_together_without_listing_them_again() {
    let long = "a text that is longer than twelve bytes";
    let column = Column::Text([Some(long), Some("short"), None].into_iter().collect());
    let parts: Vec<Column> =
        (0..50).map(|at| column.take(&vec![Some(at % 3), Some(0)].into())).collect();
    let whole = Column::concat(&parts);
    assert_eq!(whole.len(), 100);
    for row in 0..100 {
        let wanted = if row % 2 == 1 { 0 } else { row / 2 % 3 };
        assert_eq!(whole.scalar(row), column.scalar(wanted), "row {row}");
    }
    let Column::Text(array) = &whole else { panic!() };
    // A piece has eight rows here: each has what its dictionary needs, or the one block.
    assert!(array.blocks().len() <= 100_usize.div_ceil(8));
}

#[test]
fn sums_pass_blanks_over_and_say_how_many() {
    let columns = each_type();
    assert_eq!(columns[2].sum(), Amount::exact(Some(-2), Scale(0), 1));
    assert_eq!(columns[3].sum(), Amount::exact(Some(95), Scale(2), 1));
    assert_eq!(columns[4].sum(), Amount::Float { sum: 1.0, blanks: 1 });
    assert_eq!(Column::Blank(2).sum(), Amount::exact(Some(0), Scale(0), 2));
    let most = decimal::LIMIT - 1;
    let large = Column::decimal(vec![most, most], None, Scale(0));
    assert_eq!(large.sum().to_string(), "too large");
}

#[test]
fn amounts_are_added_and_taken_away() {
    let a = Amount::exact(Some(150), Scale(2), 1);
    let b = Amount::exact(Some(5), Scale(1), 2);
    assert_eq!(a.plus(b), Amount::exact(Some(200), Scale(2), 3));
    assert_eq!(a.plus(b).minus(b), a);
    assert_eq!(a.minus(b).to_string(), "1.00");
    assert!(b.minus(a).is_negative() && a.minus(a).is_zero());
    assert_eq!(Amount::exact(Some(-123_456_789), Scale(2), 0).to_string(), "\u{2212}1,234,567.89");
    let float = Amount::Float { sum: 2.5, blanks: 0 };
    assert_eq!(float.plus(a).to_string(), "4.00");
    assert_eq!(a.plus(Amount::exact(None, Scale(2), 0)).to_string(), "too large");
}

#[test]
fn places_are_found_in_their_parts() {
    let mut places = Places::default();
    let (one, two) = (Origin::lines("one.csv".into()), Origin::lines("two.csv".into()));
    places.push(one.clone(), Lines::From(2), 3);
    places.push(one, Lines::Each(vec![9, 12]), 2);
    places.push(two.clone(), Lines::From(2), 0);
    places.push(two, Lines::From(2), 1);
    let found: Vec<String> = (0..6).map(|row| places.place(row).unwrap().to_string()).collect();
    assert_eq!(
        found,
        [
            "one.csv line 2",
            "one.csv line 3",
            "one.csv line 4",
            "one.csv line 9",
            "one.csv line 12",
            "two.csv line 2"
        ]
    );
    assert_eq!(Places::default().place(0), None);
}

/// Parts added one at a time, with less room than they need.
fn stacked(parts: &[Batch], before: Option<&Batch>) -> Batch {
    let mut stack = Stack::new();
    parts.iter().for_each(|part| stack.append(std::slice::from_ref(part), before, 1));
    stack.finish(before.cloned(), false).0
}

fn batch(values: &[i64]) -> Batch {
    let rows = values.len();
    Batch::new(
        rows,
        vec![Some(Column::Integer(values.to_vec().into())), None],
        vec![(TableId(3), Rows::same(rows))],
    )
}

#[test]
fn batches_move_their_origins_along() {
    let all = batch(&[5, 6, 7, 8]);
    let kept = all.filter(&vec![true, false, true, true].into());
    let origin = |batch: &Batch| batch.origin(TableId(3)).unwrap().numbers().collect::<Vec<_>>();
    assert_eq!(origin(&kept), [0, 2, 3]);
    assert_eq!(origin(&kept.take(&vec![2, 0, 0].into())), [3, 0, 0]);
    assert_eq!(origin(&kept.slice(1, 2)), [2, 3]);
    assert!(all.origin(TableId(1)).is_none());
    let whole = stacked(&[kept.slice(0, 1), kept.slice(1, 2)], None);
    assert_eq!(origin(&whole), [0, 2, 3]);
    assert_eq!(whole.slots[0].as_ref().unwrap().scalar(2), Scalar::Integer(8));
    assert!(whole.slots[1].is_none());
}

#[test]
fn slots_that_were_there_before_are_taken_over() {
    let before = batch(&[1, 2, 3]);
    let fed = Batch { fed: Some(Rows::same(3)), ..before.clone() };
    let parts = [(0, 2), (2, 1)].map(|(at, length)| {
        let mut part = fed.slice(at, length);
        part.slots[1] = Some(Column::constant(&Scalar::Integer(at as i64), Type::Integer, length));
        part
    });
    let whole = stacked(&parts, Some(&before));
    assert_eq!(scalars(whole.slots[1].as_ref().unwrap()).len(), 3);
    let (Some(Column::Integer(a)), Some(Column::Integer(b))) = (&whole.slots[0], &before.slots[0])
    else {
        panic!()
    };
    assert_eq!(a.address(), b.address(), "the column was copied");
    // Of some rows the same columns have those that are left, wherever the parts were cut.
    let left = parts.map(|part| part.filter(&(0..part.rows).map(|row| row == 0).collect()));
    let some = stacked(&left, Some(&before));
    let values = |slot: usize| scalars(some.slots[slot].as_ref().unwrap());
    assert_eq!(values(0), [Scalar::Integer(1), Scalar::Integer(3)]);
    assert_eq!(values(1), [Scalar::Integer(0), Scalar::Integer(2)]);
    // Where another table holds them anyway, they are looked at there as long as half of them stay.
    let seen = |parts: &[Batch]| {
        let mut stack = Stack::new();
        parts.iter().for_each(|part| stack.append(std::slice::from_ref(part), Some(&before), 1));
        stack.finish(Some(before.clone()), true)
    };
    let (rest, through) = seen(&left);
    assert!(rest.slots[0].is_none() && through[1].is_none());
    let Some(held @ Held::Seen { .. }) = &through[0] else { panic!("the column was copied") };
    assert_eq!(scalars(&held.whole()), values(0));
    assert_eq!(scalars(&held.slice(1, 1).whole()), [Scalar::Integer(3)]);
    let filtered = Held::each_filtered(&through, &vec![false, true].into());
    assert_eq!(scalars(&filtered[0].as_ref().unwrap().whole()), [Scalar::Integer(3)]);
    let to: Rows = vec![Some(1), None, Some(0)].into();
    let wanted = [Scalar::Integer(3), Scalar::Blank, Scalar::Integer(1)];
    assert_eq!(scalars(&held.take(&to)), wanted);
    let moved = Held::each_of_rows(&through, &to);
    assert_eq!(scalars(&moved[0].as_ref().unwrap().whole()), wanted);
    assert_eq!(held.text(1), "3");
    let one = left.each_ref().map(|part| part.filter(&vec![part.rows > 0; part.rows].into()));
    let (few, through) = seen(&[one[0].slice(0, 0), one[1].clone()]);
    assert!(through.iter().all(Option::is_none) && few.rows == 1 && few.slots[0].is_some());
    // What the last step let go is not taken up again.
    let gone = left.map(|part| Batch { slots: vec![None, part.slots[1].clone()], ..part });
    assert!(stacked(&gone, Some(&before)).slots[0].is_none());
}

proptest! {
    #[test]
    fn what_is_taken_apart_is_put_together(
        cells in prop::collection::vec(prop::option::of("[a-z]{0,20}"), 1..40), cut in 0_usize..40
    ) {
        let cells: Vec<Option<String>> =
            cells.into_iter().map(|cell| cell.filter(|cell| !cell.is_empty())).collect();
        let column = Column::Text(cells.clone().into_iter().collect());
        let cut = cut.min(cells.len());
        let both =
            Column::concat(&[column.slice(0, cut), column.slice(cut, cells.len() - cut)]);
        prop_assert_eq!(scalars(&both), scalars(&column));
    }
}

/// A column of one of the types, with blanks; decided by a number.
fn column_of(kind: usize, cells: &[Option<i64>]) -> Column {
    match kind {
        0 => Column::Integer(cells.iter().copied().collect()),
        1 => {
            let text = |cell: i64| "a text that is long ".repeat(cell as usize % 3) + "x";
            Column::Text(cells.iter().map(|cell| cell.map(text)).collect())
        }
        2 => {
            let values = cells.iter().map(|cell| cell.unwrap_or(0).into()).collect();
            let there: Vec<bool> = cells.iter().map(Option::is_some).collect();
            Column::decimal(values, Some(there.into()), Scale(2))
        }
        3 => Column::Boolean(cells.iter().map(|cell| cell.map(|cell| cell > 4)).collect()),
        4 => Column::Number(cells.iter().map(|cell| cell.map(|cell| cell as f64)).collect()),
        5 => Column::Date(cells.iter().map(|cell| cell.map(|cell| cell as i32)).collect()),
        6 => Column::DateTime(cells.iter().copied().collect()),
        _ => Column::Blank(cells.len()),
    }
}

proptest! {
    #[test]
    fn columns_grow_by_parts_of_their_type_or_all_blank(
        kind in 0_usize..8,
        parts in prop::collection::vec(
            (prop::collection::vec(prop::option::of(0_i64..9), 0..9), any::<bool>()), 0..6
        )
    ) {
        let parts: Vec<Column> = parts
            .iter()
            .map(|(cells, blank)| column_of(if *blank { 7 } else { kind }, cells))
            .collect();
        let wanted: Vec<Scalar> = parts.iter().flat_map(scalars).collect();
        prop_assert_eq!(scalars(&Column::concat(&parts)), wanted.clone());
        // Parts that share what they are made of, twice.
        let twice: Vec<Column> = parts.iter().chain(&parts).cloned().collect();
        prop_assert_eq!(scalars(&Column::concat(&twice)), [wanted.clone(), wanted].concat());
    }

    #[test]
    fn rows_that_stay_move_up_whoever_else_holds_the_column(
        kind in 0_usize..8, cells in prop::collection::vec((prop::option::of(0_i64..9), any::<bool>()), 0..40),
        cut in 0_usize..4, shared: bool
    ) {
        let cut = cut.min(cells.len());
        let values: Vec<Option<i64>> = cells.iter().map(|(value, _)| *value).collect();
        let column = column_of(kind, &values).slice(cut, cells.len() - cut);
        let keep: Vec<bool> = cells[cut..].iter().map(|(_, keep)| *keep).collect();
        let wanted: Vec<Scalar> = scalars(&column)
            .into_iter()
            .zip(&keep)
            .filter_map(|(value, keep)| keep.then_some(value))
            .collect();
        let other = shared.then(|| column.clone());
        let before = scalars(&column);
        prop_assert_eq!(scalars(&column.filter(&keep.clone().into())), wanted.clone());
        prop_assert_eq!(scalars(&column.into_filtered(&keep.into())), wanted);
        prop_assert!(other.is_none_or(|other| scalars(&other) == before));
    }
}

#[test]
fn a_path_is_followed_once_and_again_for_other_rows() {
    use std::cell::Cell;

    let all = batch(&[5, 6, 7]);
    let asked = Cell::new(0);
    let follow = |batch: &Batch, hops: &[Hop]| {
        batch.paths.lead(TableId(3), hops, || {
            asked.set(asked.get() + 1);
            Rows::same(batch.rows)
        })
    };
    let (one, two) = (Hop::Link(LinkId(0)), Hop::Link(LinkId(1)));
    assert_eq!(follow(&all, &[one]).len(), 3);
    assert_eq!(follow(&all, &[one]).len(), 3);
    assert_eq!(asked.get(), 1);
    follow(&all, &[one, two]);
    assert_eq!(asked.get(), 2);
    // Rows that were filtered, and copies that may go on to other rows, ask anew.
    assert_eq!(follow(&all.filter(&vec![true, false, true].into()), &[one]).len(), 2);
    follow(&all.clone(), &[one]);
    assert_eq!(asked.get(), 4);
}

#[test]
fn an_empty_stack_has_the_columns_of_its_only_part() {
    let none = batch(&[]);
    let whole = stacked(&[none], None);
    assert_eq!(whole.rows, 0);
    assert!(whole.slots[0].as_ref().is_some_and(Column::is_empty) && whole.slots[1].is_none());
    assert!(whole.origin(TableId(3)).is_some_and(Rows::is_empty));
    assert_eq!(stacked(&[], None).rows, 0);
}

proptest! {
    #[test]
    fn rows_that_are_taken_and_kept_are_those_that_were_named(
        numbers in prop::collection::vec(prop::option::weighted(0.8, 0_u32..3), 0..12),
        kept in prop::collection::vec(any::<bool>(), 3),
    ) {
        let rows: Rows = numbers.iter().copied().collect();
        let keep = Bits::from(kept.clone());
        for column in each_type() {
            let taken = column.take(&rows);
            prop_assert_eq!((taken.len(), taken.ty()), (numbers.len(), column.ty()));
            for (at, number) in numbers.iter().enumerate() {
                let value = number.map_or(Scalar::Blank, |row| column.scalar(row as usize));
                prop_assert_eq!(taken.scalar(at), value);
            }
            let left = column.filter(&keep);
            let stay: Vec<Scalar> = (0..3).filter(|row| kept[*row]).map(|row| column.scalar(row)).collect();
            let found: Vec<Scalar> = (0..left.len()).map(|row| left.scalar(row)).collect();
            prop_assert_eq!(&found, &stay);
            let moved = column.into_filtered(&keep);
            prop_assert_eq!((0..moved.len()).map(|row| moved.scalar(row)).collect::<Vec<_>>(), stay);
        }
    }
}

proptest! {
    /// Packed in pieces of every kind: runs, near rows, rows of two files, rows far apart, and blanks among them.
    #[test]
    fn packed_rows_are_followed_as_those_that_stand_each_by_itself(
        pieces in prop::collection::vec((0_u8..4, 0_u32..9), 0..5),
        last in 0_usize..PIECE,
        blanks in prop::collection::vec(0_usize..50, 0..4),
        named in prop::collection::vec(prop::option::weighted(0.9, 0_usize..50), 0..30),
        from in 0_usize..6,
        keep in prop::collection::vec(any::<bool>(), 40),
    ) {
        let row = |(kind, first): (u8, u32), at: u32| match kind {
            0 => first + at,
            1 => first + at * at % 5,
            2 => first + at % 2 * 1_000_000,
            _ => first + at * at * 70_001,
        };
        let mut link: Vec<Option<u32>> = pieces
            .iter()
            .enumerate()
            .flat_map(|(at, piece)| {
                let rows = if at + 1 == pieces.len() { last } else { PIECE };
                (0..rows as u32).map(move |at| Some(row(*piece, at)))
            })
            .collect();
        blanks.iter().for_each(|at| link.iter_mut().skip(*at).take(1).for_each(|row| *row = None));
        let packed = Rows::from(link.clone()).packed();
        let (link, packed) = (&link[from.min(link.len())..], packed.slice(from.min(link.len()), link.len().saturating_sub(from)));
        prop_assert_eq!(packed.iter().collect::<Vec<_>>(), link);
        let mut numbers = vec![];
        packed.each_number(|row| numbers.push(row));
        prop_assert_eq!(&numbers, &link.iter().flatten().copied().collect::<Vec<_>>());
        // Those that are kept of them, and of as many that follow each other.
        let keep = &keep[..link.len().min(keep.len())];
        let bits = Bits::from(keep.to_vec());
        let left = packed.slice(0, keep.len()).filter(&bits);
        let kept = link.iter().zip(keep).filter(|(_, keep)| **keep);
        prop_assert_eq!(left.iter().collect::<Vec<_>>(), kept.map(|(row, _)| *row).collect::<Vec<_>>());
        let run = Rows::run(5, keep.len()).filter(&bits);
        let of_run = (5_u32..).zip(keep).filter(|(_, keep)| **keep).map(|(row, _)| row);
        prop_assert_eq!(run.numbers().collect::<Vec<_>>(), of_run.clone().collect::<Vec<_>>());
        prop_assert!(run.among(60).rows().eq(of_run.map(|row| row as usize)));
        let named: Vec<Option<u32>> =
            named.into_iter().map(|row| row.filter(|row| *row < link.len()).map(|row| row as u32)).collect();
        let led: Vec<Option<u32>> = named.iter().map(|row| link[(*row)? as usize]).collect();
        prop_assert_eq!(Rows::from(named).follow(&packed).iter().collect::<Vec<_>>(), led);
    }
}

proptest! {
    /// Units that are far too large for eight bytes among others.
    #[test]
    fn units_grow_in_eight_bytes_until_one_needs_more(
        rows in prop::collection::vec(prop_oneof![9 => -500_i128..500, 1 => any::<i64>().prop_map(i128::from), 1 => -LARGE..LARGE], 0..20),
        sets in prop::collection::vec((0_usize..20, -LARGE..LARGE), 0..3),
    ) {
        let mut builder = ColumnBuilder::new(Type::Decimal(Scale(2)), 3);
        let sets: Vec<_> = sets.into_iter().filter(|(row, _)| *row < rows.len()).collect();
        let mut wanted = rows.clone();
        sets.iter().for_each(|(row, units)| wanted[*row] = *units);
        let (GrowingValues::Decimal(units, scale), present) = builder.ends() else { panic!() };
        prop_assert_eq!(*scale, Scale(2));
        rows.iter().for_each(|row| units.push(*row));
        units.set(&sets);
        present.push_all(rows.len(), true);
        let column = builder.finish();
        let found: Vec<i128> = (0..column.len()).map(|row| column.units(row)).collect();
        prop_assert_eq!(found, wanted);
    }
}

const LARGE: i128 = 1 << 100;
