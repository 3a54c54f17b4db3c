//! How a file is written, told from its beginning: encoding, delimiter, line ends, and where its
//! header stands.

use granum_core::port::{SourceError, Written};
use std::io::{Read, Seek, SeekFrom};
use std::path::Path;

use serde::Serialize;

use super::footer::totals;
use super::foreign;
use super::reader::system_error;
use super::scan::{Field, Scanner};
use crate::stream::Opening;

/// So much of a file is looked at.
const SAMPLE: u64 = 1 << 18;

/// So many records are looked at.
const RECORDS: usize = 200;

/// Signs that are tried between fields.
const DELIMITERS: [u8; 4] = [b',', b';', b'\t', b'|'];

/// What files that are not UTF-8 are mostly written in.
pub(crate) const OTHER_ENCODING: &str = "windows-1252";

/// How a file was found to be written.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Look {
    /// The format.
    pub format: &'static str,
    /// The encoding, as people name it.
    pub encoding: String,
    /// The encoding as a plan has to name it; nothing for UTF-8, and UTF-16 with a mark.
    pub named_encoding: Option<String>,
    /// The sign between fields.
    pub delimiter: char,
    /// The line of the header, where it is not the first.
    pub header_at: Option<u64>,
    /// How many records below the rows are none, such as a total.
    pub footer: Option<u64>,
    /// How lines end.
    pub line_ends: LineEnds,
    /// How many bytes the file has.
    pub bytes: u64,
    /// Of a book the sheet.
    pub sheet: Option<String>,
    /// Its cells that are meant, where somebody said it.
    pub range: Option<String>,
    /// Of a database the table.
    pub named: Option<String>,
}

/// How lines end.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(rename_all = "kebab-case")]
pub enum LineEnds {
    /// `\n`
    LineFeed,
    /// `\r\n`
    CarriageReturnLineFeed,
    /// Both.
    Mixed,
    /// There is one line only.
    None,
}

/// Looks at a file's beginning.
///
/// # Errors
/// As when it is read: it is missing, a folder, damaged, or its encoding is unknown.
pub(crate) fn look(path: &Path, name: &str, said: &Written) -> Result<Look, SourceError> {
    let system = |error: std::io::Error| system_error(name, &error);
    let data = std::fs::metadata(path).map_err(system)?;
    if data.is_dir() {
        return Err(system(std::io::ErrorKind::IsADirectory.into()));
    }
    foreign::check(path, name)?;
    let mut named = said.encoding.clone();
    let mut text =
        beginning(path, name, named.as_deref()).map_err(|error| error.into_source(name))?;
    if named.is_none()
        && let Some(encoding) = unmarked(&text)
    {
        named = Some(encoding.into());
        text = beginning(path, name, named.as_deref()).map_err(|error| error.into_source(name))?;
    }
    if named.is_none() && !is_utf8(&text) {
        named = Some(OTHER_ENCODING.into());
        text = beginning(path, name, named.as_deref()).map_err(|error| error.into_source(name))?;
    }
    let mark = Opening::new(path, name, named.as_deref())?.with_mark_of(path).map_err(system)?;
    let named_sign = said_by_itself(&text);
    let delimiter = said.delimiter.or(named_sign).unwrap_or_else(|| delimiter(&text));
    Ok(Look {
        format: "CSV",
        encoding: named.clone().or_else(|| mark.encoding_name()).unwrap_or("UTF-8".into()),
        named_encoding: named,
        delimiter: delimiter.into(),
        header_at: said
            .header_at
            .or_else(|| named_sign.map(|_| 2).or_else(|| header_at(&text, delimiter))),
        footer: said.footer.or_else(|| footer(path, mark, &text, delimiter)),
        line_ends: line_ends(&text),
        bytes: data.len(),
        sheet: None,
        range: None,
        named: None,
    })
}

enum Failed {
    Source(SourceError),
    System(std::io::Error),
}

impl Failed {
    fn into_source(self, name: &str) -> SourceError {
        match self {
            Self::Source(error) => error,
            Self::System(error) => system_error(name, &error),
        }
    }
}

/// The first bytes of a file's text.
fn beginning(path: &Path, name: &str, encoding: Option<&str>) -> Result<Vec<u8>, Failed> {
    let opening = Opening::new(path, name, encoding).map_err(Failed::Source)?;
    let opening = opening.with_mark_of(path).map_err(Failed::System)?;
    let stream = opening.open(path, 0).map_err(Failed::System)?;
    let mut text = vec![];
    stream.take(SAMPLE).read_to_end(&mut text).map_err(Failed::System)?;
    Ok(text)
}

/// The encoding of a text in UTF-16 that has no mark: mostly every other byte of it is zero.
fn unmarked(text: &[u8]) -> Option<&'static str> {
    let zeros = |from: usize| text.iter().skip(from).step_by(2).filter(|byte| **byte == 0).count();
    let (even, odd, half) = (zeros(0), zeros(1), text.len() / 2);
    match (even * 2 > half, odd * 2 > half) {
        (false, true) => Some("utf-16le"),
        (true, false) => Some("utf-16be"),
        _ => None,
    }
}

/// Whether bytes are UTF-8, but for a letter that the end may have cut.
fn is_utf8(text: &[u8]) -> bool {
    std::str::from_utf8(text).err().is_none_or(|error| error.error_len().is_none())
}

/// The first records, each with where it begins, without one that the end may have cut.
fn records(text: &[u8], delimiter: u8) -> Vec<(usize, Vec<Field>)> {
    let mut scanner = Scanner::new(text, delimiter);
    let mut found = vec![];
    let mut fields = vec![];
    while found.len() < RECORDS {
        let start = scanner.position();
        if !matches!(scanner.next(&mut fields), Ok(true)) {
            break;
        }
        let record = &text[start..scanner.position()];
        if record.iter().any(|byte| !matches!(byte, b'\r' | b'\n')) {
            found.push((start, fields.clone()));
        }
    }
    if found.len() > 1 && text.len() as u64 == SAMPLE {
        found.pop();
    }
    found
}

/// How many fields most records have, and how many records those are.
fn usual_width(records: &[(usize, Vec<Field>)]) -> (usize, usize) {
    let widths: Vec<usize> = records.iter().map(|(_, fields)| fields.len()).collect();
    let count = |width: usize| widths.iter().filter(|other| **other == width).count();
    let all = widths.iter().map(|width| (count(*width), *width));
    all.max().map_or((1, 0), |(records, width)| (width, records))
}

/// The sign that takes most records apart into the same number of fields.
fn delimiter(text: &[u8]) -> u8 {
    let judged = DELIMITERS.into_iter().rev().map(|sign| {
        let records = records(text, sign);
        let (width, agreeing) = usual_width(&records);
        let share = if width > 1 { agreeing * 100 / records.len().max(1) } else { 0 };
        (share, width, sign)
    });
    judged
        .max_by_key(|(share, width, _)| (*share, *width))
        .map_or(b',', |(share, _, sign)| if share == 0 { b',' } else { sign })
}

/// The line of the header, where lines of another width stand above it.
fn header_at(text: &[u8], delimiter: u8) -> Option<u64> {
    let records = records(text, delimiter);
    let (width, agreeing) = usual_width(&records);
    let (_, first) = records.first()?;
    // Rows that all end with a delimiter are one field longer than their header.
    let ended = records[1..].iter().all(|(_, fields)| {
        fields.len() == first.len() + 1 && fields.last().is_some_and(|last| last.start == last.end)
    });
    // A file that is cut off in its first row should be told so, not read from further below.
    if ended || first.len() >= width || agreeing < 2 || width < 2 {
        return None;
    }
    let (start, _) = records.iter().find(|(_, fields)| fields.len() == width)?;
    Some(memchr::memchr_iter(b'\n', &text[..*start]).count() as u64 + 1)
}

/// The sign between fields that a first line such as `sep=;` names: a word to a spreadsheet.
pub(super) fn said_by_itself(text: &[u8]) -> Option<u8> {
    let text = text.strip_prefix(b"\xEF\xBB\xBF").unwrap_or(text);
    let line = text.split(|byte| matches!(byte, b'\r' | b'\n')).next()?;
    let line = line.strip_prefix(b"\"").and_then(|line| line.strip_suffix(b"\"")).unwrap_or(line);
    match line {
        [s, e, p, b'=', sign] if [s, e, p].map(u8::to_ascii_lowercase) == *b"sep" => Some(*sign),
        _ => None,
    }
}

/// How many records at the end of a file are no rows: of another width than the rows, or one that
/// begins with a word for a total. Of a file that is packed, or in another encoding, nothing is known.
fn footer(path: &Path, opening: Opening, text: &[u8], delimiter: u8) -> Option<u64> {
    const TAIL: u64 = 1 << 12;
    const LINES: usize = 16;
    let (width, agreeing) = usual_width(&records(text, delimiter));
    if !opening.is_plain() || agreeing < 2 {
        return None;
    }
    let mut file = std::fs::File::open(path).ok()?;
    let length = file.metadata().ok()?.len();
    file.seek(SeekFrom::Start(length.saturating_sub(TAIL))).ok()?;
    let mut tail = vec![];
    file.read_to_end(&mut tail).ok()?;
    if length <= TAIL {
        return footer_of(&tail, delimiter, width, false);
    }
    // A record may go over several lines, and a quote may have been opened before what is seen here:
    // then rows seem to have other widths, and begin with another line.
    let quoted = memchr::memchr(b'"', &tail).is_some();
    let lines = memchr::memchr_iter(b'\n', &tail).take(LINES);
    let mut begun = lines.map(|end| footer_of(&tail[end + 1..], delimiter, width, quoted));
    begun.find_map(|found| found)
}

/// How many records at the end of the last of a file are no rows. Where that is `unsure` to begin
/// with a row, all records before them must be rows.
fn footer_of(tail: &[u8], delimiter: u8, width: usize, unsure: bool) -> Option<u64> {
    const MOST: usize = 5;
    let mut scanner = Scanner::new(tail, delimiter);
    let mut found: Vec<(usize, String)> = vec![];
    let mut fields = vec![];
    loop {
        let start = scanner.position();
        if !scanner.next(&mut fields).ok()? {
            break;
        }
        let record = String::from_utf8_lossy(&tail[start..scanner.position()]);
        if !record.trim_matches(['\r', '\n']).is_empty() {
            let first = record.split(char::from(delimiter)).next().unwrap_or_default();
            found.push((fields.len(), first.to_owned()));
        }
    }
    // A record that is cut off is as short as a footer; only what reads like one is taken for it.
    let odd = |(own, first): &(usize, String)| totals(first) || (*own == 1 && width > 2);
    let count = found.iter().rev().take_while(|record| odd(record)).count();
    let rows = found.len() - count;
    let seen = if unsure { &found[..rows] } else { &found[rows.saturating_sub(1)..rows] };
    let sure = rows > 1 && seen.iter().all(|(own, _)| *own == width);
    (count > 0 && count <= MOST && sure).then_some(count as u64)
}

fn line_ends(text: &[u8]) -> LineEnds {
    let all = memchr::memchr_iter(b'\n', text).count();
    let both = memchr::memmem::find_iter(text, b"\r\n").count();
    match (all, both) {
        (0, _) => LineEnds::None,
        (_, 0) => LineEnds::LineFeed,
        (all, both) if all == both => LineEnds::CarriageReturnLineFeed,
        _ => LineEnds::Mixed,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_delimiter_is_the_sign_that_all_rows_agree_on() {
        let cases: [(&str, u8); 6] = [
            ("a,b\n1,2\n", b','),
            ("a;b\n1,5;2\n2,5;3\n", b';'),
            ("a\tb\n1\t2\n", b'\t'),
            ("a|b|c\n1|2|3\n", b'|'),
            ("only\none\n", b','),
            ("a,b\n\"x;y;z\",2\n\"x;y;z\",3\n", b','),
        ];
        for (text, expected) in cases {
            assert_eq!(delimiter(text.as_bytes()), expected, "{text:?}");
        }
    }

    #[test]
    fn the_header_is_found_below_other_lines() {
        let at = |text: &str| header_at(text.as_bytes(), b',');
        assert_eq!(at("a,b\n1,2\n3,4\n"), None);
        assert_eq!(at("Orders of June\n\na,b\n1,2\n3,4\n"), Some(3));
        // A file with one long row is not a file with a header further below.
        assert_eq!(at("a,b\n1,2,3\n"), None);
    }

    #[test]
    fn line_ends_are_told_apart() {
        assert_eq!(line_ends(b"a\nb\n"), LineEnds::LineFeed);
        assert_eq!(line_ends(b"a\r\nb\r\n"), LineEnds::CarriageReturnLineFeed);
        assert_eq!(line_ends(b"a\r\nb\n"), LineEnds::Mixed);
        assert_eq!(line_ends(b"a"), LineEnds::None);
    }
}
