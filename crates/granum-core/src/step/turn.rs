//! `turn`: one row for each of some columns, or for each part of a cell.
//!
//! ```text
//! store  jan   feb          store  month   net
//! S1     4.00  5.00    →    S1     jan    4.00
//! S2           7.00         S1     feb    5.00
//!                           S2     feb    7.00
//! ```

use super::{Gone, Left, OnRows, Pace, RowsBecome, StepRunner, StepSum, Work};
use crate::expr::{Typed, texts};
use crate::resolve::{TablePlan, TurnPlan, Turned};
use crate::table::{Batch, Column, Rows, SlotId};
use crate::tally::{Problem, StepDetail, Why};

impl Work for TurnPlan {
    fn expressions(&self) -> Vec<&Typed> {
        match &self.what {
            Turned::Columns { columns, .. } => columns.iter().map(|(_, typed)| typed).collect(),
            Turned::Parts { .. } => vec![],
        }
    }

    fn slots(&self) -> Vec<SlotId> {
        match &self.what {
            Turned::Columns { .. } => vec![],
            Turned::Parts { column, .. } => vec![*column],
        }
    }

    fn pace(&self) -> Pace {
        Pace::Passing
    }

    fn rows(&self) -> RowsBecome {
        RowsBecome::Several
    }

    fn detail(&self, table: &TablePlan, at: usize, sum: &StepSum) -> StepDetail {
        let ends = table.tracked.iter().filter(|tracked| tracked.ends_at == Some(at));
        StepDetail::Turned {
            blank: sum.blank,
            rows: sum.removed_rows,
            kept: self.keeping_blanks,
            ends: ends.map(|tracked| tracked.name.clone()).collect(),
        }
    }

    fn takes_out(&self) -> bool {
        !self.keeping_blanks
    }

    fn gone(&self, at: &StepRunner<'_>, rows: &Batch) -> Result<Vec<Gone>, Problem> {
        let turned = self.turned(at, rows)?;
        let gone = (0..rows.rows).filter(|row| turned.counts[*row] == 0);
        Ok(gone.map(|row| Gone { row: row as u32, why: Why::AllBlank, stays: None }).collect())
    }

    fn work(&self, at: &StepRunner<'_>, on: OnRows<'_>) -> Result<Left, Problem> {
        let batch = on.batch;
        at.release(batch);
        let before = at.amounts_before(batch);
        let rows_before = batch.rows as u64;
        let turned = self.turned(at, batch)?;
        let removed_rows = turned.counts.iter().filter(|count| **count == 0).count() as u64;
        let mut out = batch.take(&turned.rows);
        for (slot, column) in turned.made {
            out.slots[slot.0] = Some(column);
        }
        *batch = out;
        let sum = StepSum {
            before,
            rows_before,
            blank: turned.blank,
            removed_rows,
            ..StepSum::default()
        };
        Ok(Left::of(sum))
    }
}

/// What rows become.
struct TurnedRows {
    /// For each new row the row that it was.
    rows: Rows,
    /// How many rows each became.
    counts: Vec<u32>,
    /// Cells, or rows, that have nothing to turn.
    blank: u64,
    made: Vec<(SlotId, Column)>,
}

impl TurnPlan {
    fn turned(&self, at: &StepRunner<'_>, batch: &Batch) -> Result<TurnedRows, Problem> {
        match &self.what {
            Turned::Columns { columns, value } => {
                let names: Vec<&str> = columns.iter().map(|(name, _)| name.as_str()).collect();
                let columns = at.columns(batch, columns.iter().map(|(_, typed)| typed))?;
                if batch.rows.saturating_mul(columns.len()) > u32::MAX as usize {
                    return Err(Problem::TooManyRows { table: at.plan().name.clone() });
                }
                Ok(self.columns_turned(batch.rows, (&names, &columns), *value))
            }
            Turned::Parts { column, separator } => {
                Ok(self.parts_turned(batch.slot(*column), separator))
            }
        }
    }

    fn columns_turned(
        &self,
        rows: usize,
        (names, columns): (&[&str], &[Column]),
        value: SlotId,
    ) -> TurnedRows {
        let most = rows * columns.len();
        let (mut of, mut which) = (Vec::with_capacity(most), Vec::with_capacity(most));
        let mut counts = vec![0; rows];
        let mut blank = 0;
        for (row, count) in counts.iter_mut().enumerate() {
            for (at, column) in columns.iter().enumerate() {
                if column.is_blank(row) {
                    blank += 1;
                    if !self.keeping_blanks {
                        continue;
                    }
                }
                *count += 1;
                of.push(row as u32);
                which.push(at as u32);
            }
        }
        // All values one below the other, and each taken from its place there.
        let all = Column::concat(columns);
        let places = of.iter().zip(&which).map(|(row, at)| at * rows as u32 + row);
        let values = all.take(&places.collect::<Vec<u32>>().into());
        let name = Column::Text(texts(which.len(), |row, out| {
            out.push_str(names[which[row] as usize]);
            true
        }));
        let made = vec![(self.name, name), (value, values)];
        TurnedRows { rows: Rows::from(of), counts, blank, made }
    }

    fn parts_turned(&self, column: &Column, separator: &str) -> TurnedRows {
        let rows = column.len();
        let mut of: Vec<u32> = Vec::with_capacity(rows);
        let mut parts: Vec<&str> = Vec::with_capacity(rows);
        let mut counts = vec![0; rows];
        let mut blank = 0;
        for (row, count) in counts.iter_mut().enumerate() {
            let text = match column {
                Column::Text(array) if array.has(row) => array.value(row),
                _ => "",
            };
            let own = text.split(separator).map(str::trim).filter(|part| !part.is_empty());
            let known = parts.len();
            parts.extend(own);
            if parts.len() == known {
                blank += 1;
                if self.keeping_blanks {
                    parts.push("");
                }
            }
            *count = (parts.len() - known) as u32;
            of.resize(parts.len(), row as u32);
        }
        let name = Column::Text(texts(parts.len(), |row, out| {
            out.push_str(parts[row]);
            true
        }));
        TurnedRows { rows: Rows::from(of), counts, blank, made: vec![(self.name, name)] }
    }
}
