//! A column's rows as bytes, for as long as a run takes: no other program reads them.
//!
//! First the type, the number of rows, and which of them are blank; then values in as many bytes as the array has, and
//! texts as their lengths and their bytes, or as a dictionary and a number of two bytes a row.

use std::mem::size_of;

use crate::table::{Bits, Column, Fixed, Native, Present, Texts, Truths, Whole, Wide};
use crate::value::Scale;

/// Adds the bytes of a column.
pub(super) fn put(column: &Column, out: &mut Vec<u8>) {
    let kind = match column {
        Column::Blank(_) => 0,
        Column::Text(_) => 1,
        Column::Integer(_) => 2,
        Column::Decimal(..) => 3,
        Column::Number(_) => 4,
        Column::Date(_) => 5,
        Column::DateTime(_) => 6,
        Column::Boolean(_) => 7,
    };
    out.push(kind);
    out.extend((column.len() as u32).to_le_bytes());
    match column {
        Column::Blank(_) => {}
        Column::Text(texts) => {
            put_present(texts.present(), out);
            put_texts(texts, out);
        }
        Column::Integer(values) => put_whole(values, out),
        Column::Decimal(values, Scale(scale)) => {
            out.push(*scale);
            put_whole(values, out);
        }
        Column::Number(values) => put_fixed(values, out),
        Column::Date(values) => put_fixed(values, out),
        Column::DateTime(values) => put_fixed(values, out),
        Column::Boolean(truths) => {
            put_present(truths.present(), out);
            put_bits(truths.values(), out);
        }
    }
}

/// The column that bytes are of; `None` where they are of none.
pub(super) fn got(bytes: &[u8]) -> Option<Column> {
    let mut from = Bytes(bytes);
    from.column().filter(|_| from.0.is_empty())
}

/// So many columns whose bytes stand one behind the other; `None` where they do not.
pub(super) fn got_each(bytes: &[u8], count: usize) -> Option<Vec<Column>> {
    let mut from = Bytes(bytes);
    let columns: Option<Vec<Column>> = (0..count).map(|_| from.column()).collect();
    columns.filter(|_| from.0.is_empty())
}

fn put_bits(bits: &Bits, out: &mut Vec<u8>) {
    bits.words().for_each(|word| out.extend(word.to_le_bytes()));
}

fn put_present(present: Option<&Present>, out: &mut Vec<u8>) {
    out.push(u8::from(present.is_some()));
    present.iter().for_each(|present| put_bits(present.bits(), out));
}

fn put_fixed<T: Native>(values: &Fixed<T>, out: &mut Vec<u8>) {
    put_present(values.present(), out);
    T::put(values.values(), out);
}

fn put_whole<T: Wide>(values: &Whole<T>, out: &mut Vec<u8>) {
    put_present(values.present(), out);
    values.put(out);
}

fn put_texts(texts: &Texts, out: &mut Vec<u8>) {
    if let Some((different, code)) = texts.different() {
        out.push(1);
        out.extend((different.len() as u32).to_le_bytes());
        put_each((0..different.len()).map(|at| different.value(at)), out);
        (0..texts.len()).for_each(|row| out.extend((code(row) as u16).to_le_bytes()));
        return;
    }
    out.push(0);
    let text = |row: usize| if texts.has(row) { texts.value(row) } else { "" };
    put_each((0..texts.len()).map(text), out);
}

/// Texts as all their lengths, then all their bytes.
fn put_each<'t>(texts: impl Iterator<Item = &'t str> + Clone, out: &mut Vec<u8>) {
    texts.clone().for_each(|text| out.extend((text.len() as u32).to_le_bytes()));
    texts.for_each(|text| out.extend_from_slice(text.as_bytes()));
}

/// The bytes end too early.
struct Cut;

/// What is left of a column's bytes.
struct Bytes<'b>(&'b [u8]);

impl<'b> Bytes<'b> {
    fn column(&mut self) -> Option<Column> {
        let kind = self.byte()?;
        let rows = self.number()?;
        Some(match kind {
            0 => Column::Blank(rows),
            1 => {
                let present = self.present(rows).ok()?;
                Column::Text(self.texts(rows, present)?)
            }
            2 => Column::Integer(self.whole(rows)?),
            3 => {
                let scale = Scale(self.byte()?);
                Column::Decimal(self.whole(rows)?, scale)
            }
            4 => Column::Number(self.fixed(rows)?),
            5 => Column::Date(self.fixed(rows)?),
            6 => Column::DateTime(self.fixed(rows)?),
            7 => {
                let present = self.present(rows).ok()?;
                Column::Boolean(Truths::new(self.bits(rows)?, present))
            }
            _ => return None,
        })
    }

    fn take(&mut self, count: usize) -> Option<&'b [u8]> {
        let (taken, rest) = self.0.split_at_checked(count)?;
        self.0 = rest;
        Some(taken)
    }

    fn byte(&mut self) -> Option<u8> {
        self.take(1).map(|byte| byte[0])
    }

    fn number(&mut self) -> Option<usize> {
        Some(u32::from_le_bytes(self.take(4)?.try_into().ok()?) as usize)
    }

    fn bits(&mut self, rows: usize) -> Option<Bits> {
        let words = self.take(rows.div_ceil(64) * 8)?.chunks_exact(8);
        let word = |bytes: &[u8]| bytes.try_into().map_or(0, u64::from_le_bytes);
        Some(Bits::of_words(words.map(word).collect(), rows))
    }

    /// Which rows there are; all where that was not put. Fails where the bytes end.
    fn present(&mut self, rows: usize) -> Result<Option<Present>, Cut> {
        if self.byte().ok_or(Cut)? == 0 {
            return Ok(None);
        }
        Ok(Some(Present::new(self.bits(rows).ok_or(Cut)?)))
    }

    fn fixed<T: Native>(&mut self, rows: usize) -> Option<Fixed<T>> {
        let present = self.present(rows).ok()?;
        Some(Fixed::new(T::got(self.take(rows * size_of::<T>())?), present))
    }

    fn whole<T: Wide>(&mut self, rows: usize) -> Option<Whole<T>> {
        let present = self.present(rows).ok()?;
        let width = usize::from(self.byte()?);
        Whole::got(width, self.take(rows * width)?, present)
    }

    fn texts(&mut self, rows: usize, present: Option<Present>) -> Option<Texts> {
        if self.byte()? == 0 {
            return self.each(rows, present);
        }
        let different = self.number()?;
        let different = self.each(different, None)?;
        let codes = self.take(2 * rows)?.chunks_exact(2);
        let codes: Vec<u16> = codes.map(|code| u16::from_le_bytes([code[0], code[1]])).collect();
        let known = codes.iter().all(|code| usize::from(*code) < different.len());
        known.then(|| Texts::of_codes(different, codes, present))
    }

    fn each(&mut self, rows: usize, present: Option<Present>) -> Option<Texts> {
        let lengths = self.take(4 * rows)?.chunks_exact(4);
        let length = |bytes: &[u8]| bytes.try_into().map_or(0, u32::from_le_bytes) as usize;
        let lengths = lengths.map(length);
        let bytes = self.take(lengths.clone().sum())?;
        let all = std::str::from_utf8(bytes).ok()?;
        Texts::of_lengths(all, lengths, present)
    }
}
