//! What values are told apart by before their bytes are compared: lengths and first bytes, hashes, and views met before.

use std::hash::{BuildHasher, Hasher};

use foldhash::fast::FixedState;

use crate::table::{Codes, View};

/// The length of a text and its first bytes: of up to twelve bytes all, of a longer one four.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Head(u128);

impl Head {
    /// The head of a text, from a view of it.
    pub fn of_view(view: View) -> Self {
        // Behind the first bytes of a long text stands where the rest of it is.
        if view.is_whole() { Self(view.bits()) } else { Self(view.head().into()) }
    }

    pub fn of_text(text: &str) -> Self {
        Self::of_view(View::of(text))
    }

    pub fn is_whole(self) -> bool {
        View::INSIDE >= self.0 as u32 as usize
    }

    /// Some of its bits: what reads them has read it.
    pub fn bits(self) -> u32 {
        self.0 as u32
    }

    /// What texts are put in order by before their bytes: `9` comes before `10`.
    pub fn rank(self) -> u128 {
        self.0.swap_bytes()
    }

    fn hash(self, text: &str) -> u64 {
        let mut hasher = FixedState::with_seed(0).build_hasher();
        if self.is_whole() {
            hasher.write_u128(self.0);
        } else {
            hasher.write(text.as_bytes());
        }
        // No value has the hash of a blank.
        hasher.finish().min(Codes::NO_HASH - 1)
    }
}

/// The numbers of short values that were met before: rows of few values are not looked up. It may forget any.
///
/// Each value has two places, so that two that fall into one do not drive each other out.
#[derive(Debug)]
pub(super) struct Recent(Vec<[(View, u32); 2]>);

impl Default for Recent {
    fn default() -> Self {
        // No value is empty.
        Self(vec![[(View::EMPTY, 0); 2]; 1 << Self::BITS])
    }
}

impl Recent {
    const BITS: u32 = 7;

    fn places(view: View) -> usize {
        (view.folded() >> (u64::BITS - Self::BITS)) as usize
    }

    /// The number of the value of a view.
    #[inline]
    pub fn find(&self, view: View) -> Option<u32> {
        let [one, other] = self.0[Self::places(view)];
        let found = if one.0 == view { one } else { other };
        (found.0 == view).then_some(found.1)
    }

    pub fn note(&mut self, view: View, number: u32) {
        if view.is_whole() {
            let [one, other] = &mut self.0[Self::places(view)];
            (*other, *one) = (*one, (view, number));
        }
    }
}

/// What a text is looked up by: its head, and its hash, which is the same in every column.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Print {
    head: Head,
    hash: u64,
}

impl Print {
    /// Of no text.
    pub const NONE: Self = Self { head: Head(0), hash: 0 };

    /// The print of a text whose head is known.
    pub fn new(head: Head, text: &str) -> Self {
        Self { head, hash: head.hash(text) }
    }

    pub fn of_text(text: &str) -> Self {
        Self::new(Head::of_text(text), text)
    }

    pub fn hash(self) -> u64 {
        self.hash
    }

    pub fn head(self) -> Head {
        self.head
    }

    /// Whether this is the print of a text with that head, and of no other.
    pub fn is_of(self, head: Head) -> bool {
        self.head == head && head.is_whole()
    }

    /// Whether both are prints of one text, as far as heads tell.
    pub fn is_equal(self, other: Self) -> bool {
        self.is_of(other.head)
    }

    pub fn tag(self) -> u32 {
        self.hash as u32
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    proptest! {
        #[test]
        fn heads_that_are_whole_are_told_apart_and_stand_in_the_order_of_numbers(
            one in "[a-z0-9é]{0,20}", other in "[a-z0-9é]{0,20}", numbers in (0..2_000_000_u32, 0..2_000_000_u32),
        ) {
            let heads = [Head::of_text(&one), Head::of_text(&other)];
            if heads[0].is_whole() {
                prop_assert_eq!(heads[0].rank() == heads[1].rank(), one == other);
                prop_assert_eq!(Print::of_text(&other).is_of(heads[0]), one == other);
            }
            prop_assert_eq!(Print::of_text(&one) == Print::of_text(&other), one == other);
            let rank = |number: u32| Head::of_text(&format!("M{number}")).rank();
            prop_assert_eq!(rank(numbers.0).cmp(&rank(numbers.1)), numbers.0.cmp(&numbers.1));
        }

        #[test]
        fn a_value_that_was_met_has_its_number_or_none(
            values in prop::collection::vec("[a-c]{1,3}|a text that is long, [0-9]", 1..200),
        ) {
            let mut recent = Recent::default();
            let mut known: Vec<&str> = vec![];
            for value in &values {
                let view = View::of(value);
                let number = known.iter().position(|other| other == value);
                // Values that are long are never known by their views.
                prop_assert!(recent.find(view).is_none_or(|found| Some(found as usize) == number && view.is_whole()));
                let number = number.unwrap_or_else(|| {
                    known.push(value);
                    known.len() - 1
                });
                recent.note(view, number as u32);
                prop_assert_eq!(recent.find(view), view.is_whole().then_some(number as u32));
            }
        }
    }

    #[test]
    fn two_values_of_one_place_are_both_known() {
        let values: Vec<View> = (0..4_000).map(|at| View::of(&format!("v{at}"))).collect();
        let place = Recent::places(values[0]);
        let same: Vec<View> =
            values.into_iter().filter(|view| Recent::places(*view) == place).take(3).collect();
        let mut recent = Recent::default();
        (0..).zip(&same[..2]).for_each(|(number, view)| recent.note(*view, number));
        assert_eq!([0, 1, 2].map(|at| recent.find(same[at])), [Some(0), Some(1), None]);
        // A third one drives out the one that was noted first.
        recent.note(same[2], 2);
        assert_eq!([0, 1, 2].map(|at| recent.find(same[at])), [None, Some(1), Some(2)]);
    }
}
