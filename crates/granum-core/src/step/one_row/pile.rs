//! Rows that come piece by piece, of which many become one when they are put together, and which
//! are so now and then.

use crate::aggregate::{AggregateFunction, Groups, Values, aggregate, number};
use crate::table::{Column, Rows};
use crate::value::Type;

/// All is put together when there is so many times as much as after the last time.
const SLACK: usize = 3;
const RARELY: usize = 8;

/// Below so many rows they are left as they are.
const FEW: usize = 1 << 16;

/// The columns of some rows.
pub(super) struct Piece {
    pub columns: Vec<Column>,
    pub count: usize,
}

/// Pieces of the same columns.
pub(super) struct Pile {
    pieces: Vec<Piece>,
    count: usize,
    /// So many rows are left as they are.
    most: usize,
}

impl Pile {
    pub fn new() -> Self {
        Self { pieces: vec![], count: 0, most: FEW }
    }

    /// Takes a piece more. Says whether all should be put together, which depends on the pieces
    /// alone.
    pub fn lay(&mut self, piece: Piece) -> bool {
        self.count += piece.count;
        self.pieces.push(piece);
        self.count > self.most
    }

    /// All rows, one under the other; the pile is empty then.
    pub fn take(&mut self) -> Piece {
        let pieces = std::mem::take(&mut self.pieces);
        let count = pieces.iter().map(|piece| piece.count).sum();
        let columns: Vec<Vec<Column>> = pieces.into_iter().map(|piece| piece.columns).collect();
        Piece { columns: Column::concat_each(&columns), count }
    }

    /// Puts back what was taken and has been put together.
    pub fn settle(&mut self, whole: Piece) {
        // Where hardly any became one, it is tried again much later.
        let slack = if whole.count * 2 > self.count { RARELY } else { SLACK };
        self.most = FEW.max(whole.count * slack);
        self.count = whole.count;
        self.pieces = vec![whole];
    }
}

/// The different values of groups: the groups' keys and the value, each pair once.
pub(super) struct Different(Pile);

impl Different {
    pub fn new() -> Self {
        Self(Pile::new())
    }

    /// Takes in the pairs of a batch.
    pub fn absorb(&mut self, pairs: Piece) {
        if self.0.lay(pairs) {
            let whole = once(self.0.take());
            self.0.settle(whole);
        }
    }

    /// All pairs; some may be there more than once.
    pub fn finish(mut self) -> Piece {
        self.0.take()
    }
}

/// Rows without those that are equal to one before.
fn once(rows: Piece) -> Piece {
    let (groups, firsts) = number(rows.columns.clone(), rows.count);
    let firsts: Rows = firsts.into();
    let columns = rows.columns.iter().map(|column| column.take(&firsts)).collect();
    Piece { columns, count: groups.count }
}

/// How many different values each of `count` groups has, of which these are the keys.
pub(super) fn different_in(keys: &[Column], count: usize, pairs: &Piece) -> Column {
    // Groups are different from each other, so each has the number of its row.
    let both = keys.iter().zip(&pairs.columns);
    let both = both.map(|(own, other)| Column::concat(&[own.clone(), other.clone()])).collect();
    let (groups, _) = number(both, count + pairs.count);
    counted(pairs, &Groups::led_to(&groups.array().slice(count, pairs.count), count))
}

/// How many different values there are in all groups together, as a column of one.
pub(super) fn different_in_all(pairs: &Piece) -> Column {
    counted(pairs, &Groups::one(pairs.count))
}

fn counted(pairs: &Piece, groups: &Groups) -> Column {
    let values = pairs.columns.last().cloned();
    let values = Values::of(AggregateFunction::Distinct, values, Type::Integer);
    // Counting does not fail.
    aggregate(&values, groups).unwrap_or(Column::Blank(groups.count))
}
