//! The end of a run: what waits for all links is worked, all that was found is told, and outputs appear
//! if everything held.

use super::chart::charted;
use super::check::{
    CheckSum, check_over, rows_tally, skipped, total_over, totals_of, totals_tally,
};
use super::context::RunError;
use super::demand::{Work, check_needs};
use super::run::{Run, Running, Want};
use super::seen::months;
use super::wide::{Wide, widened};
use crate::bug::Sure;
use crate::expr::World;
use crate::port::{Output, OutputError, Outputs};
use crate::resolve::{CheckKind, Total};
use crate::step::{Naming, finished_rows, group_problem};
use crate::table::{LinkId, Room, TableId, TotalId};
use crate::tally::{
    Chart, CheckTally, Problem, Report, Seen, TableTally, Written, bridges, figures, moved,
};

/// An amount that left behind what it is in goes on from the one that it was in: all its rows were.
fn go_on(tables: &mut [TableTally]) {
    for at in 0..tables.len() {
        for index in 0..tables[at].tracked.len() {
            let (table, tracked) = (&tables[at], &tables[at].tracked[index]);
            let Some(base_name) = tracked.base_name.as_ref().filter(|_| !table.input) else {
                continue;
            };
            let base = tables.iter().find(|base| base.name == table.begins_as);
            let Some(base) = base.filter(|_| tracked.name == tracked.column) else { continue };
            let mut of =
                base.tracked.iter().enumerate().filter(|(_, own)| own.column == *base_name);
            let known = of.clone().any(|(_, own)| own.name == *base_name);
            let left =
                of.clone().find(|(at, _)| base.at_end(*at).is_some_and(|sum| !sum.is_zero()));
            let found = left.or(of.next()).map(|(_, own)| own.name.clone());
            if let Some(found) = found.filter(|_| !known) {
                tables[at].tracked[index].base_name = Some(found);
            }
        }
    }
}

impl Run<'_> {
    pub fn close(mut self, want: Want<'_>, running: Running<'_>) -> Result<Report, RunError> {
        let checks = self.close_checks();
        let (warnings, allowed) = self.warnings();
        let wide = self.widened();
        let charts = self.charted();
        let mut report = Report {
            title: self.plan.title.clone(),
            links_planned: self.plan.links.len(),
            checks,
            examples: std::mem::take(&mut self.examples),
            warnings,
            allowed,
            deny_warnings: running.deny_warnings,
            writes: matches!(want, Want::Outputs(_)),
            ..Report::default()
        };
        for (at, table) in self.plan.tables.iter().enumerate() {
            match self.sums.get(&TableId(at)) {
                Some(sum) => {
                    report.tables.push(sum.tally(self.plan, TableId(at), &self.gathered));
                }
                None => report.not_built.push(table.name.clone()),
            }
        }
        go_on(&mut report.tables);
        report.links = (0..self.plan.links.len())
            .filter_map(|link| self.links.remove(&LinkId(link)))
            .collect();
        report.problems = std::mem::take(&mut self.problems);
        let shown: Vec<String> =
            self.plan.outputs.iter().map(|output| output.style.shown(&output.path)).collect();
        let tables =
            self.plan.outputs.iter().map(|output| self.plan.tables[output.table.0].name.as_str());
        let outputs: Vec<(&str, &str)> = shown.iter().map(String::as_str).zip(tables).collect();
        report.bridges = bridges(&report.tables, &outputs);
        if let Some(earlier) = running.earlier {
            report.moved = moved(&figures(&report), earlier);
        }
        if running.seen {
            report.seen = Some(self.seen(&charts));
        }
        // What was told so far may have been got from a disk: nothing appears that is made of blanks in its place.
        if let Some(error) = self.room.as_ref().and_then(Room::failed) {
            return Err(RunError::Scratch(error));
        }
        if let Want::Outputs(places) = want
            && report.held()
        {
            report.written =
                self.publish(places, &report, wide, &charts).map_err(RunError::Output)?;
        }
        Ok(report)
    }

    /// What a page shows of the run.
    fn seen(&mut self, charts: &[Option<Chart>]) -> Seen {
        let World { tables, links, .. } = &self.world;
        let months = |id: LinkId| months(self.plan, (tables, links), id, self.left_out.get(&id));
        Seen {
            months: (0..self.plan.links.len()).filter_map(|link| months(LinkId(link))).collect(),
            tables: std::mem::take(&mut self.first_rows).into_values().collect(),
            charts: charts.iter().flatten().cloned().collect(),
        }
    }

    /// By chart: what it shows. What cannot be is noted.
    fn charted(&mut self) -> Vec<Option<Chart>> {
        let (plan, tables) = (self.plan, &self.world.tables);
        let made = plan.charts.iter().map(|chart| {
            let table = tables[chart.table.0].as_ref()?;
            Some(charted(&plan.tables[chart.table.0], table, chart))
        });
        let made = made.collect();
        self.noted(made)
    }

    /// By output: what it has where values become columns. What cannot be is noted.
    fn widened(&mut self) -> Vec<Option<Wide>> {
        let (plan, tables) = (self.plan, &self.world.tables);
        let made = plan.outputs.iter().map(|output| {
            let wide = output.wide.as_ref()?;
            let table = tables[output.table.0].as_ref()?;
            Some(widened(&plan.tables[output.table.0], table, (output, wide)))
        });
        let made = made.collect();
        self.noted(made)
    }

    /// What could be made; why the others could not is a problem of the run.
    fn noted<T>(&mut self, made: Vec<Option<Result<T, Problem>>>) -> Vec<Option<T>> {
        let noted = made.into_iter().map(|made| made?.map_err(|p| self.problems.push(p)).ok());
        noted.collect()
    }

    /// All outputs appear, or none: each is complete before the first is put in its place.
    fn publish(
        &mut self,
        places: &dyn Outputs,
        report: &Report,
        wide: Vec<Option<Wide>>,
        charts: &[Option<Chart>],
    ) -> Result<Vec<Written>, OutputError> {
        let mut written = vec![];
        let mut outputs: Vec<Box<dyn Output>> = vec![];
        let wider: Vec<Option<u64>> =
            wide.iter().map(|wide| wide.as_ref().map(|wide| wide.rows as u64)).collect();
        let begun = std::mem::take(&mut self.outputs);
        for ((begun, wide), plan) in begun.into_iter().zip(wide).zip(&self.plan.outputs) {
            outputs.push(match wide {
                Some(wide) => wide.write(plan, places)?,
                None => begun.sure("an output that was begun"),
            });
        }
        // All have all rows before the first is complete: several may be sheets of one book.
        for ((output, wider), plan) in outputs.iter_mut().zip(wider).zip(&self.plan.outputs) {
            let bytes = output.complete()?;
            let table = self.plan.tables[plan.table.0].name.clone();
            let tally = report.table(&table);
            let rows = tally.map_or(0, TableTally::rows_at_end);
            let rows = wider.unwrap_or(rows);
            let total = self.total_rows.contains_key(&plan.table);
            let (sheet, named) = (plan.style.sheet.clone(), plan.style.named.clone());
            let path = plan.path.clone();
            let taken = output.taken();
            let chart = None;
            written.push(Written { table, path, sheet, named, chart, rows, total, bytes, taken });
        }
        for (plan, chart) in self.plan.charts.iter().zip(charts) {
            let Some(path) = &plan.path else { continue };
            let chart = chart.as_ref().sure("a chart of a run that held");
            let mut output = places.draw(path, chart)?;
            let bytes = output.complete()?;
            written.push(Written {
                table: chart.table.clone(),
                path: path.clone(),
                sheet: None,
                named: None,
                chart: Some(chart.title.clone()),
                rows: chart.rows,
                total: false,
                bytes,
                taken: None,
            });
            outputs.push(output);
        }
        places.publish(outputs)?;
        Ok(written)
    }

    fn close_checks(&mut self) -> Vec<CheckTally> {
        self.late_totals();
        let mut tallies = vec![];
        for (at, check) in self.plan.checks.iter().enumerate() {
            let (mut works, totals) = check_needs(self.plan, &check.condition);
            if let CheckKind::Rows { table, .. } = check.kind {
                works.push(Work::Table(table));
            }
            let ready = !works.iter().any(|work| self.failed.contains(work))
                && totals.iter().all(|total| self.totals.contains_key(&total.0));
            if !ready {
                tallies.push(skipped(self.plan, check));
                continue;
            }
            let tally = match &check.kind {
                CheckKind::Rows { table, .. } => {
                    let sum = match self.checks.remove(&at) {
                        Some(sum) => Ok(sum),
                        None => self.late_check(at, *table),
                    };
                    sum.map(|sum| rows_tally(self.plan, check, sum))
                }
                CheckKind::Totals { .. } => {
                    let missing = self.fill_totals(&totals_of(&check.condition), at);
                    missing.and_then(|()| totals_tally(&self.world, check))
                }
            };
            match tally {
                Ok(tally) => tallies.push(tally),
                Err(problem) => {
                    self.problems.push(problem);
                    tallies.push(skipped(self.plan, check));
                }
            }
        }
        tallies
    }

    /// Puts the values of totals where expressions find them.
    fn fill_totals(&mut self, totals: &[usize], check: usize) -> Result<(), Problem> {
        self.world.totals.resize(self.plan.totals.len(), crate::value::Scalar::Blank);
        for total in totals {
            let Total { table, plan } = &self.plan.totals[*total];
            let Some(seen) = self.totals.get(total) else { continue };
            let value = seen.value(plan.function, plan.ty).map_err(|(failure, values)| {
                let step = self.plan.checks[check].called();
                let table = &self.plan.tables[table.0].name;
                group_problem(table, &step, plan, &values, failure, |_| vec![])
            })?;
            self.world.totals[*total] = value;
        }
        Ok(())
    }

    /// Totals that follow links wait until all links are there.
    fn late_totals(&mut self) {
        for (at, total) in self.plan.totals.iter().enumerate() {
            let ready =
                !self.demand.passing_totals[at] && !self.failed.contains(&Work::Table(total.table));
            let Some(table) = self.world.tables[total.table.0].as_ref().filter(|_| ready) else {
                continue;
            };
            let rows = finished_rows(table, total.table);
            let naming = Naming::finished(self.plan, total.table);
            let zeros = std::sync::atomic::AtomicU64::new(0);
            match total_over(&self.context(), total, &rows, naming, &zeros) {
                Ok(seen) => drop(self.totals.insert(TotalId(at).0, seen)),
                Err(problem) => self.problems.push(problem),
            }
        }
    }

    fn late_check(&mut self, at: usize, id: TableId) -> Result<CheckSum, Problem> {
        let context = self.context();
        let Some(table) = &self.world.tables[id.0] else { return Ok(CheckSum::default()) };
        let rows = finished_rows(table, id);
        let naming = Naming::finished(self.plan, id);
        let zeros = std::sync::atomic::AtomicU64::new(0);
        check_over(&context, &self.plan.checks[at], id, &rows, naming, &zeros)
    }
}
