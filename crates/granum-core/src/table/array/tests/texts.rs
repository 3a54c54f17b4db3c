//! Texts in pieces against plain texts. A piece has eight rows here, so that a few rows are many pieces.

use proptest::prelude::*;

use super::super::*;
use crate::table::array::piece::{PIECE, Piece, coded};

type Plain = Vec<Option<String>>;

fn plain(texts: &Texts) -> Plain {
    texts.iter().map(|text| text.map(str::to_owned)).collect()
}

/// Texts of which many are equal, some of them too long for their views, some blank.
fn cells(most: usize) -> impl Strategy<Value = Plain> {
    let text = prop_oneof![4 => "[a-c]{1,2}", 2 => "[ab]{12,14}", 1 => "é{5,9}"];
    prop::collection::vec(prop::option::weighted(0.9, text), 0..most)
}

proptest! {
    #[test]
    fn texts_of_many_parts_are_the_texts_that_came(
        parts in prop::collection::vec(
            (prop::collection::vec(prop::option::of("[a-c]{1,3}|[ab]{11,14}|é{5,9}"), 0..20), any::<bool>()),
            0..6,
        ),
    ) {
        let mut builder = TextBuilder::new(0);
        let mut wanted: Vec<Option<String>> = vec![];
        for (part, twice) in &parts {
            let texts: Texts = part.iter().cloned().collect();
            // A part that comes again brings no block anew.
            for _ in 0..=usize::from(*twice) {
                builder.append(&texts);
                wanted.extend(part.iter().cloned());
            }
            builder.push("between two parts there are others");
            builder.push_blanks(1);
            wanted.extend([Some("between two parts there are others".to_owned()), None]);
        }
        let texts = builder.finish();
        prop_assert_eq!(texts.blanks(), wanted.iter().filter(|text| text.is_none()).count());
        let found: Vec<Option<String>> = texts.iter().map(|text| text.map(str::to_owned)).collect();
        prop_assert_eq!(&found, &wanted);
        for (row, other) in (0..texts.len()).zip((0..texts.len()).rev()) {
            if texts.has(row) && texts.has(other) {
                prop_assert_eq!(texts.equal(row, &texts, other), wanted[row] == wanted[other]);
            }
        }
        // And once more for a piece that begins within a part.
        prop_assert!(texts.blocks().len() <= 2 * (parts.len() + texts.len().div_ceil(PIECE)));
    }


    #[test]
    fn texts_in_pieces_are_cut_taken_and_kept_as_plain_ones_are(
        all in cells(60),
        cut in (0.0..1.0, 0.0..1.0),
        picks in prop::collection::vec(prop::option::weighted(0.9, 0_usize..60), 0..30),
        keep in prop::collection::vec(any::<bool>(), 60),
    ) {
        let texts: Texts = all.iter().cloned().collect();
        prop_assert_eq!(&plain(&texts), &all);
        let from = (all.len() as f64 * cut.0) as usize;
        let length = ((all.len() - from) as f64 * cut.1) as usize;
        let part = texts.slice(from, length);
        let wanted = &all[from..from + length];
        prop_assert_eq!(&plain(&part), wanted);
        // Once more, of what was cut.
        let half = part.slice(length / 2, length - length / 2);
        prop_assert_eq!(&plain(&half), &wanted[length / 2..]);
        let picks: Vec<Option<usize>> = picks.into_iter().map(|pick| pick.filter(|row| *row < length)).collect();
        let rows: Fixed<u32> = picks.iter().map(|row| row.map(|row| row as u32)).collect();
        let taken: Plain = picks.iter().map(|row| row.and_then(|row| wanted[row].clone())).collect();
        prop_assert_eq!(plain(&part.take(&rows)), taken);
        let keep = &keep[..length];
        let kept: Plain = wanted.iter().zip(keep).filter(|(_, keep)| **keep).map(|(text, _)| text.clone()).collect();
        let left = part.filter(&keep.to_vec().into());
        prop_assert_eq!(&plain(&left), &kept);
        let mut grown = TextBuilder::new(3);
        grown.append(&left);
        grown.append(&part);
        let grown = grown.finish();
        prop_assert_eq!(plain(&grown), [&kept, wanted].concat());
        for (row, own) in wanted.iter().enumerate().filter(|(_, own)| own.is_some()) {
            let there = grown.iter().position(|text| text == own.as_deref());
            prop_assert!(there.is_some_and(|there| grown.equal(there, &part, row)));
        }
    }

    #[test]
    fn rows_that_rise_are_marked_as_far_as_none_falls(
        mut all in prop::collection::vec("[ab]{1,2}|[ab] and more than stands inside|b\u{0}{1,2}", 0..40),
        sorted: bool, from in 0_usize..10,
    ) {
        if sorted {
            all.sort();
        }
        let from = from.min(all.len());
        let texts: Texts = all.iter().map(Some).collect();
        let (part, own) = (texts.slice(from, all.len() - from), &all[from..]);
        // Of two columns: rows that rose in the one before are not looked at.
        let before: Vec<u8> = (0..own.len()).map(|row| u8::from(row % 5 != 3)).collect();
        let mut level = before.clone();
        let none_falls = part.mark_rises(&mut level);
        let asked = |row: &usize| before[*row] == 1;
        prop_assert_eq!(none_falls, (1..own.len()).filter(asked).all(|row| own[row - 1] <= own[row]));
        if none_falls {
            let wanted = |row: usize| u8::from(before[row] == 1 && own[row - 1] == own[row]);
            prop_assert!((1..own.len()).all(|row| level[row] == wanted(row)));
        }
    }

    #[test]
    fn what_changes_from_row_to_row_is_marked(all in cells(40), from in 0_usize..10) {
        let texts: Texts = all.iter().cloned().collect();
        let from = from.min(all.len());
        let part = texts.slice(from, all.len() - from);
        let mut changed = vec![0; part.len()];
        part.mark_changes(&mut changed);
        for row in from + 1..all.len() {
            if let (Some(above), Some(own)) = (&all[row - 1], &all[row]) {
                let marked = changed[row - from] == 1;
                // Equal long texts of two pieces stand in two places.
                prop_assert!(marked || above == own);
                prop_assert!(!marked || above != own || own.len() > 12);
            }
        }
    }
}

#[test]
fn texts_that_repeat_stand_once_in_a_dictionary_and_their_long_ones_once_in_a_block() {
    let long = |number: usize| format!("a name that is long, and ends with {}", number % 3);
    let mut builder = TextBuilder::new(0);
    // Each part has a block of its own, of which nothing is kept.
    for part in 0..40 {
        builder.append(&(0..3).map(|row| Some(long(part + row))).collect());
    }
    let texts = builder.finish();
    assert_eq!(plain(&texts), (0..120).map(|at| Some(long(at / 3 + at % 3))).collect::<Plain>());
    // A byte for each row, and three views for each of fifteen pieces.
    assert_eq!(texts.size(), 120 + 15 * 3 * 16);
    assert_eq!(texts.blocks().len(), 15);
    assert!(texts.blocks().iter().all(|block| block.len() == 3 * long(0).len()));
    // Of rows that are taken, the dictionary is shared.
    let one = texts.slice(PIECE, PIECE);
    assert_eq!(one.take(&vec![0; 5].into()).size(), 5 + 3 * 16);
    // Texts of which hardly any repeat have a view each.
    let different: Texts = (0..80).map(|at| Some(format!("{at}"))).collect();
    assert_eq!(different.size(), 80 * 16);
    let same = Texts::repeated("one and the same for all", 5);
    assert_eq!(plain(&same), vec![Some("one and the same for all".to_owned()); 5]);
}

#[test]
fn rows_that_name_few_texts_have_numbers_in_their_dictionaries() {
    let rows = |numbers: &[Option<u32>]| Fixed::<u32>::from(numbers.to_vec());
    // Of few texts, their places are the numbers; a blank has whichever.
    let few: Texts =
        ["a", "a text that is longer than a view", "c"].map(Some).into_iter().collect();
    let named = [Some(2), None, Some(0), Some(1), Some(2), Some(2), None, Some(0)];
    let taken = few.take(&rows(&named));
    assert_eq!(taken.size(), 8 + 3 * 16);
    assert_eq!(plain(&taken), named.map(|row| row.map(|row| few.value(row as usize).to_owned())));
    assert_eq!(plain(&few.take(&rows(&[None; 8]))), vec![None; 8]);
    // A text that stands there twice does not change from the one to the other.
    let twice: Texts = ["a", "a", "c"].map(Some).into_iter().collect();
    let mut changed = [0; 6];
    twice.take(&vec![0, 1, 2, 1, 1, 0].into()).mark_changes(&mut changed);
    assert_eq!(changed, [0, 0, 1, 1, 0, 0]);
    assert_eq!(few.take(&rows(&named[..5])).size(), 5 * 16);
    // Of several pieces those dictionaries are put together that rows stand in.
    let texts: Texts = (0..4 * PIECE).map(|at| Some(["a", "b"][at / 3 % 2])).collect();
    let across: Vec<Option<u32>> = (0..8).map(|at| Some(at % 2 * 8 + at)).collect();
    let taken = texts.take(&rows(&across));
    assert_eq!(taken.size(), 8 + 2 * 2 * 16);
    let wanted = across.iter().map(|row| row.map(|row| texts.value(row as usize).to_owned()));
    assert_eq!(plain(&taken), wanted.collect::<Plain>());
    // One of more texts than half the rows is none, nor is one where a piece has none.
    assert_eq!(texts.take(&rows(&[Some(0), Some(9), Some(17)])).size(), 3 * 16);
    let different: Texts = (0..3 * PIECE).map(|at| Some(format!("{}", at / PIECE * at))).collect();
    let taken = different.take(&rows(&[0, 1, 2, 3, 4, 5, 6, 8].map(Some)));
    assert_eq!((taken.size(), taken.value(7)), (8 * 16, "8"));
}

#[test]
fn rows_that_stay_of_pieces_with_dictionaries_keep_their_numbers() {
    let texts: Texts = (0..5 * PIECE).map(|at| Some(["a", "b", "c"][at / 8 % 3])).collect();
    let stay = |keep: &dyn Fn(usize) -> bool| {
        let keep: Vec<bool> = (0..texts.len()).map(keep).collect();
        let left = texts.filter(&keep.clone().into());
        let wanted = (0..texts.len()).filter(|row| keep[*row]);
        let wanted: Plain = wanted.map(|row| Some(texts.value(row).to_owned())).collect();
        assert_eq!(plain(&left), wanted);
        left
    };
    // All but one row, in pieces that begin elsewhere: two texts in each, but for the last.
    assert_eq!(stay(&|row| row != 3).size(), 39 + 9 * 16);
    // Few rows are one piece, and no rows none; where hardly any text repeats, each row has a view.
    assert_eq!(stay(&|row| row < 8).size(), 8 + 16);
    assert_eq!(stay(&|_| false).size(), 0);
    assert_eq!(stay(&|row| row % 8 == 0).size(), 5 * 16);
}

#[test]
#[should_panic(expected = "row 3 of 2 and one")]
fn a_row_that_is_not_there_is_no_text() {
    let few: Texts = ["a", "b", "c"].map(Some).into_iter().collect();
    few.take(&vec![0, 1, 2, 3, 0, 0].into());
}

#[test]
fn a_dictionary_has_numbers_of_one_byte_or_two_and_none_where_it_does_not_pay() {
    let piece = |different: usize, rows: usize| {
        let views: Vec<View> =
            (0..rows).map(|row| View::of(&(row % different).to_string())).collect();
        coded(&views, |_| &[]).map(|found| {
            let piece = Piece::from(found);
            assert!((0..rows).all(|row| *piece.view(row) == views[row]));
            piece.size()
        })
    };
    assert_eq!(piece(256, 1000), Some(256 * 16 + 1000));
    assert_eq!(piece(257, 1000), Some(257 * 16 + 2000));
    assert_eq!(piece(500, 1000), Some(500 * 16 + 2000));
    assert_eq!(piece(501, 1000), None);
    // It would pay in the end, but the first rows do not look like it.
    assert_eq!(piece(4000, 16_000), None);
    assert_eq!(piece(3000, 16_000), Some(3000 * 16 + 32_000));
}

proptest! {
    #[test]
    fn texts_that_begin_in_order_have_the_dictionary_of_all_others(
        mut texts in prop::collection::vec("[a-c]{1,3}|[ab] and more than stands inside", 0..60), in_order in 0_usize..60,
    ) {
        let in_order = in_order.min(texts.len());
        texts[..in_order].sort();
        let views: Vec<View> = texts.iter().map(|text| View::of(text)).collect();
        let bytes = |view: View| texts.iter().find(|text| View::of(text) == view).unwrap().as_bytes();
        let mut different: Vec<View> = vec![];
        for view in &views {
            if !different.contains(view) {
                different.push(*view);
            }
        }
        let found = coded(&views, bytes);
        prop_assert_eq!(found.is_some(), different.len() <= views.len() / 2);
        if let Some(found) = found {
            prop_assert_eq!(&found.dictionary, &different);
            let piece = Piece::from(found);
            prop_assert!((0..views.len()).all(|row| *piece.view(row) == views[row]));
        }
    }

    #[test]
    fn texts_stand_one_behind_the_other_with_a_sign_behind_each(
        all in cells(40), from in 0_usize..10, picks in prop::collection::vec(0_usize..40, 0..20),
    ) {
        let all: Vec<String> = all.into_iter().flatten().collect();
        let from = from.min(all.len());
        let part = all.iter().map(Some).collect::<Texts>().slice(from, all.len() - from);
        let picks = picks.into_iter().filter(|pick| *pick < part.len());
        let rows: Vec<u32> = picks.map(|pick| pick as u32).collect();
        // Behind what is there already.
        let (mut out, mut ends) = (b"x;".to_vec(), vec![2]);
        part.put_rows(&rows, b';', &mut out, &mut ends);
        let (mut wanted, mut wanted_ends) = ("x;".to_owned(), vec![2]);
        for row in &rows {
            wanted.push_str(&all[from + *row as usize]);
            wanted.push(';');
            wanted_ends.push(wanted.len());
        }
        prop_assert_eq!((String::from_utf8(out).unwrap(), ends), (wanted, wanted_ends));
    }

    #[test]
    fn texts_that_stand_in_another_are_those_alone(all in cells(30), blank_at in 0_usize..30) {
        let cells: Plain = all.into_iter().enumerate().map(|(at, cell)| cell.filter(|_| at != blank_at)).collect();
        let text = cells.iter().map(|cell| cell.as_deref().unwrap_or_default()).collect::<Vec<_>>().join(",");
        let (mut builder, mut from) = (TextBuilder::new(0), 0);
        for cell in &cells {
            let to = from + cell.as_ref().map_or(0, String::len);
            builder.push_part(&text, from..to);
            from = to + 1;
        }
        prop_assert_eq!(plain(&builder.finish()), cells);
    }
}
