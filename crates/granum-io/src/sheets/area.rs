//! Cells by their letters and numbers: `C17`, and what lies between two of them.

use std::fmt::Write;

/// A sheet has so many columns at most, up to `XFD`.
pub(super) const COLUMNS: u32 = 1 << 14;

/// A sheet has so many rows at most.
pub(super) const ROWS: u32 = 1 << 20;

/// The cells that are meant, counted from 0; both ends are among them.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Area {
    pub columns: (u32, u32),
    pub rows: (u32, u32),
}

impl Area {
    /// The whole of a sheet.
    pub const WHOLE: Self = Self { columns: (0, COLUMNS - 1), rows: (0, ROWS - 1) };

    /// `B4:H900`; without a number at an end as far as the sheet goes there: `B:H`, `B4:H`.
    pub fn parse(text: &str) -> Option<Self> {
        let text = text.trim().replace('$', "").to_ascii_uppercase();
        let (from, to) = text.split_once(':')?;
        let (from, to) = (end(from)?, end(to)?);
        let rows = (from.1.unwrap_or(0), to.1.unwrap_or(ROWS - 1));
        let area = Self { columns: (from.0, to.0), rows };
        (area.columns.0 <= area.columns.1 && area.rows.0 <= area.rows.1).then_some(area)
    }

    pub fn has_column(&self, column: u32) -> bool {
        (self.columns.0..=self.columns.1).contains(&column)
    }
}

/// A column and perhaps a row.
fn end(text: &str) -> Option<(u32, Option<u32>)> {
    let letters = text.bytes().take_while(u8::is_ascii_uppercase).count();
    let (column, row) = text.split_at(letters);
    if column.is_empty() || column.len() > 3 {
        return None;
    }
    let column = column.bytes().fold(0, |all, letter| all * 26 + u32::from(letter - b'A') + 1) - 1;
    if column >= COLUMNS {
        return None;
    }
    if row.is_empty() {
        return Some((column, None));
    }
    let row: u32 = row.parse().ok()?;
    (1..=ROWS).contains(&row).then(|| (column, Some(row - 1)))
}

/// The letters of a column, counted from 0.
pub(super) fn letters(column: u32) -> String {
    let (mut left, mut out) = (column + 1, vec![]);
    while left > 0 {
        left -= 1;
        out.push(char::from(b'A' + (left % 26) as u8));
        left /= 26;
    }
    out.iter().rev().collect()
}

/// A cell as people name it, by its column and row, counted from 0.
pub(super) fn cell(column: u32, row: u32) -> String {
    let mut out = letters(column);
    let _ = write!(out, "{}", row + 1);
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn an_area_is_what_lies_between_two_cells() {
        let area = |text: &str| Area::parse(text).map(|area| (area.columns, area.rows));
        assert_eq!(area("B4:H900"), Some(((1, 7), (3, 899))));
        assert_eq!(area(" $b$4:$h$900 "), Some(((1, 7), (3, 899))));
        assert_eq!(area("B:H"), Some(((1, 7), (0, ROWS - 1))));
        assert_eq!(area("B4:H"), Some(((1, 7), (3, ROWS - 1))));
        assert_eq!(area("A1:XFD1048576"), Some((Area::WHOLE.columns, Area::WHOLE.rows)));
        let wrong =
            ["", "B4", "4:9", "H4:B9", "B9:H4", "B0:H4", "B4:XFE9", "AAAA1:B2", "B4:H900:K"];
        for text in wrong {
            assert_eq!(area(text), None, "{text}");
        }
    }

    #[test]
    fn columns_have_letters() {
        let named = [0, 25, 26, 51, 52, 701, 702, COLUMNS - 1].map(letters);
        assert_eq!(named, ["A", "Z", "AA", "AZ", "BA", "ZZ", "AAA", "XFD"]);
        assert_eq!(cell(2, 16), "C17");
    }
}
