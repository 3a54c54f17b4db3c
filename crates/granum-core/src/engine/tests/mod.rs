//! The engine without files: inputs and outputs in memory.

mod gate;
mod laws;
mod memory;
mod showing;
mod totals;
