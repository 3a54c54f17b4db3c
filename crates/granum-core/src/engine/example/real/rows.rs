//! The rows of files that a row is made of, with all that it looked at on its way.

use std::collections::{BTreeMap, BTreeSet, HashSet, VecDeque};

use crate::engine::context::RunError;
use crate::engine::trace::{Reached, Replay, Stages, gone, made_of, once_met, reached, together};
use crate::resolve::Source;
use crate::step::Together;
use crate::table::TableId;
use crate::tally::Why;

/// Rows of inputs as they are read, some of them perhaps left out.
#[derive(Debug, Default)]
pub(super) struct Rows {
    pub of: BTreeMap<TableId, BTreeSet<u32>>,
    /// Whether there are more.
    pub cut: bool,
}

/// Collects rows of inputs, nearest first: those that rows are made of, those that went for them, those
/// that they reached over links, those that steps looked at together with them; and so on from these.
struct Collector<'a> {
    replay: &'a Replay<'a>,
    found: Rows,
    count: usize,
    most: usize,
    /// The table of the first rows.
    asked: Option<TableId>,
    open: VecDeque<(TableId, usize, Vec<u32>)>,
    /// Rows before steps that have been looked at.
    seen: HashSet<(TableId, usize, u32)>,
}

/// The rows of inputs behind rows of tables as they stand before a step of it or at its end, so many at
/// most; of the first also those that decided why they went, if they did.
///
/// # Errors
/// A file that cannot be read any more.
pub(super) fn behind(
    replay: &Replay<'_>,
    places: Vec<(TableId, usize, Vec<u32>)>,
    most: usize,
) -> Result<Rows, RunError> {
    let first = places.first().cloned();
    let open = VecDeque::from(places);
    let mut collector = Collector {
        replay,
        found: Rows::default(),
        count: 0,
        most,
        asked: first.as_ref().map(|(table, ..)| *table),
        open,
        seen: HashSet::new(),
    };
    if let Some((table, step, rows)) = first {
        collector.leaving((table, step), rows)?;
    }
    while let Some((table, step, rows)) = collector.open.pop_front() {
        if collector.found.cut {
            break;
        }
        collector.follow((table, step), rows)?;
    }
    Ok(collector.found)
}

impl Collector<'_> {
    /// What the steps looked at by which the rows leave their table, if they do.
    fn leaving(&mut self, (table, step): (TableId, usize), rows: Vec<u32>) -> Result<(), RunError> {
        let Some(stages) = self.replay.stages(table)? else { return Ok(()) };
        let on = stages.forth(step, rows);
        let Some(gone) = on.iter().position(Vec::is_empty) else { return Ok(()) };
        for (step, rows) in (step..).zip(&on[..gone]) {
            for gone in gone_of(self.replay, &stages, step, rows) {
                self.open.push_back((table, step, vec![gone]));
            }
            self.step(&stages, step, rows)?;
        }
        Ok(())
    }

    fn follow(&mut self, place: (TableId, usize), rows: Vec<u32>) -> Result<(), RunError> {
        for followed in made_of(self.replay, place, rows)? {
            let table = followed.stages.table;
            if matches!(self.replay.plan(table).source, Source::Input(_)) {
                followed.rows[0].iter().for_each(|row| self.add(table, *row));
            }
            for step in 0..followed.rows.len() - 1 {
                let rows = &followed.rows[step];
                self.found.cut |= rows.len() > self.most;
                self.step(&followed.stages, step, rows)?;
            }
        }
        Ok(())
    }

    fn add(&mut self, input: TableId, row: u32) {
        // Rows that stand in the plan are there in every example.
        let in_plan = matches!(&self.replay.plan(input).source,
            Source::Input(plan) if plan.spec.rows.is_some());
        if in_plan && self.asked != Some(input) {
            return;
        }
        let rows = self.found.of.entry(input).or_default();
        if rows.contains(&row) {
            return;
        }
        if self.count == self.most {
            self.found.cut = true;
            return;
        }
        rows.insert(row);
        self.count += 1;
    }

    /// What a step looked at for its rows.
    fn step(&mut self, stages: &Stages, step: usize, rows: &[u32]) -> Result<(), RunError> {
        let table = stages.table;
        let plan = self.replay.plan(table);
        let work = plan.steps[step].step.work();
        let new: Vec<u32> = rows
            .iter()
            .copied()
            .take(self.most)
            .filter(|row| self.seen.insert((table, step, *row)))
            .collect();
        if new.is_empty() {
            return Ok(());
        }
        if work.takes_out() {
            let went = gone(self.replay, stages, step).into_iter();
            let went = went.filter(|gone| gone.why != Why::BeyondTop);
            let went = went.filter(|gone| gone.stays.is_some_and(|stays| new.contains(&stays)));
            let went: Vec<u32> = went.map(|gone| gone.row).collect();
            self.open.push_back((table, step, went));
        }
        for Together { groups, .. } in &together(self.replay, stages, step) {
            let own: BTreeSet<usize> =
                new.iter().filter_map(|row| groups.of(*row as usize)).collect();
            let beside = (0..groups.rows() as u32)
                .filter(|row| groups.of(*row as usize).is_some_and(|group| own.contains(&group)));
            self.open.push_back((table, step, beside.collect()));
        }
        for row in new {
            for reached in reached(self.replay, stages, step, row) {
                self.reached(reached)?;
            }
        }
        Ok(())
    }

    fn reached(&mut self, reached: Reached) -> Result<(), RunError> {
        let (table, rows) = match reached {
            Reached::Row { table, row, .. } => (table, vec![row]),
            Reached::Rows { id, rows } => {
                (self.replay.context.around.plan.gathers[id.0].from, rows)
            }
            Reached::Held { link, rows } => {
                (self.replay.context.around.plan.links[link.0].to, rows)
            }
            Reached::Nowhere { link, source, .. } => {
                if let Some(once) = once_met(self.replay, link, source)? {
                    self.open.push_back((once.table, once.step, once.rows.clone()));
                    self.leaving((once.table, once.step), once.rows)?;
                }
                return Ok(());
            }
        };
        if let Some(stages) = self.replay.stages(table)? {
            self.open.push_back((table, stages.end(), rows));
        }
        Ok(())
    }
}

/// The rows that stay for some that go.
fn gone_of(replay: &Replay<'_>, stages: &Stages, step: usize, rows: &[u32]) -> Vec<u32> {
    let went = gone(replay, stages, step).into_iter().filter(|gone| rows.contains(&gone.row));
    went.filter_map(|gone| gone.stays).collect()
}
