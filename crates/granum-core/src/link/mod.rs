//! Keys, the tables that find them, and what leads where between two tables.

mod along;
mod amounts;
mod away;
mod counts;
mod index;
mod key;
pub(crate) mod mend;
mod near;
mod order;
mod period;
mod repeats;
mod service;

pub(crate) use along::repeated_along;
pub(crate) use amounts::amounts;
pub(crate) use away::fingerprints;
pub(crate) use counts::{Counts, counts};
pub(crate) use index::{KeyTable, link_few};
pub(crate) use key::{BlankKeys, Keys, hashes};
pub(crate) use order::compare;
pub(crate) use period::{Ends, Inverted, Moments, Order, Outside, PeriodWords, Periods, Within};
pub(crate) use repeats::{EXAMPLES, Repeats, key_text, repeated};
pub(crate) use service::{LinkWords, Linked, Method, missing_keys};

#[cfg(test)]
mod tests;
