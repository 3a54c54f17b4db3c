//! The rows of a calendar.
use jiff::civil::Date;

use crate::expr::calendar as words;
use crate::resolve::CalendarPlan;
use crate::table::{Batch, Column, Fixed, Rows, TableId, Texts};
use crate::value::day;

/// All days with what is known of each, in the order of the calendar's columns.
pub(super) fn rows(id: TableId, slots: usize, plan: &CalendarPlan) -> Batch {
    let days: Vec<i32> = (plan.start..=plan.end).collect();
    let dates: Vec<Date> = days.iter().filter_map(|days| day::to_civil(*days)).collect();
    let text = |write: fn(Date, &mut String)| {
        let texts = dates.iter().map(|date| {
            let mut out = String::new();
            write(*date, &mut out);
            Some(out)
        });
        Column::Text(texts.collect::<Texts>())
    };
    let number = |of: fn(Date) -> i64| {
        Column::Integer(dates.iter().map(|date| of(*date)).collect::<Vec<_>>().into())
    };
    let columns = [
        Column::Date(Fixed::from(days.clone())),
        text(words::write_month),
        text(words::write_quarter),
        number(|date| date.year().into()),
        text(words::write_week),
        number(|date| date.weekday().to_monday_one_offset().into()),
    ];
    let mut all = vec![None; slots];
    for (slot, column) in plan.slots.iter().zip(columns) {
        all[slot.0] = Some(column);
    }
    let numbers = Rows::same(days.len());
    Batch::new(days.len(), all, vec![(id, numbers)])
}
