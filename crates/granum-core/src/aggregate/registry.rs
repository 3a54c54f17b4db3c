//! The aggregates that plans may name: all that is known of each stands in its entry.

use super::AggregateFunction;
use crate::lang::Percent;
use crate::value::{Scale, Type, decimal};

/// An aggregate as plans know it.
pub(crate) struct Aggregate {
    pub name: &'static str,
    /// How it is called, as the reference says it.
    pub signature: &'static str,
    /// What it gives, in one sentence.
    pub says: &'static str,
    /// A call over the rows below, and what it gives of all of them.
    ///
    /// ```text
    /// net   channel  booked_on
    /// 2.50  shop     2026-03-01
    /// 4.00  post     2026-03-02
    /// 4.00  shop     2026-03-03
    /// ·     ·        2026-03-04
    /// ```
    pub example: (&'static str, &'static str),
    pub function: AggregateFunction,
    pub takes: Takes,
    pub gives: Gives,
    pub order: Order,
    pub of_amounts: OfAmounts,
    /// Over links: what puts together what was worked for each row that is led to; nothing where all
    /// rows that lead there are seen at once.
    pub over_links: Option<AggregateFunction>,
}

/// What it is worked of.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Takes {
    /// Rows, whatever stands in them.
    Nothing,
    Anything,
    Number,
    /// What is true or false.
    Truth,
    /// What has an order: anything but truth.
    Ordered,
    /// Anything, and what stands between its texts.
    Texts,
    /// A number or a day.
    Measured,
    /// What has an order, and which part of it lies below.
    Ranked,
}

/// What its result is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Gives {
    Type(Type),
    /// Of the type that it takes.
    Same,
    /// The same; of nothing a whole number.
    Sum,
    /// A decimal of ten places; of floating-point numbers one of them.
    Quotient,
    /// The middle of two: of numbers with a place more, of anything else one of them.
    Middle,
}

/// Whether the order of rows matters.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Order {
    /// It must not be said.
    Not,
    /// It may be said.
    May,
    /// It must be said, and not backwards.
    Must,
}

/// What it makes of amounts, which add up.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum OfAmounts {
    /// No amount: a number of rows or values, or a part of them.
    Number,
    /// An amount.
    Amount,
    /// An amount that is no sum of others.
    Ratio,
}

impl Gives {
    /// The type of what comes of values of a type.
    pub fn of(self, given: Type) -> Type {
        match self {
            Self::Type(ty) => ty,
            Self::Same => given,
            Self::Sum if given == Type::Blank => Type::Integer,
            Self::Sum => given,
            Self::Quotient if given == Type::Number => Type::Number,
            Self::Quotient => Type::Decimal(decimal::DIVISION_SCALE),
            Self::Middle => match given {
                Type::Integer => Type::Decimal(Scale(1)),
                Type::Decimal(Scale(places)) if places < decimal::MOST_SCALE.0 => {
                    Type::Decimal(Scale(places + 1))
                }
                given => given,
            },
        }
    }
}

macro_rules! aggregate {
    ($name:literal, $signature:literal, $function:expr, $takes:ident, $gives:expr, $order:ident,
     $of_amounts:ident, over links $over_links:expr, $says:literal, $call:literal => $result:literal) => {
        Aggregate {
            name: $name,
            signature: $signature,
            says: $says,
            example: ($call, $result),
            function: $function,
            takes: Takes::$takes,
            gives: $gives,
            order: Order::$order,
            of_amounts: OfAmounts::$of_amounts,
            over_links: $over_links,
        }
    };
}

use AggregateFunction::{
    All, Any, Count, Distinct, Earliest, Latest, List, Max, Mean, Median, Min, Percentile, Rows,
    Share, Sole, Sum,
};

/// All aggregates, as the reference lists them.
pub(crate) const AGGREGATES: &[Aggregate] = &[
    aggregate!("rows", "rows()", Rows, Nothing, Gives::Type(Type::Integer), Not, Number,
        over links Some(Sum), "How many rows there are.", "rows()" => "4"),
    aggregate!("count", "count(x)", Count, Anything, Gives::Type(Type::Integer), Not, Number,
        over links Some(Sum), "How many values are not blank.", "count(net)" => "3"),
    aggregate!("distinct", "distinct(x)", Distinct, Anything, Gives::Type(Type::Integer), Not, Number,
        over links None, "How many different values there are, blank apart.",
        "distinct(channel)" => "2"),
    aggregate!("sum", "sum(x)", Sum, Number, Gives::Sum, Not, Amount,
        over links Some(Sum), "The values added up, exactly.", "sum(net)" => "10.50"),
    aggregate!("min", "min(x)", Min, Ordered, Gives::Same, Not, Amount,
        over links Some(Min), "The least value.", "min(net)" => "2.50"),
    aggregate!("max", "max(x)", Max, Ordered, Gives::Same, Not, Amount,
        over links Some(Max), "The greatest value.", "max(booked_on)" => "2026-03-04"),
    aggregate!("mean", "mean(x)", Mean, Number, Gives::Quotient, Not, Ratio,
        over links None, "The sum divided by how many values there are; of decimals to 10 places.",
        "mean(net)" => "3.5000000000"),
    aggregate!("median", "median(x)", Median, Measured, Gives::Middle, Not, Amount,
        over links None,
        "The middle value; of two in the middle their mean, with a place more, and of days the earlier.",
        "median(net)" => "4.000"),
    aggregate!("percentile", "percentile(x, p)", Percentile(Percent { units: 0, scale: 0 }), Ranked, Gives::Same,
        Not, Amount, over links None,
        "The least value that p % of the values are not above; p is written out, above 0 and at most 100.",
        "percentile(net, 30)" => "2.50"),
    aggregate!("any", "any(c)", Any, Truth, Gives::Type(Type::Boolean), Not, Number,
        over links Some(Any), "Whether c is true of one row at least.", "any(net > 3)" => "true"),
    aggregate!("all", "all(c)", All, Truth, Gives::Type(Type::Boolean), Not, Number,
        over links Some(All), "Whether c is true of all rows that it is not blank for.",
        "all(net > 3)" => "false"),
    aggregate!("share", "share(c)", Share, Truth, Gives::Quotient, Not, Number,
        over links None, "The part of all rows that c is true of; where c is blank it is not true.",
        "share(net > 3)" => "0.5000000000"),
    aggregate!("sole", "sole(x)", Sole, Anything, Gives::Same, Not, Amount,
        over links None, "The one value; several are an error, where a row needs it.",
        "sole(channel where net = 2.50)" => "shop"),
    aggregate!("latest", "latest(x by d, …)", Latest, Anything, Gives::Same, Must, Amount,
        over links None,
        "The value of the row that d is greatest of; of rows that tie the later. A blank in d never wins.",
        "latest(channel by booked_on)" => "shop"),
    aggregate!("earliest", "earliest(x by d, …)", Earliest, Anything, Gives::Same, Must, Amount,
        over links None,
        "The value of the row that d is least of; of rows that tie the later. A blank in d never wins.",
        "earliest(net by booked_on)" => "2.50"),
    aggregate!("list", "list([distinct] x, \", \" [by y])", List, Texts, Gives::Type(Type::Text), May, Number,
        over links None, "All values as one text, in row order unless `by`.",
        "list(distinct channel, \" + \" by net desc)" => "post + shop"),
];

/// The aggregate of a name.
pub(crate) fn named(name: &str) -> Option<&'static Aggregate> {
    AGGREGATES.iter().find(|aggregate| aggregate.name == name)
}
