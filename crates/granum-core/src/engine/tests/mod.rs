//! The engine without files: inputs and outputs in memory.

mod aggregates;
mod away;
mod charts;
mod gate;
mod gathering;
mod kinds;
mod laws;
pub(crate) mod memory;
mod mends;
mod needed;
mod random;
mod repeats;
mod seen;
mod showing;
mod taken_out;
mod totals;
mod twins;
mod windows;
