//! What is wrong with a plan, as values: a stable kind, the words it points at, and a way out.

use serde::Serialize;

use super::token::Span;

/// The stable kind of a diagnostic. Tests and tools match on it; messages may improve.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum DiagnosticKind {
    /// A sign or word that the language does not have there.
    Syntax,
    /// Text or a block without its closing quotes, or a number that cannot be held.
    Token,
    /// A part of the language that this version does not run.
    NotYet,
    /// A name that nothing has.
    UnknownName,
    /// A name that stands twice.
    NameTaken,
    /// Values of types that do not go together.
    Type,
    /// An amount that would be counted more than once.
    CountedTwice,
    /// Amounts that count apart, in currencies or other measures, and would meet.
    CountedApart,
    /// A path that no link leads along, or that may not be used there.
    Path,
    /// Tables that wait for each other.
    Circle,
    /// A grain that a step would break.
    Grain,
    /// A step where it may not stand.
    Step,
    /// A parameter that is missing, doubled or of the wrong type.
    Parameter,
    /// A password where others would read it.
    Secret,
}

impl DiagnosticKind {
    /// The kind's name as it is printed: `not-yet`.
    pub fn name(self) -> &'static str {
        match self {
            Self::Syntax => "syntax",
            Self::Token => "token",
            Self::NotYet => "not-yet",
            Self::UnknownName => "unknown-name",
            Self::NameTaken => "name-taken",
            Self::Type => "type",
            Self::CountedTwice => "counted-twice",
            Self::CountedApart => "counted-apart",
            Self::Path => "path",
            Self::Circle => "circle",
            Self::Grain => "grain",
            Self::Step => "step",
            Self::Parameter => "parameter",
            Self::Secret => "secret",
        }
    }
}

/// One thing that is wrong with a plan.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Diagnostic {
    /// The stable kind.
    pub kind: DiagnosticKind,
    /// The words it points at.
    pub span: Span,
    /// What is wrong, in one sentence without a full stop.
    pub message: String,
    /// What stands under the words; may be empty.
    pub label: String,
    /// What to do.
    pub help: Option<String>,
    /// Other places that matter, each with a word on why.
    pub also: Vec<(Span, String)>,
}

impl Diagnostic {
    /// A diagnostic with a message and nothing else yet.
    pub fn new(kind: DiagnosticKind, span: Span, message: impl Into<String>) -> Self {
        Self { kind, span, message: message.into(), label: String::new(), help: None, also: vec![] }
    }

    /// The same with words under the excerpt.
    #[must_use]
    pub fn label(mut self, label: impl Into<String>) -> Self {
        self.label = label.into();
        self
    }

    /// The same with a way out.
    #[must_use]
    pub fn help(mut self, help: impl Into<String>) -> Self {
        self.help = Some(help.into());
        self
    }

    /// The same with another place.
    #[must_use]
    pub fn also(mut self, span: Span, why: impl Into<String>) -> Self {
        self.also.push((span, why.into()));
        self
    }
}

/// Names of more letters are no likely slips of each other.
const LONGEST: usize = 200;

/// The name among `known` that is most like `name`, if one is like it at all: case first, then a
/// small edit distance. Ties go to the earlier one.
pub fn nearest<'a>(name: &str, known: impl IntoIterator<Item = &'a str>) -> Option<&'a str> {
    let lower = name.to_lowercase();
    let letters = name.chars().count();
    // Of one letter, every other is as near.
    let far = if letters < 2 { 0 } else { 1 + letters / 4 };
    let mut best: Option<(usize, &str)> = None;
    for candidate in known {
        let distance = if candidate.to_lowercase() == lower {
            0
        } else if letters.max(candidate.chars().count()) > LONGEST {
            // Nobody mistypes such a name, and to compare it letter by letter takes too long.
            continue;
        } else {
            1 + strsim::damerau_levenshtein(&lower, &candidate.to_lowercase())
        };
        if distance <= far + 1 && best.is_none_or(|(least, _)| distance < least) {
            best = Some((distance, candidate));
        }
    }
    best.map(|(_, candidate)| candidate)
}

/// The same; else the first name that begins with `name`, or that `name` begins with, where the
/// shorter of both has three letters at least.
pub fn nearest_or_longer<'a>(
    name: &str,
    known: impl IntoIterator<Item = &'a str> + Clone,
) -> Option<&'a str> {
    let lower = name.to_lowercase();
    let begins = |candidate: &&str| {
        let other = candidate.to_lowercase();
        let short = lower.chars().count().min(other.chars().count());
        short >= 3 && (other.starts_with(&lower) || lower.starts_with(&other))
    };
    nearest(name, known.clone()).or_else(|| known.into_iter().find(begins))
}
