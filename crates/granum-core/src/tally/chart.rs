//! What a chart shows, as values; and why there is none.

use serde::Serialize;

use crate::value::day;

/// A chart of a finished table, to be drawn.
#[derive(Debug, Clone, PartialEq)]
pub struct Chart {
    /// What it shows, in words.
    pub title: String,
    /// The table.
    pub table: String,
    /// The column that stands along it.
    pub x: String,
    /// The places along it.
    pub along: Along,
    /// How many places there are.
    pub places: usize,
    /// The column for each of whose values there is a panel.
    pub by: Option<String>,
    /// What is drawn, bars first.
    pub series: Vec<Series>,
    /// One, or one for each value of `by`.
    pub panels: Vec<Panel>,
    /// Whether bars stand on each other.
    pub stacked: bool,
    /// Whether all values are shares of one.
    pub share: bool,
    /// Rows that have no place, since `x` or `by` is blank.
    pub left_out: u64,
    /// Rows that have one.
    pub rows: u64,
}

/// The places along a chart. Those in time, and of whole numbers near each other, follow each other without a gap,
/// whether or not a row has them.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Along {
    /// Days, from this one on: days since 1970-01-01.
    Days(i32),
    /// Weeks, by their Mondays.
    Weeks(i32),
    /// Months, in months since the year 0.
    Months(i32),
    /// Quarters, in quarters since the year 0.
    Quarters(i32),
    /// Whole numbers, from this one on.
    Numbers(i64),
    /// Texts, in the order of the table.
    Texts(Vec<String>),
}

impl Along {
    /// What a place is called where it stands by itself.
    pub fn name(&self, place: usize) -> String {
        let day = |days: i32| {
            let mut out = vec![];
            day::write(days, &mut out);
            String::from_utf8_lossy(&out).into_owned()
        };
        let at = place as i32;
        match self {
            Self::Days(first) => day(first + at),
            Self::Weeks(first) => {
                day::to_civil(first + 7 * at).map_or_else(String::new, |monday| {
                    let week = monday.iso_week_date();
                    format!("{:04}-W{:02}", week.year(), week.week())
                })
            }
            Self::Months(first) => {
                let month = first + at;
                format!("{:04}-{:02}", month.div_euclid(12), month.rem_euclid(12) + 1)
            }
            Self::Quarters(first) => {
                let quarter = first + at;
                format!("{:04}-Q{}", quarter.div_euclid(4), quarter.rem_euclid(4) + 1)
            }
            Self::Numbers(first) => (first + place as i64).to_string(),
            Self::Texts(texts) => texts[place].clone(),
        }
    }
}

/// A column that is drawn.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Series {
    /// Its name.
    pub name: String,
    /// Whether as bars; else as a line.
    pub bars: bool,
}

/// The values of a chart, or of a part of it.
#[derive(Debug, Clone, PartialEq)]
pub struct Panel {
    /// The value of `by` that it is for.
    pub name: Option<String>,
    /// By series and place; none where no row has the place, or its cell is blank.
    pub values: Vec<Vec<Option<f64>>>,
}

/// Why there is no chart.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct ChartProblem {
    /// The table.
    pub table: String,
    /// The chart's title.
    pub title: String,
    /// The column that was to stand along it.
    pub x: String,
    /// The column that it was to be drawn by.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub by: Option<String>,
    /// What is in the way.
    pub what: ChartTrouble,
}

/// What is in the way of a chart.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(rename_all = "kebab-case")]
pub enum ChartTrouble {
    /// Several rows have one place.
    Repeats {
        /// How many rows share their place with one before.
        rows: u64,
        /// The first places that several rows have, each with how many.
        examples: Vec<(String, u64)>,
        /// Columns by which it can be drawn, so that no rows do.
        apart: Vec<String>,
    },
    /// More places than can be told apart.
    Places {
        /// How many.
        count: u64,
        /// How many can be.
        most: u64,
        /// Whether they are days, so that months would be fewer.
        days: bool,
    },
    /// More values to draw it by than one page shows.
    Panels {
        /// How many.
        count: u64,
        /// How many one shows.
        most: u64,
    },
}
