//! Why rows go.

use std::fmt;

use serde::Serialize;

/// Why a step takes out a row.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(rename_all = "kebab-case")]
pub enum Why {
    /// The condition of a `keep` is false.
    IsFalse,
    /// The condition of a `drop` is true.
    IsTrue,
    /// The condition of a `keep` is blank.
    IsBlank,
    /// It is equal to a row that stays.
    Copy,
    /// Another row of its key is the better one.
    OtherVersion,
    /// A later row of its key is as good.
    Tie,
    /// Others of its group come before it, as many as are asked for.
    BeyondTop,
    /// Its quantity is zero.
    Zero,
    /// Its quantity is negative.
    Negative,
    /// Its quantity is blank.
    NoQuantity,
    /// All that would have been turned is blank.
    AllBlank,
    /// A cell of it cannot be read.
    Unreadable,
}

impl fmt::Display for Why {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        out.write_str(match self {
            Self::IsFalse => "the condition is false",
            Self::IsTrue => "the condition is true",
            Self::IsBlank => "the condition is blank",
            Self::Copy => "it is equal to a row that stays",
            Self::OtherVersion => "another version of its key stays",
            Self::Tie => "a later row of its key is as good and stays",
            Self::BeyondTop => "others come before it",
            Self::Zero => "its quantity is zero",
            Self::Negative => "its quantity is negative",
            Self::NoQuantity => "its quantity is blank",
            Self::AllBlank => "all that is turned is blank",
            Self::Unreadable => "a cell of it cannot be read",
        })
    }
}
