//! What a page shows of a run: the first rows of tables as they are made, and at the end charts and links by month.

use super::demand::Demand;
use crate::bug::Sure;
use crate::expr::{Kind, Typed};
use crate::resolve::{LinkPlan, Plan, Source, TablePlan};
use crate::table::{Column, ColumnId, LinkId, Rows, Table, TableId};
use crate::tally::{FirstRows, LinkMonths, MonthMet};
use crate::value::{Type, day};

/// So many rows are shown of each table.
const ROWS: usize = 8;

/// More months than these are no months of a business: the days are wrong, or it is a calendar.
const MONTHS: usize = 240;

/// Where the days of a link's rows stand: with the rows, or where another link of theirs leads.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Day {
    /// The other link.
    pub through: Option<LinkId>,
    pub table: TableId,
    pub column: ColumnId,
}

/// The days of a link's rows: those of their own table; where that has none those of the rows that they are parts of,
/// which is where another link leads whose keys stand in their grain: the order of a line. Nothing where there are none.
pub(super) fn day_of(plan: &Plan, id: LinkId) -> Option<Day> {
    let from = plan.links[id.0].from;
    let own = |table: TableId, through: Option<LinkId>| {
        let column = first_day(&plan.tables[table.0])?;
        Some(Day { through, table, column })
    };
    let grain = || plan.tables[from.0].grain_columns();
    let of_whole = |link: &LinkPlan| {
        let in_grain = |left: &Typed| match left.kind {
            Kind::Column(column) => grain().contains(&column),
            _ => false,
        };
        link.from == from
            && link.period.is_none()
            && link.keys.iter().all(|(left, _)| in_grain(left))
    };
    let others =
        || plan.links.iter().enumerate().filter(|(at, link)| *at != id.0 && of_whole(link));
    own(from, None).or_else(|| others().find_map(|(at, link)| own(link.to, Some(LinkId(at)))))
}

/// The first column of days, else of moments.
fn first_day(table: &TablePlan) -> Option<ColumnId> {
    let of = |ty: Type| table.columns.iter().position(|(_, slot)| table.slots[slot.0] == ty);
    of(Type::Date).or_else(|| of(Type::DateTime)).map(ColumnId)
}

impl Demand {
    /// All tables are held until their first rows are taken: those that nothing is made from with all columns. Days
    /// of links stay.
    pub fn seed_seen(&mut self, plan: &Plan) {
        let made_from = |id: TableId| plan.tables.iter().any(|table| table.bases().contains(&id));
        for at in (0..plan.tables.len()).map(TableId) {
            self.tables[at.0].whole = true;
            let output = plan.outputs.iter().any(|output| output.table == at);
            if output || !made_from(at) && !matches!(plan.tables[at.0].source, Source::Input(_)) {
                self.tables[at.0].columns.fill(true);
            }
            self.grain_of(plan, at);
        }
        for day in (0..plan.links.len()).filter_map(|link| day_of(plan, LinkId(link))) {
            self.tables[day.table.0].columns[day.column.0] = true;
        }
    }
}

/// The first rows of a table.
pub(super) fn first_rows(plan: &TablePlan, table: &Table) -> FirstRows {
    let rows = table.rows.min(ROWS);
    let mut first = FirstRows { table: plan.name.clone(), rows, columns: vec![], unused: vec![] };
    for ((name, _), column) in plan.columns.iter().zip(&table.columns) {
        match column {
            Some(column) => {
                first.columns.push((name.clone(), column.slice(0, rows).whole()));
            }
            None => first.unused.push(name.clone()),
        }
    }
    first
}

/// A link month by month, but for rows that are left out of its share; nothing where its rows have no days, or an end
/// of it is not there.
pub(super) fn months(
    plan: &Plan,
    (tables, links): (&[Option<Table>], &[Option<Rows>]),
    id: LinkId,
    left_out: Option<&Vec<bool>>,
) -> Option<LinkMonths> {
    let link = &plan.links[id.0];
    let day = day_of(plan, id)?;
    let index = links[id.0].as_ref()?;
    let through = match day.through {
        Some(other) => Some(links[other.0].as_ref()?),
        None => None,
    };
    let days =
        tables[day.table.0].as_ref()?.column(day.column).sure("the days of a link's rows").whole();
    let name = &plan.tables[day.table.0].columns[day.column.0].0;
    let by = match day.through {
        Some(other) => format!("{}.{name}", plan.links[other.0].name),
        None => name.clone(),
    };
    let month = |row: usize| match through {
        Some(through) => through.get(row).and_then(|row| month_of(&days, row as usize)),
        None => month_of(&days, row),
    };
    let all = (0..index.len()).filter_map(&month);
    let (first, last) = all.fold((i32::MAX, i32::MIN), |(a, b), at| (a.min(at), b.max(at)));
    let span = last.checked_sub(first).map_or(0, |span| span as usize + 1);
    if last < first || span > MONTHS {
        return None;
    }
    let mut months = vec![MonthMet::default(); span];
    let mut without = MonthMet::default();
    for row in (0..index.len()).filter(|row| left_out.is_none_or(|out| !out[*row])) {
        let met = match month(row) {
            Some(month) => &mut months[(month - first) as usize],
            None => &mut without,
        };
        met.rows += 1;
        met.matched += u64::from(index.has(row));
    }
    let from = plan.tables[link.from.0].name.clone();
    Some(LinkMonths { from, name: link.name.clone(), by, first, months, without })
}

/// The month of a day or a moment, in months since the year 0.
fn month_of(days: &Column, row: usize) -> Option<i32> {
    if days.is_blank(row) {
        return None;
    }
    let day = match days {
        Column::Date(days) => days.value(row),
        Column::DateTime(moments) => day::day_of(moments.value(row)),
        _ => return None,
    };
    let date = day::to_civil(day)?;
    Some(12 * i32::from(date.year()) + i32::from(date.month()) - 1)
}
