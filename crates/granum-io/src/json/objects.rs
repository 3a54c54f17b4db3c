//! Where the objects of a file stand: one behind the other, or in one list.

use std::io::Read;

/// Parts are about this many bytes.
const PART: usize = 1 << 19;

/// An object is at most this many bytes.
const LONGEST: usize = 1 << 26;

/// Whole objects of a file.
#[derive(Debug, Default)]
pub(super) struct Objects {
    pub text: Vec<u8>,
    /// Where each begins and ends in the text, and its line in the file.
    pub each: Vec<(usize, usize, u64)>,
    /// How many objects stand before them in the file.
    pub before: u64,
}

/// Why a file is no row of objects.
#[derive(Debug)]
pub(super) enum Wrong {
    System(std::io::Error),
    /// Something else stands where an object should, on a line.
    NoObject(u64, char),
    /// The file ends within an object that begins on a line, or before its list does.
    Unended(u64),
    /// An object that begins on a line is too long to be one.
    TooLong(u64),
}

/// What stands before the next object.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Before {
    /// Nothing has come yet.
    Start,
    /// Objects come one behind the other.
    Another,
    /// A list has begun; or a comma has come in it.
    First,
    Comma,
    /// An object of a list: a comma or the list's end comes.
    Object,
    /// The list is at its end.
    End,
}

/// Takes a stream apart.
pub(super) struct Splitter<R> {
    from: R,
    text: Vec<u8>,
    /// How much of it has been looked at, and its line there.
    at: usize,
    line: u64,
    before: Before,
    /// Within an object: where it begins, its line, how deep it is, and whether in a text or behind its `\`.
    open: Option<(usize, u64)>,
    depth: usize,
    quoted: bool,
    escaped: bool,
    each: Vec<(usize, usize, u64)>,
    /// How many objects were given on.
    given: u64,
    done: bool,
}

impl<R: Read> Splitter<R> {
    pub fn new(from: R) -> Self {
        Self {
            from,
            text: vec![],
            at: 0,
            line: 1,
            before: Before::Start,
            open: None,
            depth: 0,
            quoted: false,
            escaped: false,
            each: vec![],
            given: 0,
            done: false,
        }
    }

    /// The next part; nothing at the end.
    ///
    /// # Errors
    /// Why it is none.
    pub fn next_part(&mut self) -> Result<Option<Objects>, Wrong> {
        while !self.done && (self.text.len() < PART || self.each.is_empty()) {
            if let Some((start, line)) = self.open
                && self.text.len() - start > LONGEST
            {
                return Err(Wrong::TooLong(line));
            }
            let read = (&mut self.from).take(PART as u64).read_to_end(&mut self.text);
            self.done = read.map_err(Wrong::System)? < PART;
            self.look()?;
        }
        if self.done && self.each.is_empty() {
            if let Some((_, line)) = self.open {
                return Err(Wrong::Unended(line));
            }
            return match self.before {
                Before::Start | Before::Another | Before::End => Ok(None),
                Before::First | Before::Comma | Before::Object => Err(Wrong::Unended(self.line)),
            };
        }
        let end = self.each.last().map_or(0, |(_, end, _)| *end);
        let rest = self.text.split_off(end);
        self.at -= end;
        if let Some((start, _)) = &mut self.open {
            *start -= end;
        }
        let text = std::mem::replace(&mut self.text, rest);
        let (each, before) = (std::mem::take(&mut self.each), self.given);
        self.given += each.len() as u64;
        Ok(Some(Objects { text, each, before }))
    }

    /// Looks at what has been read.
    fn look(&mut self) -> Result<(), Wrong> {
        // A mark may stand before everything.
        if self.before == Before::Start && self.text.starts_with(b"\xEF\xBB\xBF") {
            self.at = self.at.max(3);
        }
        while let Some(byte) = self.text.get(self.at).copied() {
            match self.open {
                Some((start, line)) => self.within(byte, start, line),
                None => self.between(byte)?,
            }
            self.line += u64::from(byte == b'\n');
            self.at += 1;
        }
        Ok(())
    }

    /// A byte of an object.
    fn within(&mut self, byte: u8, start: usize, line: u64) {
        if self.quoted {
            match byte {
                _ if self.escaped => self.escaped = false,
                b'\\' => self.escaped = true,
                b'"' => self.quoted = false,
                _ => {}
            }
            return;
        }
        match byte {
            b'"' => self.quoted = true,
            b'{' | b'[' => self.depth += 1,
            b'}' | b']' => self.depth -= 1,
            _ => {}
        }
        if self.depth == 0 {
            self.open = None;
            self.each.push((start, self.at + 1, line));
        }
    }

    /// A byte between objects.
    fn between(&mut self, byte: u8) -> Result<(), Wrong> {
        use Before::{Another, Comma, End, First, Object, Start};
        self.before = match (byte, self.before) {
            (b' ' | b'\t' | b'\r' | b'\n', before) => before,
            (b'{', Start | Another | First | Comma) => {
                self.open = Some((self.at, self.line));
                self.depth = 1;
                if matches!(self.before, Start | Another) { Another } else { Object }
            }
            (b'[', Start) => First,
            (b',', Object) => Comma,
            (b']', First | Object) => End,
            _ => {
                let rest = String::from_utf8_lossy(&self.text[self.at..]);
                return Err(Wrong::NoObject(self.line, rest.chars().next().unwrap_or(' ')));
            }
        };
        Ok(())
    }
}
