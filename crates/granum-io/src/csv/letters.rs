//! Letters on their way out, in an encoding.

use std::io::{self, Write};

use encoding_rs::{Encoder, EncoderResult, Encoding, UTF_8, UTF_16BE, UTF_16LE};

use crate::format::Unwritable;

/// How letters are written.
pub(super) enum Letters {
    Utf8 {
        marked: bool,
    },
    /// Two bytes each, the higher first or last.
    Utf16 {
        high_first: bool,
        marked: bool,
    },
    Other {
        encoding: &'static Encoding,
        encoder: Box<Encoder>,
    },
}

impl Letters {
    /// Those of an encoding by its name; UTF-8 without one.
    ///
    /// # Errors
    /// An encoding that nobody knows; a mark in one that has none.
    pub fn new(name: Option<&str>, marked: bool) -> Result<Self, Unwritable> {
        let name = name.unwrap_or("utf-8");
        let Some(encoding) = Encoding::for_label(name.as_bytes()) else {
            return Err(Unwritable {
                message: format!("no encoding is called \"{name}\""),
                help: "as in  encoding \"windows-1252\"".into(),
            });
        };
        if encoding == UTF_8 {
            return Ok(Self::Utf8 { marked });
        }
        if encoding == UTF_16LE || encoding == UTF_16BE {
            return Ok(Self::Utf16 { high_first: encoding == UTF_16BE, marked });
        }
        if marked {
            return Err(Unwritable {
                message: format!("{} has no mark that says it", encoding.name()),
                help: "leave  with mark  out, or the encoding: UTF-8 has one".into(),
            });
        }
        Ok(Self::Other { encoding, encoder: Box::new(encoding.new_encoder()) })
    }

    /// What stands before everything.
    pub fn mark(&self) -> &'static [u8] {
        match self {
            Self::Utf8 { marked: true } => b"\xEF\xBB\xBF",
            Self::Utf16 { high_first: true, marked: true } => b"\xFE\xFF",
            Self::Utf16 { high_first: false, marked: true } => b"\xFF\xFE",
            _ => b"",
        }
    }

    /// Writes whole lines of UTF-8.
    ///
    /// # Errors
    /// What the system says; a letter that the encoding has not.
    pub fn write(&mut self, bytes: &[u8], out: &mut dyn Write) -> io::Result<()> {
        let text = || String::from_utf8_lossy(bytes);
        match self {
            Self::Utf8 { .. } => out.write_all(bytes),
            Self::Utf16 { high_first, .. } => {
                let text = text();
                let units = text.encode_utf16().flat_map(|unit| {
                    if *high_first { unit.to_be_bytes() } else { unit.to_le_bytes() }
                });
                out.write_all(&units.collect::<Vec<u8>>())
            }
            Self::Other { encoding, encoder } => {
                let text = text();
                let mut made = vec![];
                let mut rest: &str = &text;
                loop {
                    let room = encoder.max_buffer_length_from_utf8_without_replacement(rest.len());
                    made.reserve(room.unwrap_or(rest.len() * 4));
                    let (result, read) =
                        encoder.encode_from_utf8_to_vec_without_replacement(rest, &mut made, false);
                    match result {
                        EncoderResult::InputEmpty => return out.write_all(&made),
                        EncoderResult::OutputFull => rest = &rest[read..],
                        EncoderResult::Unmappable(letter) => {
                            let before = text.len() - rest.len() + read;
                            return Err(io::Error::other(lacks(encoding, letter, &text, before)));
                        }
                    }
                }
            }
        }
    }
}

/// A letter that an encoding has not, with the line in which it stands.
fn lacks(encoding: &'static Encoding, letter: char, text: &str, behind: usize) -> Unwritable {
    const LONGEST: usize = 60;
    let start = text[..behind].rfind('\n').map_or(0, |at| at + 1);
    let line: String =
        text[start..].chars().take_while(|letter| *letter != '\n').take(LONGEST).collect();
    Unwritable {
        message: format!(
            "{} has no letter `{letter}` (U+{:04X}), as in  {line}",
            encoding.name(),
            u32::from(letter)
        ),
        help: "nothing was written; leave the encoding out: UTF-8 has all letters".into(),
    }
}
