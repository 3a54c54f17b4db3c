//! Checks and totals: while a table passes by, or once everything is finished.

use std::sync::atomic::AtomicU64;

use super::chain::Context;
use super::operations::{Naming, finished_problem, finished_slots, grain_values};
use crate::expr::{Kind, Scope, Typed, World, evaluate, truth};
use crate::link::{BlankKeys, KeyTable, Keys};
use crate::resolve::{CheckKind, CheckPlan, Plan, Total, TotalFunction};
use crate::table::{Batch, Column, Table, TableId};
use crate::tally::{CheckAccount, FailedRow, Problem, RowReason, share_text};
use crate::value::{Scalar, Scale, Type, decimal};

/// Failed rows are listed up to this many.
const EXAMPLES: usize = 5;

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

/// What an aggregate over a table came to so far.
#[derive(Debug)]
pub(super) enum TotalSum {
    Count(u64),
    /// `None` once it has too many digits.
    Exact(Option<i128>),
    Float(f64),
    Extreme {
        best: Column,
        smallest: bool,
    },
    Distinct(Vec<Column>),
}

impl TotalSum {
    pub fn absorb(&mut self, more: TotalSum) {
        match (self, more) {
            (Self::Count(sum), Self::Count(more)) => *sum += more,
            (Self::Exact(sum), Self::Exact(more)) => {
                *sum = sum.zip(more).and_then(|(sum, more)| sum.checked_add(more));
            }
            (Self::Float(sum), Self::Float(more)) => *sum += more,
            (Self::Extreme { best, smallest }, Self::Extreme { best: more, .. }) => {
                *best = extreme(&Column::concat(&[best.clone(), more]), *smallest);
            }
            (Self::Distinct(parts), Self::Distinct(more)) => parts.extend(more),
            _ => {}
        }
    }

    /// The value; `None` where it does not fit its type.
    pub fn value(&self, ty: Type) -> Option<Scalar> {
        Some(match self {
            Self::Count(count) => Scalar::Integer(i64::try_from(*count).ok()?),
            Self::Exact(units) => exact(decimal::fits((*units)?)?, ty)?,
            Self::Float(sum) => Scalar::Number(*sum),
            Self::Extreme { best, .. } if best.is_empty() => Scalar::Blank,
            Self::Extreme { best, .. } => best.scalar(0),
            Self::Distinct(parts) => {
                let column = Column::concat(parts);
                let rows = column.len();
                let keys = Keys::new(vec![column], BlankKeys::Apart, rows);
                let repeats = KeyTable::build(&keys).repeats.len();
                Scalar::Integer((rows - keys.absent() - repeats) as i64)
            }
        })
    }
}

fn exact(units: i128, ty: Type) -> Option<Scalar> {
    Some(match ty {
        Type::Decimal(scale) => Scalar::Decimal(units, scale),
        _ => Scalar::Integer(i64::try_from(units).ok()?),
    })
}

/// The least or greatest value of a column as a column of one; none of nothing.
fn extreme(column: &Column, smallest: bool) -> Column {
    let op = if smallest { crate::lang::Operator::Less } else { crate::lang::Operator::Greater };
    let present: arrow_array::BooleanArray =
        (0..column.len()).map(|row| Some(!column.is_blank(row))).collect();
    let mut left = column.filter(&present);
    // Halves are compared with halves until one value is left.
    while left.len() > 1 {
        let half = left.len() / 2;
        let (a, b) = (left.slice(0, half), left.slice(half, half));
        let first = crate::expr::compare_columns(op, &a, &b);
        let both = left.clone();
        let mut pick: Vec<u32> =
            (0..half).map(|row| if first.value(row) { row } else { half + row } as u32).collect();
        if left.len() % 2 == 1 {
            pick.push(left.len() as u32 - 1);
        }
        left = both.take(&pick.into());
    }
    left
}

/// What an aggregate is worth over some rows.
pub(super) fn total_over(
    total: &Total,
    scope: &Scope<'_>,
) -> Result<TotalSum, crate::expr::RowFailure> {
    let chosen = total.filter.as_ref().map(|filter| truth(filter, scope)).transpose()?;
    let value = match &total.value {
        Some(value) => {
            let column = evaluate(value, scope)?;
            Some(match &chosen {
                Some((chosen, _)) => column.filter(chosen),
                None => column,
            })
        }
        None => None,
    };
    let rows = chosen.map_or(scope.batch.rows, |(chosen, _)| chosen.true_count());
    let Some(column) = value else { return Ok(TotalSum::Count(rows as u64)) };
    Ok(match total.function {
        TotalFunction::Rows => TotalSum::Count(rows as u64),
        TotalFunction::Count => TotalSum::Count((column.len() - column.blanks()) as u64),
        TotalFunction::Distinct => TotalSum::Distinct(vec![column]),
        TotalFunction::Min | TotalFunction::Max => {
            let smallest = total.function == TotalFunction::Min;
            TotalSum::Extreme { best: extreme(&column, smallest), smallest }
        }
        TotalFunction::Sum => match column.sum() {
            crate::table::Amount::Exact { units, .. } => TotalSum::Exact(units),
            crate::table::Amount::Float { sum, .. } => TotalSum::Float(sum),
        },
    })
}

/// A check about rows, over some of them. `columns` has the finished columns as its slots.
pub(super) fn check_over(
    context: &Context<'_>,
    check: &CheckPlan,
    table: TableId,
    columns: &Batch,
    naming: Naming<'_>,
    zeros: &AtomicU64,
) -> Result<CheckSum, Problem> {
    let scope =
        Scope { batch: columns, world: context.world, zero_divisions: zeros, lenient: false };
    let (holds, blank) = truth(&check.condition, &scope).map_err(|failure| {
        let step = format!("check \"{}\"", check.title);
        finished_problem(context, table, step, columns, naming, failure)
    })?;
    let mut sum = CheckSum {
        rows: columns.rows as u64,
        failed: (columns.rows - holds.true_count()) as u64,
        blank: blank as u64,
        examples: vec![],
    };
    if sum.failed > 0 {
        let plan = &context.plan.tables[table.0];
        let shown: &[usize] = match &check.kind {
            CheckKind::Rows { shown, .. } => shown,
            CheckKind::Totals { .. } => &[],
        };
        let failed = (0..columns.rows).filter(|row| !holds.value(*row)).take(EXAMPLES);
        sum.examples = failed
            .map(|row| {
                let by_slot = finished_slots(plan, columns);
                let mut values = grain_values(plan, &by_slot, row);
                for column in shown {
                    let name = &plan.columns[*column].0;
                    if let (false, Some(values_of)) =
                        (values.iter().any(|(known, _)| known == name), &columns.slots[*column])
                    {
                        values.push((name.clone(), values_of.scalar(row).to_string()));
                    }
                }
                FailedRow { values, place: naming.place(context, columns, row) }
            })
            .collect();
    }
    Ok(sum)
}

type PassingSums = (Vec<(usize, CheckSum)>, Vec<(usize, TotalSum)>);

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
            let scope = Scope {
                batch: columns,
                world: context.world,
                zero_divisions: zeros,
                lenient: false,
            };
            let sum = total_over(total, &scope).map_err(|failure| {
                finished_problem(context, table, "check".into(), columns, naming, failure)
            })?;
            totals.push((at, sum));
        }
    }
    Ok((checks, totals))
}

/// The rows of a finished table with its columns as slots, and itself among its origins.
pub(super) fn finished_rows(table: &Table, id: TableId) -> Batch {
    let mut origins: Vec<_> =
        table.origins.iter().filter(|(origin, _)| *origin != id).cloned().collect();
    origins.push((id, arrow_array::UInt32Array::from_iter_values(0..table.rows as u32)));
    Batch::new(table.rows, table.columns.clone(), origins)
}

/// A check's account from what was found in its rows.
pub(super) fn rows_account(plan: &Plan, check: &CheckPlan, sum: CheckSum) -> CheckAccount {
    let CheckKind::Rows { table, at_least, .. } = &check.kind else { return skipped(plan, check) };
    let held = match at_least {
        None => sum.failed == 0,
        Some(percent) => {
            let holds = u128::from(sum.rows - sum.failed) * 100 * 10_u128.pow(percent.scale.into());
            holds >= u128::from(sum.rows) * u128::from(percent.units)
        }
    };
    let share = share_text(u128::from(sum.rows - sum.failed), u128::from(sum.rows));
    CheckAccount {
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
pub(super) fn totals_account(world: &World, check: &CheckPlan) -> Result<CheckAccount, Problem> {
    let batch = Batch { rows: 1, ..Batch::default() };
    let zeros = AtomicU64::new(0);
    let scope = Scope { batch: &batch, world, zero_divisions: &zeros, lenient: false };
    let problem = |failure: crate::expr::RowFailure| Problem::Row {
        table: "totals".into(),
        step: format!("{} \"{}\"", check.severity.word(), check.title),
        reason: match failure.kind {
            crate::expr::FailureKind::Overflow => RowReason::Overflow,
            crate::expr::FailureKind::Conversion { value, to } => {
                RowReason::Conversion { value, to: to.to_string() }
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
    Ok(CheckAccount {
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
pub(super) fn skipped(plan: &Plan, check: &CheckPlan) -> CheckAccount {
    let table = match &check.kind {
        CheckKind::Rows { table, .. } => Some(plan.tables[table.0].name.clone()),
        CheckKind::Totals { .. } => None,
    };
    CheckAccount {
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
