//! Numbers by chance, the same for the same seed on every machine.

use rand_pcg::Pcg64Mcg;
use rand_pcg::rand_core::{RngCore, SeedableRng};

/// A stream of chance for one file: files do not disturb each other.
pub(crate) struct Chance(Pcg64Mcg);

impl Chance {
    pub fn new(seed: u64, stream: &str) -> Self {
        let mixed = stream.bytes().fold(seed ^ 0x9E37_79B9, |mixed, byte| {
            (mixed.rotate_left(7) ^ u64::from(byte)).wrapping_mul(0x100_0000_01b3)
        });
        Self(Pcg64Mcg::seed_from_u64(mixed))
    }

    /// A number below `end`, which is not zero.
    pub fn below(&mut self, end: u64) -> u64 {
        // The high bits are the best, and the multiplication spreads them evenly enough.
        ((u128::from(self.0.next_u64()) * u128::from(end)) >> 64) as u64
    }

    /// True in so many of a thousand cases.
    pub fn in_thousand(&mut self, cases: u64) -> bool {
        self.below(1000) < cases
    }

    pub fn pick<'a, T>(&mut self, among: &'a [T]) -> &'a T {
        &among[self.below(among.len() as u64) as usize]
    }
}
