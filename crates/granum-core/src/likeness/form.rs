//! What is left of a name when all is taken away that people write now this way and now that.

use unicode_normalization::UnicodeNormalization;
use unicode_normalization::char::is_combining_mark;

use crate::tally::LikeReason;

/// What companies are by law, as names end: it tells nobody apart.
const LEGAL: &[&str] = &[
    "ab",
    "ag",
    "as",
    "bv",
    "co",
    "company",
    "corp",
    "corporation",
    "doo",
    "eg",
    "ek",
    "ev",
    "gbr",
    "gmbh",
    "inc",
    "incorporated",
    "kg",
    "kk",
    "limited",
    "llc",
    "llp",
    "lp",
    "ltd",
    "nv",
    "og",
    "ohg",
    "oy",
    "plc",
    "pty",
    "sa",
    "sarl",
    "sas",
    "se",
    "sl",
    "spa",
    "srl",
    "ug",
];

/// Of so many letters one may be wrong.
const SLIP: usize = 7;

/// Words between others that are also written by a sign.
const BETWEEN: &[&str] = &["and", "et", "und", "y"];

/// A name, each time with more taken away.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct Forms {
    /// In small letters, with a space for every run of signs.
    plain: String,
    /// The same without accents.
    bare: String,
    /// The same without what a company is by law.
    own: String,
    /// The same with its words in order.
    pub sorted: String,
}

impl Forms {
    pub fn of(name: &str) -> Self {
        let small = name.to_lowercase();
        // `a.b.` is one word, `a & b` two.
        let joined = small.replace(['.', '\''], "");
        let words = |text: &str| -> Vec<String> {
            let parts = text.split(|letter: char| !letter.is_alphanumeric());
            parts.filter(|part| !part.is_empty()).map(str::to_owned).collect()
        };
        let plain = words(&joined).join(" ");
        let bare = without_accents(&plain);
        let mut own: Vec<&str> = bare.split(' ').collect();
        own.retain(|word| !LEGAL.contains(word) && !BETWEEN.contains(word));
        // A name of nothing else stays.
        let mut own: Vec<&str> = if own.is_empty() { bare.split(' ').collect() } else { own };
        let kept = own.join(" ");
        own.sort_unstable();
        let sorted = own.join(" ");
        Self { plain, bare, own: kept, sorted }
    }

    /// The least that must be taken away until two names are one; nothing where they never are.
    pub fn equal(&self, other: &Self) -> Option<LikeReason> {
        let pairs = [
            (&self.plain, &other.plain, LikeReason::Signs),
            (&self.bare, &other.bare, LikeReason::Accents),
            (&self.own, &other.own, LikeReason::LegalForm),
            (&self.sorted, &other.sorted, LikeReason::WordOrder),
        ];
        pairs.into_iter().find(|(own, other, _)| own == other).map(|(.., reason)| reason)
    }

    /// How like two names are, of 100, by the letters that must change in their words, and how many those are;
    /// nothing where they are more than slips of the pen.
    pub fn letters(&self, other: &Self) -> Option<(u8, usize)> {
        let pairs = [(&self.sorted, &other.sorted), (&self.own, &other.own)];
        let changes = pairs.map(|(own, other)| strsim::osa_distance(own, other));
        let least = changes[0].min(changes[1]);
        let long = self.sorted.chars().count().max(other.sorted.chars().count()).max(1);
        let like = 100_usize.saturating_sub((least * 100).div_ceil(long));
        (least <= (long / SLIP).max(1)).then_some((like as u8, least))
    }
}

/// Letters without the marks on them: `é` is `e`, `ß` is `ss`.
fn without_accents(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    for letter in text.nfd().filter(|letter| !is_combining_mark(*letter)) {
        match letter {
            'ß' => out.push_str("ss"),
            'æ' => out.push_str("ae"),
            'œ' => out.push_str("oe"),
            'ø' => out.push('o'),
            'ł' => out.push('l'),
            'đ' | 'ð' => out.push('d'),
            'þ' => out.push_str("th"),
            'ı' => out.push('i'),
            letter => out.push(letter),
        }
    }
    out
}
