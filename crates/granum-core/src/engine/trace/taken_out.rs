//! Keys that a link's target does not have because a step took out the rows that had them.

use std::collections::HashMap;
use std::collections::hash_map::Entry;
use std::sync::atomic::AtomicU64;

use super::kept::Stages;
use super::stages::Replay;
use super::told::gone;
use super::words::step_name;
use crate::engine::context::Context;
use crate::engine::inputs::Inputs;
use crate::engine::links::KeysTakenOut;
use crate::expr::{Typed, evaluate_all};
use crate::link::{BlankKeys, Keys, Linked, fingerprints, key_text};
use crate::resolve::{LinkPlan, Source};
use crate::table::{Batch, Bits, Column, Held, PIECE, Rows, SlotId, TableId};
use crate::tally::{TakenKey, TakenOut};

/// So many different keys are looked for, the first of all.
const KEYS: usize = if cfg!(test) { 4 } else { 100_000 };

/// Keys are listed up to so many.
const EXAMPLES: usize = 3;

/// Which of the rows that lead nowhere have a key that a step of the link's target, or of a table that it is made from, took
/// out, by the last step that took out each. Works those tables once more, from files on; what cannot be worked so, or be
/// read twice, is not looked at, nor is a link by a period.
pub(in crate::engine) fn keys_taken_out(
    context: Context<'_>,
    inputs: &Inputs,
    (link, linked): (&LinkPlan, &Linked),
) -> KeysTakenOut {
    if link.period.is_some() || !link.keys.iter().all(|(_, key)| key.stays_in_row()) {
        return KeysTakenOut::default();
    }
    let replay = Replay::again(context, inputs);
    let mut search = Search { replay, link, way: vec![], lost: HashMap::new(), told: vec![] };
    let beyond = search.look_for(linked);
    if !search.lost.is_empty() {
        search.walk();
    }
    if search.told.is_empty() {
        return KeysTakenOut::default();
    }
    search.told.iter_mut().for_each(|told| told.at_least = beyond);
    let rows = Some(search.rows(linked));
    KeysTakenOut { told: search.told, rows }
}

/// A key that is looked for.
struct Lost {
    /// How many rows of the source have it.
    rows: u64,
    /// Whether a step took it out.
    found: bool,
}

struct Search<'a> {
    replay: Replay<'a>,
    link: &'a LinkPlan,
    /// The target, and the tables that it is made from, one behind the other, up to the one that is looked at.
    way: Vec<TableId>,
    /// By fingerprints: of a billion keys, two share one with odds below 10⁻²⁰.
    lost: HashMap<u128, Lost>,
    told: Vec<TakenOut>,
}

impl Search<'_> {
    /// Notes the keys that lead nowhere; says whether there are more than are looked for.
    fn look_for(&mut self, linked: &Linked) -> bool {
        let mut beyond = false;
        each_nowhere(linked, |_, print| {
            let room = self.lost.len() < KEYS;
            match self.lost.entry(print) {
                Entry::Occupied(mut lost) => lost.get_mut().rows += 1,
                Entry::Vacant(lost) if room => {
                    lost.insert(Lost { rows: 1, found: false });
                }
                Entry::Vacant(_) => beyond = true,
            }
        });
        beyond
    }

    /// Looks at the target, then at what it is made from.
    fn walk(&mut self) {
        let mut next = Some(self.link.to);
        // Whether all steps behind are known.
        let mut known = true;
        while let Some(at) = next {
            self.way.push(at);
            match self.replay.stages(at) {
                Ok(Some(stages)) if stages.is_whole() => {
                    if !known && !self.pass_over(&stages) {
                        return;
                    }
                    (0..stages.end()).rev().for_each(|step| self.step(&stages, step));
                    known = true;
                }
                _ => known = false,
            }
            next = match self.replay.plan(at).source {
                Source::Base(base) => Some(base),
                Source::Input(_) | Source::Several(_) | Source::Calendar(_) => None,
            };
        }
    }

    /// Keys that rows have at the end of a table went later, nobody knows where. Says whether they could be worked.
    fn pass_over(&mut self, stages: &Stages) -> bool {
        let (step, rows) = (stages.end(), stages.count(stages.end()));
        (0..rows).step_by(PIECE).all(|first| {
            let rows = Rows::run(first as u32, PIECE.min(rows - first));
            let keys = self.keys(&At { stages, step, rows: &rows });
            keys.iter().for_each(|keys| {
                fingerprints(keys).iter().for_each(|print| {
                    self.lost.remove(print);
                });
            });
            keys.is_some()
        })
    }

    /// Looks at the rows that a step took out.
    fn step(&mut self, stages: &Stages, step: usize) {
        let gone = gone(&self.replay, stages, step);
        let rows: Vec<u32> = gone.iter().map(|gone| gone.row).collect();
        let mut told = TakenOut {
            step: step_name(&self.replay, stages.table, step),
            rows: 0,
            distinct: 0,
            at_least: false,
            examples: vec![],
        };
        for rows in rows.chunks(PIECE) {
            let at = At { stages, step, rows: &Rows::from(rows.to_vec()) };
            if let Some(keys) = self.keys(&at) {
                self.met(&at, &keys, &mut told);
            }
        }
        if told.rows > 0 {
            self.told.push(told);
        }
    }

    /// The keys that rows had, or would have got; nothing where they cannot be worked.
    fn keys(&self, at: &At<'_>) -> Option<Keys> {
        let target = &self.replay.plan(self.link.to).columns;
        let mut columns = vec![None; target.len()];
        for (_, key) in &self.link.keys {
            for column in key.columns() {
                let own = self.column(at, (0, target[column.0].1))?;
                columns[column.0] = Some(Held::Own(own));
            }
        }
        let batch = Batch::finished(at.rows.len(), columns, vec![]);
        let keys = self.link.keys.iter().map(|(_, key)| self.worked(key, &batch));
        Some(Keys::new(keys.collect::<Option<_>>()?, BlankKeys::Apart, at.rows.len()))
    }

    /// What rows have in a slot of a table on the way, or would have got in it from what they have.
    fn column(&self, at: &At<'_>, (table, slot): (usize, SlotId)) -> Option<Column> {
        let here = table + 1 == self.way.len();
        if here && at.stages.has(at.step, slot) {
            return Some(at.stages.column(at.step, slot, at.rows));
        }
        let plan = self.replay.plan(self.way[table]);
        let mut assigned = plan.steps.iter().flat_map(|step| step.step.work().assigned());
        if let Some((_, value)) = assigned.find(|(own, _)| *own == slot) {
            if !value.stays_in_row() {
                return None;
            }
            let mut slots = vec![None; plan.slots.len()];
            for slot in value.slots() {
                slots[slot.0] = Some(self.column(at, (table, slot))?);
            }
            return self.worked(value, &Batch::new(at.rows.len(), slots, vec![]));
        }
        let (_, from) = plan.imports.iter().find(|(own, _)| *own == slot)?;
        let base = self.way.get(table + 1)?;
        self.column(at, (table + 1, self.replay.plan(*base).columns[from.0].1))
    }

    fn worked(&self, value: &Typed, rows: &Batch) -> Option<Column> {
        evaluate_all(value, rows, self.replay.context.around.world, &AtomicU64::new(0)).ok()
    }

    /// Tells of those keys of rows that went which are looked for.
    fn met(&mut self, at: &At<'_>, keys: &Keys, told: &mut TakenOut) {
        for (row, print) in fingerprints(keys).into_iter().enumerate() {
            let lost = self.lost.get_mut(&print).filter(|lost| !lost.found && keys.has_key(row));
            let Some(lost) = lost else { continue };
            lost.found = true;
            told.rows += lost.rows;
            told.distinct += 1;
            if told.examples.len() < EXAMPLES {
                let place = self.replay.place(at.stages, at.step, at.rows.row(row) as u32);
                told.examples.push(TakenKey { key: key_text(keys, row), place });
            }
        }
    }

    /// The rows of the source whose key a step took out.
    fn rows(&self, linked: &Linked) -> Bits {
        let mut rows = vec![];
        each_nowhere(linked, |row, print| {
            if self.lost.get(&print).is_some_and(|lost| lost.found) {
                rows.push(row);
            }
        });
        Bits::of(linked.left.rows(), rows.into_iter())
    }
}

/// Some rows before a step that took them out.
struct At<'s> {
    stages: &'s Stages,
    step: usize,
    rows: &'s Rows,
}

/// Shows each row of the source that has a key and leads nowhere, with the fingerprint of its key.
fn each_nowhere(linked: &Linked, mut show: impl FnMut(u32, u128)) {
    let Linked { left, index, .. } = linked;
    for first in (0..left.rows()).step_by(PIECE) {
        let length = PIECE.min(left.rows() - first);
        let nowhere = |at: &u32| {
            let row = first + *at as usize;
            !index.has(row) && left.has_key(row)
        };
        let rows: Rows = (0..length as u32).filter(nowhere).collect();
        if !rows.is_empty() {
            let prints = fingerprints(&left.slice(first, length).take(&rows));
            let numbers = rows.numbers().map(|row| first as u32 + row);
            numbers.zip(prints).for_each(|(row, print)| show(row, print));
        }
    }
}
