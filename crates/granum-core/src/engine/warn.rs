//! What the finished tables and links show to be usually a mistake.

use super::run::Run;
use crate::aggregate::number;
use crate::bug::Sure;
use crate::link::hashes;
use crate::resolve::{Allowance, MistakePlan};
use crate::step::SharedNames;
use crate::table::{Column, Held, LinkId, PIECE, Rows, Scattered, TableId, parts};
use crate::tally::{Allowed, Mistake, Warning};

impl Run<'_> {
    /// Everything that a run warns of, in the order of the plan's tables, and what of it the plan
    /// allows.
    pub(super) fn warnings(&self) -> (Vec<Warning>, Vec<Allowed>) {
        let mut found: Vec<(TableId, Warning)> = vec![];
        let mut used = vec![false; self.plan.allowances.len()];
        let mut allowed = |kind: &str, of: &dyn Fn(&Allowance) -> bool| {
            let at = self.plan.allowances.iter().position(|one| one.kind == kind && of(one));
            at.inspect(|at| used[*at] = true).is_some()
        };
        for (at, table) in self.plan.tables.iter().enumerate() {
            let Some(sum) = self.sums.get(&TableId(at)) else { continue };
            if sum.twice.is_some() {
                allowed("repeated-rows", &|one| one.table == Some(TableId(at)));
            }
            for (step_at, (step, sum)) in table.steps.iter().zip(&sum.steps).enumerate() {
                let here = |one: &Allowance| {
                    one.table == Some(TableId(at)) && one.steps.contains(&step_at)
                };
                let left = sum.mistakes.iter().filter(|what| !allowed(what.kind(), &here));
                found.extend(left.map(|what| {
                    let (table, step) = (table.name.clone(), step.text.clone());
                    (TableId(at), Warning { table, step, what: what.clone() })
                }));
            }
        }
        for (at, plan) in self.plan.warnings.iter().enumerate() {
            // What was not built has other things to tell.
            if !self.sums.contains_key(&plan.table) {
                continue;
            }
            if let Some(what) = self.mistake(&plan.what)
                && !allowed(what.kind(), &|one| one.warnings.contains(&at))
            {
                let table = self.plan.tables[plan.table.0].name.clone();
                found.push((plan.table, Warning { table, step: plan.step.clone(), what }));
            }
        }
        let mut allowances = vec![];
        for (one, used) in self.plan.allowances.iter().zip(used) {
            let table = one.table.map(|table| self.plan.tables[table.0].name.clone());
            if used {
                let (step, kind, reason) = (one.step.clone(), one.kind.clone(), one.reason.clone());
                allowances.push(Allowed { table, step, kind, reason });
            } else if one.table.is_none_or(|table| self.sums.contains_key(&table)) {
                let what = Mistake::UnusedAllow { allowed: one.kind.clone() };
                let at = one.table.unwrap_or(TableId(self.plan.tables.len()));
                let table = table.unwrap_or_else(|| "totals".into());
                found.push((at, Warning { table, step: one.step.clone(), what }));
            }
        }
        found.sort_by_key(|(table, _)| *table);
        (found.into_iter().map(|(_, warning)| warning).collect(), allowances)
    }

    /// The equal keys of a link's source, in words, if there are any.
    fn key_words(&self, link: LinkId) -> Option<String> {
        let words = &self.plan.links[link.0].words.keys;
        let words: Vec<&str> = words.iter().map(|(left, _)| left.as_str()).collect();
        (!words.is_empty()).then(|| words.join(", "))
    }

    /// What the rows say of something that may be a mistake.
    fn mistake(&self, plan: &MistakePlan) -> Option<Mistake> {
        match plan {
            MistakePlan::MeanOfRatio => Some(Mistake::MeanOfRatio),
            MistakePlan::DistinctSummed => Some(Mistake::DistinctSummed),
            MistakePlan::RowsCounted { result, counted, link } => {
                let tally = self.links.get(link)?;
                let most = tally.spread.as_ref().map_or(0, |spread| spread.most);
                let key = self.key_words(*link)?;
                (most > 1).then(|| Mistake::RowsCounted {
                    result: result.clone(),
                    of: tally.to.clone(),
                    counted: self.plan.tables[counted.0].name.clone(),
                    key,
                    most,
                })
            }
            MistakePlan::SharedName { key, of, name, id, group } => {
                let table = self.world.tables[of.0].as_ref()?;
                let names = table.column(*name).sure("the names that are looked at");
                let of_plan = &self.plan.tables[of.0];
                let (id, _) = &of_plan.columns[id.0];
                shared_names(names).mistake((key, group), (&of_plan.name, id))
            }
        }
    }
}

/// Which names of a column several rows share; of one that is away part by part, equal names in one.
fn shared_names(names: &Held) -> SharedNames {
    let mut shared = SharedNames::default();
    let Some(file) = names.file() else {
        let names = names.whole();
        let (groups, firsts) = number(vec![names.clone()], names.len());
        shared.see(&names.take(&firsts.into()), &groups.sizes());
        return shared;
    };
    /// The bytes of a row in a part, and of what is worked of it, about.
    const EACH: usize = 64;
    let parts = parts(names.len(), EACH, file.room());
    let mut scattered = Scattered::new(file.room(), parts);
    for first in (0..names.len()).step_by(PIECE) {
        let run = names.slice(first, PIECE.min(names.len() - first)).whole();
        // Each name of a run once, so that few names on many rows are few everywhere.
        let (groups, firsts) = number(vec![run.clone()], run.len());
        let run = run.take(&firsts.clone().into());
        let at = firsts.into_iter().map(|row| (first + row as usize) as i64);
        let rows = groups.sizes().into_iter().map(|rows| rows as i64);
        let [at, rows] =
            [at.collect::<Vec<_>>(), rows.collect()].map(|n| Column::Integer(n.into()));
        scattered.send_by(&hashes(std::slice::from_ref(&run), run.len()), &[run, at, rows]);
    }
    // Of no rows nothing was sent, and parts have no columns.
    let sent = if names.len() > 0 { scattered.parts() } else { 0 };
    for part in 0..sent {
        let columns = <[Column; 3]>::try_from(scattered.part(part)).ok();
        let [names, at, rows] = columns.sure("what was sent of names");
        let (groups, firsts) = number(vec![names.clone()], names.len());
        let mut sizes = vec![0; groups.count];
        for row in 0..names.len() {
            let group = groups.of(row).sure("the group of a name");
            sizes[group] += rows.units(row) as u64;
        }
        let firsts: Rows = firsts.into();
        let at = at.take(&firsts);
        shared.see_at(&names.take(&firsts), &sizes, |group| at.units(group) as u64);
    }
    shared
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::engine::tests::memory::Shelf;
    use crate::table::Away;

    proptest! {
        #[test]
        fn names_that_are_away_are_told_as_those_that_are_here(
            names in prop::collection::vec(prop::option::of("[a-f]{1,2}"), 0..60)
        ) {
            let column = Column::Text(names.into_iter().collect());
            let file = Shelf::room(0, usize::MAX).file();
            let away = Held::away(Away::put(&column, &file));
            let told = |held: &Held| shared_names(held).mistake(("k", "g"), ("t", "id"));
            prop_assert_eq!(told(&away), told(&Held::Own(column)));
        }
    }
}
