//! Which periods hold for each row: by looking at all of them.

use std::collections::BTreeMap;

use super::super::model::{End, Period};
use super::{Rows, Stop, Ty, V, World, base_type, in_order, read};

/// The periods, which are not changed by anything, and which of them hold for each row of `o`.
#[allow(clippy::type_complexity)]
pub fn periods(
    text: &str,
    period: &Period,
    world: &World,
) -> (Result<Vec<Vec<usize>>, Stop>, BTreeMap<String, Result<Rows, Stop>>) {
    let names: Vec<&str> = text.lines().next().unwrap().split(',').collect();
    let cols: Vec<(String, Ty)> =
        names.iter().map(|name| ((*name).to_owned(), base_type(name))).collect();
    let row = |line: &str| -> Vec<V> {
        line.split(',').zip(&cols).map(|(cell, (_, ty))| read(cell, *ty)).collect()
    };
    let rows: Vec<Vec<V>> = text.lines().skip(1).map(row).collect();
    let holding = holding(&rows, period, world);
    let made = (0..rows.len() as u32).map(|row| [("e".to_owned(), row)].into()).collect();
    let e = Rows { made, from: (0..rows.len()).collect(), cols, rows, ..Rows::default() };
    let mut tables = world.tables.clone();
    tables.insert("e".into(), Ok(e));
    (holding, tables)
}

fn holding(rows: &[Vec<V>], period: &Period, world: &World) -> Result<Vec<Vec<usize>>, Stop> {
    // k, n, p, s, z
    let (start, end) = (|at: usize| &rows[at][3], |at: usize| &rows[at][4]);
    let said = |at: usize| match (start(at), end(at)) {
        (V::Day(start), V::Day(end)) => Some((*start, *end)),
        _ => None,
    };
    let ends = period.end != End::Onward;
    if ends && (0..rows.len()).any(|at| said(at).is_some_and(|(start, end)| end < start)) {
        return Err("inverted-periods");
    }
    let o = world.tables["o"].clone()?;
    let place = |name: &str| o.cols.iter().position(|(known, _)| known == name).unwrap();
    let (k, d) = (place("k"), place("d"));
    let best = |held: &mut Vec<usize>| match period.prefer {
        None => held.len() < 2,
        Some(prefer) => {
            let by = |word: &str, a: usize, b: usize| match word {
                "latest s" => in_order(&rows[a][3], &rows[b][3], true),
                "latest z" => in_order(&rows[a][4], &rows[b][4], true),
                "largest n" => in_order(&rows[a][1], &rows[b][1], true),
                _ => in_order(&rows[a][1], &rows[b][1], false),
            };
            held.sort_by(|a, b| {
                let mut words = prefer.split(", ").map(|word| by(word, *a, *b));
                words.find(|order| order.is_ne()).unwrap_or_else(|| a.cmp(b))
            });
            true
        }
    };
    let mut all = vec![];
    for row in &o.rows {
        let V::Day(day) = row[d] else {
            all.push(vec![]);
            continue;
        };
        let holds = |at: &usize| {
            let same = !period.keyed || (row[k] != V::Blank && rows[*at][0] == row[k]);
            let begun = match start(*at) {
                V::Day(start) => *start <= day,
                _ => true,
            };
            let open = match (end(*at), period.end) {
                (V::Day(end), End::Through) => day <= *end,
                (V::Day(end), End::Until) => day < *end,
                _ => true,
            };
            same && begun && open
        };
        let mut held: Vec<usize> = (0..rows.len()).filter(holds).collect();
        if period.end == End::Onward {
            let day_of = |at: &usize| match start(*at) {
                V::Day(start) => *start,
                _ => i64::MIN,
            };
            let latest = held.iter().map(day_of).max();
            held.retain(|at| Some(day_of(at)) == latest);
        }
        if !best(&mut held) {
            return Err("several-periods");
        }
        all.push(held);
    }
    Ok(all)
}
