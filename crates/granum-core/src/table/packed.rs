//! Many rows that rows lead to, in pieces of which each takes as few bytes as its own rows need: they mostly lie near
//! each other.

use std::cell::RefCell;
use std::mem::replace;
use std::ops::Range;
use std::sync::Arc;

use super::array::named;
use super::{Bits, Fixed, Native, PIECE, Present, PresentBuilder, RoomFile};
use crate::bug::bug;

/// Rows in pieces, some of them blank.
#[derive(Debug, Clone)]
pub(super) struct Packed {
    /// All but the last have [`PIECE`] rows.
    pieces: Arc<[Piece]>,
    /// So many rows from one on.
    from: usize,
    rows: usize,
    present: Option<Present>,
}

/// Rows of one piece. What stands under a blank has no meaning.
#[derive(Debug, Clone)]
enum Piece {
    /// One after the other, from this one on.
    Run(u32),
    /// Runs of such: where each begins in the piece, and with which row.
    Runs(Vec<u16>, Vec<u32>),
    /// How far each is behind the least.
    One(u32, Vec<u8>),
    Two(u32, Vec<u16>),
    /// The same behind one of two rows, and for each whether it is the second: rows of two files that were stacked.
    Either([u32; 2], Bits, Vec<u16>),
    All(Vec<u32>),
    /// Where memory has no room for it.
    Away(AwayPiece),
}

impl Packed {
    /// Packs rows; blank where they are not `present`.
    pub fn of(rows: &Fixed<u32>) -> Self {
        let pieces = (0..rows.len()).step_by(PIECE).map(|first| {
            let piece = rows.slice(first, PIECE.min(rows.len() - first));
            Piece::of_some(&piece)
        });
        Self::new(pieces.collect(), rows.len(), rows.present().cloned())
    }

    /// Packed rows one behind the other, which are so many rows as whole pieces have, but for the last.
    pub fn joined(runs: impl Iterator<Item = Self>) -> Self {
        let (mut pieces, mut rows, mut present) = (vec![], 0, PresentBuilder::default());
        for mut run in runs {
            assert!(rows % PIECE == 0 && run.from == 0, "{rows} rows before a run of pieces");
            match Arc::get_mut(&mut run.pieces) {
                Some(own) => pieces.extend(own.iter_mut().map(|own| replace(own, Piece::Run(0)))),
                None => pieces.extend_from_slice(&run.pieces),
            }
            rows += run.rows;
            match &run.present {
                Some(some) => present.append(some),
                None => present.push_all(run.rows, true),
            }
        }
        Self::new(pieces, rows, present.finish())
    }

    fn new(pieces: Vec<Piece>, rows: usize, present: Option<Present>) -> Self {
        Self { pieces: pieces.into(), from: 0, rows, present }
    }

    pub fn len(&self) -> usize {
        self.rows
    }

    pub fn present(&self) -> Option<&Present> {
        self.present.as_ref()
    }

    #[inline]
    pub fn has(&self, at: usize) -> bool {
        self.present.as_ref().is_none_or(|present| present.has(at))
    }

    #[inline]
    pub fn get(&self, at: usize) -> Option<u32> {
        assert!(at < self.rows, "row {at} of {}", self.rows);
        self.has(at).then(|| {
            let at = self.from + at;
            self.pieces[at / PIECE].value(at % PIECE)
        })
    }

    /// The same without packing.
    pub fn each(&self) -> Fixed<u32> {
        let mut values = Vec::with_capacity(self.rows);
        let (mut at, end) = (self.from, self.from + self.rows);
        while at < end {
            let to = (at / PIECE * PIECE + PIECE).min(end);
            self.pieces[at / PIECE].copy(at % PIECE..at % PIECE + (to - at), &mut values);
            at = to;
        }
        Fixed::new(values, self.present.clone())
    }

    pub fn slice(&self, offset: usize, length: usize) -> Self {
        assert!(offset + length <= self.rows, "{length} rows from {offset} on of {}", self.rows);
        Self {
            pieces: Arc::clone(&self.pieces),
            from: self.from + offset,
            rows: length,
            present: self.present.as_ref().map(|present| present.slice(offset, length)),
        }
    }

    pub fn is_same(&self, other: &Self) -> bool {
        Arc::ptr_eq(&self.pieces, &other.pieces)
            && (self.from, self.rows) == (other.from, other.rows)
    }

    /// The bytes that its rows take in memory.
    pub fn bytes_held(&self) -> usize {
        self.pieces.iter().map(Piece::bytes_held).sum()
    }

    /// Where its pieces stand: those of one place are the same.
    pub fn address(&self) -> usize {
        self.pieces.as_ptr() as usize
    }

    /// Whether some of its pieces are away.
    pub fn has_away(&self) -> bool {
        self.pieces.iter().any(|piece| matches!(piece, Piece::Away(_)))
    }

    /// The same with its pieces in a file, but for those that take next to nothing.
    pub fn away(&self, file: &Arc<RoomFile>) -> Self {
        let pieces = self.pieces.iter().map(|piece| piece.away(file)).collect();
        Self { pieces, present: self.present.clone(), ..*self }
    }

    /// Those of some rows, of which some may be blank: pieces that are away are got once each.
    pub fn take(&self, rows: &Fixed<u32>) -> Fixed<u32> {
        if !self.has_away() {
            return self.take_here(rows);
        }
        // Each row in the upper half, and in the lower its place among those that are asked for.
        let mut wanted: Vec<u64> = vec![];
        for (at, row) in (0_u64..).zip(rows.iter()) {
            wanted.extend(row.map(|row| u64::from(row) << 32 | at));
        }
        if !wanted.is_sorted() {
            wanted.sort_unstable();
        }
        let most = wanted.last().map_or(0, |wanted| (wanted >> 32) as usize);
        assert!(most < self.rows.max(1), "row {most} of {}", self.rows);
        let place = |wanted: &u64| self.from + (wanted >> 32) as usize;
        let mut found = Vec::with_capacity(wanted.len());
        for own in wanted.chunk_by(|one, next| place(one) / PIECE == place(next) / PIECE) {
            let piece = place(&own[0]) / PIECE;
            self.pieces[piece].take(own.iter().map(|one| place(one) - piece * PIECE), &mut found);
        }
        // What stands under a blank is any number.
        let mut taken = vec![0; rows.len()];
        for (wanted, row) in wanted.iter().zip(found) {
            taken[*wanted as u32 as usize] = row;
        }
        Fixed::new(taken, named(self.present.as_ref(), rows))
    }
}

impl Packed {
    /// The same where no piece is away: rows one after the other that stand in one piece are taken together.
    fn take_here(&self, rows: &Fixed<u32>) -> Fixed<u32> {
        if self.rows == 0 || rows.blanks() == rows.len() {
            return Fixed::blank(rows.len());
        }
        // What stands under a blank is any number: the first row may be taken as well.
        let filled: Vec<u32>;
        let mut left = if rows.blanks() == 0 {
            rows.values()
        } else {
            filled = rows.iter().map(Option::unwrap_or_default).collect();
            &filled
        };
        let most = left.iter().max().copied().unwrap_or(0) as usize;
        assert!(most < self.rows, "row {most} of {}", self.rows);
        let mut taken = Vec::with_capacity(rows.len());
        let piece = |row: &u32| (self.from + *row as usize) / PIECE;
        while let Some(first) = left.first() {
            let at = piece(first);
            let together = left.iter().take_while(|row| piece(row) == at).count();
            let (now, later) = left.split_at(together);
            let places = now.iter().map(|row| self.from + *row as usize - at * PIECE);
            self.pieces[at].take(places, &mut taken);
            left = later;
        }
        Fixed::new(taken, named(self.present.as_ref(), rows))
    }
}

impl Piece {
    /// Rows of which some may be blank.
    fn of_some(rows: &Fixed<u32>) -> Self {
        if rows.blanks() == 0 {
            return Self::of(rows.values());
        }
        // A blank goes on from the row before, so that it costs nothing; the first from the first that is none.
        let mut last = rows.iter().flatten().next().unwrap_or(0);
        let filled = rows.iter().map(|row| {
            last = row.unwrap_or(last);
            last
        });
        Self::of(&filled.collect::<Vec<_>>())
    }

    fn of(rows: &[u32]) -> Self {
        let goes_on = |pair: &[u32]| pair[1] == pair[0].wrapping_add(1);
        // Without branches, so that many are looked at at once.
        let next = rows.iter().zip(rows.iter().skip(1));
        let breaks = next
            .fold(0, |breaks, (row, next)| breaks + u32::from(*next != row.wrapping_add(1)))
            as usize;
        if breaks == 0 {
            return Self::Run(rows.first().copied().unwrap_or(0));
        }
        let ends = |(least, most): (u32, u32), row: &u32| (least.min(*row), most.max(*row));
        let (least, most) = rows.iter().fold((u32::MAX, 0), ends);
        let width = match most - least {
            0..=0xFF => 1,
            0x100..=0xFFFF => 2,
            _ => 4,
        };
        // Where they are much shorter: a row is looked for among them.
        if 2 * 6 * (breaks + 1) < width * rows.len() {
            let heads = (0..rows.len()).filter(|at| *at == 0 || !goes_on(&rows[at - 1..=*at]));
            let (starts, firsts) = heads.map(|at| (at as u16, rows[at])).unzip();
            return Self::Runs(starts, firsts);
        }
        let behind = rows.iter().map(|row| row - least);
        match width {
            1 => Self::One(least, behind.map(|behind| behind as u8).collect()),
            2 => Self::Two(least, behind.map(|behind| behind as u16).collect()),
            _ => Self::either(rows, least, most).unwrap_or_else(|| Self::All(rows.to_vec())),
        }
    }

    /// Rows that all lie near the least or the most of them.
    fn either(rows: &[u32], least: u32, most: u32) -> Option<Self> {
        let bases = [least, most - u32::from(u16::MAX)];
        let near = |row: u32| row - least <= u16::MAX.into() || row >= bases[1];
        if !rows.iter().fold(true, |all, row| all & near(*row)) {
            return None;
        }
        let second = Bits::collect(rows.len(), |at| rows[at] >= bases[1]);
        let behind = rows.iter().map(|row| (row - bases[usize::from(*row >= bases[1])]) as u16);
        let behind = behind.collect();
        Some(Self::Either(bases, second, behind))
    }

    #[inline]
    fn value(&self, at: usize) -> u32 {
        match self {
            Self::Run(first) => first + at as u32,
            Self::Runs(starts, firsts) => {
                let run = starts.partition_point(|start| usize::from(*start) <= at) - 1;
                firsts[run] + (at - usize::from(starts[run])) as u32
            }
            Self::One(least, rows) => least + u32::from(rows[at]),
            Self::Two(least, rows) => least + u32::from(rows[at]),
            Self::Either(bases, second, rows) => {
                bases[usize::from(second.value(at))] + u32::from(rows[at])
            }
            Self::All(rows) => rows[at],
            Self::Away(away) => away.here().value(at),
        }
    }

    fn bytes_held(&self) -> usize {
        match self {
            Self::Run(_) | Self::Away(_) => 4,
            Self::Runs(starts, _) => 6 * starts.len(),
            Self::One(_, rows) => rows.len(),
            Self::Two(_, rows) => 2 * rows.len(),
            Self::Either(_, _, rows) => 2 * rows.len() + rows.len() / 8,
            Self::All(rows) => 4 * rows.len(),
        }
    }

    fn away(&self, file: &Arc<RoomFile>) -> Self {
        /// What takes no more is no more where it is away.
        const LITTLE: usize = if cfg!(test) { 4 } else { 256 };
        if self.bytes_held() <= LITTLE {
            self.clone()
        } else {
            Self::Away(AwayPiece::put(self, file))
        }
    }

    /// Adds its rows at some places.
    fn take(&self, places: impl Iterator<Item = usize>, out: &mut Vec<u32>) {
        match self {
            Self::Run(first) => out.extend(places.map(|at| first + at as u32)),
            Self::One(least, own) => out.extend(places.map(|at| least + u32::from(own[at]))),
            Self::Two(least, own) => out.extend(places.map(|at| least + u32::from(own[at]))),
            Self::All(own) => out.extend(places.map(|at| own[at])),
            Self::Runs(..) | Self::Either(..) => out.extend(places.map(|at| self.value(at))),
            Self::Away(away) => away.here().take(places, out),
        }
    }

    /// Adds some of its rows.
    fn copy(&self, rows: Range<usize>, out: &mut Vec<u32>) {
        match self {
            Self::Run(first) => out.extend(first + rows.start as u32..first + rows.end as u32),
            Self::Runs(starts, firsts) => {
                let mut at = rows.start;
                let mut run = starts.partition_point(|start| usize::from(*start) <= at) - 1;
                while at < rows.end {
                    let next = starts.get(run + 1).map_or(rows.end, |next| usize::from(*next));
                    let to = next.min(rows.end);
                    let first = firsts[run] + (at - usize::from(starts[run])) as u32;
                    out.extend(first..first + (to - at) as u32);
                    (at, run) = (to, run + 1);
                }
            }
            Self::One(least, own) => {
                out.extend(own[rows].iter().map(|row| least + u32::from(*row)));
            }
            Self::Two(least, own) => {
                out.extend(own[rows].iter().map(|row| least + u32::from(*row)));
            }
            Self::Either(bases, second, own) => {
                let second = second.slice(rows.start, rows.len());
                let own = own[rows].iter().zip(second.iter());
                out.extend(own.map(|(row, second)| bases[usize::from(second)] + u32::from(*row)));
            }
            Self::All(own) => out.extend_from_slice(&own[rows]),
            Self::Away(away) => away.here().copy(rows, out),
        }
    }
}

/// A piece in a file.
#[derive(Debug, Clone)]
struct AwayPiece {
    file: Arc<RoomFile>,
    at: u64,
    bytes: usize,
}

/// Which piece: the number of its file, and where it stands in that.
type Name = (u64, u64);

thread_local! {
    /// The pieces that were got last, the last one first: rows are mostly asked for one after the other.
    static GOT: RefCell<Vec<(Name, Arc<Piece>)>> = const { RefCell::new(vec![]) };
}

/// So many pieces that were got are kept by each thread.
const GOT_LAST: usize = 4;

impl AwayPiece {
    /// Puts a piece away: what it is, its least row or how many runs it has, and its rows.
    fn put(piece: &Piece, file: &Arc<RoomFile>) -> Self {
        let mut bytes = vec![];
        let (kind, least) = match piece {
            Piece::Runs(starts, firsts) => {
                u16::put(starts, &mut bytes);
                u32::put(firsts, &mut bytes);
                (0, starts.len() as u32)
            }
            Piece::One(least, rows) => {
                bytes.extend_from_slice(rows);
                (1, *least)
            }
            Piece::Two(least, rows) => {
                u16::put(rows, &mut bytes);
                (2, *least)
            }
            Piece::All(rows) => {
                u32::put(rows, &mut bytes);
                (3, 0)
            }
            Piece::Either(bases, second, rows) => {
                u16::put(rows, &mut bytes);
                second.words().for_each(|word| bytes.extend(word.to_le_bytes()));
                u32::put(bases, &mut bytes);
                (4, rows.len() as u32)
            }
            Piece::Run(_) | Piece::Away(_) => bug("rows that take nothing are put away"),
        };
        bytes.push(kind);
        u32::put(&[least], &mut bytes);
        Self { file: Arc::clone(file), at: file.put(&bytes), bytes: bytes.len() }
    }

    /// The piece: one that was got last, or got anew.
    fn here(&self) -> Arc<Piece> {
        let name = (self.file.number(), self.at);
        GOT.with_borrow_mut(|got| {
            if let Some(at) = got.iter().position(|(known, _)| *known == name) {
                got[..=at].rotate_right(1);
                return Arc::clone(&got[0].1);
            }
            let piece = Arc::new(self.got());
            got.truncate(GOT_LAST - 1);
            got.insert(0, (name, Arc::clone(&piece)));
            piece
        })
    }

    /// The piece as it was put; first rows where it cannot be got, which the room notes.
    fn got(&self) -> Piece {
        let bytes = self.file.get(self.at, self.bytes);
        let piece = bytes.as_ref().and_then(|bytes| {
            let (rows, end) = bytes.split_at_checked(self.bytes.checked_sub(5)?)?;
            let least = *u32::got(&end[1..]).first()?;
            Some(match end[0] {
                0 => {
                    let (starts, firsts) = rows.split_at_checked(2 * least as usize)?;
                    Piece::Runs(u16::got(starts), u32::got(firsts))
                }
                1 => Piece::One(least, rows.to_vec()),
                2 => Piece::Two(least, u16::got(rows)),
                4 => {
                    let (rows, rest) = rows.split_at_checked(2 * least as usize)?;
                    let (second, bases) = rest.split_at_checked(rest.len().checked_sub(8)?)?;
                    let (second, _) = second.as_chunks();
                    (second.len() == (least as usize).div_ceil(64)).then_some(())?;
                    let words = second.iter().map(|word| u64::from_le_bytes(*word)).collect();
                    let bases = u32::got(bases).try_into().ok()?;
                    Piece::Either(bases, Bits::of_words(words, least as usize), u16::got(rows))
                }
                _ => Piece::All(u32::got(rows)),
            })
        });
        piece.unwrap_or_else(|| {
            if bytes.is_some() {
                self.file.not_as_put();
            }
            Piece::One(0, vec![0; PIECE])
        })
    }
}

/// Rows that grow at their end and are packed piece by piece, none of them blank.
#[derive(Debug, Default)]
pub(super) struct PackedBuilder {
    pieces: Vec<Piece>,
    /// How many of them are away, and the bytes that the others hold.
    away: usize,
    held: usize,
    /// Those behind the last piece.
    rest: Vec<u32>,
}

impl PackedBuilder {
    pub fn extend(&mut self, mut rows: &[u32]) {
        while !rows.is_empty() {
            let (now, later) = rows.split_at(rows.len().min(PIECE - self.rest.len()));
            self.rest.extend_from_slice(now);
            rows = later;
            self.close();
        }
    }

    /// Adds `count` rows, one after the other.
    pub fn extend_run(&mut self, mut first: u32, mut count: usize) {
        while count > 0 {
            let now = count.min(PIECE - self.rest.len());
            if now == PIECE {
                self.push(Piece::Run(first));
            } else {
                self.rest.extend(first..first + now as u32);
                self.close();
            }
            (first, count) = (first + now as u32, count - now);
        }
    }

    fn push(&mut self, piece: Piece) {
        self.held += piece.bytes_held();
        self.pieces.push(piece);
    }

    fn close(&mut self) {
        if self.rest.len() == PIECE {
            self.push(Piece::of(&self.rest));
            self.rest.clear();
        }
    }

    /// The bytes that its pieces take in memory.
    pub fn bytes_held(&self) -> usize {
        self.held
    }

    /// Puts its pieces into a file, but for those that take next to nothing.
    pub fn put_away(&mut self, file: &Arc<RoomFile>) {
        let here = &mut self.pieces[self.away..];
        here.iter_mut().for_each(|piece| *piece = piece.away(file));
        (self.away, self.held) = (self.pieces.len(), 0);
    }

    /// All rows: packed, or as they are where they are few.
    pub fn finish(mut self) -> Result<Packed, Vec<u32>> {
        if self.pieces.is_empty() {
            return Err(self.rest);
        }
        let rows = self.pieces.len() * PIECE + self.rest.len();
        if !self.rest.is_empty() {
            self.pieces.push(Piece::of(&self.rest));
        }
        Ok(Packed::new(self.pieces, rows, None))
    }
}
