//! The rows of a table that is laid from several.

use std::collections::BTreeMap;

use super::context::Context;
use crate::aggregate::number;
use crate::bug::Sure;
use crate::lang::Span;
use crate::resolve::{Lay, SeveralPlan, TablePlan};
use crate::step::{Naming, finished_rows};
use crate::table::{
    AwayBuilder, Batch, Column, ColumnId, Held, PIECE, Rows, SlotId, Table, TableId,
};
use crate::tally::{Part, Problem, RepeatedKey, RowReason, StackedTwice};
use crate::value::{Scalar, Type, decimal};

/// Keys are named up to this many.
const EXAMPLES: usize = 3;

/// What a table begins with that is laid from several.
pub(super) struct Laid {
    pub rows: Batch,
    pub parts: Vec<Part>,
    /// Where tables meet: for each of them which of its rows each row is made of.
    pub meets: Vec<Rows>,
    /// Rows that stand in it twice, where that is allowed.
    pub twice: Option<StackedTwice>,
}

/// All rows with the slots that are needed, and their own numbers as where they came from; and what
/// each table had.
pub(super) fn rows(
    context: &Context<'_>,
    id: TableId,
    plan: &SeveralPlan,
) -> Result<Laid, Problem> {
    let own = &context.plan.tables[id.0];
    let demand = &context.demand.tables[id.0];
    let live = |slot: SlotId| demand.last_use[slot.0].is_some();
    let built =
        |table: &TableId| context.world.tables[table.0].as_ref().sure("a table that is laid");
    let tables: Vec<&Table> = plan.tables.iter().map(built).collect();
    let laying = Laying { context, own, plan, tables };
    let part = |table: &TableId| Part {
        table: context.plan.tables[table.0].name.clone(),
        rows: built(table).rows as u64,
        alone: None,
        examples: vec![],
    };
    let mut parts: Vec<Part> = plan.tables.iter().map(part).collect();
    let tables = &laying.tables;
    let all = tables.iter().map(|table| table.rows).sum();
    let mut slots = vec![None; own.slots.len()];
    let mut away = vec![None; own.slots.len()];
    let mut meets: Vec<Rows> = vec![];
    let count = match plan.lay {
        Lay::Stacked { labelled } => {
            for column in plan.columns.iter().filter(|(slot, _)| live(*slot)) {
                match laying.laid(column)? {
                    Held::Own(own) => slots[column.0.0] = Some(own),
                    held => away[column.0.0] = Some(held),
                }
            }
            if let Some(slot) = labelled.filter(|slot| live(*slot)) {
                let parts = plan.tables.iter().zip(tables).map(|(table, rows)| {
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
            let stacked = |column| laying.stacked(column);
            let key_columns: Vec<Column> = keys.iter().map(stacked).collect::<Result<_, _>>()?;
            let (groups, firsts) = number(key_columns.clone(), all);
            let firsts = Rows::from(firsts);
            for ((slot, _), key) in keys.iter().zip(&key_columns) {
                slots[slot.0] = live(*slot).then(|| key.take(&firsts));
            }
            let mut first = 0;
            for table in tables {
                let mut rows: Vec<Option<u32>> = vec![None; groups.count];
                let mut again: BTreeMap<usize, Vec<u32>> = BTreeMap::new();
                for row in 0..table.rows {
                    let group = groups.of(first + row).sure("the group of a key");
                    if let Some(before) = rows[group].replace(row as u32) {
                        again.entry(group).or_insert_with(|| vec![before]).push(row as u32);
                    }
                }
                first += table.rows;
                if !again.is_empty() {
                    let part = plan.tables[meets.len()];
                    return Err(repeats(context, id, part, (keys, &key_columns), &firsts, again));
                }
                meets.push(Rows::from(rows));
            }
            for (part, own) in parts.iter_mut().zip(&meets) {
                let alone = (0..groups.count).filter(|group| {
                    own.has(*group) && meets.iter().filter(|rows| rows.has(*group)).count() == 1
                });
                let alone: Vec<usize> = alone.collect();
                part.alone = Some(alone.len() as u64);
                let key = |group: &usize| {
                    let row = firsts.row(*group);
                    let values = key_columns.iter().map(|key| key.scalar(row).to_string());
                    values.collect::<Vec<_>>().join("/")
                };
                part.examples = alone.iter().take(EXAMPLES).map(key).collect();
            }
            for (slot, places) in others.iter().filter(|(slot, _)| live(*slot)) {
                let at = places.iter().position(Option::is_some).unwrap_or(0);
                let column = laying.column(at, places[at], own.slots[slot.0]);
                slots[slot.0] = Some(column.take(&meets[at]));
            }
            groups.count
        }
    };
    let numbers = vec![(id, Rows::same(count))];
    let rows = Batch { away, ..Batch::new(count, slots, numbers) };
    let twice = super::lineage::stacked_twice(context, id, plan, &rows);
    let (twice, denied) = if plan.allows.is_some() { (twice, None) } else { (None, twice) };
    if let Some(twice) = denied {
        return Err(Problem::StackedTwice { table: own.name.clone(), twice });
    }
    Ok(Laid { rows, parts, meets, twice })
}

/// Tables that are laid.
struct Laying<'a> {
    context: &'a Context<'a>,
    own: &'a TablePlan,
    plan: &'a SeveralPlan,
    tables: Vec<&'a Table>,
}

impl Laying<'_> {
    /// A column of one of them; blank where it has none.
    fn column(&self, at: usize, place: Option<ColumnId>, ty: Type) -> Column {
        match place {
            Some(place) => self.tables[at].column(place).sure("a column that is laid").whole(),
            None => Column::all_blank(ty, self.tables[at].rows),
        }
    }

    /// The columns of all below each other.
    fn stacked(&self, (slot, places): &LaidColumn) -> Result<Column, Problem> {
        let ty = self.own.slots[slot.0];
        let parts = places.iter().enumerate();
        let parts = parts.map(|(at, place)| self.wide(at, &self.column(at, *place, ty), ty));
        Ok(Column::concat(&parts.collect::<Result<Vec<_>, Problem>>()?))
    }

    /// The same; of what is away some rows are here at a time.
    fn laid(&self, column: &LaidColumn) -> Result<Held, Problem> {
        let (slot, places) = column;
        let held = |(at, place): (usize, &Option<ColumnId>)| self.tables[at].column((*place)?);
        let away = places.iter().enumerate().filter_map(held).find_map(Held::file);
        let Some(file) = away else { return self.stacked(column).map(Held::Own) };
        let ty = self.own.slots[slot.0];
        let mut all = AwayBuilder::new(&file.room().file());
        for (at, place) in places.iter().enumerate() {
            let rows = self.tables[at].rows;
            // Of no rows too: they have a type.
            for first in (0..rows.max(1)).step_by(PIECE) {
                let length = PIECE.min(rows - first);
                let run = match held((at, place)) {
                    Some(held) => held.slice(first, length).whole(),
                    None => Column::all_blank(ty, length),
                };
                all.push(&self.wide(at, &run, ty)?);
            }
        }
        Ok(Held::away(all.finish()))
    }

    /// Rows of one of them in the type of all.
    fn wide(&self, at: usize, part: &Column, ty: Type) -> Result<Column, Problem> {
        widened(part, ty).ok_or_else(|| {
            let (table, step) = (self.own.name.clone(), "its columns in one type".to_owned());
            let row = format!("in {}", self.context.plan.tables[self.plan.tables[at].0].name);
            let (reason, span) = (RowReason::Overflow, Span::default());
            Problem::Row { table, step, reason, span, row, place: None }
        })
    }
}

/// A column in a type of as many places or more; nothing where a value then has too many digits.
fn widened(column: &Column, ty: Type) -> Option<Column> {
    let (Some(from), Type::Decimal(to)) = (column.ty().scale(), ty) else {
        return Some(column.clone());
    };
    if column.ty() == ty {
        return Some(column.clone());
    }
    let each = (0..column.len()).map(|row| {
        if column.is_blank(row) { Some(0) } else { decimal::rescale(column.units(row), from, to) }
    });
    Some(Column::decimal(each.collect::<Option<_>>()?, column.present(), to))
}

/// A slot, and where each of the tables has its column.
type LaidColumn = (SlotId, Vec<Option<ColumnId>>);

/// Where tables meet, a key must stand on one row of each: a grain sees to that, but for rows that a
/// `dedupe by` left beside it since their key is blank.
fn repeats(
    context: &Context<'_>,
    id: TableId,
    part: TableId,
    (slots, keys): (&[LaidColumn], &[Column]),
    firsts: &Rows,
    again: BTreeMap<usize, Vec<u32>>,
) -> Problem {
    let own = &context.plan.tables[id.0];
    let naming = Naming::finished(context.plan, part);
    let table = context.world.tables[part.0].as_ref().sure("a table that meets");
    let of_part = finished_rows(table, part);
    let rows = again.values().map(|rows| rows.len() as u64).sum();
    let name = |(slot, _): &LaidColumn| {
        let named = own.columns.iter().find(|(_, known)| known == slot);
        named.map_or_else(String::new, |(name, _)| name.clone())
    };
    let examples = again.iter().take(EXAMPLES).map(|(group, rows)| {
        let row = firsts.row(*group);
        let values = keys.iter().map(|key| key.scalar(row).to_string());
        let places = rows
            .iter()
            .take(EXAMPLES)
            .filter_map(|row| naming.place(context, &of_part, *row as usize));
        RepeatedKey {
            key: values.collect::<Vec<_>>().join("/"),
            rows: rows.len() as u64,
            places: places.collect(),
        }
    });
    Problem::MeetingRepeats {
        table: own.name.clone(),
        of: context.plan.tables[part.0].name.clone(),
        columns: slots.iter().map(name).collect(),
        examples: examples.collect(),
        rows,
    }
}
