//! What the finished tables and links show to be usually a mistake.

use super::one_row::shared_name;
use super::run::Run;
use crate::aggregate::number;
use crate::resolve::{LinkId, MistakePlan, Step};
use crate::table::TableId;
use crate::tally::{Mistake, Warning};

impl Run<'_> {
    /// Everything that a run warns of, in the order of the plan's tables.
    pub(super) fn warnings(&self) -> Vec<Warning> {
        let mut found: Vec<(TableId, Warning)> = vec![];
        for (at, table) in self.plan.tables.iter().enumerate() {
            let Some(sum) = self.sums.get(&TableId(at)) else { continue };
            for (step, sum) in table.steps.iter().zip(&sum.steps) {
                let Step::OneRow(_) = step.step else { continue };
                found.extend(sum.mistakes.iter().map(|what| {
                    let (table, step) = (table.name.clone(), step.text.clone());
                    (TableId(at), Warning { table, step, what: what.clone() })
                }));
            }
        }
        for plan in &self.plan.warnings {
            // What was not built has other things to tell.
            if !self.sums.contains_key(&plan.table) {
                continue;
            }
            if let Some(what) = self.mistake(&plan.what) {
                let table = self.plan.tables[plan.table.0].name.clone();
                found.push((plan.table, Warning { table, step: plan.step.clone(), what }));
            }
        }
        found.sort_by_key(|(table, _)| *table);
        found.into_iter().map(|(_, warning)| warning).collect()
    }

    /// The keys of a link's source, in words.
    fn key_words(&self, link: LinkId) -> String {
        let words = &self.plan.links[link.0].key_words;
        words.iter().map(|(left, _)| left.as_str()).collect::<Vec<_>>().join(", ")
    }

    /// What the rows say of something that may be a mistake.
    fn mistake(&self, plan: &MistakePlan) -> Option<Mistake> {
        match plan {
            MistakePlan::MeanOfRatio => Some(Mistake::MeanOfRatio),
            MistakePlan::DistinctSummed => Some(Mistake::DistinctSummed),
            MistakePlan::RowsCounted { result, counted, link } => {
                let tally = self.links.get(link)?;
                let most = tally.spread.as_ref().map_or(0, |spread| spread.most);
                (most > 1).then(|| Mistake::RowsCounted {
                    result: result.clone(),
                    of: tally.to.clone(),
                    counted: self.plan.tables[counted.0].name.clone(),
                    key: self.key_words(*link),
                    most,
                })
            }
            MistakePlan::SharedName { key, of, name, id } => {
                let table = self.world.tables[of.0].as_ref()?;
                let names = table.columns[*name].clone()?;
                let (groups, firsts) = number(vec![names.clone()], table.rows);
                let names = names.take(&firsts.into());
                let of_plan = &self.plan.tables[of.0];
                let (id, _) = &of_plan.columns[*id];
                shared_name(key, (&of_plan.name, id), &names, &groups.sizes())
            }
        }
    }
}
