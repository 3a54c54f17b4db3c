//! The sum of a tracked column over some rows.

use serde::Serialize;

use crate::value::{Scale, decimal};

/// A sum, and how many blanks it passed over.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(into = "AmountTold")]
pub enum Amount {
    /// The sum of integers or decimals.
    Exact {
        /// Units of 10^-scale; `None` where the sum has too many digits.
        units: Option<i128>,
        /// The places.
        scale: Scale,
        /// Rows passed over.
        blanks: u64,
    },
    /// The sum of floating point numbers.
    Float {
        /// The sum.
        sum: f64,
        /// Rows passed over.
        blanks: u64,
    },
}

/// An amount as documents have it: `{"sum": "1204.50", "blanks": 0}`.
#[derive(Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[cfg_attr(feature = "schema", schemars(rename = "Amount"))]
struct AmountTold {
    /// The sum as text, so that no reader rounds it; null where it has too many digits.
    sum: Option<String>,
    /// How many rows it passed over since they were blank.
    blanks: u64,
}

impl From<Amount> for AmountTold {
    fn from(amount: Amount) -> Self {
        Self { sum: amount.text(), blanks: amount.blanks() }
    }
}

/// What an amount is in, where it counts apart.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub enum InWhat {
    /// It does not count apart.
    #[default]
    Nothing,
    /// A currency, or another measure; nothing where that is blank.
    One(Option<String>),
}

impl InWhat {
    /// What an amount is called that is in it: `net EUR`.
    ///
    /// ```
    /// use granum_core::table::InWhat;
    /// assert_eq!(InWhat::One(Some("EUR".into())).name("net"), "net EUR");
    /// assert_eq!(InWhat::One(None).name("net"), "net (blank)");
    /// assert_eq!(InWhat::Nothing.name("net"), "net");
    /// ```
    pub fn name(&self, name: &str) -> String {
        match self {
            Self::Nothing => name.to_owned(),
            Self::One(value) => format!("{name} {}", value.as_deref().unwrap_or("(blank)")),
        }
    }
}

impl Amount {
    /// An exact sum.
    pub fn exact(units: Option<i128>, scale: Scale, blanks: u64) -> Self {
        Self::Exact { units, scale, blanks }
    }

    /// The sum exactly, as a plan would write it; nothing where it has too many digits.
    pub fn text(self) -> Option<String> {
        match self {
            Self::Exact { units, scale, .. } => units.map(|units| decimal::to_text(units, scale)),
            Self::Float { sum, .. } => Some(sum.to_string()),
        }
    }

    /// How many blanks the sum passed over.
    pub fn blanks(self) -> u64 {
        match self {
            Self::Exact { blanks, .. } | Self::Float { blanks, .. } => blanks,
        }
    }

    /// The same, as if no row had been blank.
    #[must_use]
    pub fn without_blanks(self) -> Self {
        match self {
            Self::Exact { units, scale, .. } => Self::Exact { units, scale, blanks: 0 },
            Self::Float { sum, .. } => Self::Float { sum, blanks: 0 },
        }
    }

    /// Both sums together.
    #[must_use]
    pub fn plus(self, other: Amount) -> Amount {
        self.combine(other, 1)
    }

    /// This sum without the other.
    #[must_use]
    pub fn minus(self, other: Amount) -> Amount {
        self.combine(other, -1)
    }

    fn combine(self, other: Amount, sign: i128) -> Amount {
        let blank = self.blanks().wrapping_add_signed(sign as i64 * other.blanks() as i64);
        match (self, other) {
            (
                Self::Exact { units: a, scale: a_scale, .. },
                Self::Exact { units: b, scale: b_scale, .. },
            ) => {
                let to = a_scale.max(b_scale);
                let units = a.zip(b).and_then(|(a, b)| {
                    let a = decimal::rescale(a, a_scale, to)?;
                    a.checked_add(decimal::rescale(b, b_scale, to)?.checked_mul(sign)?)
                });
                Self::Exact { units, scale: to, blanks: blank }
            }
            (a, b) => Self::Float { sum: a.as_float() + sign as f64 * b.as_float(), blanks: blank },
        }
    }

    /// About how much it is.
    pub fn as_float(self) -> f64 {
        match self {
            Self::Float { sum, .. } => sum,
            Self::Exact { units, scale, .. } => {
                units.unwrap_or(0) as f64 / decimal::power(scale.0) as f64
            }
        }
    }

    /// Whether it is zero.
    pub fn is_zero(self) -> bool {
        match self {
            Self::Exact { units, .. } => units == Some(0),
            Self::Float { sum, .. } => sum == 0.0,
        }
    }

    /// Whether it is below zero.
    pub fn is_negative(self) -> bool {
        match self {
            Self::Exact { units, .. } => units.is_some_and(|units| units < 0),
            Self::Float { sum, .. } => sum < 0.0,
        }
    }
}

impl std::fmt::Display for Amount {
    /// For people: `1,204,331.10`.
    fn fmt(&self, out: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Self::Exact { units: Some(units), scale, .. } => {
                out.write_str(&decimal::grouped(*units, *scale))
            }
            Self::Exact { units: None, .. } => out.write_str("too large"),
            Self::Float { sum, .. } => write!(out, "{sum:.2}"),
        }
    }
}
