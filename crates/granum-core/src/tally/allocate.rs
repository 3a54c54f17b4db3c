//! What `allocate` divided, what it could not, and why it stopped.

use serde::Serialize;

use crate::table::{Amount, InWhat, Place};

/// What became of an amount that was divided over rows.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Allocated {
    /// The parts, as the table calls them at its end; nothing where they are not followed.
    pub parts: Option<String>,
    /// The amount in words.
    pub amount: String,
    /// The table that is led to and the amount there, where the amount is looked up.
    pub of: Option<(String, String)>,
    /// All there was to divide.
    pub all: Amount,
    /// What was divided.
    pub given: Amount,
    /// Over how many rows.
    pub rows: u64,
    /// What was not.
    pub left: Vec<NotAllocated>,
    /// What it is in, where it counts apart.
    #[serde(skip)]
    pub within: InWhat,
}

/// An amount that was not divided.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct NotAllocated {
    /// `no-row`: no row leads there; `zero-weights`: all weights are zero; `blank-key`: rows that say
    /// not whose they are.
    pub why: &'static str,
    /// How many rows of the target, groups, or rows with a blank key.
    pub count: u64,
    /// Their amount.
    pub amount: Amount,
    /// The first of them in words.
    pub examples: Vec<String>,
}

/// What `allocate` cannot divide.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct AllocateProblem {
    /// The table.
    pub table: String,
    /// The step in words.
    pub step: String,
    /// The amount in words.
    pub amount: String,
    /// The weight in words, if there is one.
    pub weight: Option<String>,
    /// What is wrong.
    pub troubles: Vec<AllocateTrouble>,
}

/// One thing that is wrong with amounts or weights.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct AllocateTrouble {
    /// Of weights `negative`, `blank`; of amounts `several` (in one group), `fine` (more places than the
    /// parts have), `large`.
    pub what: &'static str,
    /// How many rows, or groups.
    pub count: u64,
    /// The first of them: weight, or group with its amounts; and the place.
    pub examples: Vec<(String, Option<Place>)>,
}
