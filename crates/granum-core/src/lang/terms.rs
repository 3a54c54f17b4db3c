//! What statements and steps are made of: names, texts, types, expressions.

use serde::{Deserialize, Serialize};

use super::token::Span;

/// A name and where it stands.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Name {
    /// The name without backticks.
    pub text: String,
    /// Where it stands.
    pub span: Span,
}

/// A quoted text and where it stands.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Quoted {
    /// The text, escapes resolved.
    pub text: String,
    /// Where it stands.
    pub span: Span,
}

/// `EXPR [desc]`
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct OrderTree {
    /// What rows are ordered by.
    pub value: Expr,
    /// Whether the greatest comes first.
    pub descending: bool,
}

/// What stands behind the values in an aggregate's brackets.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct Clauses {
    /// `list(distinct …)`
    pub distinct: bool,
    /// `where CONDITION`: the rows that count.
    pub filter: Option<Expr>,
    /// `by COLUMN [desc], …`
    pub by: Vec<OrderTree>,
    /// `per KEY, …` and `in all`
    pub group: Option<GroupTree>,
    /// `over N days` and `over N rows`
    pub over: Option<Over>,
}

/// How far a window reaches back from each row.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Over {
    /// The row's day and those before it, so many in all.
    Days(u32),
    /// The row and those before it, so many in all.
    Rows(u32),
}

/// The rows whose aggregate each row gets.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub enum GroupTree {
    /// Those with the same keys.
    Per(Vec<Expr>),
    /// All.
    All,
}

/// An exact percentage: `99.5%` is 995 units with 1 place.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Percent {
    /// The digits.
    pub units: u64,
    /// The places after the point.
    pub scale: u8,
}

impl Percent {
    /// So many of a number of things, rounded up: 10 % of 11 are 2.
    pub fn of(self, count: usize) -> usize {
        let whole = 100 * 10_u128.pow(u32::from(self.scale));
        let part = (count as u128 * u128::from(self.units)).div_ceil(whole);
        usize::try_from(part).unwrap_or(count)
    }
}

/// A type as written.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct TypeTree {
    /// The type.
    pub ty: crate::value::Type,
    /// Whether its places are those of the examples that follow: `decimal "1.234,56"`.
    pub by_example: bool,
    /// Where it stands.
    pub span: Span,
}

/// An expression and the text it covers.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Expr {
    /// What it is.
    pub kind: ExprKind,
    /// From its first to its last word, brackets around it left out.
    pub span: Span,
}

/// What an expression is.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum ExprKind {
    /// `"text"`
    Text(String),
    /// `12` or `2.50`
    Number {
        /// The digits.
        units: i128,
        /// The places after the point.
        scale: u8,
        /// Whether a point was written.
        decimal: bool,
    },
    /// `true`, `false`
    Boolean(bool),
    /// `blank`
    Blank,
    /// A column, a parameter, or a path over links: one part or more.
    Path(Vec<Name>),
    /// `function(…)` or `aggregate(… where … by … per …)`
    Call {
        /// The function.
        function: Name,
        /// What stands in the brackets.
        args: Vec<Expr>,
        /// What stands behind it, of aggregates.
        clauses: Box<Clauses>,
    },
    /// `-x`
    Negate(Box<Expr>),
    /// `not x`
    Not(Box<Expr>),
    /// `x + y`
    Binary {
        /// The sign or word between.
        op: Operator,
        /// What stands before it.
        left: Box<Expr>,
        /// What stands after it.
        right: Box<Expr>,
    },
    /// `x in (…)`, `x not in (…)`
    In {
        /// What is looked for.
        value: Box<Expr>,
        /// Among these.
        items: Vec<Expr>,
        /// Whether `not` was written.
        negated: bool,
    },
    /// `x is blank`, `x is not blank`
    IsBlank {
        /// What is looked at.
        value: Box<Expr>,
        /// Whether `not` was written.
        negated: bool,
    },
    /// `if C then X else Y`
    If {
        /// The condition.
        condition: Box<Expr>,
        /// The value where it is true.
        then: Box<Expr>,
        /// The value where it is false.
        otherwise: Box<Expr>,
    },
}

/// An operator between two values.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)] // the signs say it
pub enum Operator {
    Or,
    And,
    Equal,
    Unequal,
    Less,
    LessEqual,
    Greater,
    GreaterEqual,
    OrElse,
    Join,
    Add,
    Subtract,
    Multiply,
    Divide,
}

impl Operator {
    /// The sign or word in a plan.
    pub fn sign(self) -> &'static str {
        match self {
            Self::Or => "or",
            Self::And => "and",
            Self::Equal => "=",
            Self::Unequal => "!=",
            Self::Less => "<",
            Self::LessEqual => "<=",
            Self::Greater => ">",
            Self::GreaterEqual => ">=",
            Self::OrElse => "??",
            Self::Join => "&",
            Self::Add => "+",
            Self::Subtract => "-",
            Self::Multiply => "*",
            Self::Divide => "/",
        }
    }

    /// How tightly it binds: a larger number binds tighter.
    pub fn level(self) -> u8 {
        match self {
            Self::Or => 1,
            Self::And => 2,
            Self::Equal
            | Self::Unequal
            | Self::Less
            | Self::LessEqual
            | Self::Greater
            | Self::GreaterEqual => 4,
            Self::OrElse => 5,
            Self::Join => 6,
            Self::Add | Self::Subtract => 7,
            Self::Multiply | Self::Divide => 8,
        }
    }

    /// Whether it compares.
    pub fn compares(self) -> bool {
        self.level() == 4
    }
}
