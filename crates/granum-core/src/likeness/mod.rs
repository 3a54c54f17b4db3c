//! Names that are not equal and may be meant alike: pairs for a person to look at. Nothing is ever joined by them.
//!
//! Of each name is taken away what is written now this way and now that (signs, accents, what a company is by law, the
//! order of words); what is left is compared letter by letter, with those names only that have some of its
//! groups of three letters.

mod form;

use std::cmp::Reverse;
use std::collections::HashMap;

use rayon::prelude::*;

use crate::port::{InputColumn, InputSource, ReadRequest, ReadRule, SourceError};
use crate::survey::{Dictionary, Print};
use crate::table::Column;
use crate::tally::{LikePair, LikeReason, Likeness};
use crate::value::Type;
use form::Forms;

/// Pairs are told from this on, of 100.
const LIKE: u8 = 78;

/// The nearest of each name are told, up to so many.
const EACH: usize = 3;

/// So many names that share most with a name are looked at letter by letter.
const LOOKED_AT: usize = 16;

/// The rarest groups of letters are followed to so many names; common ones tell little.
const FOLLOWED: usize = 10_000;

/// Of names as short as these every other is like.
const SHORTEST: usize = 4;

/// The different texts of a column with their rows, in the order in which they first appear. Blanks are left out.
///
/// # Errors
/// A file that cannot be read.
fn names(source: &dyn InputSource, column: usize) -> Result<Dictionary, SourceError> {
    let rule = Some(ReadRule::plain(Type::Text));
    let columns = vec![InputColumn { column, ty: Type::Text, rule }];
    let mut reader = source.read(ReadRequest { columns, ..ReadRequest::default() })?;
    let mut names = Dictionary::default();
    loop {
        let parts = reader.next(16)?;
        if parts.is_empty() {
            return Ok(names);
        }
        for part in parts {
            let part = part.parse()?;
            let Some(Column::Text(array)) = part.columns.first() else { continue };
            array.iter().flatten().for_each(|name| note(&mut names, name));
        }
    }
}

/// Counts a row that has a name.
fn note(names: &mut Dictionary, name: &str) {
    names.take(Print::of_text(name), name, 0);
}

/// The groups of three letters that a name has, spaces around it among them.
fn triples(name: &str) -> Vec<[char; 3]> {
    let letters: Vec<char> = format!(" {name} ").chars().collect();
    let mut triples: Vec<[char; 3]> =
        letters.windows(3).map(|three| [three[0], three[1], three[2]]).collect();
    triples.sort_unstable();
    triples.dedup();
    triples
}

/// Pairs of names of two columns that may be meant alike. Names that are equal are no pairs, and what is equal to a
/// name of the other side needs no other.
///
/// # Errors
/// A file that cannot be read.
pub fn likeness(
    (left, left_column): (&dyn InputSource, usize),
    (right, right_column): (&dyn InputSource, usize),
) -> Result<Likeness, SourceError> {
    let (left, right) = (names(left, left_column)?, names(right, right_column)?);
    Ok(pairs(&left, &right))
}

fn pairs(left: &Dictionary, right: &Dictionary) -> Likeness {
    let names: Vec<&str> = right.values().map(|(name, ..)| name).collect();
    let forms: Vec<Forms> = names.par_iter().map(|name| Forms::of(name)).collect();
    let mut index: HashMap<[char; 3], Vec<u32>> = HashMap::new();
    for (at, form) in forms.iter().enumerate() {
        for three in triples(&form.sorted) {
            index.entry(three).or_default().push(at as u32);
        }
    }
    let open: Vec<(&str, u64)> = left
        .values()
        .filter(|(name, ..)| right.find(name).is_none())
        .map(|(name, rows, _)| (name, rows))
        .collect();
    let mut found: Vec<Vec<LikePair>> = open
        .par_iter()
        .map_init(
            || vec![0; names.len()],
            |shared, own| near(*own, &names, &forms, (&index, shared)),
        )
        .collect();
    found.retain(|pairs| !pairs.is_empty());
    // The likeliest first; of one name all together.
    found.sort_by(|x, y| (Reverse(x[0].likeness), &x[0].a).cmp(&(Reverse(y[0].likeness), &y[0].a)));
    Likeness {
        names: (left.len() as u64, right.len() as u64),
        equal: (left.len() - open.len()) as u64,
        like: found.len() as u64,
        pairs: found.into_iter().flatten().collect(),
    }
}

/// The names that one may be meant by, the likeliest first. `shared` has a count for each of them, which is 0 before
/// and after.
fn near(
    (name, rows): (&str, u64),
    right: &[&str],
    forms: &[Forms],
    (index, shared): (&HashMap<[char; 3], Vec<u32>>, &mut [u16]),
) -> Vec<LikePair> {
    let own = Forms::of(name);
    let lists = triples(&own.sorted).into_iter().filter_map(|three| index.get(&three));
    // Where all groups of letters are common ones, the rarest must do.
    let mut lists: Vec<&Vec<u32>> = lists.collect();
    lists.sort_by_key(|list| list.len());
    let mut room = FOLLOWED;
    let mut seen: Vec<u32> = vec![];
    for (at, list) in lists.into_iter().enumerate() {
        if at > 1 && list.len() > room {
            break;
        }
        room = room.saturating_sub(list.len());
        for other in list {
            let count = &mut shared[*other as usize];
            if *count == 0 {
                seen.push(*other);
            }
            *count += 1;
        }
    }
    let count = |other: u32| (other, std::mem::take(&mut shared[other as usize]));
    let mut candidates: Vec<(u32, u16)> = seen.into_iter().map(count).collect();
    let order = |(other, count): &(u32, u16)| (Reverse(*count), *other);
    if candidates.len() > LOOKED_AT {
        candidates.select_nth_unstable_by_key(LOOKED_AT, order);
        candidates.truncate(LOOKED_AT);
    }
    let short = own.sorted.chars().count() < SHORTEST;
    let pair = |(other, _): (u32, u16)| {
        let (other, form) = (right[other as usize], &forms[other as usize]);
        let (likeness, reason) = match own.equal(form) {
            Some(reason) => (reason.likeness(), reason),
            None if short => return None,
            None => {
                let (like, changes) = own.letters(form)?;
                (
                    like.min(LikeReason::WordOrder.likeness() - 1),
                    LikeReason::Letters(changes as u64),
                )
            }
        };
        (likeness >= LIKE).then(|| LikePair {
            a: name.into(),
            b: other.into(),
            rows,
            likeness,
            reason,
        })
    };
    let mut pairs: Vec<LikePair> = candidates.into_iter().filter_map(pair).collect();
    pairs.sort_by(|x, y| (Reverse(x.likeness), &x.b).cmp(&(Reverse(y.likeness), &y.b)));
    pairs.truncate(EACH);
    pairs
}

#[cfg(test)]
mod tests {
    use super::*;

    fn found(left: &[&str], right: &[&str]) -> Vec<(String, String, LikeReason)> {
        let all = |names: &[&str]| {
            let mut all = Dictionary::default();
            names.iter().for_each(|name| note(&mut all, name));
            all
        };
        let found = pairs(&all(left), &all(right)).pairs;
        found.into_iter().map(|pair| (pair.a, pair.b, pair.reason)).collect()
    }

    #[test]
    fn names_that_are_written_another_way_are_found_and_why_is_said() {
        use LikeReason::{Accents, LegalForm, Letters, Signs, WordOrder};
        for (a, b, reason) in [
            ("moss & fern", "Moss and Fern", LegalForm),
            ("MOSS-FERN", "Moss Fern", Signs),
            ("Caf\u{e9} Br\u{f6}kstr\u{f8}m", "Cafe Brokstrom", Accents),
            ("Larchfield Gardens Ltd.", "Larchfield Gardens", LegalForm),
            ("Hollis Larchfield", "Larchfield, Hollis", WordOrder),
            ("Larchfeild Hollis", "Hollis Larchfield", Letters(1)),
            ("G.m.b.H. Farnwald", "Farnwald", LegalForm),
        ] {
            assert_eq!(found(&[a], &[b, "Upper Thorn"]), [(a.into(), b.into(), reason)], "{a}");
        }
        assert_eq!(found(&["Ltd"], &["Inc", "Co"]), []);
        assert_eq!(found(&["Moss", "", "Moss"], &["Moss", "Mose"]), []);
        assert_eq!(found(&["Ab"], &["Ac", "Abc"]), []);
    }

    #[test]
    fn the_nearest_come_first_and_no_pair_depends_on_the_order_of_names() {
        let right = ["Fernacre Nursery", "Fernacre Nurselry", "Fern Acre", "Brim"];
        let names = |pairs: &[(String, String, LikeReason)]| -> Vec<String> {
            pairs.iter().map(|(_, b, _)| b.clone()).collect()
        };
        let first = found(&["Fernacre Nursey"], &right);
        assert_eq!(names(&first), ["Fernacre Nursery", "Fernacre Nurselry"]);
        let back: Vec<&str> = right.iter().rev().copied().collect();
        assert_eq!(found(&["Fernacre Nursey"], &back), first);
    }
}
