//! The texts of a run of rows: a view for each, or where they repeat, each a number in a dictionary.

use std::hash::BuildHasher;
use std::ops::Range;

use foldhash::fast::FixedState;
use hashbrown::HashTable;

use super::fixed::{mark, mark_rises};
use super::take::{kept_values, named_values};
use super::view::Block;
use super::{Bits, Fixed, Shared, View};

/// Rows of one piece of a long column. Batches of finished rows lie within one. Tests have few, or as many as
/// `GRANUM_PIECE` said when they were built: `scripts/pieces.sh`.
pub(crate) const PIECE: usize =
    if cfg!(test) { of_tests(option_env!("GRANUM_PIECE")) } else { 1 << 16 };

/// What a word says, in digits; 8 where there is none.
const fn of_tests(said: Option<&str>) -> usize {
    let Some(said) = said else { return 8 };
    let (digits, mut at, mut rows) = (said.as_bytes(), 0, 0);
    while at < digits.len() {
        rows = 10 * rows + (digits[at] - b'0') as usize;
        at += 1;
    }
    rows
}

/// Texts of some rows.
#[derive(Debug, Clone)]
pub(super) struct Piece {
    /// A view for each row, or for each code.
    views: Shared<View>,
    codes: Codes,
}

/// Which of a dictionary's texts rows have.
#[derive(Debug, Clone)]
enum Codes {
    /// There is no dictionary.
    Each,
    Small(Shared<u8>),
    Large(Shared<u16>),
}

impl Piece {
    /// A view for each row.
    pub fn each(views: Vec<View>) -> Self {
        Self { views: views.into(), codes: Codes::Each }
    }

    /// The same with a dictionary where that pays; of one that has none.
    pub fn coded_by_itself(self, blocks: &[Block]) -> Self {
        let bytes = |view: View| {
            let (start, length) = (view.start(), view.length());
            &blocks[view.block()][start..start + length]
        };
        match self.codes {
            Codes::Each => coded(&self.views, bytes).map_or(self, Self::from),
            Codes::Small(_) | Codes::Large(_) => self,
        }
    }

    /// One text on so many rows.
    pub fn repeated(view: View, rows: usize) -> Self {
        Self { views: vec![view].into(), codes: Codes::Small(vec![0; rows].into()) }
    }

    /// The views of a dictionary and the number of one for each row.
    pub fn coded_by(dictionary: Vec<View>, codes: Vec<u16>) -> Self {
        Coded { codes, dictionary }.into()
    }

    /// Where its codes stand, or its views.
    pub fn address(&self) -> usize {
        match &self.codes {
            Codes::Each => self.views.as_ptr() as usize,
            Codes::Small(codes) => codes.as_ptr() as usize,
            Codes::Large(codes) => codes.as_ptr() as usize,
        }
    }

    pub fn len(&self) -> usize {
        match &self.codes {
            Codes::Each => self.views.len(),
            Codes::Small(codes) => codes.len(),
            Codes::Large(codes) => codes.len(),
        }
    }

    // Asked for every text of every row, and too large to be put in its place unasked.
    #[allow(clippy::inline_always)]
    #[inline(always)]
    pub fn view(&self, row: usize) -> &View {
        match &self.codes {
            Codes::Each => &self.views[row],
            Codes::Small(codes) => &self.views[usize::from(codes[row])],
            Codes::Large(codes) => &self.views[usize::from(codes[row])],
        }
    }

    /// What [`mark_rises`] says, where no text is blank and all stand in their views: where there is a dictionary, the
    /// texts of that one after the other. Nothing where it is not so.
    pub fn mark_rises(&self, level: &mut [u8]) -> Option<bool> {
        let less = |a: &View, b: &View| a.place() < b.place();
        if !self.views.iter().all(|view| view.is_whole()) {
            return None;
        }
        let in_order = || self.views.is_sorted_by(less);
        match &self.codes {
            Codes::Each => Some(mark_rises(&self.views, less, level)),
            Codes::Small(codes) => in_order().then(|| mark_rises(codes, u8::lt, level)),
            Codes::Large(codes) => in_order().then(|| mark_rises(codes, u16::lt, level)),
        }
    }

    /// The texts of its dictionary, where it has one.
    pub fn dictionary(&self) -> Option<Self> {
        (!matches!(self.codes, Codes::Each))
            .then(|| Self { views: self.views.clone(), codes: Codes::Each })
    }

    /// Which of its dictionary's texts, or of its rows, a row has.
    #[inline]
    pub fn code(&self, row: usize) -> usize {
        match &self.codes {
            Codes::Each => row,
            Codes::Small(codes) => usize::from(codes[row]),
            Codes::Large(codes) => usize::from(codes[row]),
        }
    }

    fn with(&self, codes: Codes) -> Self {
        Self { views: self.views.clone(), codes }
    }

    /// `length` rows from row `offset` on.
    pub fn slice(&self, offset: usize, length: usize) -> Self {
        match &self.codes {
            Codes::Each => Self { views: self.views.slice(offset, length), codes: Codes::Each },
            Codes::Small(codes) => self.with(Codes::Small(codes.slice(offset, length))),
            Codes::Large(codes) => self.with(Codes::Large(codes.slice(offset, length))),
        }
    }

    /// The named rows; of a blank number something without a meaning.
    pub fn take(&self, rows: &Fixed<u32>) -> Self {
        match &self.codes {
            Codes::Each if !self.views.is_empty() && self.views.len() <= rows.len() / 2 => {
                self.named(rows)
            }
            Codes::Each => Self::each(named_values(&self.views, rows, View::EMPTY)),
            Codes::Small(codes) => self.with(Codes::Small(named_values(codes, rows, 0).into())),
            Codes::Large(codes) => self.with(Codes::Large(named_values(codes, rows, 0).into())),
        }
    }

    /// The same of few texts, which many rows name: they are a dictionary.
    fn named(&self, rows: &Fixed<u32>) -> Self {
        let (numbers, last) = (rows.values().iter(), self.views.len() as u32 - 1);
        // What stands under a blank is any number.
        let most =
            if rows.blanks() > 0 { last } else { numbers.clone().copied().fold(0, u32::max) };
        assert!(most <= last, "row {most} of {last} and one");
        // Rows of one text have one number where that is easily found: then it does not change from row to row.
        let first = self.first_of_same();
        let code = |row: &u32| first[*row.min(&last) as usize];
        self.with(if last <= u8::MAX.into() {
            Codes::Small(numbers.map(|row| code(row) as u8).collect::<Vec<_>>().into())
        } else {
            Codes::Large(numbers.map(code).collect::<Vec<_>>().into())
        })
    }

    /// For each view the first that is the same: of few among all, of many among those just before.
    fn first_of_same(&self) -> Vec<u16> {
        const FEW: usize = 64;
        let views = &*self.views;
        if views.len() <= FEW {
            let first = |view| views.iter().position(|other| other == view).unwrap_or_default();
            return views.iter().map(|view| first(view) as u16).collect();
        }
        let (mut first, mut number) = (Vec::with_capacity(views.len()), 0);
        for (at, view) in views.iter().enumerate() {
            if at == 0 || *view != views[at - 1] {
                number = at as u16;
            }
            first.push(number);
        }
        first
    }

    /// The named rows of several pieces, which begin at row `from` of the first, by the dictionaries of those that
    /// they stand in; nothing where one of these has none, or all together are more than half as many as the rows.
    pub fn take_coded(pieces: &[Piece], from: usize, rows: &Fixed<u32>) -> Option<Self> {
        let most = (rows.len() / 2).min(1 << 16);
        let mut begins: Vec<Option<u16>> = vec![None; pieces.len()];
        let mut found = Coded { codes: Vec::with_capacity(rows.len()), dictionary: vec![] };
        for at in 0..rows.len() {
            let Some(row) = rows.get(at) else {
                found.codes.push(0);
                continue;
            };
            let row = from + row as usize;
            let piece = &pieces[row / PIECE];
            let begin = if let Some(begin) = begins[row / PIECE] {
                begin
            } else {
                let begin = u16::try_from(found.dictionary.len()).ok()?;
                let own = piece.dictionary()?.views;
                if found.dictionary.len() + own.len() > most {
                    return None;
                }
                found.dictionary.extend_from_slice(&own);
                *begins[row / PIECE].insert(begin)
            };
            found.codes.push(begin + piece.code(row % PIECE) as u16);
        }
        // Without any text, blanks have no code.
        (!found.dictionary.is_empty()).then(|| found.into())
    }

    /// The rows where `keep` is true.
    pub fn filter(&self, keep: &Bits) -> Self {
        match &self.codes {
            Codes::Each => Self::each(kept_values(&self.views, keep)),
            Codes::Small(codes) => self.with(Codes::Small(kept_values(codes, keep).into())),
            Codes::Large(codes) => self.with(Codes::Large(kept_values(codes, keep).into())),
        }
    }

    /// Sets 1 for each row whose text is not that of the row before, the first left out. One that stands in a
    /// dictionary twice is taken for two.
    pub fn mark_changes(&self, marks: &mut [u8]) {
        match &self.codes {
            Codes::Each => mark(&self.views, View::eq, marks),
            Codes::Small(codes) => mark(codes, u8::eq, marks),
            Codes::Large(codes) => mark(codes, u16::eq, marks),
        }
    }

    /// What [`super::Texts::put_rows`] says.
    pub fn put_rows(
        &self,
        rows: &[u32],
        behind: u8,
        blocks: &[Block],
        out: &mut Vec<u8>,
        ends: &mut Vec<usize>,
    ) {
        let views: &[View] = &self.views;
        let mut put = Put { blocks, behind, out, ends };
        match &self.codes {
            Codes::Each => put.rows(rows, |row| views[row]),
            Codes::Small(codes) => put.rows(rows, |row| views[usize::from(codes[row])]),
            Codes::Large(codes) => put.rows(rows, |row| views[usize::from(codes[row])]),
        }
    }

    /// Adds the views of some rows.
    pub fn copy(&self, rows: Range<usize>, out: &mut Vec<View>) {
        match &self.codes {
            Codes::Each => out.extend_from_slice(&self.views[rows]),
            Codes::Small(codes) => {
                out.extend(codes[rows].iter().map(|code| self.views[usize::from(*code)]));
            }
            Codes::Large(codes) => {
                out.extend(codes[rows].iter().map(|code| self.views[usize::from(*code)]));
            }
        }
    }

    /// Bytes that it takes.
    pub fn size(&self) -> usize {
        let codes = match &self.codes {
            Codes::Each => 0,
            Codes::Small(codes) => codes.len(),
            Codes::Large(codes) => 2 * codes.len(),
        };
        16 * self.views.len() + codes
    }
}

/// Texts on their way to where they stand one behind the other.
struct Put<'a> {
    blocks: &'a [Block],
    /// The sign behind each.
    behind: u8,
    out: &'a mut Vec<u8>,
    /// Where each ends with it.
    ends: &'a mut Vec<usize>,
}

impl Put<'_> {
    #[inline]
    fn rows(&mut self, rows: &[u32], view: impl Fn(usize) -> View) {
        /// What a text in its view takes with a sign, and what is written of each at once, whatever it takes.
        const ROOM: usize = View::INSIDE + 1;
        const AT_ONCE: usize = size_of::<View>();
        let (mut end, mut left) = (self.out.len(), rows.len());
        self.out.resize(end + left * ROOM + AT_ONCE, 0);
        for row in rows {
            let view = view(*row as usize);
            left -= 1;
            if view.is_whole() {
                self.out[end..end + AT_ONCE].copy_from_slice(&view.text().to_le_bytes());
                end += view.length();
            } else {
                let (start, length) = (view.start(), view.length());
                self.out.resize(end + length + (left + 1) * ROOM + AT_ONCE, 0);
                let text = &self.blocks[view.block()][start..start + length];
                self.out[end..end + length].copy_from_slice(text);
                end += length;
            }
            self.out[end] = self.behind;
            end += 1;
            self.ends.push(end);
        }
        self.out.truncate(end);
    }
}

/// Different texts and the rows that have them; `None` where a dictionary would not halve what a view for
/// each row takes, as far as the first rows tell. `bytes` are those of a text that does not stand in its view.
pub(super) fn coded<'a>(views: &[View], bytes: impl Fn(View) -> &'a [u8]) -> Option<Coded> {
    /// The bits of the place where a view's code is kept.
    const RECENT: u32 = if cfg!(test) { 2 } else { 12 };
    let state = FixedState::with_seed(0);
    let hash = |view: View| {
        if view.is_whole() { state.hash_one(view.bits()) } else { state.hash_one(bytes(view)) }
    };
    let same = |a: View, b: View| {
        a == b || (!a.is_whole() && a.head() == b.head() && bytes(a) == bytes(b))
    };
    let mut found = in_order(views)?;
    if found.codes.len() == views.len() {
        return Some(found);
    }
    // The code that was given last to one of those views that stand here: most that repeat are found without a search.
    let mut recent = [0_u16; 1 << RECENT];
    let mut known: HashTable<u16> =
        HashTable::with_capacity(found.dictionary.len().max(views.len() / 64));
    for (code, view) in (0..).zip(&found.dictionary) {
        known.insert_unique(hash(*view), code, |code| hash(found.dictionary[usize::from(*code)]));
    }
    for (row, view) in views.iter().enumerate().skip(found.codes.len()) {
        if row > 0 && *view == views[row - 1] {
            found.codes.push(found.codes[row - 1]);
            continue;
        }
        let Coded { codes, dictionary } = &mut found;
        if hardly_repeat(row, dictionary.len()) {
            return None;
        }
        let recent = &mut recent[(view.folded() >> (u64::BITS - RECENT)) as usize];
        if dictionary.get(usize::from(*recent)) == Some(view) {
            codes.push(*recent);
            continue;
        }
        let key = hash(*view);
        let code = known.find(key, |code| same(dictionary[usize::from(*code)], *view));
        let code = match code {
            Some(code) => *code,
            None => {
                let code = new_code(dictionary.len(), views.len())?;
                dictionary.push(*view);
                known.insert_unique(key, code, |code| hash(dictionary[usize::from(*code)]));
                code
            }
        };
        *recent = code;
        codes.push(code);
    }
    Some(found)
}

/// The first of some rows, as far as each has the text of the row before or one that stands behind it: such texts need no
/// table to be told apart. `None` as [`coded`] says.
fn in_order(views: &[View]) -> Option<Coded> {
    let mut found = Coded { codes: Vec::with_capacity(views.len()), dictionary: vec![] };
    let mut last = None;
    for (row, view) in views.iter().enumerate() {
        if row > 0 && *view == views[row - 1] {
            found.codes.push(found.codes[row - 1]);
            continue;
        }
        let place = view.is_whole().then(|| view.place());
        if place <= last {
            break;
        }
        if hardly_repeat(row, found.dictionary.len()) {
            return None;
        }
        found.codes.push(new_code(found.dictionary.len(), views.len())?);
        found.dictionary.push(*view);
        last = place;
    }
    Some(found)
}

/// Whether the first rows tell that a dictionary would not pay, of which `known` different texts came before a row.
fn hardly_repeat(row: usize, known: usize) -> bool {
    /// So many rows are looked at before it is given up.
    const LOOKED_AT: usize = 1 << 12;
    row == LOOKED_AT && known > LOOKED_AT / 4 * 3
}

/// The code of a text that is not among so many known ones of so many rows; `None` where a dictionary has no room for it.
fn new_code(known: usize, rows: usize) -> Option<u16> {
    if known < rows / 2 { u16::try_from(known).ok() } else { None }
}

/// Rows of some pieces one after the other, of which all have a dictionary, as one: no text is looked at, only their
/// numbers, and so a text of two pieces may stand twice in a dictionary that comes of both. `rows` come in runs, and are
/// `count`. Nothing where a piece has no dictionary, or one would not halve what views take.
pub(super) fn recoded(
    pieces: &[Piece],
    rows: impl Iterator<Item = Range<usize>>,
    count: usize,
) -> Option<Piece> {
    let mut coded = Coded { codes: Vec::with_capacity(count), dictionary: vec![] };
    // Of the piece that rows come from: its number, and the new codes of its own.
    let (mut of, mut new) = (usize::MAX, vec![]);
    for Range { start: mut at, end } in rows {
        while at < end {
            let piece = &pieces[at / PIECE];
            if of != at / PIECE {
                of = at / PIECE;
                new.clear();
                new.resize(piece.dictionary()?.len(), None);
            }
            let to = (at / PIECE * PIECE + PIECE).min(end);
            let rows = at % PIECE..at % PIECE + (to - at);
            match &piece.codes {
                Codes::Each => return None,
                Codes::Small(codes) => coded.recode(&codes[rows], &piece.views, &mut new, count)?,
                Codes::Large(codes) => coded.recode(&codes[rows], &piece.views, &mut new, count)?,
            }
            at = to;
        }
    }
    Some(coded.into())
}

impl Coded {
    /// Adds rows of a piece with these views, of `count` in all, whose `new` codes are given as they come.
    fn recode<C: Copy + Into<usize>>(
        &mut self,
        rows: &[C],
        views: &[View],
        new: &mut [Option<u16>],
        count: usize,
    ) -> Option<()> {
        for code in rows {
            let new = &mut new[(*code).into()];
            let own = match *new {
                Some(own) => own,
                None => {
                    let view = views[(*code).into()];
                    // The last text of a piece is often the first of the next.
                    let own = match self.dictionary.last() {
                        Some(last) if *last == view => self.dictionary.len() as u16 - 1,
                        _ => {
                            let own = new_code(self.dictionary.len(), count)?;
                            self.dictionary.push(view);
                            own
                        }
                    };
                    *new.insert(own)
                }
            };
            self.codes.push(own);
        }
        Some(())
    }
}

/// The different texts of some rows, and which each row has.
#[derive(Default)]
pub(super) struct Coded {
    codes: Vec<u16>,
    /// In the order of their first rows.
    pub dictionary: Vec<View>,
}

impl From<Coded> for Piece {
    fn from(coded: Coded) -> Self {
        let Coded { codes, dictionary } = coded;
        let codes = if dictionary.len() <= 1 << 8 {
            Codes::Small(codes.into_iter().map(|code| code as u8).collect::<Vec<u8>>().into())
        } else {
            Codes::Large(codes.into())
        };
        Self { views: dictionary.into(), codes }
    }
}
