//! Where values and keys are found: their numbers by hashes.
//!
//! A table of a million values is larger than what a core has at hand, so that nearly each look-up waits for memory.
//! Slots can be read ahead for many values at once: reads that do not wait for each other go on together.

/// Numbers, each with a part of the hash of its value.
#[derive(Debug, Default)]
pub(crate) struct ByHash {
    /// The upper half is a part of the hash, the lower half the number and one; 0 where nothing stands.
    slots: Vec<u64>,
    count: usize,
}

impl ByHash {
    /// How many bytes they take.
    pub fn bytes_held(&self) -> usize {
        self.slots.capacity() * size_of::<u64>()
    }

    pub fn is_empty(&self) -> bool {
        self.count == 0
    }

    /// Whether they are too many for what a core has at hand.
    pub fn are_far(&self) -> bool {
        self.bytes_held() > 1 << 17
    }

    /// Makes room for so many more numbers.
    pub fn reserve(&mut self, more: usize) {
        // Of four slots one stays empty, so that a look-up ends soon.
        let needed = ((self.count + more) * 4).div_ceil(3).next_power_of_two().max(16);
        if needed <= self.slots.len() {
            return;
        }
        let before = std::mem::replace(&mut self.slots, vec![0; needed]);
        before.into_iter().filter(|slot| *slot != 0).for_each(|slot| self.place(slot));
    }

    /// Where the search for a hash begins: the slots of more room stand in the same order.
    fn begin(&self, tag: u32) -> usize {
        let stirred = u64::from(tag).wrapping_mul(0x9E37_79B9_7F4A_7C15);
        (stirred >> (u64::BITS - self.slots.len().max(2).ilog2())) as usize
    }

    fn place(&mut self, slot: u64) {
        let mut at = self.begin((slot >> 32) as u32);
        while self.slots[at] != 0 {
            at = (at + 1) & (self.slots.len() - 1);
        }
        self.slots[at] = slot;
    }

    /// Adds a number that is not there.
    pub fn insert(&mut self, tag: u32, number: u32) {
        if (self.count + 1) * 4 > self.slots.len() * 3 {
            self.reserve(1);
        }
        self.count += 1;
        self.place(u64::from(tag) << 32 | u64::from(number + 1));
    }

    /// The number under a hash that `is` the one that is looked for.
    pub fn find(&self, tag: u32, is: impl Fn(u32) -> bool) -> Option<u32> {
        if self.slots.is_empty() {
            return None;
        }
        let mut at = self.begin(tag);
        loop {
            let slot = self.slots[at];
            if slot == 0 {
                return None;
            }
            let number = (slot as u32).wrapping_sub(1);
            if (slot >> 32) as u32 == tag && is(number) {
                return Some(number);
            }
            at = (at + 1) & (self.slots.len() - 1);
        }
    }

    /// What stands in the first slot where a hash may stand: where many are asked for one after the other, none waits
    /// for another, and all of them are at hand afterwards.
    pub fn touch(&self, tag: u32) -> u64 {
        self.slots.get(self.begin(tag)).copied().unwrap_or_default()
    }

    /// The number in the first slot where a hash may stand, if it is one of that hash.
    pub fn first(&self, tag: u32) -> Option<u32> {
        let slot = *self.slots.get(self.begin(tag))?;
        (slot != 0 && (slot >> 32) as u32 == tag).then(|| (slot as u32).wrapping_sub(1))
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    proptest! {
        #[test]
        fn numbers_are_found_under_their_hashes_whatever_room_was_made(
            tags in prop::collection::vec(prop_oneof![0..4_u32, any::<u32>(), Just(u32::MAX)], 0..200),
            room in 0..300_usize,
        ) {
            let mut slots = ByHash::default();
            for (number, tag) in tags.iter().enumerate() {
                if number == tags.len() / 2 {
                    slots.reserve(room);
                }
                prop_assert_eq!(slots.find(*tag, |found| found as usize == number), None);
                slots.insert(*tag, number as u32);
            }
            for (number, tag) in tags.iter().enumerate() {
                prop_assert_eq!(slots.find(*tag, |found| found as usize == number), Some(number as u32));
                prop_assert_eq!(slots.find(*tag, |_| false), None);
                let first = slots.first(*tag);
                prop_assert!(first.is_none_or(|first| tags[first as usize] == *tag));
            }
            prop_assert!(slots.bytes_held() >= tags.len() * 8 * 4 / 3);
        }
    }
}
