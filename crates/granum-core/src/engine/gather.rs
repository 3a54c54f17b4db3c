//! What is gathered of rows that lead here, for each row that they lead to.

use super::context::Context;
use crate::aggregate::{Groups, aggregate_each};
use crate::expr::Gathered;
use crate::resolve::GatherWhat;
use crate::step::{Faults, group_problem, row_of_way, values_of_way, way};
use crate::table::{Column, GatherId, Rows};

/// What is gathered for each row of the table that is led to.
pub(super) fn gather(context: &Context<'_>, id: GatherId) -> Option<(Gathered, Faults)> {
    let gather = &context.plan.gathers[id.0];
    let to = context.world.tables[gather.to.0].as_ref()?;
    let (rows, index) = way(context, gather)?;
    let plan = match &gather.what {
        GatherWhat::Presence => {
            let column = presence(&index, to.rows);
            return Some((Gathered { column, failed: vec![] }, Faults::default()));
        }
        GatherWhat::Aggregate(plan) => plan,
        GatherWhat::Rows(_) => return None,
    };
    let to_plan = &context.plan.tables[gather.to.0];
    let step = format!("gathered for {}", to_plan.name);
    let (values, rows_failed) = values_of_way(context, plan, &rows);
    let groups = Groups::led_to(&index, to.rows);
    let (column, groups_failed) = aggregate_each(&values, &groups);
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
    let failed = faults.numbers().collect();
    Some((Gathered { column, failed }, faults))
}

fn presence(index: &Rows, rows: usize) -> Column {
    let mut found = vec![false; rows];
    index.numbers().for_each(|row| found[row as usize] = true);
    Column::Boolean(found.into())
}
