//! How complete a link was.

use serde::{Serialize, Serializer};

use super::{PeriodTally, StepName};
use crate::table::{Amount, Place};

/// The tally of one link.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct LinkTally {
    /// The table whose rows lead.
    pub from: String,
    /// The table they lead to.
    pub to: String,
    /// The link's name.
    pub name: String,
    /// Its keys in words.
    pub keys: String,
    /// Rows of the source.
    pub rows: u64,
    /// Rows that lead to one of the target.
    pub matched: u64,
    /// Rows with a key that the target does not have.
    pub missing: u64,
    /// Rows with a blank in their key.
    pub blank: u64,
    /// Whether blank keys are left out of the share.
    pub blank_allowed: bool,
    /// The same by each tracked amount of the source.
    pub amounts: Vec<LinkAmount>,
    /// Rows of the target that nothing leads to.
    pub unreached: u64,
    /// Rows of the target.
    pub target_rows: u64,
    /// Rows that lead to one of the target.
    pub spread: Option<Spread>,
    /// Keys that the target does not have, the first few.
    pub examples: Vec<MissingKey>,
    /// Steps that took out rows with keys that the target does not have; looked for where the link is not as complete as
    /// asked.
    pub taken_out: Vec<TakenOut>,
    /// Why keys that do not match nearly do, those that steps took out apart; looked for where the link is not as complete as asked.
    pub near: Vec<NearMiss>,
    /// Rows that nothing of `taken_out` and `near` explains, blank keys apart.
    pub unlike: u64,
    /// What else there is to tell of a link by a period.
    pub period: Option<PeriodTally>,
    /// What the plan asks, in words; empty if nothing.
    pub required: String,
    /// Whether it is as complete as the plan asks.
    pub held: bool,
}

/// A link as documents have it.
#[derive(Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[cfg_attr(feature = "schema", schemars(rename = "Link"))]
pub struct LinkTold<'l> {
    /// What was counted.
    #[serde(flatten)]
    link: &'l LinkTally,
    /// The share of rows that lead somewhere, as it is printed.
    share: String,
}

/// Links, each with its share beside what was counted.
///
/// # Errors
/// What the serializer says.
pub fn with_shares<S: Serializer>(links: &[LinkTally], serializer: S) -> Result<S::Ok, S::Error> {
    let share = |link: &LinkTally| share_text(link.matched.into(), link.counted().into());
    serializer.collect_seq(links.iter().map(|link| LinkTold { link, share: share(link) }))
}

/// A tracked amount of the rows of a link, absolute: a credit note counts as much as a sale.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct LinkAmount {
    /// Its name; where it counts apart with what it is in: `net EUR`.
    pub name: String,
    /// The column that it is.
    pub column: String,
    /// The amounts of rows that lead somewhere, without their signs.
    pub matched: Amount,
    /// The amounts of rows that lead nowhere, without their signs (blank keys left out where they
    /// are allowed).
    pub missing: Amount,
    /// The plain sum of the amounts of rows that lead somewhere: credit notes take from it.
    pub matched_net: Amount,
    /// The plain sum of the amounts of rows that lead nowhere.
    pub missing_net: Amount,
}

/// How many rows lead to one row of the target, over those that any leads to.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Spread {
    /// The least.
    pub least: u64,
    /// The median; the lower of the middle two.
    pub median: u64,
    /// The most.
    pub most: u64,
}

/// A step that took out rows of a link's target, or of a table that it is made from, which rows of the source have the
/// keys of.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct TakenOut {
    /// The step; of several that took out rows of a key, the last.
    pub step: StepName,
    /// Rows of the source that have such a key.
    pub rows: u64,
    /// How many different keys they have.
    pub distinct: u64,
    /// Whether there may be more of both: so many different keys lead nowhere that only the first were looked for.
    pub at_least: bool,
    /// The first of the keys.
    pub examples: Vec<TakenKey>,
}

/// A key that went with its row.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct TakenKey {
    /// The key.
    pub key: String,
    /// Where the row stands that went, if it stands in a file.
    pub place: Option<Place>,
}

/// Keys that do not match, and nearly do.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct NearMiss {
    /// What keeps them apart.
    pub kinds: Vec<NearKind>,
    /// Rows that would match.
    pub rows: u64,
    /// How many different keys they have.
    pub distinct: u64,
    /// The keys to write so that they match, if an expression mends it.
    pub keys: Option<String>,
    /// Keys of the target that are different today and would be one with another.
    pub merged: u64,
    /// The first of them, each with the key that it is near to.
    pub examples: Vec<(String, String)>,
}

/// What keeps keys apart.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(rename_all = "kebab-case")]
pub enum NearKind {
    /// Spaces before or behind.
    OuterSpaces,
    /// Small and capital letters.
    LetterCase,
    /// Zeros before the number.
    LeadingZeros,
    /// Signs that are neither letters nor digits.
    Signs,
    /// The same text before each of them.
    Prefix,
    /// The same text behind each of them.
    Suffix,
    /// One letter, or two that changed places.
    OneLetter,
    /// The day on which a period ends, which is not part of it.
    EndDay,
    /// The day after a period.
    DayAfter,
    /// The day before a period.
    DayBefore,
}

/// A key that the target does not have.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct MissingKey {
    /// Its values in words, joined by `/`.
    pub key: String,
    /// How many rows have it.
    pub rows: u64,
}

impl LinkTally {
    /// Rows that count: all, or those with a key where blanks are allowed.
    pub fn counted(&self) -> u64 {
        if self.blank_allowed { self.rows - self.blank } else { self.rows }
    }
}

/// A share in percent with two places, rounded down: less than all is never shown as 100.00%.
/// Nothing of nothing is all.
///
/// ```
/// use granum_core::tally::share_text;
/// assert_eq!(share_text(99_996, 100_000), "99.99%");
/// assert_eq!(share_text(0, 0), "100.00%");
/// ```
pub fn share_text(part: u128, whole: u128) -> String {
    if whole == 0 {
        return "100.00%".into();
    }
    // Amounts of 38 digits leave no room to multiply; their last digits do not matter then.
    let (part, whole) =
        if part > u128::MAX / 10_000 { (part / 10_000, whole / 10_000) } else { (part, whole) };
    let hundredths = part * 10_000 / whole.max(1);
    format!("{}.{:02}%", hundredths / 100, hundredths % 100)
}
