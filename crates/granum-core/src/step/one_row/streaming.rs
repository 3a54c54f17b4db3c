//! `one row per` while rows pass by: each batch becomes its groups, and those are put together again, so
//! that what is held grows with groups and not with rows.

use std::sync::{Mutex, PoisonError};

use rayon::prelude::*;

use super::super::leading::rows_gathered;
use super::super::ranks::{Lots, is_ranked, pairs, ranked};
use super::super::{StepRunner, StepSum, group_problem};
use super::away::{PairsOfPart, PileAway};
use super::pile::{Pairs, Piece, Pile, different_in, different_in_all};
use super::scattered::GroupsAway;
use super::told::{Failed, Sizes};
use super::{group_named, of_groups, own_mistake, step_values, total_row, total_taken};
use crate::aggregate::{
    AggregateFunction, GroupFailure, Groups, Sum, Values, different, folded, from_parts, kept,
    mostly_different, number, parted, parts,
};
use crate::bug::Sure;
use crate::resolve::{AggregatePlan, OneRowPlan, Plan, TablePlan};
use crate::table::{Batch, Column, Room, Rows};
use crate::tally::Problem;
use crate::value::Scalar;

/// Whether a step can be worked while rows pass by: all that it works can be put together from what
/// was worked of parts.
pub(crate) fn streams(plan: &Plan, step: &OneRowPlan) -> bool {
    let parted = |of: &AggregatePlan| {
        let parts = match of.function {
            _ if takes_pairs(of) => true,
            // What ties goes to the later row, which the total cannot tell from groups.
            AggregateFunction::Latest | AggregateFunction::Earliest => {
                step.total.is_none() && of.by.len() < 2
            }
            function => parted(function, of.ty),
        };
        // What counts apart is looked at in whole groups.
        parts && of.apart.is_none() && rows_gathered(plan, of).is_none()
    };
    step.months.is_empty() && step.results.iter().all(|(result, _)| parted(result))
}

/// Whether a result is worked of the pairs of groups and values.
fn takes_pairs(result: &AggregatePlan) -> bool {
    result.function == AggregateFunction::Distinct || is_ranked(result)
}

/// The groups of one batch.
pub(crate) struct Partial {
    /// Keys, how many rows each group has, and the parts of what is worked.
    groups: Piece,
    /// For each result that is worked of pairs, those.
    pairs: Vec<Piece>,
    before: Vec<Option<Sum>>,
    rows: u64,
}

/// The groups of a batch.
pub(crate) fn partial(
    plan: &OneRowPlan,
    runner: &StepRunner<'_>,
    batch: &Batch,
) -> Result<Partial, Problem> {
    let table = runner.plan();
    let keys = runner.columns(batch, plan.keys.iter().map(|(key, ..)| key))?;
    let (groups, firsts) = number(keys.clone(), batch.rows);
    let firsts = firsts.into();
    let mut columns: Vec<Column> = keys.iter().map(|key| key.take(&firsts)).collect();
    let sizes: Vec<i64> = groups.sizes().iter().map(|size| *size as i64).collect();
    columns.push(Column::Integer(sizes.into()));
    let mut of_pairs = vec![];
    for (result, _) in &plan.results {
        let worked = step_values(runner, result, batch)?;
        if takes_pairs(result) {
            of_pairs.push(pairs_of(result, &keys, &worked, &groups));
            continue;
        }
        let failed = |failure| {
            let named = |group| group_named(plan, &keys, &firsts, group);
            let text = runner.text();
            group_problem(&table.name, text, result, &worked, failure, named)
        };
        columns.extend(parts(&worked, &groups).map_err(failed)?);
    }
    Ok(Partial {
        groups: Piece { columns, count: groups.count },
        pairs: of_pairs,
        before: runner.amounts_before(batch),
        rows: batch.rows as u64,
    })
}

/// The keys of groups and the values that a result is worked of, each pair once; for ranks, how often it is there.
fn pairs_of(result: &AggregatePlan, keys: &[Column], worked: &Values, groups: &Groups) -> Piece {
    let columns: Vec<Column> = if is_ranked(result) {
        pairs(keys, worked, groups)
    } else {
        let rows = mostly_different(worked, groups).unwrap_or_else(|| different(worked, groups));
        keys.iter().chain(&worked.value).map(|column| column.take(&rows)).collect()
    };
    Piece { count: columns.first().map_or(0, Column::len), columns }
}

/// A step that makes groups of rows as they pass.
#[derive(Clone, Copy)]
pub(crate) struct GroupStep<'p> {
    /// The step's place in its table.
    pub step: usize,
    pub plan: &'p OneRowPlan,
    pub table: &'p TablePlan,
}

/// Groups of the batches that have passed.
pub(crate) struct GroupsSoFar<'p> {
    pub step: GroupStep<'p>,
    groups: Pile,
    /// For each result that is worked of pairs, those.
    pairs: Vec<Pairs>,
    sum: StepSum,
    /// Those for which there was no room.
    away: Option<PileAway<'p>>,
}

impl<'p> GroupsSoFar<'p> {
    pub fn new(step: GroupStep<'p>) -> Self {
        let pairs = of_pairs_of(step).map(|result| Pairs::new(is_ranked(result))).collect();
        Self { step, groups: Pile::new(), pairs, sum: StepSum::default(), away: None }
    }

    /// The step in words.
    fn text(&self) -> &'p str {
        &self.step.table.steps[self.step.step].text
    }

    /// Takes in the groups of the next batch. When they are put together depends on the batches
    /// alone, so that sums of floating-point numbers do not depend on threads.
    pub fn absorb(&mut self, partial: Partial) -> Result<(), Problem> {
        let Partial { groups, pairs, before, rows } = partial;
        self.pairs.iter_mut().zip(pairs).for_each(|(all, pairs)| all.absorb(pairs));
        let sum = StepSum { before, rows_before: rows, seen: true, ..StepSum::default() };
        self.sum.absorb(&sum);
        if self.groups.lay(groups) {
            let (before, whole) = self.together()?;
            self.groups.settle(before, whole);
        }
        Ok(())
    }

    /// Whether its groups stay here whatever comes. One of all rows is small. Which values a `sole` of all groups names where
    /// they differ, depends on their order.
    fn stay(&self) -> bool {
        let GroupStep { plan, .. } = self.step;
        let sole = |(result, _): &(AggregatePlan, _)| result.function == AggregateFunction::Sole;
        plan.keys.is_empty() || plan.total.is_some() && plan.results.iter().any(sole)
    }

    /// The bytes that it holds in memory and can put away, about.
    pub fn bytes_held(&self) -> u64 {
        let GroupStep { plan, .. } = self.step;
        let stay = self.stay();
        // Of no rows nothing is left but their columns.
        if self.groups.is_empty() || stay && !plan.keys.is_empty() {
            return 0;
        }
        let pairs: usize = self.pairs.iter().map(Pairs::bytes_held).sum();
        let groups = if stay { 0 } else { self.groups.bytes_held() };
        (groups + pairs) as u64
    }

    /// Puts away what it holds, as it lies.
    pub fn put_away(&mut self, room: &Room) {
        if self.groups.is_empty() {
            return;
        }
        let (step, stay) = (self.step, self.stay());
        let nothing = || PileAway::new(room, step.plan.keys.len(), of_pairs_of(step));
        let away = self.away.get_or_insert_with(nothing);
        if !stay {
            self.groups.take_each().for_each(|groups| away.put(groups));
        }
        for (at, pairs) in self.pairs.iter_mut().enumerate() {
            pairs.take_each().for_each(|pairs| away.put_pairs(at, &pairs));
        }
    }

    /// All groups, each once; and how many they were before. The pile is empty then.
    fn together(&mut self) -> Result<(usize, Piece), Problem> {
        let Piece { columns, count } = self.groups.take();
        let one = self.once(&columns, count, u64::from);
        let (columns, firsts) = one.map_err(|failed| failed.problem)?;
        Ok((count, Piece { columns, count: firsts.len() }))
    }

    /// Groups each once, of keys and what was kept of them; and the first row of each. A group's number is that of its
    /// first row.
    fn once(
        &self,
        stacked: &[Column],
        count: usize,
        numbered: impl Fn(u32) -> u64,
    ) -> Result<(Vec<Column>, Rows), Failed> {
        let (keys, parts) = stacked.split_at(self.step.plan.keys.len());
        let (groups, firsts) = number(keys.to_vec(), count);
        let firsts: Rows = firsts.into();
        let mut columns: Vec<Column> = keys.iter().map(|key| key.take(&firsts)).collect();
        let named = |group| group_named(self.step.plan, keys, &firsts, group);
        let folded = self.folded(parts, &groups, named);
        columns.extend(folded.map_err(|(result, group, problem)| {
            let number = firsts.get(group as usize).map_or(0, &numbered);
            Failed { place: (false, result, number), problem }
        })?);
        Ok((columns, firsts))
    }

    /// The sizes of groups and the parts of aggregates, put together. Fails with the result and the group that has none.
    fn folded(
        &self,
        columns: &[Column],
        groups: &Groups,
        named: impl Fn(u32) -> Vec<(String, Scalar)>,
    ) -> Result<Vec<Column>, (usize, u32, Problem)> {
        let parts = self.parted(columns);
        let found: Vec<_> =
            parts.par_iter().map(|(result, own)| folded(result.function, own, groups)).collect();
        let table = &self.step.table.name;
        // More rows than can be counted there are none.
        let mut all = folded(AggregateFunction::Rows, &columns[..1], groups)
            .map_err(|_| (0, 0, Problem::TooManyRows { table: table.clone() }))?;
        for (at, (columns, (result, _))) in found.into_iter().zip(parts).enumerate() {
            all.extend(columns.map_err(|(failure, values)| {
                let group = failure.group();
                (at, group, group_problem(table, self.text(), result, &values, failure, &named))
            })?);
        }
        Ok(all)
    }

    /// The results, each with what is kept of it; the sizes of groups come before.
    fn parted<'c>(&self, columns: &'c [Column]) -> Vec<(&'p AggregatePlan, &'c [Column])> {
        let mut left = &columns[1..];
        let results = self.step.plan.results.iter().map(|(result, _)| {
            let (own, others) = left.split_at(kept(result.function).map_or(0, <[_]>::len));
            left = others;
            (result, own)
        });
        results.collect()
    }

    /// The groups with their results, what happened, and the total row if there is one. A batch at
    /// least has been taken in, if only one of no rows.
    pub fn finish(mut self) -> Result<(Batch, StepSum, Option<Batch>), Problem> {
        let mut in_all = None;
        if let Some(room) = self.away.as_ref().map(|away| away.room().clone()) {
            self.put_away(&room);
            if !self.stay() {
                return self.finish_away();
            }
            in_all = self.away.as_ref().map(PileAway::in_all);
        }
        let GroupStep { plan, table, .. } = self.step;
        let (_, Piece { columns, count }) = self.together()?;
        let pairs: Vec<Piece> = self.pairs.iter_mut().map(Pairs::take).collect();
        let (keys, parts) = columns.split_at(plan.keys.len());
        let all = || {
            let folded = self.folded(parts, &Groups::one(count), |_| vec![]);
            let of_pairs = in_all.clone().unwrap_or_else(|| self.of_pairs(&pairs, None));
            let folded = folded.map_err(|(.., problem)| problem)?;
            self.results(&folded, of_pairs, |_| vec![]).map_err(|(.., problem)| problem)
        };
        let total = total_row(plan, table, keys, all)?;
        // One row in all is there even of nothing.
        let in_all = keys.is_empty();
        let (rows, results) = if in_all {
            (1, all()?)
        } else {
            let firsts = Rows::same(count);
            let of_pairs = self.of_pairs(&pairs, Some((keys, count)));
            let named = |group| group_named(plan, keys, &firsts, group);
            let results = self.results(parts, of_pairs, named);
            (count, results.map_err(|(.., problem)| problem)?)
        };
        let sizes = match parts.first() {
            Some(Column::Integer(sizes)) if !in_all => {
                sizes.all().map(|size| size as u64).collect()
            }
            _ => vec![self.sum.rows_before],
        };
        let mistakes = own_mistake(plan, table, keys, &sizes);
        let rows = of_groups(table.slots.len(), plan, keys.to_vec(), results, rows);
        let sum = StepSum {
            sizes: Some(Sizes::of(&sizes).told()),
            mistakes: mistakes.into_iter().collect(),
            ..self.sum
        };
        Ok((rows, sum, total))
    }

    /// What is worked of pairs that are here: for each group, of which these are the keys, or for all in one.
    fn of_pairs(
        &self,
        pairs: &[Piece],
        groups: Option<(&[Column], usize)>,
    ) -> Vec<Result<Column, GroupFailure>> {
        let of_pairs = of_pairs_of(self.step).zip(pairs).map(|(result, pairs)| {
            Ok(match groups {
                _ if is_ranked(result) => {
                    return ranked(
                        (result.function, result.ty),
                        groups.unwrap_or((&[], 1)),
                        &Lots::Here(&pairs.columns),
                    );
                }
                Some((keys, count)) => different_in(keys, count, pairs),
                None => different_in_all(pairs),
            })
        });
        of_pairs.collect()
    }

    /// The same where groups are away: so are the rows that become of them.
    fn finish_away(self) -> Result<(Batch, StepSum, Option<Batch>), Problem> {
        let GroupStep { plan, table, .. } = self.step;
        let away = self.away.as_ref().sure("groups that are away");
        let room = away.room().clone();
        let parts = Mutex::new(vec![]);
        let found = away.each(|groups, pairs| self.of_part(&groups, pairs, &parts));
        // The total row comes before groups of which the results fail.
        if let Err(Failed { place: (false, ..), problem }) = found {
            return Err(problem);
        }
        let parts = parts.into_inner().unwrap_or_else(PoisonError::into_inner);
        let total = total_row(plan, table, &[], || self.total_of(&parts, away))?;
        let found = found.map_err(|failed| failed.problem)?;
        let (rows, told) = GroupsAway::of((plan, table), &room, found.windows()).finish();
        Ok((rows, StepSum { sizes: told.sizes, mistakes: told.mistakes, ..self.sum }, total))
    }

    /// The results of all rows, of what was kept of each part of their groups.
    fn total_of(&self, parts: &[Vec<Column>], away: &PileAway<'_>) -> Result<Vec<Column>, Problem> {
        let all = Column::concat_each(parts);
        let folded = self.folded(&all, &Groups::one(parts.len()), |_| vec![]);
        let folded = folded.map_err(|(.., problem)| problem)?;
        let results = self.results(&folded, away.in_all(), |_| vec![]);
        results.map_err(|(.., problem)| problem)
    }

    /// The numbers of a part's groups, their keys, their results and sizes: of the numbers, keys and parts of groups, and
    /// of their pairs.
    fn of_part(
        &self,
        groups: &[Column],
        pairs: &PairsOfPart<'_>,
        of_total: &Mutex<Vec<Vec<Column>>>,
    ) -> Result<Vec<Column>, Failed> {
        let plan = self.step.plan;
        let numbers = &groups[0];
        let number = |row: u32| numbers.units(row as usize) as u64;
        let (once, firsts) = self.once(&groups[1..], numbers.len(), number)?;
        let (keys, parts) = once.split_at(plan.keys.len());
        let count = firsts.len();
        if plan.total.is_some() {
            // What fails of the total row comes behind what fails of putting groups together.
            let behind = plan.results.len();
            if let Some((key, problem)) = total_taken(plan, self.step.table, keys) {
                return Err(Failed { place: (false, behind + key, 0), problem });
            }
            let folded = self.folded(parts, &Groups::one(count), |_| vec![]);
            let folded = folded.map_err(|(result, _, problem)| Failed {
                place: (false, behind + plan.keys.len() + result, 0),
                problem,
            })?;
            of_total.lock().unwrap_or_else(PoisonError::into_inner).push(folded);
        }
        let of_pairs = pairs.results(keys, count);
        let own = Rows::same(count);
        let named = |group| group_named(plan, keys, &own, group);
        let results =
            self.results(parts, of_pairs, named).map_err(|(result, group, problem)| {
                let number = firsts.get(group as usize).map_or(0, number);
                Failed { place: (true, result, number), problem }
            })?;
        let numbers = [numbers.take(&firsts)].into_iter();
        Ok(numbers.chain(keys.to_vec()).chain(results).chain([parts[0].clone()]).collect())
    }

    /// Results from their parts, of which the sizes of groups are the first, and from what was worked of pairs. Fails with
    /// the result and the group that has none.
    fn results(
        &self,
        parts: &[Column],
        of_pairs: Vec<Result<Column, GroupFailure>>,
        named: impl Fn(u32) -> Vec<(String, Scalar)>,
    ) -> Result<Vec<Column>, (usize, u32, Problem)> {
        let mut of_pairs = of_pairs.into_iter();
        let mut results = vec![];
        for (at, (result, own)) in self.parted(parts).into_iter().enumerate() {
            let found = if takes_pairs(result) {
                of_pairs.next().sure("what was worked of pairs")
            } else {
                from_parts(result.function, result.ty, own)
            };
            results.push(found.map_err(|failure| {
                let values = Values::of(result.function, None, result.ty);
                let (table, group) = (&self.step.table.name, failure.group());
                let told = group_problem(table, self.text(), result, &values, failure, &named);
                (at, group, told)
            })?);
        }
        Ok(results)
    }
}

/// The results of a step that are worked of pairs.
fn of_pairs_of(step: GroupStep<'_>) -> impl Iterator<Item = &AggregatePlan> {
    step.plan.results.iter().map(|(result, _)| result).filter(|result| takes_pairs(result))
}
