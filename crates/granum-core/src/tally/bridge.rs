//! The amount bridge: for each amount of an output, from where it began to the output's total, all that
//! changed it, as one signed list that adds up.

use serde::Serialize;

use super::{Allocated, StepDetail, StepTally, TableTally};
use crate::table::Amount;

/// What became of one amount on its way to one output.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Bridge {
    /// The output's path as the plan has it.
    pub output: String,
    /// Its table.
    pub table: String,
    /// The amount as it is called there, or where it ended.
    pub amount: String,
    /// From where it began, in order; the first has all of it.
    pub entries: Vec<BridgeEntry>,
    /// What it is in the output; nothing where it ended on the way.
    pub total: Option<Amount>,
    /// The rows of the output, or those where it ended.
    pub rows: u64,
}

/// One thing that changed an amount.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct BridgeEntry {
    /// What it is.
    pub kind: BridgeKind,
    /// The table in which it is so.
    pub table: String,
    /// The step, or what stands there, in words; empty where the kind says all.
    pub text: String,
    /// Rows more, or fewer.
    pub rows: i64,
    /// The amount more, or less.
    pub amount: Amount,
}

/// What changed an amount.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(rename_all = "kebab-case")]
pub enum BridgeKind {
    /// It begins as it was read, or where its columns first stand.
    Begins,
    /// It begins in a step that made it.
    Made,
    /// A table of a stack, or one that meets others.
    Part,
    /// Rows that reach a stack by a part though another brought them.
    Twice,
    /// A step.
    Step,
    /// Rows that lead nowhere are in no sum.
    Nowhere,
    /// Rows of the same keys become one where tables meet.
    Met,
    /// A `where` leaves rows out of a sum.
    Where,
    /// Rows that sums were made for and that a table does not have.
    NotThere,
    /// A sum over rows stands from here on, on the rows that they lead to.
    Summed,
    /// What an `allocate` could not divide.
    NotAllocated,
    /// From here on it stands on the rows that it was divided over.
    Allocated,
    /// It is not carried on.
    Ends,
}

impl BridgeKind {
    /// Whether it is an entry though it changes nothing: where an amount begins, ends, or comes to stand on
    /// other rows.
    fn is_always_told(self) -> bool {
        matches!(
            self,
            Self::Begins | Self::Made | Self::Part | Self::Summed | Self::Allocated | Self::Ends
        )
    }
}

/// The bridges of all amounts of some outputs (paths and tables), as far as their tables were built.
pub fn bridges(tables: &[TableTally], outputs: &[(&str, &str)]) -> Vec<Bridge> {
    let tables = Tables(tables);
    let mut found = vec![];
    for (output, name) in outputs {
        let Some(table) = tables.find(name) else { continue };
        // Amounts that the output has, then those that ended on its way.
        let mut at = Some(table);
        while let Some(here) = at {
            for (index, tracked) in here.tracked.iter().enumerate() {
                let total = here.at_end(index);
                let last = std::ptr::eq(here, table);
                // What goes on is the next table's.
                if tracked.foreseen || !last && total.is_some() {
                    continue;
                }
                let Some(way) = tables.way(here, index) else { continue };
                let kept = last && total.is_some();
                found.push(Bridge {
                    output: (*output).to_owned(),
                    table: (*name).to_owned(),
                    amount: tracked.name.clone(),
                    rows: way.rows,
                    total: way.amount.filter(|_| kept),
                    entries: way.entries,
                });
            }
            at = if here.input { None } else { tables.find(&here.begins_as) };
        }
    }
    found
}

struct Tables<'t>(&'t [TableTally]);

/// An amount on its way.
#[derive(Default)]
struct Way {
    entries: Vec<BridgeEntry>,
    rows: u64,
    amount: Option<Amount>,
}

impl Way {
    /// Goes on to other rows and another amount.
    fn goes(&mut self, kind: BridgeKind, table: &str, text: &str, rows: u64, amount: Amount) {
        let amount = amount.without_blanks();
        let change = self.amount.map_or(amount, |before| amount.minus(before));
        let rows_change = rows as i64 - self.rows as i64;
        if rows_change != 0 || !change.is_zero() || kind.is_always_told() {
            self.entries.push(BridgeEntry {
                kind,
                table: table.to_owned(),
                text: text.to_owned(),
                rows: rows_change,
                amount: change,
            });
        }
        (self.rows, self.amount) = (rows, Some(amount));
    }

    /// The same by a change.
    fn less(&mut self, kind: BridgeKind, table: &str, text: &str, rows: u64, amount: Amount) {
        let before = self.amount.unwrap_or(amount.minus(amount));
        let rows = self.rows.saturating_sub(rows);
        self.goes(kind, table, text, rows, before.minus(amount));
    }
}

impl TableTally {
    /// An amount at the table's end, unless it has ended.
    pub(crate) fn at_end(&self, index: usize) -> Option<Amount> {
        self.steps.last().map_or(&self.amounts, |step| &step.amounts).get(index).copied().flatten()
    }
}

impl TableTally {
    /// An amount that it follows to its end, as it is there.
    fn follows(&self, name: &str) -> Option<Amount> {
        let index = self.tracked.iter().position(|tracked| tracked.name == *name)?;
        self.at_end(index)
    }
}

impl<'t> Tables<'t> {
    fn find(&self, name: &str) -> Option<&'t TableTally> {
        self.0.iter().find(|table| table.name == name)
    }

    /// An amount of a table by its name there, as it is at its end.
    fn way_of(&self, table: &str, amount: &str) -> Option<Way> {
        let table = self.find(table)?;
        let index = table.tracked.iter().position(|tracked| tracked.name == amount)?;
        table.at_end(index)?;
        self.way(table, index)
    }

    /// The way of an amount to the end of a table, or to where it ended; nothing where what it comes from was
    /// not built.
    fn way(&self, table: &'t TableTally, index: usize) -> Option<Way> {
        let mut way = self.to_start(table, index)?;
        let mut begun = way.amount.is_some();
        for step in &table.steps {
            let amount = step.amounts.get(index).copied().flatten();
            match amount {
                Some(amount) if begun => {
                    way.goes(BridgeKind::Step, &table.name, &step.text, step.rows, amount);
                }
                Some(amount) => {
                    way = self.made(table, index, step, amount);
                    begun = true;
                }
                None if begun => {
                    let (rows, text) = (way.rows, &step.text);
                    let nothing = way.amount.map_or_else(zero, |amount| amount.minus(amount));
                    way.goes(BridgeKind::Ends, &table.name, text, rows, nothing);
                    return Some(way);
                }
                None => {}
            }
        }
        way.amount?;
        Some(way)
    }

    /// The way of an amount to the start of a table; without an amount where a step makes it.
    fn to_start(&self, table: &'t TableTally, index: usize) -> Option<Way> {
        let tracked = &table.tracked[index];
        let start = table.amounts.get(index).copied().flatten();
        if let Some(gathered) = &tracked.gathered {
            let mut way = gathered
                .amount
                .as_ref()
                .and_then(|amount| self.way_of(&gathered.from, amount))
                .unwrap_or_default();
            let super::GatheredAmount { from, value, to, to_rows, all, nowhere, left_out, .. } =
                gathered;
            if way.amount.is_none() {
                way.goes(BridgeKind::Begins, from, value, all.rows, all.amount);
            }
            way.less(BridgeKind::Nowhere, from, to, nowhere.rows, nowhere.amount);
            way.less(BridgeKind::Where, from, value, left_out.rows, left_out.amount);
            let sum = way.amount.unwrap_or_else(zero);
            way.goes(BridgeKind::Summed, to, value, *to_rows, sum);
            let start = start?;
            way.goes(BridgeKind::NotThere, &table.name, to, table.rows, start);
            return Some(way);
        }
        let from = if table.parts.is_empty() {
            self.find(&table.begins_as).filter(|_| !table.input).into_iter().collect()
        } else {
            table.parts.iter().filter_map(|part| self.find(&part.table)).collect::<Vec<_>>()
        };
        // What nothing that it comes from follows begins here.
        let followed = |name: &&String| from.iter().any(|from| from.follows(name).is_some());
        let Some(base_name) = tracked.base_name.as_ref().filter(followed) else {
            let mut way = Way { rows: table.rows, ..Way::default() };
            if let Some(start) = start {
                way.rows = 0;
                way.goes(BridgeKind::Begins, &table.name, "", table.rows, start);
            }
            return Some(way);
        };
        if table.parts.is_empty() {
            return self.way_of(&table.begins_as, base_name);
        }
        let mut way = Way::default();
        for (at, part) in table.parts.iter().enumerate() {
            let Some(amount) = self.find(&part.table)?.follows(base_name) else { continue };
            let again = table.twice.as_ref().and_then(|twice| twice.parts.get(at));
            let own = again
                .and_then(|again| again.amount(&tracked.name))
                .map_or(amount, |twice| amount.minus(twice));
            let rows = part.rows - again.map_or(0, |again| again.rows);
            let before = way.amount.unwrap_or_else(|| own.minus(own));
            way.goes(BridgeKind::Part, &part.table, base_name, way.rows + rows, before.plus(own));
        }
        if let Some(twice) = &table.twice {
            let amounts = twice.amounts.iter().find(|(name, _)| *name == tracked.name);
            let amount = amounts.map_or_else(zero, |(_, amount)| *amount);
            let sum = way.amount.unwrap_or_else(zero).plus(amount);
            way.goes(BridgeKind::Twice, &twice.of, "", way.rows + twice.rows, sum);
        }
        let sum = way.amount.unwrap_or_else(zero);
        way.goes(BridgeKind::Met, &table.name, "", table.rows, sum);
        Some(way)
    }

    /// An amount that a step makes.
    fn made(&self, table: &TableTally, index: usize, step: &StepTally, amount: Amount) -> Way {
        let name = &table.tracked[index].name;
        if let StepDetail::Allocated(allocated) = &step.detail
            && let Some(allocated) = allocated.iter().find(|own| own.parts.as_ref() == Some(name))
        {
            let mut way = self.allocated(allocated, table, step.rows);
            way.goes(BridgeKind::Allocated, &table.name, &step.text, step.rows, amount);
            return way;
        }
        let mut way = Way::default();
        way.goes(BridgeKind::Made, &table.name, &step.text, step.rows, amount);
        way
    }

    /// What there was to divide, and what could not be.
    fn allocated(&self, allocated: &Allocated, table: &TableTally, rows: u64) -> Way {
        let known = allocated.of.as_ref().and_then(|(table, amount)| self.way_of(table, amount));
        let mut way = known.unwrap_or_default();
        if way.amount.is_none() {
            let of = allocated.of.as_ref().map_or(&table.name, |(table, _)| table);
            way.goes(BridgeKind::Begins, of, &allocated.amount, rows, allocated.all);
        }
        for left in &allocated.left {
            let rows = if left.why == "no-row" { left.count } else { 0 };
            way.less(BridgeKind::NotAllocated, &table.name, left.why, rows, left.amount);
        }
        way
    }
}

impl super::PartTwice {
    /// One of its amounts.
    fn amount(&self, name: &str) -> Option<Amount> {
        self.amounts.iter().find(|(known, _)| known == name).map(|(_, amount)| *amount)
    }
}

fn zero() -> Amount {
    Amount::exact(Some(0), crate::value::Scale(0), 0)
}
