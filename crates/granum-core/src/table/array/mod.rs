//! Arrays: what the values of a column stand in. Cloning one, and a run of its rows, is free.

mod bits;
mod fixed;
mod piece;
mod present;
mod shared;
mod take;
mod text_builder;
mod texts;
mod truths;
mod view;
mod whole;

pub use bits::{Bits, BitsBuilder};
pub(in crate::table) use fixed::mark;
pub use fixed::{Fixed, Native};
pub(crate) use piece::PIECE;
pub use present::{Present, PresentBuilder};
use shared::Shared;
pub(crate) use shared::with_room;
pub(in crate::table) use take::named;
pub use text_builder::TextBuilder;
pub use texts::Texts;
pub use truths::Truths;
pub(crate) use view::View;
pub(in crate::table) use whole::GrowingWhole;
pub use whole::{Whole, Wide};

#[cfg(test)]
mod tests;
