//! What a survey tells.

use serde::{Serialize, Serializer};

use crate::table::Place;
use crate::tally::Unread;
use crate::value::{Type, Zone};

/// What is in some files of the same columns.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Survey {
    /// The files, as they were named.
    pub files: Vec<String>,
    /// How many rows they have.
    pub rows: u64,
    /// Their columns.
    pub columns: Vec<ColumnSurvey>,
    /// Columns that no plan can name, since what they hold is no value.
    pub unread: Vec<Unread>,
    /// What one row is.
    pub grain: GrainSurvey,
    /// Rows that are copies or versions of others.
    pub duplicates: Duplicates,
}

/// What is in one column.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct ColumnSurvey {
    /// Its name.
    pub name: String,
    /// The type that it gets when a plan says nothing of it.
    #[serde(rename = "type", serialize_with = "in_words")]
    #[cfg_attr(feature = "schema", schemars(with = "String"))]
    pub ty: Type,
    /// How many rows there are.
    #[serde(skip)]
    pub rows: u64,
    /// How many of them are blank.
    pub blank: u64,
    /// How many different values there are, blank apart.
    pub distinct: u64,
    /// Whether they were counted; if not, their number is an estimate.
    pub exact: bool,
    /// One in so many of its values was kept, since memory had no room for more; 1 where all were. What is typical, and
    /// which values differ in case or zeros alone, is told of those.
    pub one_in: u64,
    /// The least value and the greatest: by number or day where the column has them, else by code
    /// point.
    pub least: Option<String>,
    /// The greatest value.
    pub greatest: Option<String>,
    /// Three values that show what the column holds: the most frequent, with their rows.
    pub typical: Vec<Typical>,
    /// What is odd about its cells.
    pub oddities: Vec<Oddity>,
    /// What a plan would have to say so that its cells are read: what stands behind `as`.
    pub read: Option<String>,
    /// The type that it has then.
    #[serde(skip)]
    pub read_as: Type,
    /// The zone whose clock its moments are read by.
    #[serde(skip)]
    pub zone: Option<Zone>,
    /// The formats, or the example, by which they are read.
    #[serde(skip)]
    pub formats: Vec<String>,
    /// How long a value is on the mean, in bytes.
    #[serde(skip)]
    pub mean_length: u64,
}

/// A value, and how many rows have it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Typical {
    /// The value as it is written.
    pub value: String,
    /// How many rows have it.
    pub rows: u64,
}

/// Something odd about some cells of a column.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Oddity {
    /// What it is.
    pub kind: OddityKind,
    /// How many cells have it.
    pub rows: u64,
    /// How many different values those are.
    pub values: u64,
    /// The first of them.
    pub example: String,
    /// Where it stands.
    pub place: Option<Place>,
    /// What else there is to say: a format, the words found, pairs of values.
    pub words: Vec<String>,
}

/// What can be odd about cells.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(rename_all = "kebab-case")]
pub enum OddityKind {
    /// Days in a format that is not ISO 8601, or in several.
    DateFormat,
    /// Moments with an offset from UTC.
    Offset,
    /// Days that could be read two ways, and no other day of the column tells which.
    TwoWayDays,
    /// Numbers with a currency's sign.
    Currency,
    /// Numbers with signs of several currencies.
    Currencies,
    /// Numbers whose thousands are set off.
    Thousands,
    /// Numbers with a comma before their places.
    DecimalComma,
    /// Negative numbers in brackets.
    Brackets,
    /// Negative numbers with the minus behind.
    TrailingMinus,
    /// Numbers that could be read two ways: `1,234`, or `1.234` where all have three places.
    TwoWayNumbers,
    /// A few cells that are not what nearly all are.
    Unlike,
    /// Digits with zeros before them.
    LeadingZeros,
    /// Numbers that a spreadsheet has shortened: `8.71E+12`.
    Exponent,
    /// Numbers of more than fifteen digits, all of which end in zeros: a spreadsheet keeps fifteen.
    Rounded,
    /// Amounts, by their places, that are kept as floating point numbers, whose sums need not be exact.
    Floating,
    /// Cells that should have a value and have none: an error in a sheet, a formula without a result, what a merged cell
    /// covers; of a file of columns what no value can be.
    NoValue,
    /// Spaces before or behind.
    OuterSpaces,
    /// Letter case that makes two values of one.
    LetterCase,
    /// Zeros before a number that make two values of one.
    SplitByZeros,
    /// Letters that nobody sees.
    Control,
    /// A word in place of a missing value.
    Placeholder,
}

impl OddityKind {
    /// Whether values are looked at beside each other: of a sample it is told about.
    pub fn is_of_values(self) -> bool {
        matches!(self, Self::LetterCase | Self::SplitByZeros)
    }
}

/// What one row is, as far as the values tell.
#[derive(Debug, Clone, Default, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct GrainSurvey {
    /// The smallest sets of columns that no two rows share (exact copies apart), the likeliest
    /// first.
    pub unique: Vec<Vec<String>>,
    /// Sets that nearly are.
    pub nearly: Vec<NearlyUnique>,
    /// How many columns were not looked at in sets of several, as the likelier ones were enough.
    pub columns_left_out: u64,
}

/// Columns that nearly tell all rows apart.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct NearlyUnique {
    /// The columns.
    pub columns: Vec<String>,
    /// Rows whose key an earlier row has, exact copies apart.
    pub repeating: u64,
    /// Rows with a blank in the key.
    pub blank: u64,
    /// The first keys that repeat, and where.
    pub examples: Vec<RepeatedRows>,
}

/// A key and the rows that have it.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct RepeatedRows {
    /// The key's values in words, joined by `/`.
    pub key: String,
    /// How many rows have it.
    pub rows: u64,
    /// Where the first of them stand.
    pub places: Vec<Place>,
}

/// Rows that are there more than once.
#[derive(Debug, Clone, Default, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Duplicates {
    /// Rows that are equal to an earlier one in every column.
    pub copies: u64,
    /// The first of them, each behind the row that it is a copy of.
    pub copy_places: Vec<(Place, Place)>,
    /// Rows of one key and other values.
    pub versions: Option<Versions>,
    /// The step to write, if there is one.
    pub dedupe: Option<String>,
}

/// Rows that have the same key and other values.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Versions {
    /// The key.
    pub key: Vec<String>,
    /// How many keys stand on several rows.
    pub keys: u64,
    /// How many rows those are.
    pub rows: u64,
    /// The columns in which they differ, and for how many keys; the most frequent first.
    pub differ: Vec<(String, u64)>,
    /// Whether they differ in so many columns that they seem to be different things.
    pub unlike: bool,
}

// Serde hands over a reference.
#[allow(clippy::trivially_copy_pass_by_ref)]
fn in_words<S: Serializer>(ty: &Type, serializer: S) -> Result<S::Ok, S::Error> {
    serializer.collect_str(ty)
}
