//! Runs a typed plan: what depends on what, tables, links, checks, the gate.

mod after;
mod beginnings;
mod beside;
mod calendar;
mod chart;
mod check;
mod close;
mod context;
pub(crate) mod demand;
mod ends;
mod example;
mod feed;
mod flow;
mod gather;
mod inputs;
mod leaf;
mod lifetimes;
mod lineage;
mod links;
mod matching;
mod named;
mod outline;
mod passing;
mod periods;
mod read;
mod room;
mod run;
mod seen;
mod several;
mod show;
mod sums;
pub(crate) mod together;
mod trace;
mod tree;
mod waiting;
mod warn;
mod whole;
mod wide;

pub use beginnings::Beginnings;
pub use beside::{AskedWrong, Beside};
pub use context::RunError;
pub use example::{Differs, RealExample, real_example, run_examples};
pub use matching::{AmountsOf, Group, Matched, Matching, Repeating, Side, match_link};
pub use outline::{TableOutline, outline};
pub use run::{Running, Want};
pub use show::{Showing, Shown, show};
pub use trace::{RemovedRows, Tracing, removed, show_removed, trace};
pub use whole::{run, run_as};

#[cfg(test)]
pub(crate) mod tests;
