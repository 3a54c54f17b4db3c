//! What stands at the ends of links: keys, and amounts that are told.

use std::collections::BTreeMap;
use std::sync::atomic::AtomicU64;

use super::context::Context;
use crate::aggregate::apart_rows;
use crate::bug::Sure;
use crate::expr::{Kind, Typed, evaluate_all};
use crate::link::{BlankKeys, Keys};
use crate::resolve::LinkPlan;
use crate::step::{Naming, row_problem};
use crate::table::{AwayBuilder, Batch, Column, Held, InWhat, PIECE, Rows, SlotId, TableId};
use crate::tally::Problem;

/// Expressions over the rows of one side of a link.
pub(super) fn values(
    context: &Context<'_>,
    link: &LinkPlan,
    table: TableId,
    rows: &Batch,
    of: &[&Typed],
) -> Result<Vec<Column>, Problem> {
    let zeros = AtomicU64::new(0);
    let columns: Result<Vec<Column>, _> =
        of.iter().map(|key| evaluate_all(key, rows, context.world, &zeros)).collect();
    columns.map_err(|failure| {
        let naming = Naming::finished(context.plan, table);
        let step = format!("link on {}", link.keys_text);
        row_problem(context, table, step, rows, naming, failure)
    })
}

/// The keys of the rows of one side of a link, which are away where what they are made of is.
pub(super) fn keys(
    context: &Context<'_>,
    link: &LinkPlan,
    table: TableId,
    rows: &Batch,
    of: &[&Typed],
) -> Result<Keys, Problem> {
    let Some(room) = context.room.filter(|_| rows.has_away()) else {
        let columns = values(context, link, table, rows, of)?;
        return Ok(Keys::new(columns, BlankKeys::Apart, rows.rows));
    };
    let mut file = None;
    let mut held = vec![];
    for key in of {
        held.push(match key.kind {
            Kind::Column(column) => rows.column(column).clone(),
            _ => {
                let mut away = AwayBuilder::new(file.get_or_insert_with(|| room.file()));
                for (_, run) in rows.runs(vec![]) {
                    values(context, link, table, &run, &[key])?
                        .iter()
                        .for_each(|run| away.push(run));
                }
                Held::away(away.finish())
            }
        });
    }
    Ok(Keys::away(held, BlankKeys::Apart, rows.rows))
}

/// An amount that a finished table follows, or what of it is in one currency, or another measure.
pub(super) struct Followed {
    pub name: String,
    /// The column that it is.
    pub column: String,
    /// Its values; blank in rows that are in another.
    pub values: Held,
}

/// The amounts that a finished table follows.
pub(super) fn tracked(context: &Context<'_>, table: TableId) -> Vec<Followed> {
    let plan = &context.plan.tables[table.0];
    let columns = &context.world.tables[table.0].as_ref().sure("a link's source").columns;
    let column = |slot: SlotId| {
        let at = plan.columns.iter().position(|(_, own)| *own == slot)?;
        columns[at].as_ref()
    };
    let mut found = vec![];
    for tracked in plan.tracked.iter().filter(|tracked| tracked.ends_at.is_none()) {
        let Some(values) = column(tracked.last_slot()) else { continue };
        let name = tracked.name.clone();
        let apart = tracked.apart.last().and_then(|(_, slot)| column(*slot));
        let Some(apart) = apart else {
            found.push(Followed { column: name.clone(), name, values: values.clone() });
            continue;
        };
        for (value, rows) in rows_apart(values, apart) {
            found.push(Followed {
                name: InWhat::One(value).name(&name),
                column: name.clone(),
                values: values.of_rows(&rows),
            });
        }
    }
    found
}

/// For each currency, or other measure, that amounts are in, the rows of it in their places, blank last: what is away
/// is got run by run.
fn rows_apart(values: &Held, apart: &Held) -> Vec<(Option<String>, Rows)> {
    let mut found: BTreeMap<(bool, Option<String>), Vec<Rows>> = BTreeMap::new();
    for (before, first) in (0..values.len()).step_by(PIECE).enumerate() {
        let count = PIECE.min(values.len() - first);
        let run = |held: &Held| held.slice(first, count).whole();
        for (value, rows) in apart_rows(&run(values), &run(apart)) {
            let mut own = vec![None; count];
            rows.numbers().for_each(|row| own[row as usize] = Some(first as u32 + row));
            let runs = found.entry((value.is_none(), value)).or_default();
            runs.resize(before, Rows::from(vec![None; PIECE]));
            runs.push(Rows::from(own).packed());
        }
    }
    let all = found.into_iter().map(|((_, value), mut runs)| {
        let rest = values.len() - runs.iter().map(Rows::len).sum::<usize>();
        (0..rest).step_by(PIECE).for_each(|first| {
            runs.push(Rows::from(vec![None; PIECE.min(rest - first)]));
        });
        (value, Rows::joined(runs))
    });
    all.collect()
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::engine::tests::memory::Shelf;
    use crate::table::Away;
    use crate::value::Scalar;

    proptest! {
        #[test]
        fn each_currency_has_its_own_rows_in_their_places_wherever_they_stand(
            rows in prop::collection::vec(
                (prop::option::of(-9_i64..9), prop::sample::select(vec!["", "EUR", "GBP", "SEK"])), 0..40),
            // From here on it is the last one alone.
            ends in 0..40_usize,
        ) {
            let money = |at: usize| if at < ends { rows[at].1 } else { "EUR" };
            let values = Column::Integer(rows.iter().map(|row| row.0).collect());
            let apart = (0..rows.len()).map(|at| Some(money(at)).filter(|money| !money.is_empty()));
            let apart = Column::Text(apart.collect());
            let file = Shelf::room(0, usize::MAX).file();
            for away in [false, true] {
                let held = |column: &Column| {
                    if away { Held::away(Away::put(column, &file)) } else { Held::Own(column.clone()) }
                };
                let found = rows_apart(&held(&values), &held(&apart));
                let named: Vec<&str> = found.iter().map(|(money, _)| money.as_deref().unwrap_or("")).collect();
                // Amounts of nothing and in nothing are in none.
                let is_in = |at: usize, wanted: &str| {
                    money(at) == wanted && (!wanted.is_empty() || rows[at].0.is_some_and(|units| units != 0))
                };
                let known = |money: &&str| (0..rows.len()).any(|at| is_in(at, money));
                let wanted: Vec<&str> = ["EUR", "GBP", "SEK", ""].into_iter().filter(known).collect();
                prop_assert_eq!(&named, &wanted);
                for (name, of) in named.iter().zip(found.iter().map(|(_, rows)| rows)) {
                    let own = held(&values).of_rows(of).whole();
                    for (at, (units, _)) in rows.iter().enumerate() {
                        let wanted = units.filter(|_| is_in(at, name)).map_or(Scalar::Blank, Scalar::Integer);
                        prop_assert_eq!(own.scalar(at), wanted);
                    }
                }
            }
        }
    }
}
