//! `one row per` while rows pass by: each batch becomes its groups, and those are gathered again, so
//! that what is held grows with groups and not with rows.

use super::account::StepSum;
use super::gather::{group_problem, values};
use super::one_row::{columns, group_named, of_groups, own_mistakes, sizes_of};
use super::operations::StepRunner;
use crate::aggregate::{AggregateFunction, GroupFailure, Groups, Values, aggregate, number};
use crate::resolve::{AggregatePlan, OneRowPlan, TablePlan};
use crate::table::{Amount, Batch, Column};
use crate::tally::Problem;
use crate::value::{Scalar, Scale, Type, decimal};
use rayon::prelude::*;

/// Groups of batches are put together when there are so many times as many as after the last time.
const SLACK: usize = 3;
const RARELY: usize = 8;

/// Below so many they are left as they are.
const FEW: usize = 1 << 16;

/// Whether a step can be worked while rows pass by: all that it works can be put together from what
/// was worked of parts.
pub(super) fn streams(plan: &OneRowPlan) -> bool {
    plan.months.is_empty() && plan.results.iter().all(|(result, _)| parts_of(result).is_some())
}

/// What is kept of an aggregate, and how two of it are put together.
fn parts_of(plan: &AggregatePlan) -> Option<&'static [AggregateFunction]> {
    use AggregateFunction::{All, Any, Count, Max, Mean, Min, Rows, Share, Sum};
    Some(match plan.function {
        Rows | Count | Sum => &[Sum],
        Mean | Share => &[Sum, Sum],
        Min => &[Min],
        Max => &[Max],
        Any => &[Any],
        All => &[All],
        _ => return None,
    })
}

/// The groups of one batch: keys, how many rows each has, and the parts of what is worked.
pub(super) struct Partial {
    groups: Batch,
    before: Vec<Option<Amount>>,
    rows: u64,
}

/// The groups of a batch.
pub(super) fn partial(
    plan: &OneRowPlan,
    runner: &StepRunner<'_>,
    batch: &Batch,
) -> Result<Partial, Problem> {
    let table = runner.plan();
    let keys = columns(runner, batch, plan.keys.iter().map(|(key, ..)| key))?;
    let (groups, firsts) = number(keys.clone(), batch.rows);
    let firsts = firsts.into();
    let mut slots: Vec<Option<Column>> = keys.iter().map(|key| Some(key.take(&firsts))).collect();
    let sizes: Vec<i64> = groups.sizes().iter().map(|size| *size as i64).collect();
    slots.push(Some(Column::Integer(sizes.into())));
    for (result, _) in &plan.results {
        let worked = values(result, batch, runner.context.world, runner.zeros)
            .map_err(|failure| runner.problem(batch, failure))?;
        let failed = |failure| {
            let named = |group| group_named(plan, &keys, &firsts, group);
            let text = &table.steps[runner.step].text;
            group_problem(&table.name, text, result, &worked, failure, named)
        };
        slots.extend(parts(&worked, &groups).map_err(failed)?.into_iter().map(Some));
    }
    Ok(Partial {
        groups: Batch::new(groups.count, slots, vec![]),
        before: amounts_before(table, runner.step, batch),
        rows: batch.rows as u64,
    })
}

/// What is kept of an aggregate of some groups.
fn parts(worked: &Values, groups: &Groups) -> Result<Vec<Column>, GroupFailure> {
    use AggregateFunction::{Count, Mean, Rows, Share, Sum};
    let of = |function, value: Option<Column>, ty| {
        let values = Values { function, value, ty, ..worked.clone() };
        aggregate(&values, groups)
    };
    Ok(match worked.function {
        Mean => vec![
            of(Sum, worked.value.clone(), sum_type(worked))?,
            of(Count, worked.value.clone(), Type::Integer)?,
        ],
        Share => {
            // Rows for which it is true, and all that count.
            let holds = match &worked.value {
                Some(Column::Boolean(array)) => {
                    let units = (0..groups.rows()).map(|row| {
                        (!arrow_array::Array::is_null(array, row) && array.value(row)).then_some(1)
                    });
                    Column::Integer(units.collect())
                }
                _ => Column::all_blank(Type::Integer, groups.rows()),
            };
            vec![of(Sum, Some(holds), Type::Decimal(Scale(0)))?, of(Rows, None, Type::Integer)?]
        }
        Sum => vec![of(Sum, worked.value.clone(), sum_type(worked))?],
        function => vec![of(function, worked.value.clone(), worked.ty)?],
    })
}

/// Sums of whole numbers are kept wide, so that only the last of them can be too large.
fn sum_type(worked: &Values) -> Type {
    match worked.value.as_ref().map(Column::ty) {
        Some(Type::Number) => Type::Number,
        Some(ty) => Type::Decimal(ty.scale().unwrap_or_default()),
        None => Type::Decimal(Scale(0)),
    }
}

/// The tracked amounts that end or go on under another column in a step, as they are before it.
pub(super) fn amounts_before(table: &TablePlan, step: usize, batch: &Batch) -> Vec<Option<Amount>> {
    let before = table.tracked.iter().map(|tracked| {
        let changes = tracked.versions.iter().skip(1).any(|(from, _)| *from == step + 1)
            || tracked.ends_at == Some(step);
        let slot = tracked.slot_before(step).filter(|_| changes)?;
        batch.slots[slot.0].as_ref().map(Column::sum)
    });
    before.collect()
}

/// A step that gathers rows as they pass.
#[derive(Clone, Copy)]
pub(super) struct GatherStep<'p> {
    /// The table's place in its chain, and the step's in the table.
    pub at: usize,
    pub step: usize,
    pub plan: &'p OneRowPlan,
    pub table: &'p TablePlan,
}

/// Groups of the batches that have passed.
pub(super) struct Gathering<'p> {
    pub step: GatherStep<'p>,
    parts: Vec<Batch>,
    rows: usize,
    /// So many groups are left as they are.
    most: usize,
    sum: StepSum,
}

impl<'p> Gathering<'p> {
    pub fn new(step: GatherStep<'p>) -> Self {
        Self { step, parts: vec![], rows: 0, most: FEW, sum: StepSum::default() }
    }

    /// The step in words.
    fn text(&self) -> &'p str {
        &self.step.table.steps[self.step.step].text
    }

    /// Takes in the groups of the next batch. When they are put together depends on the batches
    /// alone, so that sums of floating-point numbers do not depend on threads.
    pub fn absorb(&mut self, partial: Partial) -> Result<(), Problem> {
        let Partial { groups, before, rows } = partial;
        self.rows += groups.rows;
        self.parts.push(groups);
        let sum = StepSum { before, rows_before: rows, seen: true, ..StepSum::default() };
        self.sum.absorb(&sum);
        if self.rows > self.most {
            let whole = self.together()?;
            // Where hardly any are put together, it is tried again much later.
            let slack = if whole.rows * 2 > self.rows { RARELY } else { SLACK };
            self.most = FEW.max(whole.rows * slack);
            self.rows = whole.rows;
            self.parts = vec![whole];
        }
        Ok(())
    }

    /// All groups, each once.
    fn together(&mut self) -> Result<Batch, Problem> {
        let parts = std::mem::take(&mut self.parts);
        let rows = parts.iter().map(|part| part.rows).sum();
        let width = parts.first().map_or(0, |part| part.slots.len());
        let stacked: Vec<Column> = (0..width)
            .map(|at| {
                let columns = parts.iter().filter_map(|part| part.slots[at].clone());
                Column::concat(&columns.collect::<Vec<_>>())
            })
            .collect();
        drop(parts);
        let (keys, _) = stacked.split_at(self.step.plan.keys.len());
        let (groups, firsts) = number(keys.to_vec(), rows);
        let firsts: arrow_array::UInt32Array = firsts.into();
        let mut slots: Vec<Option<Column>> =
            keys.iter().map(|key| Some(key.take(&firsts))).collect();
        slots.extend(self.folded(&stacked, &groups, |group| {
            group_named(self.step.plan, keys, &firsts, group)
        })?);
        Ok(Batch::new(groups.count, slots, vec![]))
    }

    /// The sizes of groups and the parts of aggregates, put together.
    fn folded(
        &self,
        stacked: &[Column],
        groups: &Groups,
        named: impl Fn(u32) -> Vec<(String, Scalar)>,
    ) -> Result<Vec<Option<Column>>, Problem> {
        let sizes = std::iter::once((AggregateFunction::Sum, None));
        let parts = self.step.plan.results.iter().flat_map(|(result, _)| {
            parts_of(result)
                .unwrap_or_default()
                .iter()
                .map(move |function| (*function, Some(result)))
        });
        let wanted: Vec<(AggregateFunction, Option<&AggregatePlan>)> = sizes.chain(parts).collect();
        let columns = &stacked[self.step.plan.keys.len()..];
        let folded: Vec<(Values, Result<Column, GroupFailure>)> = wanted
            .par_iter()
            .zip(columns)
            .map(|((function, _), column)| {
                let values = Values {
                    function: *function,
                    ty: column.ty(),
                    value: Some(column.clone()),
                    filter: None,
                    by: vec![],
                    distinct: false,
                    separator: String::new(),
                };
                let folded = aggregate(&values, groups);
                (values, folded)
            })
            .collect();
        let told = folded.into_iter().zip(&wanted).map(|((values, folded), (_, result))| {
            folded.map(Some).map_err(|failure| match result {
                Some(result) => {
                    let table = &self.step.table.name;
                    group_problem(table, self.text(), result, &values, failure, &named)
                }
                // More rows than can be counted there are none.
                None => Problem::TooManyRows { table: self.step.table.name.clone() },
            })
        });
        told.collect()
    }

    /// The groups with their results, what happened, and the total's row if there is one.
    pub fn finish(mut self) -> Result<(Batch, StepSum, Option<Batch>), Problem> {
        let whole = self.together()?;
        let width = self.step.plan.keys.len();
        let columns: Vec<Column> = whole
            .slots
            .iter()
            .map(|slot| slot.clone().unwrap_or(Column::Blank(whole.rows)))
            .collect();
        let empty = columns.is_empty();
        let keys = if empty { self.blank_keys() } else { columns[..width].to_vec() };
        let sizes = match columns.get(width) {
            Some(Column::Integer(sizes)) => {
                sizes.values().iter().map(|size| *size as u64).collect()
            }
            _ => vec![],
        };
        let none = || arrow_array::UInt32Array::from_iter_values(0..whole.rows as u32);
        let named = |group: u32| group_named(self.step.plan, &keys, &none(), group);
        let in_all = self.step.plan.keys.is_empty();
        // One row in all is there even of nothing.
        let results = if in_all || self.step.plan.total.is_some() {
            let groups = Groups::one(whole.rows);
            let folded = if empty { vec![] } else { self.folded(&columns, &groups, |_| vec![])? };
            Some(self.results(&flat(folded), 1, |_| vec![])?)
        } else {
            None
        };
        let mut total = None;
        let (rows, gathered) = match results {
            Some(results) if in_all => (1, results),
            results => {
                if let (Some(name), Some(results)) = (&self.step.plan.total, results) {
                    total = Some(self.total_row(name, &keys, results)?);
                }
                let parts = columns.get(width..).unwrap_or_default();
                (whole.rows, self.results(parts, whole.rows, named)?)
            }
        };
        let mistakes = own_mistakes(self.step.plan, &self.step.table.name, &keys, &sizes);
        let sizes = if in_all { vec![self.sum.rows_before] } else { sizes };
        let sum = StepSum {
            sizes: Some(sizes_of(sizes)),
            mistakes: mistakes.into_iter().collect(),
            seen: true,
            ..std::mem::take(&mut self.sum)
        };
        Ok((
            of_groups(self.step.table.slots.len(), self.step.plan, keys, gathered, rows),
            sum,
            total,
        ))
    }

    fn blank_keys(&self) -> Vec<Column> {
        self.step.plan.keys.iter().map(|(key, ..)| Column::all_blank(key.ty, 0)).collect()
    }

    fn total_row(
        &self,
        name: &str,
        keys: &[Column],
        results: Vec<Column>,
    ) -> Result<Batch, Problem> {
        for (key, (.., column)) in keys.iter().zip(&self.step.plan.keys) {
            super::one_row::total_is_free(&self.step.table.name, column, key, name)?;
        }
        let text = Scalar::Text(name.to_owned());
        let keys = self.step.plan.keys.iter().map(|_| Column::constant(&text, Type::Text, 1));
        Ok(of_groups(self.step.table.slots.len(), self.step.plan, keys.collect(), results, 1))
    }

    /// Results from their parts: the sizes of groups come first among `parts`.
    fn results(
        &self,
        parts: &[Column],
        rows: usize,
        named: impl Fn(u32) -> Vec<(String, Scalar)>,
    ) -> Result<Vec<Column>, Problem> {
        let mut at = 1;
        let mut results = vec![];
        for (result, _) in &self.step.plan.results {
            let count = parts_of(result).unwrap_or_default().len();
            let own: Vec<Column> = parts.get(at..at + count).unwrap_or_default().to_vec();
            at += count;
            let column = from_parts(result, &own, rows).map_err(|group| {
                let values = Values {
                    function: result.function,
                    value: None,
                    filter: None,
                    by: vec![],
                    distinct: false,
                    separator: String::new(),
                    ty: result.ty,
                };
                let failure = GroupFailure::Overflow { group };
                let text = self.text();
                group_problem(&self.step.table.name, text, result, &values, failure, &named)
            })?;
            results.push(column);
        }
        Ok(results)
    }
}

fn flat(columns: Vec<Option<Column>>) -> Vec<Column> {
    columns.into_iter().flatten().collect()
}

/// A result from its parts; with the group for which it has too many digits.
fn from_parts(plan: &AggregatePlan, parts: &[Column], rows: usize) -> Result<Column, u32> {
    use AggregateFunction::{All, Any, Count, Mean, Rows, Share, Sum};
    let Some(first) = parts.first() else {
        // Nothing was gathered.
        return Ok(match plan.function {
            Rows | Count | Sum => {
                let zero = match plan.ty {
                    Type::Decimal(scale) => Scalar::Decimal(0, scale),
                    Type::Number => Scalar::Number(0.0),
                    _ => Scalar::Integer(0),
                };
                Column::constant(&zero, plan.ty, rows)
            }
            Any | All => Column::constant(&Scalar::Boolean(plan.function == All), plan.ty, rows),
            _ => Column::all_blank(plan.ty, rows),
        });
    };
    let units = |column: &Column, row: usize| match column.scalar(row) {
        Scalar::Decimal(units, _) => units,
        Scalar::Integer(value) => value.into(),
        _ => 0,
    };
    match (plan.function, plan.ty) {
        (Sum, Type::Integer) => {
            let whole = (0..first.len())
                .map(|row| i64::try_from(units(first, row)).map_err(|_| row as u32));
            Ok(Column::Integer(whole.collect::<Result<Vec<_>, _>>()?.into()))
        }
        (Mean | Share, _) => {
            let counts = &parts[1];
            let some = |row: usize| units(counts, row) > 0;
            if let Column::Number(sums) = first {
                let means = (0..first.len())
                    .map(|row| some(row).then(|| sums.value(row) / units(counts, row) as f64));
                return Ok(Column::Number(means.collect()));
            }
            let scale = first.ty().scale().unwrap_or_default();
            let means = (0..first.len()).map(|row| {
                let by = units(counts, row).max(1);
                decimal::divide(units(first, row), scale, by, Scale(0)).ok_or(row as u32)
            });
            let means = means.collect::<Result<Vec<_>, _>>()?;
            let nulls: arrow_buffer::NullBuffer = (0..first.len()).map(some).collect();
            Ok(Column::decimal(means, Some(nulls), decimal::DIVISION_SCALE))
        }
        _ => Ok(first.clone()),
    }
}
