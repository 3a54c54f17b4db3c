//! Columns of numbers that stand for values: equal numbers for equal values.

use std::sync::Arc;

use super::RoomFile;

/// What stands for each row's value.
#[derive(Debug)]
pub(crate) enum Codes {
    /// Numbers from 0 on without a gap; [`Codes::BLANK`] for a blank.
    Numbers(Vec<u32>),
    /// Hashes, where there are too many values to number; [`Codes::NO_HASH`] for a blank.
    Hashes(Vec<u64>),
    /// Either of both, on a disk.
    Away(AwayCodes),
}

/// Codes that are away, in blocks of [`AwayCodes::BLOCK`] rows; the last may have fewer.
#[derive(Debug)]
pub(crate) struct AwayCodes {
    file: Arc<RoomFile>,
    /// Where each block begins.
    blocks: Vec<u64>,
    rows: usize,
    /// Hashes and not numbers.
    hashes: bool,
}

impl Codes {
    /// The number of a blank.
    pub const BLANK: u32 = u32::MAX;
    /// The hash of a blank.
    pub const NO_HASH: u64 = u64::MAX;

    pub fn len(&self) -> usize {
        match self {
            Self::Numbers(numbers) => numbers.len(),
            Self::Hashes(hashes) => hashes.len(),
            Self::Away(away) => away.rows,
        }
    }

    /// Whether they are numbers, and not hashes.
    pub fn are_numbers(&self) -> bool {
        match self {
            Self::Numbers(_) => true,
            Self::Hashes(_) => false,
            Self::Away(away) => !away.hashes,
        }
    }

    /// Whose room they are put away in, if they are.
    pub fn file(&self) -> Option<&Arc<RoomFile>> {
        match self {
            Self::Numbers(_) | Self::Hashes(_) => None,
            Self::Away(away) => Some(&away.file),
        }
    }

    /// The bytes that they take in memory.
    pub fn bytes_held(&self) -> usize {
        match self {
            Self::Numbers(numbers) => numbers.capacity() * size_of::<u32>(),
            Self::Hashes(hashes) => hashes.capacity() * size_of::<u64>(),
            Self::Away(_) => 0,
        }
    }

    /// What stands for a row's value; `None` for a blank.
    #[inline]
    pub fn get(&self, row: u32) -> Option<u64> {
        let code = self.raw(row);
        (code != Self::NO_HASH).then_some(code)
    }

    /// The same, with [`Codes::NO_HASH`] for a blank.
    #[inline]
    pub fn raw(&self, row: u32) -> u64 {
        match self {
            Self::Numbers(numbers) => Self::of_number(numbers[row as usize]),
            Self::Hashes(hashes) => hashes[row as usize],
            Self::Away(away) => away.run(row as usize, 1)[0],
        }
    }

    /// The same of `rows` rows from a first on.
    pub fn run(&self, first: usize, rows: usize) -> Vec<u64> {
        let run = first..first + rows;
        match self {
            Self::Numbers(numbers) => {
                numbers[run].iter().map(|number| Self::of_number(*number)).collect()
            }
            Self::Hashes(hashes) => hashes[run].to_vec(),
            Self::Away(away) => away.run(first, rows),
        }
    }

    /// Puts them away behind those of `away`, which are of the same kind: all but the last rows that fill no block, or
    /// all of them at the end.
    pub fn put_away(&mut self, away: &mut AwayCodes, end: bool) {
        match self {
            Self::Numbers(numbers) => {
                let rows = away.put(numbers, end, |number, out| out.extend(number.to_le_bytes()));
                numbers.drain(..rows);
                numbers.shrink_to(AwayCodes::BLOCK);
            }
            Self::Hashes(hashes) => {
                let rows = away.put(hashes, end, |hash, out| out.extend(hash.to_le_bytes()));
                hashes.drain(..rows);
                hashes.shrink_to(AwayCodes::BLOCK);
            }
            Self::Away(_) => {}
        }
    }

    /// What stands for a value's number, or for a blank, where both are told by what hashes are.
    #[inline]
    pub fn of_number(number: u32) -> u64 {
        if number == Self::BLANK { Self::NO_HASH } else { number.into() }
    }
}

impl AwayCodes {
    /// Rows of a block.
    pub const BLOCK: usize = if cfg!(test) { 1 << 4 } else { 1 << 16 };

    /// Nothing yet: numbers, or hashes.
    pub fn new(file: Arc<RoomFile>, hashes: bool) -> Self {
        Self { file, blocks: vec![], rows: 0, hashes }
    }

    fn width(&self) -> usize {
        if self.hashes { size_of::<u64>() } else { size_of::<u32>() }
    }

    /// Puts whole blocks of codes away, or all of them; says how many.
    fn put<T: Copy>(&mut self, codes: &[T], end: bool, bytes: impl Fn(T, &mut Vec<u8>)) -> usize {
        let rows = if end { codes.len() } else { codes.len() / Self::BLOCK * Self::BLOCK };
        for block in codes[..rows].chunks(Self::BLOCK) {
            let mut out = Vec::with_capacity(block.len() * self.width());
            block.iter().for_each(|code| bytes(*code, &mut out));
            self.blocks.push(self.file.put(&out));
        }
        self.rows += rows;
        rows
    }

    /// The codes of some rows; of those that cannot be got, which the room notes, blanks.
    fn run(&self, first: usize, rows: usize) -> Vec<u64> {
        let width = self.width();
        let mut run = Vec::with_capacity(rows);
        while run.len() < rows {
            let at = first + run.len();
            let (block, offset) = (at / Self::BLOCK, at % Self::BLOCK);
            let count = (rows - run.len()).min(Self::BLOCK - offset);
            let from = self.blocks[block] + (offset * width) as u64;
            match self.file.get(from, count * width) {
                None => run.resize(run.len() + count, Codes::NO_HASH),
                Some(bytes) if self.hashes => {
                    run.extend(bytes.as_chunks().0.iter().map(|hash| u64::from_le_bytes(*hash)));
                }
                Some(bytes) => {
                    let numbers = bytes.as_chunks().0.iter();
                    run.extend(numbers.map(|number| Codes::of_number(u32::from_le_bytes(*number))));
                }
            }
        }
        run
    }

    /// The same rows with the hash of each value in place of its number; `hashes` are those of the numbers.
    pub fn hashed(&self, hashes: &[u64]) -> Self {
        let mut hashed = Self::new(self.file.clone(), true);
        for first in (0..self.rows).step_by(Self::BLOCK) {
            let numbers = self.run(first, Self::BLOCK.min(self.rows - first));
            let hash = |number: &u64| hashes.get(*number as usize).copied();
            let codes: Vec<u64> =
                numbers.iter().map(|number| hash(number).unwrap_or(Codes::NO_HASH)).collect();
            hashed.put(&codes, true, |hash, out| out.extend(hash.to_le_bytes()));
        }
        hashed
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::engine::tests::memory::Shelf;

    proptest! {
        #[test]
        fn codes_that_are_away_are_as_they_were_in_any_run_and_as_hashes(
            numbers in prop::collection::vec(prop_oneof![3 => 0..40_u32, 1 => Just(Codes::BLANK)], 1..90),
            lots in prop::collection::vec(1..30_usize, 1..9),
            first in 0..90_usize,
            count in 0..90_usize,
        ) {
            let room = Shelf::room(0, usize::MAX);
            let here = Codes::Numbers(numbers.clone());
            let (mut away, mut coming) = (AwayCodes::new(room.file(), false), Codes::Numbers(vec![]));
            // They come in lots, and go as far as they fill blocks.
            let mut rest = numbers.as_slice();
            for lot in lots.iter().cycle() {
                let (some, more) = rest.split_at((*lot).min(rest.len()));
                let Codes::Numbers(waiting) = &mut coming else { unreachable!("numbers stay numbers") };
                waiting.extend(some);
                rest = more;
                coming.put_away(&mut away, rest.is_empty());
                if rest.is_empty() {
                    break;
                }
            }
            prop_assert_eq!(coming.len(), 0);
            let of_numbers: Vec<u64> = (0..40).map(|number| number * 1_000_003 + 7).collect();
            let hashes = Codes::Away(away.hashed(&of_numbers));
            let away = Codes::Away(away);
            prop_assert!(away.are_numbers() && !hashes.are_numbers() && away.bytes_held() == 0);
            prop_assert_eq!((away.len(), hashes.len()), (numbers.len(), numbers.len()));
            let first = first.min(numbers.len());
            let count = count.min(numbers.len() - first);
            prop_assert_eq!(away.run(first, count), here.run(first, count));
            for row in 0..numbers.len() as u32 {
                prop_assert_eq!(away.get(row), here.get(row));
                let hash = here.get(row).map(|number| of_numbers[number as usize]);
                prop_assert_eq!(hashes.get(row), hash);
            }
        }
    }
}
