//! Columns that two tables share and that repeat in both: they look like a link and multiply rows.

use super::Subject;
use super::meet::Asked;
use super::report::{Crossing, FoundLink};
use crate::survey::Dictionary;
use crate::survey::names::{bare, names_key};

/// So many are told.
const TOLD: usize = 8;

/// Columns of fewer values are states and categories, which nobody joins by.
const FEW: u64 = 10;

/// All such pairs, those that would make most rows first.
pub(super) fn crossings(subjects: &[Subject], links: &[FoundLink]) -> Vec<Crossing> {
    let mut found = vec![];
    for (at, one) in subjects.iter().enumerate() {
        for other in &subjects[at + 1..] {
            found.extend(between(one, other, links));
        }
    }
    found.sort_by_key(|crossing: &Crossing| std::cmp::Reverse(crossing.would_be));
    found.truncate(TOLD);
    found
}

fn between(one: &Subject, other: &Subject, links: &[FoundLink]) -> Vec<Crossing> {
    let mut found = vec![];
    for (a, column) in one.read.coded.columns.iter().enumerate() {
        let b = other.read.coded.columns.iter().position(|b| bare(&b.name) == bare(&column.name));
        let Some(b) = b else { continue };
        let target = &other.read.coded.columns[b];
        let key = one.key == [a] || other.key == [b];
        let few = column.distinct.min(target.distinct) < FEW;
        if key || few || !names_key(&column.name) {
            continue;
        }
        let halved = column.dictionary.halved().max(target.dictionary.halved());
        let asked = Asked::new(&column.dictionary, halved);
        let (mut would_be, mut met): (u128, u64) = (0, 0);
        for (number, to) in asked.numbers().zip(asked.find_in(&target.dictionary)) {
            if let Some(to) = to {
                let rows = |dictionary: &Dictionary, number: usize| dictionary.rows(number).into();
                met += 1;
                let own: u128 = rows(&column.dictionary, number);
                would_be += own * rows(&target.dictionary, to as usize);
            }
        }
        would_be <<= halved;
        let most = one.read.coded.rows.max(other.read.coded.rows) as u128;
        let least = asked.len().min(Asked::new(&target.dictionary, halved).len()) as u64;
        if met * 2 < least || would_be <= most {
            continue;
        }
        let leads = |from: &Subject, name: &str| {
            let from = from.name.clone();
            let name = name.to_owned();
            links.iter().filter(move |link| {
                link.from == from && matches!(link.keys.as_slice(), [(key, _)] if *key == name)
            })
        };
        let bridge = leads(one, &column.name)
            .find(|link| leads(other, &target.name).any(|back| back.to == link.to));
        let instead = links.iter().find(|link| {
            let ends = [link.from.as_str(), link.to.as_str()];
            ends.contains(&one.name.as_str())
                && ends.contains(&other.name.as_str())
                && link.keys.len() > 1
        });
        found.push(Crossing {
            tables: (one.name.clone(), other.name.clone()),
            columns: (column.name.clone(), target.name.clone()),
            rows: (one.read.coded.rows as u64, other.read.coded.rows as u64),
            would_be,
            one_in: 1 << halved,
            bridge: bridge.map(|link| link.to.clone()),
            instead: instead.map(|link| link.on.clone()),
        });
    }
    found
}
