//! Which tables are made together, and in which order all is done.
//!
//! A table that others are made from is never held if it can be fed to all of them as it passes. It
//! cannot where one of them waits for another (a link from one to the other, say), nor is anything won
//! where two of them would each hold all its rows.

use std::collections::HashMap;

use super::demand::{Demand, Purpose, Work, needs};
use super::waiting::holds_all;
use crate::bug::Sure;
use crate::resolve::Plan;
use crate::table::TableId;

/// What is needed for a purpose, with the tables held that must be since what is made from them cannot be
/// made together, and the work in its last order: in place of the tables that are made together stands
/// the first.
pub(crate) fn demand(plan: &Plan, purpose: Purpose) -> Demand {
    let mut demand = Demand::of_each(plan, purpose);
    let mut joined = Joined::new(plan, &demand);
    let mut holds = vec![false; plan.tables.len()];
    for work in demand.order.clone().into_iter().rev() {
        let Work::Table(table) = work else { continue };
        let fed = &demand.tables[table.0].feeds;
        let held = demand.tables[table.0].whole
            || fed.iter().filter(|fed| holds[fed.0]).count() > 1
            || !joined.join(table, fed);
        holds[table.0] =
            holds_all(plan, table).unwrap_or_else(|| held || fed.iter().any(|fed| holds[fed.0]));
        demand.tables[table.0].whole = held;
    }
    demand.order = joined.order();
    demand
}

/// What is done together, while it is found.
struct Joined {
    /// All work, each behind what it needs.
    works: Vec<Work>,
    places: HashMap<Work, usize>,
    needs: Vec<Vec<usize>>,
    /// For each work the number of those that it is done with, and for each number which they are.
    group: Vec<usize>,
    members: Vec<Vec<usize>>,
}

impl Joined {
    fn new(plan: &Plan, demand: &Demand) -> Self {
        let works = demand.order.clone();
        let places: HashMap<Work, usize> =
            works.iter().enumerate().map(|(at, work)| (*work, at)).collect();
        let needed = works.iter().map(|work| {
            needs(plan, *work).into_iter().map(|work| *places.get(&work).sure("needed work"))
        });
        Self {
            needs: needed.map(Iterator::collect).collect(),
            group: (0..works.len()).collect(),
            members: (0..works.len()).map(|at| vec![at]).collect(),
            works,
            places,
        }
    }

    /// Notes that a table is made with those that it is fed to, if that can be.
    fn join(&mut self, table: TableId, fed: &[TableId]) -> bool {
        let at = self.places[&Work::Table(table)];
        let mut groups: Vec<usize> =
            fed.iter().map(|fed| self.group[self.places[&Work::Table(*fed)]]).collect();
        // Of one, nothing but itself waits for the table.
        if groups.len() > 1 && self.waits(at, &groups) {
            return false;
        }
        groups.push(self.group[at]);
        // All into the largest, so that a long row of tables is not gone through again and again.
        let into = groups.iter().copied().max_by_key(|group| self.members[*group].len());
        let into = into.sure("a table's own group");
        for group in groups.into_iter().filter(|group| *group != into) {
            for member in std::mem::take(&mut self.members[group]) {
                self.group[member] = into;
                self.members[into].push(member);
            }
        }
        true
    }

    /// Whether some of these groups need what is done after others of them.
    fn waits(&self, table: usize, groups: &[usize]) -> bool {
        let mut inside = vec![false; self.works.len()];
        inside[table] = true;
        groups.iter().flat_map(|group| &self.members[*group]).for_each(|at| inside[*at] = true);
        let all = (0..inside.len()).filter(|at| inside[*at]);
        let mut todo: Vec<usize> = all.flat_map(|at| &self.needs[at]).copied().collect();
        todo.retain(|at| !inside[*at]);
        let mut seen = vec![false; self.members.len()];
        while let Some(at) = todo.pop() {
            if inside[at] {
                return true;
            }
            if !std::mem::replace(&mut seen[self.group[at]], true) {
                let members = &self.members[self.group[at]];
                todo.extend(members.iter().flat_map(|member| &self.needs[*member]));
            }
        }
        false
    }

    /// All work in an order in which it can be done, each group at once.
    fn order(&self) -> Vec<Work> {
        let mut order = vec![];
        let mut seen = vec![false; self.members.len()];
        for at in 0..self.works.len() {
            self.visit(self.group[at], &mut seen, &mut order);
        }
        order
    }

    fn visit(&self, group: usize, seen: &mut [bool], order: &mut Vec<Work>) {
        if std::mem::replace(&mut seen[group], true) {
            return;
        }
        let mut members = self.members[group].clone();
        members.sort_unstable();
        for needed in members.iter().flat_map(|member| &self.needs[*member]) {
            self.visit(self.group[*needed], seen, order);
        }
        order.extend(members.first().map(|first| self.works[*first]));
    }
}
