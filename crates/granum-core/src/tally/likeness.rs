//! Names that may be meant alike.

use serde::Serialize;

/// Pairs of names of two columns.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Likeness {
    /// How many different names each side has.
    pub names: (u64, u64),
    /// How many of the first are names of the second as they stand.
    pub equal: u64,
    /// How many of the others are like one of the second.
    pub like: u64,
    /// The pairs, the likeliest first.
    pub pairs: Vec<LikePair>,
}

/// Two names that may be meant alike.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct LikePair {
    /// The name of the first side.
    pub a: String,
    /// The name of the second side.
    pub b: String,
    /// How many rows have the first.
    pub rows: u64,
    /// How like they are, of 100.
    pub likeness: u8,
    /// What tells them apart.
    pub reason: LikeReason,
}

/// What tells two names apart, the last of what must be taken away until they are one.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(rename_all = "kebab-case")]
pub enum LikeReason {
    /// Letter case, spaces and signs.
    Signs,
    /// Accents.
    Accents,
    /// What a company is by law, and words such as `and`.
    LegalForm,
    /// The order of words.
    WordOrder,
    /// So many letters.
    Letters(u64),
}

impl LikeReason {
    /// How like names are that nothing more tells apart, of 100.
    pub fn likeness(self) -> u8 {
        match self {
            Self::Signs => 99,
            Self::Accents => 98,
            Self::LegalForm => 97,
            Self::WordOrder => 96,
            Self::Letters(_) => 95,
        }
    }
}
