//! Takes whole records apart into fields.
//!
//! The usual library lets through what a data tool must not: a quote that is never closed (the
//! rest of the file becomes one field), text after a closing quote (joined to the field). This
//! scanner refuses both and knows where they stand.

use memchr::{memchr, memchr2};

/// A field of a record: its bytes within the text, without quotes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Field {
    /// The first byte.
    pub start: usize,
    /// The byte after the last.
    pub end: usize,
    /// Whether doubled quotes in it stand for single ones.
    pub escaped: bool,
}

/// What is wrong with a record.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Fault {
    /// A quote that is never closed; it opens at this byte.
    OpenQuote(usize),
    /// Something other than a delimiter or a line's end after the closing quote before this byte.
    AfterQuote(usize),
}

/// Reads records one after another. A text begins where a record does.
pub struct Scanner<'a> {
    text: &'a [u8],
    delimiter: u8,
    at: usize,
}

impl<'a> Scanner<'a> {
    /// A scanner over whole records; only the last may lack its line end.
    pub fn new(text: &'a [u8], delimiter: u8) -> Self {
        Self { text, delimiter, at: 0 }
    }

    /// Where the next record begins.
    pub fn position(&self) -> usize {
        self.at
    }

    /// Goes on from `at`, where a record begins.
    pub(super) fn go_to(&mut self, at: usize) {
        self.at = at;
    }

    /// The fields of the next record, in `fields`. False at the end. An empty line is a record
    /// with one empty field.
    ///
    /// # Errors
    /// A quote that stays open, or text behind one that was closed.
    pub fn next(&mut self, fields: &mut Vec<Field>) -> Result<bool, Fault> {
        fields.clear();
        if self.at >= self.text.len() {
            return Ok(false);
        }
        self.record(fields)?;
        Ok(true)
    }

    fn record(&mut self, fields: &mut Vec<Field>) -> Result<(), Fault> {
        loop {
            let start = self.at;
            let quoted = self.text.get(start) == Some(&b'"');
            let end = if quoted {
                let (close, escaped) = close_quote(self.text, start)?;
                fields.push(Field { start: start + 1, end: close, escaped });
                self.after_quote(close + 1)?
            } else {
                let rest = &self.text[start..];
                let end = memchr2(self.delimiter, b'\n', rest)
                    .map_or(self.text.len(), |offset| start + offset);
                let line_end = self.text.get(end) != Some(&self.delimiter);
                let stop = if line_end { without_return(self.text, start, end) } else { end };
                fields.push(Field { start, end: stop, escaped: false });
                end
            };
            self.at = end + 1;
            if self.text.get(end) != Some(&self.delimiter) {
                self.at = self.at.min(self.text.len());
                return Ok(());
            }
        }
    }

    /// Where a quoted field's delimiter or line end stands, given the byte after its last quote.
    fn after_quote(&self, at: usize) -> Result<usize, Fault> {
        match self.text.get(at..).unwrap_or(&[]) {
            [] | [b'\n', ..] => Ok(at),
            [byte, ..] if *byte == self.delimiter => Ok(at),
            [b'\r'] | [b'\r', b'\n', ..] => Ok(at + 1),
            _ => Err(Fault::AfterQuote(at)),
        }
    }
}

/// A line's text ends before its carriage return.
fn without_return(text: &[u8], start: usize, end: usize) -> usize {
    if end > start && text[end - 1] == b'\r' { end - 1 } else { end }
}

/// The closing quote of a field whose opening quote stands at `open`, and whether there are doubled
/// ones between.
fn close_quote(text: &[u8], open: usize) -> Result<(usize, bool), Fault> {
    let mut at = open + 1;
    let mut escaped = false;
    loop {
        let Some(offset) = memchr(b'"', text.get(at..).unwrap_or(&[])) else {
            return Err(Fault::OpenQuote(open));
        };
        let quote = at + offset;
        if text.get(quote + 1) != Some(&b'"') {
            return Ok((quote, escaped));
        }
        escaped = true;
        at = quote + 2;
    }
}

/// Where the last whole record of a text ends: the byte after its line end. `None` if the text
/// holds no whole record. A quoted field may hold line ends; the scanner's own rules decide.
pub(super) fn last_record_end(text: &[u8], delimiter: u8) -> Option<usize> {
    if memchr(b'"', text).is_none() {
        return memchr::memrchr(b'\n', text).map(|at| at + 1);
    }
    let mut end = None;
    let mut at = 0;
    // Only quotes matter between line ends: jump from one to the next.
    while at < text.len() {
        if text[at] == b'"' {
            // A quote that opens a field.
            let Ok((close, _)) = close_quote(text, at) else { return end };
            at = close + 1;
            if at >= text.len() {
                // The next byte decides whether the field is closed.
                return end;
            }
        }
        let Some(offset) = memchr::memchr3(delimiter, b'\n', b'"', &text[at..]) else {
            return end;
        };
        let found = at + offset;
        match text[found] {
            b'\n' => {
                end = Some(found + 1);
                at = found + 1;
            }
            // Within an unquoted field a quote is a sign like any other.
            b'"' => {
                let Some(offset) = memchr2(delimiter, b'\n', &text[found..]) else { return end };
                at = found + offset;
                if text[at] == b'\n' {
                    end = Some(at + 1);
                }
                at += 1;
            }
            _ => at = found + 1,
        }
    }
    end
}
