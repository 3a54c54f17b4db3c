//! How numbers are written, shown by an example: `1.234,56`, `€ 1,234.56`, `(1,234.56)`.

use super::{Scale, decimal};

/// What an example shows: which signs set off thousands and places, what stands around the digits,
/// and how a negative is written.
///
/// A cell may leave out the thousands' signs (all of them) and what stands around. A minus before
/// the number is always understood.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NumberExample {
    before: String,
    after: String,
    group: Option<char>,
    point: Option<char>,
    places: u8,
    brackets: bool,
    trailing_minus: bool,
}

const MINUS: [char; 2] = ['-', '\u{2212}'];

fn is_space(letter: char) -> bool {
    letter.is_whitespace() || letter == '\u{202f}'
}

impl NumberExample {
    /// Understands an example. `whole` is said of whole numbers, which have no places: a lone sign
    /// before three digits can only set off thousands there.
    ///
    /// # Errors
    /// What is wrong with it, in words: no digits, signs that do not set off thousands, or an
    /// example that could be read two ways (`1.234`).
    pub fn parse(text: &str, whole: bool) -> Result<Self, String> {
        let trimmed = text.trim_matches(is_space);
        let inner = trimmed.strip_prefix('(').and_then(|rest| rest.strip_suffix(')'));
        let brackets = inner.is_some();
        let rest = inner.unwrap_or(trimmed);
        let trailing_minus = !brackets && rest.ends_with(MINUS);
        let rest = if trailing_minus { rest.trim_end_matches(MINUS) } else { rest };
        let (Some(first), Some(last)) = (
            rest.find(|letter: char| letter.is_ascii_digit()),
            rest.rfind(|letter: char| letter.is_ascii_digit()),
        ) else {
            return Err("it has no digits".into());
        };
        let around =
            |text: &str| text.trim_matches(|c| is_space(c) || MINUS.contains(&c)).to_owned();
        let body = &rest[first..=last];
        let (group, point) = signs(body, whole)?;
        let example = Self {
            before: around(&rest[..first]),
            after: around(&rest[last + 1..]),
            group,
            point,
            places: point.map_or(0, |point| body.rsplit(point).next().map_or(0, str::len) as u8),
            brackets,
            trailing_minus,
        };
        if example.read(text, &mut vec![]).is_none() {
            return Err(
                "thousands are three digits each, and nothing else stands between them".into()
            );
        }
        Ok(example)
    }

    /// How many places it shows.
    pub fn places(&self) -> Scale {
        Scale(self.places)
    }

    /// Reads a cell that is written like the example: its units and the places as written.
    /// `digits` is room to work in.
    pub fn read(&self, cell: &str, digits: &mut Vec<u8>) -> Option<(i128, Scale)> {
        let mut rest = cell.trim_matches(is_space);
        let mut minuses = 0;
        if self.brackets
            && let Some(inner) = rest.strip_prefix('(').and_then(|rest| rest.strip_suffix(')'))
        {
            minuses += 1;
            rest = inner.trim_matches(is_space);
        }
        if self.trailing_minus
            && let Some(number) = rest.strip_suffix(MINUS)
        {
            minuses += 1;
            rest = number.trim_end_matches(is_space);
        }
        // The sign may stand on either side of what stands before the digits.
        let mut sign = |rest: &mut &str| {
            if let Some(number) = rest.strip_prefix(MINUS) {
                minuses += 1;
                *rest = number.trim_start_matches(is_space);
            }
        };
        sign(&mut rest);
        if let Some(number) = rest.strip_prefix(self.before.as_str()) {
            rest = number.trim_start_matches(is_space);
        }
        sign(&mut rest);
        if let Some(number) = rest.strip_suffix(self.after.as_str()) {
            rest = number.trim_end_matches(is_space);
        }
        if minuses > 1 {
            return None;
        }
        let (whole, places) = match self.point.and_then(|point| rest.split_once(point)) {
            Some((whole, places)) => (whole, Some(places)),
            None => (rest, None),
        };
        digits.clear();
        if minuses == 1 {
            digits.push(b'-');
        }
        for (at, run) in whole.split(|letter| Some(letter) == self.group).enumerate() {
            let grouped = at > 0 || run.len() < whole.len();
            let fits = if at > 0 { run.len() == 3 } else { !grouped || run.len() <= 3 };
            if !fits || run.is_empty() {
                return None;
            }
            digits.extend_from_slice(run.as_bytes());
        }
        if let Some(places) = places {
            digits.push(b'.');
            digits.extend_from_slice(places.as_bytes());
        }
        // Whatever is no digit by now does not belong there.
        decimal::parse(digits)
    }
}

/// The sign that sets off thousands and the one before the places.
fn signs(body: &str, whole: bool) -> Result<(Option<char>, Option<char>), String> {
    let found: Vec<(usize, char)> =
        body.char_indices().filter(|(_, letter)| !letter.is_ascii_digit()).collect();
    let mut kinds: Vec<char> = vec![];
    found.iter().for_each(|(_, sign)| {
        if !kinds.contains(sign) {
            kinds.push(*sign);
        }
    });
    match (kinds.as_slice(), found.as_slice()) {
        ([], _) => Ok((None, None)),
        ([sign], [(at, _)]) => {
            let behind = body.len() - at - sign.len_utf8();
            // Thousands that are set off have one to three digits before them, and no zero first.
            let alone = behind != 3 || *at > 3 || body.starts_with('0');
            let places_only = matches!(sign, '.' | ',') && alone;
            let thousands_only = !matches!(sign, '.' | ',') || whole;
            match (places_only, thousands_only) {
                (true, false) => Ok((None, Some(*sign))),
                (false, true) => Ok((Some(*sign), None)),
                (true, true) => Err("whole numbers have no places".into()),
                (false, false) => {
                    let digits: String = body.chars().filter(char::is_ascii_digit).collect();
                    Err(format!(
                        "it could be read two ways, as {digits} or as {}: show both signs, as in \
                         \"1.234,56\" or \"1,234.56\"",
                        body.replace(*sign, ".")
                    ))
                }
            }
        }
        ([sign], _) => Ok((Some(*sign), None)),
        ([group, point], _) if matches!(point, '.' | ',') => {
            if found.iter().filter(|(_, sign)| sign == point).count() > 1 {
                return Err("only one sign can stand before the places".into());
            }
            if whole {
                return Err("whole numbers have no places".into());
            }
            Ok((Some(*group), Some(*point)))
        }
        _ => Err("it is no number".into()),
    }
}
