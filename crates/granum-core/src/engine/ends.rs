//! What stands at the ends of links: keys, and amounts that are told.

use std::sync::atomic::AtomicU64;

use super::context::Context;
use crate::aggregate::apart_rows;
use crate::bug::Sure;
use crate::expr::{Kind, Typed, evaluate_all};
use crate::link::{BlankKeys, Keys};
use crate::resolve::LinkPlan;
use crate::step::{Naming, row_problem};
use crate::table::{AwayBuilder, Batch, Column, Held, InWhat, SlotId, TableId};
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
    pub values: Column,
}

/// The amounts that a finished table follows.
pub(super) fn tracked(context: &Context<'_>, table: TableId) -> Vec<Followed> {
    let plan = &context.plan.tables[table.0];
    let columns = &context.world.tables[table.0].as_ref().sure("a link's source").columns;
    let column = |slot: SlotId| {
        let at = plan.columns.iter().position(|(_, own)| *own == slot)?;
        Some(columns[at].as_ref()?.whole())
    };
    let mut found = vec![];
    for tracked in plan.tracked.iter().filter(|tracked| tracked.ends_at.is_none()) {
        let Some(values) = column(tracked.last_slot()) else { continue };
        let name = tracked.name.clone();
        let apart = tracked.apart.last().and_then(|(_, slot)| column(*slot));
        let Some(apart) = apart else {
            found.push(Followed { column: name.clone(), name, values });
            continue;
        };
        for (value, rows) in apart_rows(&values, &apart) {
            let mut own = vec![None; values.len()];
            rows.numbers().for_each(|row| own[row as usize] = Some(row));
            found.push(Followed {
                name: InWhat::One(value).name(&name),
                column: name.clone(),
                values: values.take(&own.into_iter().collect()),
            });
        }
    }
    found
}
