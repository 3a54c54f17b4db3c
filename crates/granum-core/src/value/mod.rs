//! Values: types, exact decimals, days, single values, and how amounts are divided.

pub mod day;
pub mod decimal;
mod exact;
mod example;
pub mod parts;
mod scalar;
mod types;
mod unseen;
mod zone;

pub use exact::ExactSum;
pub use example::NumberExample;
pub use scalar::{Found, Scalar, found_type, parse_boolean, parse_integer};
pub use types::{Scale, Type};
pub(crate) use unseen::is_unseen;
pub use zone::{Clock, OddHour, Zone, has_offset, split_offset};

#[cfg(test)]
mod tests;
