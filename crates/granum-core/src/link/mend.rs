//! What can be done to keys so that more of them match: as changes that are worked here, and as the
//! expressions that a plan works.

use std::borrow::Cow;

use crate::lang::quoted;

/// One change of a text. What is left of nothing is blank, and a blank key leads nowhere.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum Change {
    /// Without the white space around.
    Trim,
    Upper,
    Lower,
    /// Without the zeros that it begins with.
    Zeros,
    /// Without a sign.
    Without(char),
    /// Without a text before or behind; where not all keys have it, those are left as they are.
    Cut {
        end: End,
        text: String,
        all: bool,
    },
}

/// Where something fixed stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) enum End {
    Before,
    Behind,
}

impl End {
    /// A text without something fixed, if it stands there and something is left.
    pub fn without<'t>(self, text: &'t str, fixed: &str) -> Option<&'t str> {
        let rest = match self {
            Self::Before => text.strip_prefix(fixed),
            Self::Behind => text.strip_suffix(fixed),
        };
        rest.filter(|rest| !rest.is_empty())
    }
}

impl Change {
    /// The text after the change, as the expression gives it; not copied where it stays as it is.
    pub fn apply<'t>(&self, text: &'t str) -> Cow<'t, str> {
        match self {
            Self::Trim => text.trim().into(),
            Self::Upper if text.is_ascii() => {
                letters(text, u8::is_ascii_lowercase, str::to_ascii_uppercase)
            }
            Self::Upper => text.to_uppercase().into(),
            Self::Lower if text.is_ascii() => {
                letters(text, u8::is_ascii_uppercase, str::to_ascii_lowercase)
            }
            Self::Lower => text.to_lowercase().into(),
            Self::Zeros => text.trim_start_matches('0').into(),
            Self::Without(sign) if !text.contains(*sign) => text.into(),
            Self::Without(sign) => text.replace(*sign, "").into(),
            Self::Cut { end, text: fixed, .. } => end.without(text, fixed).unwrap_or(text).into(),
        }
    }

    /// The expression that makes the change, as it is written in a plan.
    pub fn expression(&self, inner: &str) -> String {
        match self {
            Self::Trim => format!("trim({inner})"),
            Self::Upper => format!("upper({inner})"),
            Self::Lower => format!("lower({inner})"),
            Self::Zeros => format!("trim_left({inner}, \"0\")"),
            Self::Without(sign) => {
                format!("replace({inner}, {}, \"\")", quoted(&sign.to_string()))
            }
            Self::Cut { end, text, all } => {
                let length = text.chars().count();
                let (keeps, stands) = match end {
                    End::Before => ("right", "starts_with"),
                    End::Behind => ("left", "ends_with"),
                };
                let cut = format!("{keeps}({inner}, length({inner}) - {length})");
                if *all {
                    cut
                } else {
                    format!("(if {stands}({inner}, {}) then {cut} else {inner})", quoted(text))
                }
            }
        }
    }
}

/// A text, changed if one of its letters is such a one.
fn letters(text: &str, is: fn(&u8) -> bool, change: fn(&str) -> String) -> Cow<'_, str> {
    if text.as_bytes().iter().any(is) { change(text).into() } else { text.into() }
}

/// A text after several changes; nothing where it is blank then.
pub(crate) fn changed<'t>(changes: &[Change], text: &'t str) -> Option<Cow<'t, str>> {
    let mut text = Cow::Borrowed(text);
    for change in changes {
        text = match text {
            Cow::Borrowed(text) => change.apply(text),
            Cow::Owned(text) => Cow::Owned(change.apply(&text).into_owned()),
        };
    }
    Some(text).filter(|text| !text.is_empty())
}

/// The expression of several changes.
pub(crate) fn expression(changes: &[Change], words: &str) -> String {
    changes.iter().fold(words.to_owned(), |inner, change| change.expression(&inner))
}

/// Of some changes those that change something on one side; `any` says whether a change does, behind
/// those before it.
pub(crate) fn needed(changes: &[Change], any: impl Fn(&[Change], &Change) -> bool) -> Vec<Change> {
    let mut needed: Vec<Change> = vec![];
    for change in changes {
        if any(&needed, change) {
            needed.push(change.clone());
        }
    }
    needed
}

/// A key as a plan writes it: once where both sides are called the same.
pub(crate) fn pair_words(left: &str, right: &str) -> String {
    if left == right { left.to_owned() } else { format!("{left} = {right}") }
}
