//! Which of several rows is wanted: `latest sent_at, largest version`.

use serde::{Deserialize, Serialize};

use super::format::layout::name;
use super::parse::cursor::{Found, Parser};
use super::terms::Name;

/// Which value wins.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Preference {
    /// The latest day or time.
    Latest,
    /// The earliest day or time.
    Earliest,
    /// The largest number.
    Largest,
    /// The smallest number.
    Smallest,
}

impl Preference {
    /// The word in a plan.
    pub fn word(self) -> &'static str {
        match self {
            Self::Latest => "latest",
            Self::Earliest => "earliest",
            Self::Largest => "largest",
            Self::Smallest => "smallest",
        }
    }
}

const ALL: [Preference; 4] =
    [Preference::Latest, Preference::Earliest, Preference::Largest, Preference::Smallest];

impl Parser {
    /// Whether the word `ahead` is one of them, with a column behind it.
    pub(super) fn at_preference(&self, ahead: usize) -> Option<Preference> {
        let mut all = ALL.into_iter();
        all.find(|preference| {
            matches!(self.peek_after(ahead), super::token::TokenKind::Word(word)
                if word == preference.word())
                && self.at_name(ahead + 1)
        })
    }

    /// A column and which value of it wins, if it stands here.
    pub(super) fn preference(&mut self) -> Found<Option<(Preference, Name)>> {
        let Some(preference) = self.at_preference(0) else { return Ok(None) };
        self.advance();
        Ok(Some((preference, self.name("a column")?)))
    }
}

/// `latest sent_at, largest version`
pub(super) fn words(best: &[(Preference, Name)]) -> String {
    let words =
        best.iter().map(|(preference, column)| format!("{} {}", preference.word(), name(column)));
    words.collect::<Vec<_>>().join(", ")
}
