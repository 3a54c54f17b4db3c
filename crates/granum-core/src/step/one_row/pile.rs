//! Rows that come piece by piece, of which many become one when they are put together, and which
//! are so now and then.

use crate::aggregate::{AggregateFunction, Groups, Values, aggregate, number};
use crate::table::{Column, PIECE, Rows};
use crate::value::Type;

/// All is put together when there is so many times as much as after the last time; more, where hardly any, or next to none,
/// became one then.
const SLACK: usize = 3;
const RARELY: usize = 8;
const HARDLY: usize = 64;

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

    /// Whether it has no rows.
    pub fn is_empty(&self) -> bool {
        self.count == 0
    }

    /// The bytes that its rows hold, about.
    pub fn bytes_held(&self) -> usize {
        let columns = self.pieces.iter().flat_map(|piece| &piece.columns);
        columns.map(Column::bytes_held).sum()
    }

    /// All rows, one under the other; the pile is empty then.
    pub fn take(&mut self) -> Piece {
        let pieces = std::mem::take(&mut self.pieces);
        self.count = 0;
        let count = pieces.iter().map(|piece| piece.count).sum();
        let columns: Vec<Vec<Column>> = pieces.into_iter().map(|piece| piece.columns).collect();
        Piece { columns: Column::concat_each(&columns), count }
    }

    /// All rows as they lie, about as many at a time as a column's piece has; the pile is empty then.
    pub fn take_each(&mut self) -> impl Iterator<Item = Piece> {
        self.count = 0;
        let mut pieces = std::mem::take(&mut self.pieces).into_iter();
        std::iter::from_fn(move || {
            let mut some = Self::new();
            while some.count < PIECE
                && let Some(piece) = pieces.next()
            {
                some.lay(piece);
            }
            (some.count > 0).then(|| some.take())
        })
    }

    /// Puts back what was taken, which was `before` rows, and has been put together.
    pub fn settle(&mut self, before: usize, whole: Piece) {
        let slack = match whole.count {
            count if count * 10 > before * 9 => HARDLY,
            count if count * 2 > before => RARELY,
            _ => SLACK,
        };
        self.most = FEW.max(whole.count * slack);
        self.count = whole.count;
        self.pieces = vec![whole];
    }
}

/// The values of groups that counts of different values and ranks are worked of: the groups' keys and the value, each pair
/// once, and for ranks how often it is there.
pub(super) struct Pairs {
    pile: Pile,
    together: fn(Piece) -> Piece,
}

impl Pairs {
    /// Nothing yet; `ranked` where it is for ranks.
    pub fn new(ranked: bool) -> Self {
        Self { pile: Pile::new(), together: if ranked { summed } else { once } }
    }

    /// Takes in the pairs of a batch.
    pub fn absorb(&mut self, pairs: Piece) {
        if self.pile.lay(pairs) {
            let all = self.pile.take();
            self.pile.settle(all.count, (self.together)(all));
        }
    }

    /// The bytes that they hold, about.
    pub fn bytes_held(&self) -> usize {
        self.pile.bytes_held()
    }

    /// All pairs, some of them perhaps more than once; none are left.
    pub fn take(&mut self) -> Piece {
        self.pile.take()
    }

    /// The same, some at a time.
    pub fn take_each(&mut self) -> impl Iterator<Item = Piece> {
        self.pile.take_each()
    }
}

/// Rows without those that are equal to one before.
pub(super) fn once(rows: Piece) -> Piece {
    let (groups, firsts) = number(rows.columns.clone(), rows.count);
    let firsts: Rows = firsts.into();
    let columns = rows.columns.iter().map(|column| column.take(&firsts)).collect();
    Piece { columns, count: groups.count }
}

/// The same with how often each is there, which the last column says.
fn summed(mut rows: Piece) -> Piece {
    let Some(often) = rows.columns.pop() else { return rows };
    let (groups, firsts) = number(rows.columns.clone(), rows.count);
    let firsts: Rows = firsts.into();
    let mut sums = vec![0_i64; groups.count];
    for row in 0..rows.count {
        if let Some(group) = groups.of(row) {
            sums[group] += often.units(row) as i64;
        }
    }
    let columns = rows.columns.iter().map(|column| column.take(&firsts));
    let often = Column::Integer(sums.into()).narrowed();
    Piece { columns: columns.chain([often]).collect(), count: groups.count }
}

/// How many different values each of `count` groups has, of which these are the keys.
pub(super) fn different_in(keys: &[Column], count: usize, pairs: &Piece) -> Column {
    counted(pairs, &Groups::among(keys, count, &pairs.columns, pairs.count))
}

/// Keys, and how many different values rows have that have these: of pairs that are there once.
pub(super) fn counts_of_keys(keys: usize, pairs: &Piece) -> Vec<Column> {
    let (groups, firsts) = number(pairs.columns[..keys].to_vec(), pairs.count);
    let firsts: Rows = firsts.into();
    let keys = pairs.columns[..keys].iter().map(|key| key.take(&firsts));
    keys.chain([counted(pairs, &groups)]).collect()
}

/// The sums of counts for each of `count` groups, of which these are the keys; the counts stand behind the keys that they
/// are of, which may be there several times.
pub(super) fn counts_in(keys: &[Column], count: usize, counts: &[Column]) -> Column {
    let Some((counts, others)) = counts.split_last() else {
        return Column::Integer(vec![0; count].into());
    };
    let groups = Groups::among(keys, count, others, counts.len());
    let mut sums = vec![0_i64; count];
    for row in 0..counts.len() {
        if let Some(group) = groups.of(row) {
            sums[group] += counts.units(row) as i64;
        }
    }
    Column::Integer(sums.into())
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
