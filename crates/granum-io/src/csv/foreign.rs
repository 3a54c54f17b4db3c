//! Files that are no CSV, known by how they begin.

use std::io::Read;

use granum_core::port::{SourceError, SourceErrorKind};

use crate::stream::Bytes;

/// So many bytes are looked at.
const BEGINNING: u64 = 512;

const EXPORT: &str = "export it as CSV, or look whether it is the file that was meant";

const BOOK: &str = "if it is a book of sheets, give it the ending that says so, such as .xlsx; else look whether it \
                    is the file that was meant";

/// How other formats begin, and what they are called, and what to do.
const FORMATS: [(&[u8], &str, &str); 12] = [
    (b"PK\x03\x04", "a zip archive or a workbook", BOOK),
    (b"%PDF-", "a PDF", EXPORT),
    (b"\x89PNG", "a picture", EXPORT),
    (b"\xff\xd8\xff", "a picture", EXPORT),
    (b"GIF8", "a picture", EXPORT),
    (
        b"SQLite format 3\0",
        "an SQLite database",
        "give it as a file whose name ends in .db, so that it is read as such",
    ),
    (b"PAR1", "Parquet", "end its name in .parquet, so that it is read as such"),
    (b"ARROW1", "Arrow", "end its name in .arrow, so that it is read as such"),
    (b"\xd0\xcf\x11\xe0", "a workbook or a document of an older kind", BOOK),
    (b"7z\xbc\xaf\x27\x1c", "an archive", EXPORT),
    (b"BZh", "packed by bzip2, which this version does not unpack", EXPORT),
    (b"\xfd7zXZ\0", "packed by xz, which this version does not unpack", EXPORT),
];

/// That a file is of another format, if its beginning says so.
///
/// # Errors
/// What it is, and what to do.
pub(super) fn check(bytes: &(impl Bytes + ?Sized), name: &str) -> Result<(), SourceError> {
    let mut begin = vec![];
    let Ok(file) = bytes.read_from(0) else { return Ok(()) };
    if file.take(BEGINNING).read_to_end(&mut begin).is_err() {
        return Ok(());
    }
    let Some((what, help)) = known(&begin) else { return Ok(()) };
    Err(SourceError {
        kind: SourceErrorKind::Format,
        file: name.to_owned(),
        line: None,
        message: format!("is {what}, not CSV"),
        help: help.into(),
    })
}

/// What a file is that begins so.
fn known(begin: &[u8]) -> Option<(&'static str, &'static str)> {
    if let Some((_, what, help)) = FORMATS.iter().find(|(start, ..)| begin.starts_with(start)) {
        return Some((what, help));
    }
    let text = begin.trim_ascii_start();
    let starts = |start: &str| {
        text.get(..start.len()).is_some_and(|own| own.eq_ignore_ascii_case(start.as_bytes()))
    };
    if starts("<!doctype html") || starts("<html") {
        let help = "it was fetched from a page that asks to sign in, or that says what went wrong: open it and see";
        return Some(("a web page", help));
    }
    if starts("<?xml") {
        return Some(("XML", EXPORT));
    }
    // A header may begin with a bracket; that a name in quotes follows at once is no header.
    let inside = text.strip_prefix(b"[").map_or(text, <[u8]>::trim_ascii_start);
    let object = inside.strip_prefix(b"{").map(<[u8]>::trim_ascii_start);
    object
        .filter(|rest| rest.starts_with(b"\""))
        .map(|_| ("JSON", "end its name in .json or .jsonl, so that it is read as such"))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn other_formats_are_known_and_headers_are_not_taken_for_them() {
        for begin in
            ["PK\u{3}\u{4}x", "%PDF-1.7", "  <HTML>", "{\"a\": 1}", " [ { \"a\"", "<?xml v"]
        {
            assert!(known(begin.as_bytes()).is_some(), "{begin}");
        }
        for begin in ["", "k,n\n", "[net],{x}\n", "{k},n\n", "<k>,n\n", "PK,n\n", "\"k\",n\n"] {
            assert!(known(begin.as_bytes()).is_none(), "{begin}");
        }
    }
}
