//! What speaks for a link and against it: names, types, and how many keys are met.

use super::Subject;
use super::alike::Alike;
use super::meet::Mend;
use crate::survey::CodedColumn;
use crate::survey::names::{names_amount, names_key};
use crate::value::Type;

/// Parts in hundredths: of keys that must be met where names agree, and where they do not.
pub(super) const NAMED: u64 = 50;
pub(super) const UNNAMED: u64 = 95;

/// Below this part of its rows a link is doubtful.
pub(super) const COMPLETE: u64 = 90;

/// What a database declares weighs more than all that names and values say.
pub(super) const DECLARED: u64 = 10_000;

/// Fewer values than these meet by chance.
pub(super) const FEW: u64 = 5;

pub(super) fn weight(names: Alike, share: u64, keys: u64) -> u64 {
    let named = match names {
        Alike::Same => 200,
        Alike::Subject => 100,
        Alike::Not => 0,
    };
    named + share + u64::from(keys.max(1).ilog2())
}

/// Whether values of such columns can be one thing.
pub(super) fn may_meet(column: &CodedColumn, ty: Type, target: Type, names: Alike) -> bool {
    match (ty, target) {
        // Amounts meet whole numbers by chance.
        (Type::Integer, _) if names == Alike::Not && names_amount(&column.name) => false,
        // Whole numbers of other names meet by chance, unless both are keys by name.
        (Type::Integer, Type::Integer) => names != Alike::Not || names_key(&column.name),
        (Type::Date, Type::Date) | (Type::DateTime, Type::DateTime) => names == Alike::Same,
        (Type::Text | Type::Integer, Type::Text | Type::Integer) => true,
        _ => false,
    }
}

/// The columns of two that are to be read as text, since the other one is, or since their zeros are
/// taken away.
pub(super) fn read_as_text(
    one: (&Subject, usize),
    other: (&Subject, usize),
    mend: &Mend,
) -> Vec<(String, String)> {
    let ty = |(table, at): (&Subject, usize)| table.read.survey.columns[at].read_as;
    let text = ty(one) == Type::Text
        || ty(other) == Type::Text
        || !mend.left.is_empty()
        || !mend.right.is_empty();
    let reads = [one, other].into_iter().filter(|side| text && ty(*side) != Type::Text);
    let named =
        reads.map(|(table, at)| (table.name.clone(), table.read.survey.columns[at].name.clone()));
    named.collect()
}
