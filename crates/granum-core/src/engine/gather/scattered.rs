//! What is gathered where it has no room: rows are scattered by the row that they lead to, and each part is gathered by
//! itself.

use super::{GatheredPart, goes_away, told};
use crate::aggregate::{Groups, aggregate_each};
use crate::engine::context::Context;
use crate::resolve::{AggregatePlan, Gather};
use crate::step::{columns_of, send_led, values_of, values_of_way};
use crate::table::{AwayBuilder, Batch, Column, Held, Rows, Scattered, parts_of};

/// What is gathered for each of so many rows that are led to, and what is told of amounts. Nothing where the rows that
/// lead there are here, and where something has no value: why, is told by who works on all rows at once.
pub(super) fn scattered(
    context: &Context<'_>,
    (gather, plan): (&Gather, &AggregatePlan),
    (rows, index): (&Batch, &Rows),
    targets: usize,
) -> Option<(Held, Vec<GatheredPart>)> {
    let room = context.room.filter(|_| rows.has_away())?;
    let width = 1 + plan.by.len() + gather.parts().count();
    let count = parts_of(rows.rows.max(targets), width, room);
    let window = targets.div_ceil(count).max(1);
    let (mut sent, mut all_told) = (Scattered::new(room, count), vec![]);
    for (first, run) in rows.runs(vec![]) {
        let (values, failed) = values_of_way(context, plan, &run);
        // Sums of numbers are not the same in another order.
        let inexact = matches!(values.value, Some(Column::Number(_)));
        if !failed.is_empty() || gather.told && inexact {
            return None;
        }
        let index = index.slice(first, run.rows);
        if gather.told {
            add(&mut all_told, told(context, gather, plan, &values, &index));
        }
        send_led(&mut sent, window, &index, &columns_of(values));
    }
    let mut found = vec![];
    // A value takes a byte or more.
    let mut away = goes_away(room, targets).then(|| AwayBuilder::new(&room.file()));
    let of_part = |part: usize, columns: Vec<Column>| {
        let first = (part * window).min(targets);
        let mut columns = columns.into_iter();
        let index = Rows::of_column(&columns.next()?, first as u32);
        let groups = Groups::led_to(&index, window.min(targets - first));
        let (column, failed) = aggregate_each(&values_of(plan, &mut columns), &groups);
        failed.is_empty().then(|| column.narrowed())
    };
    sent.each(of_part, |column| match &mut away {
        Some(away) => away.push(&column),
        None => found.push(column),
    })?;
    let column = match away {
        Some(away) => Held::away(away.finish()),
        None => Held::Own(Column::concat(&found)),
    };
    Some((column, all_told))
}

/// What is told of rows and of more of them.
fn add(all: &mut Vec<GatheredPart>, more: Vec<GatheredPart>) {
    for part in more {
        let Some(known) = all.iter_mut().find(|known| known.within == part.within) else {
            all.push(part);
            continue;
        };
        let (own, more) = (&mut known.amount, part.amount);
        own.all = own.all.plus(more.all);
        own.nowhere = own.nowhere.plus(more.nowhere);
        own.left_out = own.left_out.plus(more.left_out);
    }
}
