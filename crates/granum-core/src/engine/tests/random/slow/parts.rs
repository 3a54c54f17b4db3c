//! Rows that others consist of, and amounts in parts.

use super::{Rows, Stop, Ty, V, World, read};

pub fn parts(text: &str) -> Rows {
    let cols: Vec<(String, Ty)> = text
        .lines()
        .next()
        .unwrap()
        .split(',')
        .map(|name| (name.to_owned(), if name == "g" { Ty::Text } else { Ty::Int }))
        .collect();
    let row = |line: &str| -> Vec<V> {
        line.split(',').zip(&cols).map(|(cell, (_, ty))| read(cell, *ty)).collect()
    };
    let rows: Vec<Vec<V>> = text.lines().skip(1).map(row).collect();
    let made = (0..rows.len() as u32).map(|row| [("h".to_owned(), row)].into()).collect();
    Rows { made, from: (0..rows.len()).collect(), cols, rows, ..Rows::default() }
}

pub fn leading(h: &Rows, world: &World) -> Result<Vec<Vec<usize>>, Stop> {
    let c = world.tables["c"].clone()?;
    let at = c.cols.iter().position(|(name, _)| name == "k").unwrap();
    let keys: Vec<&V> = c.rows.iter().map(|row| &row[at]).collect();
    let twice = |row: usize| *keys[row] != V::Blank && keys[..row].contains(&keys[row]);
    if (0..keys.len()).any(twice) {
        return Err("repeated-keys");
    }
    let of = |key: &&V| {
        (0..h.rows.len()).filter(|row| **key != V::Blank && h.rows[*row][0] == **key).collect()
    };
    Ok(keys.iter().map(of).collect())
}

/// The parts of an amount over weights, what is left over going to the largest remainders, the earlier first.
pub fn shares(all: i128, weights: &[i128]) -> Vec<i128> {
    let sum: i128 = weights.iter().sum();
    let mut shares: Vec<(i128, i128)> =
        weights.iter().map(|weight| (all.abs() * weight / sum, all.abs() * weight % sum)).collect();
    let left = all.abs() - shares.iter().map(|(share, _)| share).sum::<i128>();
    let mut by: Vec<usize> = (0..shares.len()).collect();
    by.sort_by_key(|at| (-shares[*at].1, *at));
    by.iter().take(left as usize).for_each(|at| shares[*at].0 += 1);
    shares.into_iter().map(|(share, _)| if all < 0 { -share } else { share }).collect()
}
