//! Keys, the tables that find them, and the link index: for each row the row it leads to.

mod index;
mod key;
pub(crate) mod mend;
mod near;

pub(crate) use index::{KeyTable, LinkIndex, link_few};
pub(crate) use key::{BlankKeys, Keys, compare};
pub(crate) use near::{Missing, near_misses};

#[cfg(test)]
mod tests;
