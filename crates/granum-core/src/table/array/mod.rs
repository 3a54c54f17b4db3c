//! Arrays: what the values of a column stand in. Cloning one, and a run of its rows, is free.

mod bits;
mod fixed;
mod present;
mod shared;
mod take;
mod texts;
mod truths;
mod whole;

pub use bits::{Bits, BitsBuilder};
pub(in crate::table) use fixed::mark;
pub use fixed::{Fixed, Native};
pub use present::{Present, PresentBuilder};
use shared::Shared;
pub(crate) use shared::with_room;
pub(crate) use texts::View;
pub use texts::{TextBuilder, Texts};
pub use truths::Truths;
pub(in crate::table) use whole::GrowingWhole;
pub use whole::{Whole, Wide};

#[cfg(test)]
mod tests;
