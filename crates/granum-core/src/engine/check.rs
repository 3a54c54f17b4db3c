//! Checks and totals: while a table passes by, or once everything is finished.

use std::sync::atomic::AtomicU64;

use super::context::Context;
use crate::aggregate::AllRows;
use crate::expr::{Failing, Kind, Scope, Typed, World, evaluate, truth};
use crate::resolve::{CheckKind, CheckPlan, Plan, Total};
use crate::step::{Naming, grain_values, row_problem, values};
use crate::table::{Batch, ColumnId, TableId};
use crate::tally::{CheckTally, FailedRow, Problem, RowReason, share_text};
use crate::value::{Scalar, Scale, decimal};

/// Failed rows are listed up to this many.
const EXAMPLES: usize = 10;

/// What a check about rows found so far.
#[derive(Debug, Default)]
pub(super) struct CheckSum {
    pub rows: u64,
    pub failed: u64,
    pub blank: u64,
    pub examples: Vec<FailedRow>,
}

impl CheckSum {
    pub fn absorb(&mut self, more: CheckSum) {
        self.rows += more.rows;
        self.failed += more.failed;
        self.blank += more.blank;
        let room = EXAMPLES.saturating_sub(self.examples.len());
        self.examples.extend(more.examples.into_iter().take(room));
    }
}

/// What an aggregate over a table sees of some of its rows.
pub(super) fn total_over(
    context: &Context<'_>,
    total: &Total,
    columns: &Batch,
    naming: Naming<'_>,
    zeros: &AtomicU64,
) -> Result<AllRows, Problem> {
    let values = values(&total.plan, columns, context.world, zeros).map_err(|failure| {
        row_problem(context, total.table, total.plan.text.clone(), columns, naming, failure)
    })?;
    Ok(AllRows::new(values, columns.rows))
}

/// A check about rows, over some of them. `columns` are finished.
pub(super) fn check_over(
    context: &Context<'_>,
    check: &CheckPlan,
    table: TableId,
    columns: &Batch,
    naming: Naming<'_>,
    zeros: &AtomicU64,
) -> Result<CheckSum, Problem> {
    let scope = Scope {
        batch: columns,
        world: context.world,
        zero_divisions: zeros,
        failing: Failing::Stops,
    };
    let (holds, blank) = truth(&check.condition, &scope)
        .map_err(|failure| row_problem(context, table, check.called(), columns, naming, failure))?;
    let mut sum = CheckSum {
        rows: columns.rows as u64,
        failed: (columns.rows - holds.count()) as u64,
        blank: blank as u64,
        examples: vec![],
    };
    if sum.failed > 0 {
        let plan = &context.plan.tables[table.0];
        let shown: &[ColumnId] = match &check.kind {
            CheckKind::Rows { shown, .. } => shown,
            CheckKind::Totals { .. } => &[],
        };
        let failed = (0..columns.rows).filter(|row| !holds.value(*row)).take(EXAMPLES);
        sum.examples = failed
            .map(|row| {
                let mut values = grain_values(plan, columns, row);
                for column in shown {
                    let name = &plan.columns[column.0].0;
                    if !values.iter().any(|(known, _)| known == name) {
                        values.push((name.clone(), columns.column(*column).text(row)));
                    }
                }
                FailedRow { values, place: naming.place(context, columns, row) }
            })
            .collect();
    }
    Ok(sum)
}

type PassingSums = (Vec<(usize, CheckSum)>, Vec<(usize, AllRows)>);

/// The checks and totals that are worked while a table passes by.
pub(super) fn passing(
    context: &Context<'_>,
    table: TableId,
    columns: &Batch,
    naming: Naming<'_>,
    zeros: &AtomicU64,
) -> Result<PassingSums, Problem> {
    let (mut checks, mut totals) = (vec![], vec![]);
    for (at, check) in context.plan.checks.iter().enumerate() {
        let of_table = matches!(check.kind, CheckKind::Rows { table: of, .. } if of == table);
        if of_table && context.demand.passing_checks[at] {
            checks.push((at, check_over(context, check, table, columns, naming, zeros)?));
        }
    }
    for (at, total) in context.plan.totals.iter().enumerate() {
        if total.table == table && context.demand.passing_totals[at] {
            totals.push((at, total_over(context, total, columns, naming, zeros)?));
        }
    }
    Ok((checks, totals))
}

/// A check's tally from what was found in its rows.
pub(super) fn rows_tally(plan: &Plan, check: &CheckPlan, sum: CheckSum) -> CheckTally {
    let CheckKind::Rows { table, at_least, .. } = &check.kind else { return skipped(plan, check) };
    let held = match at_least {
        None => sum.failed == 0,
        Some(percent) => {
            let holds = u128::from(sum.rows - sum.failed) * 100 * 10_u128.pow(percent.scale.into());
            holds >= u128::from(sum.rows) * u128::from(percent.units)
        }
    };
    let share = share_text(u128::from(sum.rows - sum.failed), u128::from(sum.rows));
    CheckTally {
        severity: check.severity,
        title: check.title.clone(),
        condition: check.condition_text.clone(),
        table: Some(plan.tables[table.0].name.clone()),
        at_least: at_least.map(|percent| percent.to_string()),
        rows: sum.rows,
        failed: sum.failed,
        blank: sum.blank,
        held,
        examples: sum.examples,
        sides: if at_least.is_some() {
            vec![("holds for".into(), Scalar::Text(share))]
        } else {
            vec![]
        },
        skipped: false,
    }
}

/// A check about totals, once they are known.
pub(super) fn totals_tally(world: &World, check: &CheckPlan) -> Result<CheckTally, Problem> {
    let batch = Batch { rows: 1, ..Batch::default() };
    let zeros = AtomicU64::new(0);
    let scope = Scope { batch: &batch, world, zero_divisions: &zeros, failing: Failing::Stops };
    let problem = |failure: crate::expr::RowFailure| Problem::Row {
        table: "totals".into(),
        step: check.called(),
        reason: match failure.kind {
            crate::expr::FailureKind::Overflow => RowReason::Overflow,
            crate::expr::FailureKind::Limit(what) => RowReason::Limit { what: what.into() },
            crate::expr::FailureKind::Conversion { value, to } => {
                RowReason::Conversion { value, to: to.to_string() }
            }
            crate::expr::FailureKind::Gathered { .. }
            | crate::expr::FailureKind::Grouped { .. } => {
                crate::bug::bug("a check about totals follows a link or looks at a group")
            }
        },
        span: failure.span,
        row: String::new(),
        place: None,
    };
    let (holds, blank) = truth(&check.condition, &scope).map_err(problem)?;
    let held = holds.value(0);
    let mut sides = vec![];
    if let CheckKind::Totals { sides: typed } = &check.kind {
        let mut values: Vec<Scalar> = vec![];
        for (text, side) in typed {
            let value = evaluate(side, &scope).map_err(problem)?.scalar(0);
            sides.push((text.clone(), value.clone()));
            values.push(value);
        }
        if let [a, b] = values.as_slice()
            && let Some(difference) = difference(a, b)
            && !held
        {
            sides.push(("difference".into(), difference));
        }
    }
    Ok(CheckTally {
        severity: check.severity,
        title: check.title.clone(),
        condition: check.condition_text.clone(),
        table: None,
        at_least: None,
        rows: 1,
        failed: u64::from(!held),
        blank: blank as u64,
        held,
        examples: vec![],
        sides,
        skipped: false,
    })
}

/// A check that could not be looked at.
pub(super) fn skipped(plan: &Plan, check: &CheckPlan) -> CheckTally {
    let table = match &check.kind {
        CheckKind::Rows { table, .. } => Some(plan.tables[table.0].name.clone()),
        CheckKind::Totals { .. } => None,
    };
    CheckTally {
        severity: check.severity,
        title: check.title.clone(),
        condition: check.condition_text.clone(),
        table,
        at_least: None,
        rows: 0,
        failed: 0,
        blank: 0,
        held: false,
        examples: vec![],
        sides: vec![],
        skipped: true,
    }
}

fn difference(a: &Scalar, b: &Scalar) -> Option<Scalar> {
    let units = |value: &Scalar| match value {
        Scalar::Integer(value) => Some((i128::from(*value), Scale(0))),
        Scalar::Decimal(units, scale) => Some((*units, *scale)),
        _ => None,
    };
    let ((a, a_scale), (b, b_scale)) = (units(a)?, units(b)?);
    let to = a_scale.max(b_scale);
    let a = decimal::rescale(a, a_scale, to)?;
    Some(Scalar::Decimal(a.checked_sub(decimal::rescale(b, b_scale, to)?)?, to))
}

/// The totals that an expression asks for.
pub(super) fn totals_of(typed: &Typed) -> Vec<usize> {
    let mut totals = vec![];
    typed.visit(&mut |part| {
        if let Kind::Total(id) = part.kind {
            totals.push(id.0);
        }
    });
    totals
}
