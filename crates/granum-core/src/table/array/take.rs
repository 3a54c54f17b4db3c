//! Arrays of some rows of an array: those that are named, and those that are kept.

use std::ops::Range;
use std::sync::Arc;

use rayon::prelude::*;

use super::piece::{PIECE, Piece, recoded};
use super::texts::Form;
use super::{Bits, BitsBuilder, Fixed, Native, Present, PresentBuilder, Texts, Truths, View};

/// Which of the named rows have a value: those that are named by a number, and are not blank there.
pub(in crate::table) fn named(present: Option<&Present>, rows: &Fixed<u32>) -> Option<Present> {
    match (present.filter(|present| present.blanks() > 0), rows.present()) {
        (None, named) => named.cloned(),
        (Some(present), None) => {
            let (numbers, has) = (rows.values(), present.bits().asked());
            Some(Present::new(Bits::collect(numbers.len(), |at| has(numbers[at] as usize))))
        }
        (Some(present), Some(named)) => {
            let (numbers, has) = (rows.values(), present.bits().asked());
            let named = named.bits().asked();
            Some(Present::new(Bits::collect(numbers.len(), |at| {
                named(at) && has(numbers[at] as usize)
            })))
        }
    }
}

/// The values of the named rows; of a blank number some value that has no meaning.
pub(super) fn named_values<T: Copy>(values: &[T], rows: &Fixed<u32>, none: T) -> Vec<T> {
    let numbers = rows.values().iter();
    if rows.blanks() == 0 {
        return numbers.map(|row| values[*row as usize]).collect();
    }
    // What stands under a blank is any number.
    numbers.map(|row| values.get(*row as usize).copied().unwrap_or(none)).collect()
}

/// The values where `keep` is true, run by run.
pub(super) fn kept_values<T: Copy>(values: &[T], keep: &Bits) -> Vec<T> {
    let mut out = Vec::with_capacity(keep.count());
    for (start, end) in keep.runs() {
        out.extend_from_slice(&values[start..end]);
    }
    out
}

fn kept_bits(bits: &Bits, keep: &Bits) -> Bits {
    let mut out = BitsBuilder::default();
    for (start, end) in keep.runs() {
        out.append(&bits.slice(start, end - start));
    }
    out.finish()
}

pub(super) fn kept(present: Option<&Present>, keep: &Bits) -> Option<Present> {
    let present = present.filter(|present| present.blanks() > 0)?;
    Some(Present::new(kept_bits(present.bits(), keep)))
}

impl<T: Native> Fixed<T> {
    /// The named rows.
    pub(crate) fn take(&self, rows: &Fixed<u32>) -> Self {
        let values = named_values(self.values(), rows, T::default());
        Self::new(values, named(self.present(), rows))
    }

    /// The rows where `keep` is true.
    pub(crate) fn filter(&self, keep: &Bits) -> Self {
        Self::new(kept_values(self.values(), keep), kept(self.present(), keep))
    }

    /// The same, moved up in their own memory if nobody shares it.
    pub(crate) fn into_filtered(self, keep: &Bits) -> Self {
        let (mut values, present) = self.into_parts();
        let present = kept(present.as_ref(), keep);
        let mut stays = 0;
        for (start, end) in keep.runs() {
            values.copy_within(start..end, stays);
            stays += end - start;
        }
        values.truncate(stays);
        Self::new(values, present)
    }
}

impl Truths {
    /// The named rows.
    pub(crate) fn take(&self, rows: &Fixed<u32>) -> Self {
        let found =
            Bits::collect(rows.len(), |at| rows.has(at) && self.value(rows.values()[at] as usize));
        Self::new(found, named(self.present(), rows))
    }

    /// The rows where `keep` is true.
    pub(crate) fn filter(&self, keep: &Bits) -> Self {
        Self::new(kept_bits(self.values(), keep), kept(self.present(), keep))
    }
}

impl Texts {
    /// The named rows. Long texts stay where they are and are shared.
    pub(crate) fn take(&self, rows: &Fixed<u32>) -> Self {
        let of = |rows: &Fixed<u32>| match &self.form {
            Form::One(piece) => piece.take(rows),
            Form::Many { pieces, from, .. } => {
                let view =
                    |row: Option<u32>| row.map_or(View::EMPTY, |row| *self.view(row as usize));
                let views = || rows.iter().map(view).collect();
                Piece::take_coded(pieces, *from, rows).unwrap_or_else(|| Piece::each(views()))
            }
        };
        let firsts = (0..rows.len()).into_par_iter().step_by(PIECE).with_max_len(1);
        let pieces = firsts.map(|first| {
            let piece = of(&rows.slice(first, PIECE.min(rows.len() - first)));
            if rows.len() > PIECE { piece.coded_by_itself(&self.blocks) } else { piece }
        });
        let form = Form::of(pieces.collect(), rows.len());
        let present = named(self.present(), rows);
        Self { form, blocks: Arc::clone(&self.blocks), present }
    }

    /// The rows where `keep` is true.
    pub(crate) fn filter(&self, keep: &Bits) -> Self {
        let form = match &self.form {
            Form::One(piece) => Form::One(piece.filter(keep)),
            Form::Many { pieces, from, .. } => {
                let portions = keep.portions(PIECE);
                let left = portions.par_iter().with_max_len(1).map(|portion| {
                    let piece = self.portion(pieces, *from, portion, keep);
                    if portions.len() > 1 { piece.coded_by_itself(&self.blocks) } else { piece }
                });
                Form::of(left.collect(), keep.count())
            }
        };
        let present = kept(self.present(), keep);
        Self { form, blocks: Arc::clone(&self.blocks), present }
    }

    /// Texts one under the other, without a look at any: nothing where one but the last is not as many as a piece has, or
    /// long texts of several stand in blocks.
    pub(crate) fn joined(parts: &[&Texts]) -> Option<Self> {
        let (last, before) = parts.split_last()?;
        let mut pieces = Vec::with_capacity(parts.len());
        let mut present = PresentBuilder::default();
        let mut blocks: Option<&Texts> = None;
        for texts in parts {
            pieces.push(texts.one_piece()?.clone());
            match &texts.present {
                Some(own) => present.append(own),
                None => present.push_all(texts.len(), true),
            }
            if !texts.blocks.is_empty() && blocks.replace(texts).is_some() {
                return None;
            }
        }
        let whole = before.iter().all(|texts| texts.len() == PIECE) && last.len() <= PIECE;
        let rows = parts.iter().map(|texts| texts.len()).sum();
        whole.then(|| Self {
            form: Form::of(pieces, rows),
            blocks: blocks.map_or_else(|| Arc::new([]) as _, |texts| Arc::clone(&texts.blocks)),
            present: present.finish(),
        })
    }

    /// The same of some rows, of which no more are kept than a piece has.
    fn portion(&self, pieces: &[Piece], from: usize, rows: &Range<usize>, keep: &Bits) -> Piece {
        let keep = keep.slice(rows.start, rows.len());
        let runs = || keep.runs().map(|(start, end)| rows.start + start..rows.start + end);
        let behind = runs().map(|run| from + run.start..from + run.end);
        recoded(pieces, behind, keep.count()).unwrap_or_else(|| {
            let mut views = Vec::with_capacity(keep.count());
            runs().for_each(|run| self.copy(run.start, run.len(), &mut views));
            Piece::each(views)
        })
    }
}
