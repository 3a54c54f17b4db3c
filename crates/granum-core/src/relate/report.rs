//! What is told of how files link.

use serde::{Serialize, Serializer};

use super::FoundParts;
use crate::survey::Survey;
use crate::tally::share_text;

/// How some files link.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Relations {
    /// The tables that the files make: files of the same columns are one.
    pub tables: Vec<RelatedTable>,
    /// Links, the surest first.
    #[serde(serialize_with = "with_lines")]
    #[cfg_attr(feature = "schema", schemars(with = "Vec<LinkTold>"))]
    pub links: Vec<FoundLink>,
    /// Columns that look like a link and are none: they repeat on both sides.
    pub crossings: Vec<Crossing>,
    /// Days that fall into another table's periods.
    pub periods: Vec<FoundPeriod>,
    /// Tables that are parts of one.
    pub parts: Vec<FoundParts>,
}

/// A link between files as documents have it.
#[derive(Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[cfg_attr(feature = "schema", schemars(rename = "FoundLink"))]
pub struct LinkTold<'l> {
    /// What was found.
    #[serde(flatten)]
    link: &'l FoundLink,
    /// The whole statement.
    line: String,
    /// The share of rows with a key that lead somewhere, as it is printed.
    share: String,
}

/// Links, each with its statement and its share beside what was found.
fn with_lines<S: Serializer>(links: &[FoundLink], serializer: S) -> Result<S::Ok, S::Error> {
    serializer.collect_seq(links.iter().map(|link| LinkTold {
        link,
        line: link.line(),
        share: share_text(link.matched.into(), (link.rows - link.blank).into()),
    }))
}

/// A table that one or more files make.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct RelatedTable {
    /// The name that it would have in a plan.
    pub name: String,
    /// What was found in its files.
    #[serde(flatten)]
    pub survey: Survey,
    /// Whether some of its files lack columns that others have.
    pub filling: bool,
    /// What one row is, copies and versions apart; nothing if that could not be told.
    pub key: Vec<String>,
}

/// How many rows lead to one.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(rename_all = "kebab-case")]
pub enum Multiplicity {
    /// Each row of the target is led to by one row at most.
    OneToOne,
    /// Several rows lead to one.
    ManyToOne,
}

impl Multiplicity {
    /// Whether each key of the source stands on one row tells it.
    pub(super) fn of(unique: bool) -> Self {
        if unique { Self::OneToOne } else { Self::ManyToOne }
    }
}

/// A link that the values tell.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct FoundLink {
    /// The table whose rows lead.
    pub from: String,
    /// The table they lead to.
    pub to: String,
    /// The columns on either side.
    pub keys: Vec<(String, String)>,
    /// The keys as a plan writes them, mended where that makes more of them match.
    pub on: String,
    /// Columns that a plan has to read as text, by their tables, since the other side is text.
    pub as_text: Vec<(String, String)>,
    /// How many rows lead to one.
    pub multiplicity: Multiplicity,
    /// Rows of the source, copies and versions included.
    pub rows: u64,
    /// Rows that lead to one of the target.
    pub matched: u64,
    /// Rows that would lead nowhere if the keys were not mended.
    pub mended: u64,
    /// Rows with a blank key.
    pub blank: u64,
    /// Different keys of the source.
    pub distinct: u64,
    /// Keys of the source that the target has.
    pub distinct_matched: u64,
    /// Keys of the target that one of these leads to: fewer where several are spellings of one.
    pub target_reached: u64,
    /// Different keys of the target.
    pub target_distinct: u64,
    /// One in so many keys was looked at, since memory had no room for more, and the numbers of keys and of rows that
    /// lead somewhere are estimates; 1 where all were.
    pub one_in: u64,
    /// The step that makes the key unique in the target first, if it needs one.
    pub target_dedupe: Option<String>,
    /// Whether the database that both are in declares it.
    pub declared: bool,
    /// Why it may be no link after all; nothing where it is sure.
    pub doubts: Vec<Doubt>,
    /// How much speaks for it; only to be compared.
    #[serde(skip)]
    pub weight: u64,
}

/// Why something may be no link.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(rename_all = "kebab-case")]
pub enum Doubt {
    /// The columns have different names.
    Names,
    /// Many rows lead nowhere.
    Incomplete,
    /// There are so few values that they meet by chance.
    FewValues,
    /// Whole numbers meet whole numbers easily.
    SmallNumbers,
    /// Only few of the target's keys are ever met.
    BarelyReached,
}

/// Two tables that share a column which repeats in both.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Crossing {
    /// The tables.
    pub tables: (String, String),
    /// The column in each.
    pub columns: (String, String),
    /// Rows of both.
    pub rows: (u64, u64),
    /// How many rows a join would make.
    pub would_be: u128,
    /// One in so many keys was looked at, and the number of rows is an estimate; 1 where all were.
    pub one_in: u64,
    /// A table that both lead to by that column.
    pub bridge: Option<String>,
    /// The keys that would be safe between them, if there are.
    pub instead: Option<String>,
}

/// A day of one table that falls into periods of another.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct FoundPeriod {
    /// The table with the day.
    pub from: String,
    /// The table with the periods.
    pub to: String,
    /// The link as a plan writes it, with what is preferred where several hold.
    pub line: String,
    /// The columns on either side that are equal, if the periods are of different things.
    pub keys: Vec<(String, String)>,
    /// The day's column.
    pub when: String,
    /// The columns in which a period starts and ends.
    pub bounds: Vec<String>,
    /// Rows that have a day, and a key where one belongs to it.
    pub rows: u64,
    /// Rows whose day falls into a period.
    pub matched: u64,
    /// Rows whose day falls into several.
    pub several: u64,
    /// One in so many rows was looked at, and the numbers are estimates; 1 where all were.
    pub one_in: u64,
}

impl FoundLink {
    /// Whether nothing speaks against it.
    pub fn is_sure(&self) -> bool {
        self.doubts.is_empty()
    }

    /// The link as a plan writes it, without what it asks.
    pub fn line(&self) -> String {
        use crate::lang::plan_name;
        format!("link {} to {} on {}", plan_name(&self.from), plan_name(&self.to), self.on)
    }
}
