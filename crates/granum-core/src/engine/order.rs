//! `sort`, `top` and `bottom`: all rows in an order.
use rayon::prelude::*;

use super::one_row::{columns, orders};
use super::operations::StepRunner;
use crate::aggregate::{Groups, order};
use crate::expr::Typed;
use crate::resolve::TopPlan;
use crate::table::{Batch, Bits, Column, Rows};
use crate::tally::Problem;

/// The rows in the order of some expressions; what ties stays as it stands.
pub(super) fn sorted(
    runner: &StepRunner<'_>,
    batch: &Batch,
    by: &[(Typed, bool)],
) -> Result<Rows, Problem> {
    let columns = orders(runner, batch, by)?;
    let mut rows: Vec<u32> = (0..batch.rows as u32).collect();
    rows.par_sort_by(|a, b| order(&columns, *a as usize, *b as usize));
    Ok(Rows::from(rows))
}

/// Which rows stay of a `top` or `bottom`, and in which order.
pub(super) struct Chosen {
    pub stays: Bits,
    pub rows: Rows,
    /// Rows that went though they tie with the last that stayed.
    pub ties_cut: u64,
    /// Rows that stayed above the number that was asked for, since they tie.
    pub ties_kept: u64,
}

pub(super) fn top(
    runner: &StepRunner<'_>,
    batch: &Batch,
    plan: &TopPlan,
) -> Result<Chosen, Problem> {
    let by = columns(runner, batch, std::iter::once(&plan.by))?;
    let by: Vec<(Column, bool)> = by.into_iter().map(|by| (by, !plan.bottom)).collect();
    let groups = Groups::by(&columns(runner, batch, plan.per.iter())?, batch.rows);
    // The grain settles what ties, then the place in the table.
    let grain = plan.grain.iter().map(|slot| (batch.slot(*slot).clone(), false));
    let settled: Vec<(Column, bool)> = by.iter().cloned().chain(grain).collect();
    let (rows, starts) = groups.in_order(&settled);
    let (mut chosen, mut ties_cut, mut ties_kept) = (vec![], 0, 0);
    let most = plan.count as usize;
    for group in 0..groups.count {
        let of_group = &rows[starts[group]..starts[group + 1]];
        let mut end = most.min(of_group.len());
        let ties = |row: u32| order(&by, row as usize, of_group[end - 1] as usize).is_eq();
        let tied =
            if end == 0 { 0 } else { of_group[end..].iter().take_while(|row| ties(**row)).count() };
        if plan.ties {
            end += tied;
            ties_kept += tied as u64;
        } else {
            ties_cut += tied as u64;
        }
        chosen.extend_from_slice(&of_group[..end]);
    }
    let mut stays = vec![false; batch.rows];
    chosen.iter().for_each(|row| stays[*row as usize] = true);
    let stays = Bits::from(stays);
    Ok(Chosen { stays, rows: Rows::from(chosen), ties_cut, ties_kept })
}
