//! Outputs with a column for each value of one: months side by side. The rows of a table are put into the cells
//! of wider rows when the whole table is there.

use std::collections::HashSet;

use crate::aggregate::{Groups, number};
use crate::bug::Sure;
use crate::link::compare;
use crate::port::{Output, OutputError, Outputs};
use crate::resolve::{OutputPlan, TablePlan, WidePlan};
use crate::table::{Column, ColumnId, Rows, Table};
use crate::tally::{Problem, WideOutput, WideTrouble};
use crate::value::Type;

/// The most columns that values become: a column of many values is mostly another one than was meant.
const MOST: usize = 1_000;

/// Values are named up to this many.
const NAMED: usize = 3;

/// The columns of an output, and how many rows they have.
pub(super) struct Wide {
    pub columns: Vec<(String, Column)>,
    pub rows: usize,
}

impl Wide {
    /// Writes the rows to a place.
    ///
    /// # Errors
    /// What the system says.
    pub fn write(
        self,
        output: &OutputPlan,
        places: &dyn Outputs,
    ) -> Result<Box<dyn Output>, OutputError> {
        let types: Vec<(String, Type)> =
            self.columns.iter().map(|(name, column)| (name.clone(), column.ty())).collect();
        let mut output = places.begin(&output.path, &types, &output.style)?;
        let columns: Vec<Column> = self.columns.into_iter().map(|(_, column)| column).collect();
        let rows = output.encoder().encode(&columns, self.rows);
        output.take(rows)?;
        Ok(output)
    }
}

/// The rows of a table as wider ones.
///
/// # Errors
/// Values that cannot become columns.
pub(super) fn widened(
    plan: &TablePlan,
    table: &Table,
    (output, wide): (&OutputPlan, &WidePlan),
) -> Result<Wide, Problem> {
    let column = |id: ColumnId| table.column(id).sure("a column of an output").whole();
    let name = |id: ColumnId| plan.columns[id.0].0.clone();
    let trouble = |what: WideTrouble, examples: Vec<String>, count: u64| {
        Problem::WideOutput(WideOutput {
            table: plan.name.clone(),
            path: output.path.clone(),
            column: name(wide.from),
            what,
            count,
            examples,
        })
    };
    let from = column(wide.from);
    let blank = (0..table.rows).filter(|row| from.is_blank(*row)).count() as u64;
    if blank > 0 {
        return Err(trouble(WideTrouble::Blank, vec![], blank));
    }
    let keys: Vec<Column> = wide.keys.iter().map(|key| column(*key)).collect();
    let (groups, firsts) = number(keys, table.rows);
    let firsts = Rows::from(firsts);
    let (which, values) = number(vec![from.clone()], table.rows);
    if values.len() > MOST {
        return Err(trouble(WideTrouble::Many, vec![], values.len() as u64));
    }
    let mut columns = vec![];
    for id in &wide.beside {
        let own = column(*id);
        if let Some(row) = differs(&own, &groups, &firsts) {
            let first = firsts.row(groups.of(row).sure("the group of a row"));
            let both = [own.scalar(first).to_string(), own.scalar(row).to_string()];
            let both = both.map(|text| if text.is_empty() { "blank".into() } else { text });
            return Err(trouble(WideTrouble::Several(name(*id)), both.to_vec(), 0));
        }
        columns.push((name(*id), own.take(&firsts)));
    }
    let mut cells: Vec<Vec<Option<u32>>> = vec![vec![None; groups.count]; values.len()];
    for row in 0..table.rows {
        let (at, group) = (which.of(row), groups.of(row));
        let cell = &mut cells[at.sure("a value")][group.sure("the group of a row")];
        if cell.replace(row as u32).is_some() {
            return Err(trouble(WideTrouble::Twice, vec![from.scalar(row).to_string()], 0));
        }
    }
    let mut order: Vec<usize> = (0..values.len()).collect();
    order.sort_by(|a, b| compare(&from, values[*a] as usize, values[*b] as usize));
    let value = column(wide.value);
    let mut known: HashSet<String> = columns.iter().map(|(name, _)| name.clone()).collect();
    let mut taken = vec![];
    for at in order {
        let called = from.scalar(values[at] as usize).to_string();
        if !known.insert(called.clone()) {
            taken.push(called.clone());
        }
        columns.push((called, value.take(&Rows::from(std::mem::take(&mut cells[at])))));
    }
    if !taken.is_empty() {
        let count = taken.len() as u64;
        taken.truncate(NAMED);
        return Err(trouble(WideTrouble::Taken, taken, count));
    }
    Ok(Wide { columns, rows: groups.count })
}

/// The first row that has another value than the first row of its group.
fn differs(column: &Column, groups: &Groups, firsts: &Rows) -> Option<usize> {
    (0..groups.rows()).find(|row| {
        let first = firsts.row(groups.of(*row).sure("the group of a row"));
        match (column.is_blank(first), column.is_blank(*row)) {
            (true, true) => false,
            (false, false) => compare(column, first, *row).is_ne(),
            _ => true,
        }
    })
}
