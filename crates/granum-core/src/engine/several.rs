//! The rows of a table that is laid from several.

use arrow_array::{Array, UInt32Array};

use super::chain::Context;
use crate::aggregate::number;
use crate::bug::Sure;
use crate::resolve::{Lay, SeveralPlan, SlotId};
use crate::table::{Batch, Column, Table, TableId};
use crate::tally::Part;
use crate::value::{Scalar, Type};

/// Keys are named up to this many.
const EXAMPLES: usize = 3;

/// All rows with the slots that are needed, and their own numbers as where they came from; and what
/// each table had.
pub(super) fn rows(context: &Context<'_>, id: TableId, plan: &SeveralPlan) -> (Batch, Vec<Part>) {
    let own = &context.plan.tables[id.0];
    let demand = &context.demand.tables[id.0];
    let live = |slot: SlotId| demand.last_use[slot.0].is_some();
    let built =
        |table: &TableId| context.world.tables[table.0].as_ref().sure("a table that is laid");
    let tables: Vec<&Table> = plan.tables.iter().map(built).collect();
    let column = |at: usize, place: Option<usize>, ty: Type| match place {
        Some(place) => tables[at].columns[place].clone().sure("a column that is laid"),
        None => Column::all_blank(ty, tables[at].rows),
    };
    let stacked = |(slot, places): &(SlotId, Vec<Option<usize>>)| {
        let ty = own.slots[slot.0];
        let parts = places.iter().enumerate().map(|(at, place)| column(at, *place, ty));
        Column::concat(&parts.collect::<Vec<_>>())
    };
    let part = |table: &TableId| Part {
        table: context.plan.tables[table.0].name.clone(),
        rows: built(table).rows as u64,
        alone: None,
        examples: vec![],
    };
    let mut parts: Vec<Part> = plan.tables.iter().map(part).collect();
    let all = tables.iter().map(|table| table.rows).sum();
    let mut slots = vec![None; own.slots.len()];
    let count = match plan.lay {
        Lay::Stacked { labelled } => {
            for laid in plan.columns.iter().filter(|(slot, _)| live(*slot)) {
                slots[laid.0.0] = Some(stacked(laid));
            }
            if let Some(slot) = labelled.filter(|slot| live(*slot)) {
                let parts = plan.tables.iter().zip(&tables).map(|(table, rows)| {
                    let name = Scalar::Text(context.plan.tables[table.0].name.clone());
                    Column::constant(&name, Type::Text, rows.rows)
                });
                slots[slot.0] = Some(Column::concat(&parts.collect::<Vec<_>>()));
            }
            all
        }
        Lay::Meeting { keys } => {
            // All keys below each other: a key that is there again meets the one above.
            let (keys, others) = plan.columns.split_at(keys);
            let key_columns: Vec<Column> = keys.iter().map(stacked).collect();
            let (groups, firsts) = number(key_columns.clone(), all);
            let firsts = UInt32Array::from(firsts);
            for ((slot, _), key) in keys.iter().zip(&key_columns) {
                slots[slot.0] = live(*slot).then(|| key.take(&firsts));
            }
            let mut first = 0;
            let mut meets: Vec<UInt32Array> = vec![];
            for table in &tables {
                let mut rows: Vec<Option<u32>> = vec![None; groups.count];
                for row in 0..table.rows {
                    if let Some(group) = groups.of(first + row) {
                        rows[group] = Some(row as u32);
                    }
                }
                first += table.rows;
                meets.push(UInt32Array::from(rows));
            }
            for (part, own) in parts.iter_mut().zip(&meets) {
                let alone = (0..groups.count).filter(|group| {
                    own.is_valid(*group)
                        && meets.iter().filter(|rows| rows.is_valid(*group)).count() == 1
                });
                let alone: Vec<usize> = alone.collect();
                part.alone = Some(alone.len() as u64);
                let key = |group: &usize| {
                    let row = firsts.value(*group) as usize;
                    let values = key_columns.iter().map(|key| key.scalar(row).to_string());
                    values.collect::<Vec<_>>().join("/")
                };
                part.examples = alone.iter().take(EXAMPLES).map(key).collect();
            }
            for (slot, places) in others.iter().filter(|(slot, _)| live(*slot)) {
                let at = places.iter().position(Option::is_some).unwrap_or(0);
                slots[slot.0] = Some(column(at, places[at], own.slots[slot.0]).take(&meets[at]));
            }
            groups.count
        }
    };
    let numbers = UInt32Array::from_iter_values(0..count as u32);
    (Batch::new(count, slots, vec![(id, numbers)]), parts)
}
