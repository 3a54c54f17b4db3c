//! Blocks that were got last, of all columns of a room: rows that lead here and there come back to some of them.

use std::collections::{BTreeMap, HashMap};

use crate::table::Column;

/// Where a block begins: the number of its file, and its place there.
pub(super) type At = (u64, u64);

/// Blocks that are kept. What was not looked at for longest goes first, whichever column it is of.
#[derive(Debug, Default)]
pub(super) struct Kept {
    blocks: HashMap<At, Block>,
    /// The same by when they were looked at last.
    order: BTreeMap<u64, At>,
    bytes: u64,
    /// How often blocks were looked at.
    looks: u64,
}

#[derive(Debug)]
struct Block {
    column: Column,
    bytes: u64,
    /// When it was looked at last.
    looked: u64,
}

impl Kept {
    /// So many blocks are kept however many bytes they have.
    pub const FEWEST: usize = 4;

    /// A block that is kept.
    pub fn get(&mut self, at: At) -> Option<Column> {
        let block = self.blocks.get_mut(&at)?;
        self.looks += 1;
        self.order.remove(&block.looked);
        self.order.insert(self.looks, at);
        block.looked = self.looks;
        Some(block.column.clone())
    }

    /// Keeps a block, and lets others go until all have no more than so many bytes.
    pub fn put(&mut self, at: At, column: &Column, most: u64) {
        self.forget(at);
        let bytes = column.bytes_held() as u64;
        self.bytes += bytes;
        self.looks += 1;
        self.order.insert(self.looks, at);
        self.blocks.insert(at, Block { column: column.clone(), bytes, looked: self.looks });
        while self.bytes > most && self.blocks.len() > Self::FEWEST {
            let Some((_, oldest)) = self.order.first_key_value() else { return };
            self.forget(*oldest);
        }
    }

    /// Lets a block go, if it is kept.
    pub fn forget(&mut self, at: At) {
        if let Some(gone) = self.blocks.remove(&at) {
            self.order.remove(&gone.looked);
            self.bytes -= gone.bytes;
        }
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn block(rows: usize) -> Column {
        Column::Integer((0..rows).map(|row| Some(row as i64)).collect())
    }

    proptest! {
        #[test]
        fn those_that_were_looked_at_last_stay_as_far_as_bytes_allow(
            looks in prop::collection::vec((0..12_u64, any::<bool>()), 1..80),
            most in 0..4_000_u64,
        ) {
            let mut kept = Kept::default();
            let mut order: Vec<u64> = vec![];
            for (at, forgotten) in looks {
                if forgotten && at < 3 {
                    kept.forget((7, at));
                    order.retain(|known| *known != at);
                    continue;
                }
                if kept.get((7, at)).is_none() {
                    kept.put((7, at), &block(40 + at as usize * 10), most);
                }
                order.retain(|known| *known != at);
                order.push(at);
                // Those that are kept are the last ones.
                let there: Vec<bool> = order.iter().map(|at| kept.blocks.contains_key(&(7, *at))).collect();
                prop_assert!(there.is_sorted(), "{order:?} {there:?}");
                order.retain(|at| kept.blocks.contains_key(&(7, *at)));
                prop_assert!(kept.bytes <= most || order.len() <= Kept::FEWEST);
                prop_assert_eq!(kept.order.len(), kept.blocks.len());
                prop_assert_eq!(kept.bytes, kept.blocks.values().map(|block| block.bytes).sum::<u64>());
                prop_assert_eq!(kept.get((7, at)).map(|column| column.len()), Some(40 + at as usize * 10));
            }
        }
    }
}
