//! What is gathered of rows that lead here, for each row that they lead to.

mod scattered;

use super::context::Context;
use crate::aggregate::{Groups, Values, aggregate_led_to, parted_by};
use crate::expr::{Gathered, Kind, LeadingRows};
use crate::resolve::{AggregatePlan, Gather, GatherWhat};
use crate::step::{Faults, group_problem, row_of_way, values_of_way, way};
use crate::table::{Away, Bits, Column, GatherId, Held, InWhat, Room, Rows};
use crate::tally::{GatheredAmount, RowsAmount};

/// What was gathered, why some rows have nothing, and what is told of amounts.
pub(super) struct Found {
    pub gathered: Gathered,
    pub faults: Faults,
    pub told: Vec<GatheredPart>,
}

/// What is told of an amount, or of what of it is in one currency, or another measure.
#[derive(Debug)]
pub(super) struct GatheredPart {
    /// What it is in, where it counts apart.
    pub within: InWhat,
    pub amount: GatheredAmount,
}

/// What is gathered for each row of the table that is led to.
pub(super) fn gather(context: &Context<'_>, id: GatherId) -> Option<Found> {
    let gather = &context.plan.gathers[id.0];
    let to = context.world.tables[gather.to.0].as_ref()?;
    let (rows, index) = way(context, gather)?;
    let plan = match &gather.what {
        GatherWhat::Presence => {
            let column = presence(&index, to.rows);
            let gathered = Gathered { column: kept(context, column), failed: vec![], each: None };
            return Some(Found { gathered, faults: Faults::default(), told: vec![] });
        }
        GatherWhat::Aggregate(plan) => plan,
        GatherWhat::Rows(_) => return None,
        GatherWhat::Each(_) => {
            let (rows, starts) = Groups::led_to(&index, to.rows).sorted();
            let each = Some(LeadingRows { rows, starts });
            let gathered = Gathered { column: Held::Own(Column::Blank(0)), failed: vec![], each };
            return Some(Found { gathered, faults: Faults::default(), told: vec![] });
        }
    };
    let found = scattered::scattered(context, (gather, plan), (&rows, &index), to.rows);
    if let Some((column, told)) = found {
        let gathered = Gathered { column, failed: vec![], each: None };
        return Some(Found { gathered, faults: Faults::default(), told });
    }
    let to_plan = &context.plan.tables[gather.to.0];
    let step = format!("gathered for {}", to_plan.name);
    let (values, rows_failed) = values_of_way(context, plan, &rows);
    let (column, groups_failed) = aggregate_led_to(&values, &index, to.rows);
    let mut faults = Faults::default();
    for failure in rows_failed {
        if let Some(to) = index.get(failure.row) {
            faults.note(to, || row_of_way(context, gather, &rows, &step, failure));
        }
    }
    let grain = to_plan.grain.as_ref().map_or(&[][..], |grain| &grain.columns);
    let named = |group: u32| {
        let value = |name: &String| {
            let at = to_plan.columns.iter().position(|(known, _)| known == name)?;
            let one = Rows::run(group, 1);
            Some((name.clone(), to.columns[at].as_ref()?.take(&one).scalar(0)))
        };
        grain.iter().filter_map(value).collect()
    };
    for failure in groups_failed {
        let group = failure.group();
        let problem = || group_problem(&to_plan.name, &step, plan, &values, failure, named);
        faults.note(group, problem);
    }
    let told = if gather.told { told(context, gather, plan, &values, &index) } else { vec![] };
    let failed = faults.numbers().collect();
    let column = kept(context, column);
    Some(Found { gathered: Gathered { column, failed, each: None }, faults, told })
}

/// Whether a column of so many bytes goes away: it has little room in memory beside what looks at it.
fn goes_away(room: &Room, bytes: usize) -> bool {
    /// Such a part of the room.
    const MOST: u64 = 16;
    bytes as u64 > room.limit() / MOST
}

/// What was gathered, away where it has no room.
fn kept(context: &Context<'_>, column: Column) -> Held {
    match context.room {
        Some(room) if goes_away(room, column.bytes_held()) => {
            Held::away(Away::put(&column, &room.file()))
        }
        _ => Held::Own(column),
    }
}

/// What of an amount is not gathered, and why.
fn told(
    context: &Context<'_>,
    gather: &Gather,
    plan: &AggregatePlan,
    values: &Values,
    index: &Rows,
) -> Vec<GatheredPart> {
    let Some(value) = &values.value else { return vec![] };
    let Some(apart) = &values.apart else {
        let all = Bits::all(value.len(), true);
        let amount = told_of(context, (gather, plan), values, index, (&all, &InWhat::Nothing));
        return amount
            .map(|amount| GatheredPart { within: InWhat::Nothing, amount })
            .into_iter()
            .collect();
    };
    let parts = parted_by(apart).into_iter().filter_map(|(name, rows)| {
        let mut own = vec![false; value.len()];
        rows.numbers().for_each(|row| own[row as usize] = true);
        let within = InWhat::One(name);
        let of = (&Bits::from(own), &within);
        let amount = told_of(context, (gather, plan), values, index, of)?;
        Some(GatheredPart { within, amount })
    });
    parts.collect()
}

/// The same of some rows, which are in something, or not.
fn told_of(
    context: &Context<'_>,
    (gather, plan): (&Gather, &AggregatePlan),
    values: &Values,
    index: &Rows,
    (own, within): (&Bits, &InWhat),
) -> Option<GatheredAmount> {
    let value = values.value.as_ref()?;
    let of = |rows: Bits| {
        let rows = &rows & own;
        RowsAmount { rows: rows.count() as u64, amount: value.filter(&rows).sum() }
    };
    let leads = index.bits();
    let counts = Bits::collect(value.len(), |row| values.counts(row));
    let from = &context.plan.tables[gather.from.0];
    let to = &context.plan.tables[gather.to.0];
    let amount = match plan.value.as_ref()?.kind {
        Kind::Column(column) => {
            let slot = from.columns[column.0].1;
            let tracked = from.tracked.iter().filter(|tracked| tracked.ends_at.is_none());
            let found = tracked.clone().find(|t| t.last_slot() == slot);
            found.map(|tracked| within.name(&tracked.name))
        }
        _ => None,
    };
    Some(GatheredAmount {
        from: from.name.clone(),
        value: plan.text.clone(),
        amount,
        to: to.name.clone(),
        to_rows: context.world.tables[gather.to.0].as_ref()?.rows as u64,
        all: of(Bits::all(value.len(), true)),
        nowhere: of(!&leads),
        left_out: of(&leads & &!&counts),
    })
}

fn presence(index: &Rows, rows: usize) -> Column {
    let mut found = vec![false; rows];
    index.numbers().for_each(|row| found[row as usize] = true);
    Column::Boolean(found.into())
}
