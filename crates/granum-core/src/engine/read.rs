//! An input's rows on their way from its files into the chain.

use rayon::prelude::*;
use std::collections::BTreeMap;

use super::context::{Context, Stop};
use super::sums::TableSum;
use crate::lang::Otherwise;
use crate::port::{
    InputColumn, InputSource, PartReader, RawPart, ReadRequest, SourceError, SourceErrorKind,
};
use crate::resolve::Source;
use crate::table::{Batch, Column, Places, Rows, TableId};
use crate::tally::{BadCell, OddHoursTold, Problem, SetAside};
use crate::value::{Scalar, Type};

/// Bad cells are listed up to this many.
const EXAMPLES: usize = 5;

/// So many parts are read before any is parsed, which all cores wait for; then each time twice as many.
const FIRST: usize = 4;

/// An input that is being read.
pub(super) struct Reading {
    input: TableId,
    reader: Box<dyn PartReader>,
    /// Parts that have been read from the files and not been parsed.
    ahead: Vec<Box<dyn RawPart>>,
    begun: bool,
    /// Where each requested column goes.
    slots: Vec<usize>,
    fingerprints: Vec<usize>,
    aside: Option<usize>,
    /// The slots of each row's file and line, where they are needed.
    source: Option<[Option<usize>; 2]>,
    names: Vec<String>,
    columns: Vec<InputColumn>,
    rows: u64,
    /// There are more rows than can be counted.
    too_many: bool,
    /// How many bytes its files have, and how many have been parsed.
    bytes: u64,
    parsed: u64,
    /// By column: how many cells could not be read, and the first of them.
    troubles: BTreeMap<usize, (u64, Vec<BadCell>)>,
    /// By column: moments in odd hours.
    odd_hours: BTreeMap<usize, OddHoursTold>,
}

impl Reading {
    /// Begins to read what is needed of an input; for the last time, if that is said.
    pub fn begin(
        context: &Context<'_>,
        input: TableId,
        (source, last): (&dyn InputSource, bool),
    ) -> Result<Self, SourceError> {
        let table = &context.plan.tables[input.0];
        let demand = &context.demand.tables[input.0];
        let Source::Input(plan) = &table.source else {
            return Err(SourceError {
                kind: SourceErrorKind::System,
                file: table.name.clone(),
                line: None,
                message: "is not an input".into(),
                help: String::new(),
            });
        };
        let shape = source.shape();
        let mut request = ReadRequest { last, ..ReadRequest::default() };
        let (mut slots, mut names) = (vec![], vec![]);
        for (slot, column) in &table.imports {
            if demand.last_use[slot.0].is_none() {
                continue;
            }
            let name = &shape.columns[column.0].0;
            request.columns.push(InputColumn {
                column: column.0,
                ty: table.slots[slot.0],
                rule: plan.spec.rule_of(name).cloned(),
            });
            slots.push(slot.0);
            names.push(name.clone());
        }
        let mut fingerprints = vec![];
        for (slot, columns) in &plan.fingerprints {
            if demand.last_use[slot.0].is_some() {
                request.fingerprints.push(columns.clone());
                fingerprints.push(slot.0);
            }
        }
        let aside = plan.aside.filter(|slot| demand.last_use[slot.0].is_some());
        request.aside = aside.is_some();
        let columns = request.columns.clone();
        context.observer.stage(&format!("reading {}", table.name), source.bytes());
        Ok(Self {
            input,
            reader: source.read(request)?,
            ahead: vec![],
            begun: false,
            slots,
            fingerprints,
            aside: aside.map(|slot| slot.0),
            source: plan.source.map(|source| {
                [source.file, source.line].map(|slot| demand.last_use[slot.0].map(|_| slot.0))
            }),
            names,
            columns,
            rows: 0,
            too_many: false,
            bytes: source.bytes(),
            parsed: 0,
            troubles: BTreeMap::new(),
            odd_hours: BTreeMap::new(),
        })
    }

    /// How many rows have been parsed, and how many there will be in all if they go on like this.
    pub fn progress(&self) -> (usize, usize) {
        let share = self.bytes.max(self.parsed) as f64 / self.parsed.max(1) as f64;
        (self.rows as usize, (self.rows as f64 * share) as usize)
    }

    /// Reads the next parts, so that they are there when they are asked for.
    pub fn read_ahead(&mut self, count: usize) -> Result<(), SourceError> {
        if self.ahead.is_empty() {
            self.ahead = self.reader.next(count)?;
        }
        self.begun = true;
        Ok(())
    }

    /// Parses the parts that have been read into batches. Notes where their rows stand in the files.
    pub fn window(
        &mut self,
        context: &Context<'_>,
        mut places: Option<&mut Places>,
        count: usize,
    ) -> Result<Vec<Batch>, Stop> {
        if !self.begun {
            self.read_ahead(count.min(FIRST))?;
        }
        let raw = std::mem::take(&mut self.ahead);
        let count = count.min(2 * raw.len().max(FIRST));
        // The next parts are read while these are parsed.
        let (parsed, read) = rayon::join(
            || raw.par_iter().with_max_len(1).map(|part| part.parse()).collect::<Vec<_>>(),
            || if raw.is_empty() { Ok(()) } else { self.read_ahead(count) },
        );
        read?;
        let table = &context.plan.tables[self.input.0];
        let mut batches = vec![];
        for (raw, part) in raw.iter().zip(parsed) {
            let part = part?;
            if part.contradicts {
                return Err(Stop::Contradiction(self.input));
            }
            context.observer.advance(raw.bytes());
            self.parsed += raw.bytes();
            for trouble in part.troubles {
                let (count, examples) = self.troubles.entry(trouble.column).or_default();
                *count += trouble.count;
                let room = EXAMPLES.saturating_sub(examples.len());
                let more = trouble.examples.into_iter().take(room);
                examples.extend(more.map(|(text, place)| BadCell { text, place }));
            }
            for odd in part.odd_hours {
                let name = &self.names[odd.column];
                let all = self.odd_hours.entry(odd.column).or_insert_with(|| OddHoursTold {
                    column: name.clone(),
                    twice: 0,
                    never: 0,
                    examples: vec![],
                });
                all.twice += odd.twice;
                all.never += odd.never;
                let room = EXAMPLES.saturating_sub(all.examples.len());
                let more = odd.examples.into_iter().take(room);
                all.examples.extend(more.map(|(text, place)| BadCell { text, place }));
            }
            let first = self.rows;
            self.rows += part.rows as u64;
            if self.rows > u64::from(u32::MAX) {
                // Told at the end, which is here.
                self.too_many = true;
                return Ok(vec![]);
            }
            let mut slots = vec![None; table.slots.len()];
            let [file, line] = self.source.unwrap_or_default();
            if let Some(slot) = file {
                let name = Scalar::Text(part.origin.file.to_string());
                slots[slot] = Some(Column::constant(&name, Type::Text, part.rows));
            }
            if let Some(slot) = line {
                let lines: Vec<i64> =
                    (0..part.rows).map(|row| part.lines.line(row) as i64).collect();
                slots[slot] = Some(Column::Integer(lines.into()));
            }
            if let Some(places) = &mut places {
                places.push(part.origin, part.lines, part.rows as u32);
            }
            if part.rows == 0 {
                continue;
            }
            for (slot, column) in self.slots.iter().zip(part.columns) {
                slots[*slot] = Some(column);
            }
            for (slot, column) in self.fingerprints.iter().zip(part.fingerprints) {
                slots[*slot] = Some(column);
            }
            if let Some(slot) = self.aside {
                slots[slot] = part.aside;
            }
            let origins = vec![(self.input, Rows::run(first as u32, part.rows))];
            batches.push(Batch::new(part.rows, slots, origins));
        }
        if batches.is_empty() && !raw.is_empty() {
            // Parts without rows are no end.
            return self.window(context, places, count);
        }
        Ok(batches)
    }

    /// Says which cells could not be read: as the plan allows, or as what stops the table.
    ///
    /// # Errors
    /// More rows than can be counted, or cells that may not be so.
    pub fn finish(self, context: &Context<'_>, sum: &mut TableSum) -> Result<(), Problem> {
        let table = &context.plan.tables[self.input.0];
        if self.too_many {
            return Err(Problem::TooManyRows { table: table.name.clone() });
        }
        sum.odd_hours = self.odd_hours.into_values().collect();
        for (column, (count, examples)) in self.troubles {
            let rule = self.columns[column].rule.as_ref();
            let name = self.names[column].clone();
            match rule.map(|rule| rule.otherwise).unwrap_or_default() {
                Otherwise::Stop => {}
                Otherwise::Blank => {
                    sum.blanked.push((name, count));
                    continue;
                }
                Otherwise::Aside => {
                    sum.aside.push(SetAside { column: name, count, examples });
                    continue;
                }
            }
            return Err(Problem::BadCells {
                table: table.name.clone(),
                column: name,
                wanted: rule.map_or_else(
                    || self.columns[column].ty.to_string(),
                    |rule| {
                        let formats: Vec<String> =
                            rule.formats.iter().map(|format| format!("\"{format}\"")).collect();
                        format!("{} {}", rule.ty, formats.join(" or ")).trim_end().to_owned()
                    },
                ),
                count,
                examples,
            });
        }
        Ok(())
    }
}
