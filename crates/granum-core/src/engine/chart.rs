//! Charts of finished tables: each row has a place of its own along one, or there is no chart.

use jiff::civil::{Date, ISOWeekDate, Weekday};

use crate::aggregate::number;
use crate::bug::Sure;
use crate::resolve::{ChartPlan, TablePlan};
use crate::table::{Column, ColumnId, Rows, Table};
use crate::tally::{Along, Chart, ChartProblem, ChartTrouble, Panel, Problem, Series};
use crate::value::{day, decimal};

/// The most places along a chart that follow each other, and the most that are texts.
const MOST: usize = 4_000;
const MOST_TEXTS: usize = 100;

/// The most panels of one chart.
const PANELS: usize = 24;

/// Whole numbers stand where they are among all others as long as so many of the places have one.
const FILLED: usize = 4;

/// Places that several rows have are named up to this many.
const NAMED: usize = 3;

/// What a chart shows of a table.
///
/// # Errors
/// Rows that cannot be drawn.
pub(super) fn charted(
    plan: &TablePlan,
    table: &Table,
    chart: &ChartPlan,
) -> Result<Chart, Problem> {
    let column = |id: ColumnId| table.column(id).sure("a column of a chart").whole();
    let name = |id: ColumnId| plan.columns[id.0].0.clone();
    let trouble = |what: ChartTrouble| {
        Problem::Chart(ChartProblem {
            table: plan.name.clone(),
            title: chart.title.clone(),
            x: name(chart.x),
            by: chart.by.map(name),
            what,
        })
    };
    let Placed { along, places, of: place_of } = placed(&column(chart.x));
    let most = if matches!(along, Along::Texts(_)) { MOST_TEXTS } else { MOST };
    if places > most {
        let days = matches!(along, Along::Days(_));
        return Err(trouble(ChartTrouble::Places {
            count: places as u64,
            most: most as u64,
            days,
        }));
    }
    let by = chart.by.map(|by| texts(&column(by)));
    let panels = by.as_ref().map_or(1, |by| by.places);
    if panels > PANELS {
        let (count, most) = (panels as u64, PANELS as u64);
        return Err(trouble(ChartTrouble::Panels { count, most }));
    }
    let cell = |row: usize| {
        let panel = by.as_ref().map_or(Some(0), |by| by.of[row])?;
        Some(panel as usize * places + place_of[row]? as usize)
    };
    let mut cells: Vec<Option<u32>> = vec![None; panels * places];
    let mut many: Vec<(usize, u64)> = vec![];
    let (mut rows, mut repeated) = (0, 0);
    for row in 0..table.rows {
        let Some(at) = cell(row) else { continue };
        rows += 1;
        if cells[at].is_none() {
            cells[at] = Some(row as u32);
            continue;
        }
        repeated += 1;
        if let Some((_, rows)) = many.iter_mut().find(|(known, _)| *known == at) {
            *rows += 1;
        } else if many.len() < NAMED {
            many.push((at, 2));
        }
    }
    if repeated > 0 {
        let words = |at: usize| {
            let place = along.name(at % places);
            let panel = by.as_ref().map(|by| format!(" of {}", by.along.name(at / places)));
            place + &panel.unwrap_or_default()
        };
        let examples = many.into_iter().map(|(at, rows)| (words(at), rows)).collect();
        let others = chart.grain.iter().filter(|id| **id != chart.x && chart.by.is_none());
        let apart = others.filter(|id| tells_apart(&place_of, places, &column(**id)));
        let apart = apart.map(|id| name(*id)).collect();
        return Err(trouble(ChartTrouble::Repeats { rows: repeated, examples, apart }));
    }
    let drawn = || {
        let bars = chart.bars.iter().map(|id| (*id, true));
        bars.chain(chart.lines.iter().map(|id| (*id, false)))
    };
    let mut values: Vec<Vec<Vec<Option<f64>>>> = vec![vec![]; panels];
    for (id, _) in drawn() {
        let own = column(id).take(&Rows::from(cells.clone()));
        let heights: Vec<Option<f64>> = (0..cells.len()).map(|at| height(&own, at)).collect();
        for (panel, values) in values.iter_mut().enumerate() {
            values.push(heights[panel * places..(panel + 1) * places].to_vec());
        }
    }
    let named = |panel: usize| by.as_ref().map(|by| by.along.name(panel));
    let panels = values.into_iter().enumerate();
    Ok(Chart {
        title: chart.title.clone(),
        table: plan.name.clone(),
        x: name(chart.x),
        by: chart.by.map(name),
        series: drawn().map(|(id, bars)| Series { name: name(id), bars }).collect(),
        panels: panels.map(|(at, values)| Panel { name: named(at), values }).collect(),
        along,
        places,
        stacked: chart.stacked,
        share: chart.share,
        left_out: table.rows as u64 - rows,
        rows,
    })
}

/// Whether rows of one place are told apart by a column that a page has room for.
fn tells_apart(place_of: &[Option<u32>], places: usize, column: &Column) -> bool {
    // Amounts and moments are nothing that a chart is drawn by.
    if matches!(column, Column::Decimal(..) | Column::Number(_) | Column::DateTime(_)) {
        return false;
    }
    let by = texts(column);
    if by.places > PANELS {
        return false;
    }
    let mut taken = vec![false; by.places * places];
    place_of.iter().zip(&by.of).all(|(place, panel)| match (place, panel) {
        (Some(place), Some(panel)) => {
            !std::mem::replace(&mut taken[*panel as usize * places + *place as usize], true)
        }
        // It would be left out.
        (Some(_), None) => false,
        (None, _) => true,
    })
}

/// A number as it is drawn.
fn height(column: &Column, row: usize) -> Option<f64> {
    if column.is_blank(row) {
        return None;
    }
    match column {
        Column::Integer(values) => Some(values.value(row) as f64),
        Column::Decimal(values, scale) => {
            Some(values.value(row) as f64 / decimal::power(scale.0) as f64)
        }
        Column::Number(values) => Some(values.value(row)),
        _ => None,
    }
}

/// The places along a chart, and that of each row.
struct Placed {
    along: Along,
    places: usize,
    of: Vec<Option<u32>>,
}

/// Places by what values are: in time, whole numbers, or texts.
fn placed(column: &Column) -> Placed {
    let follow = |numbers: Vec<Option<i64>>, along: &dyn Fn(i64) -> Along| {
        let least = numbers.iter().flatten().min().copied().unwrap_or(0);
        let most = numbers.iter().flatten().max().copied().unwrap_or(least - 1);
        let place = |number: &Option<i64>| number.map(|number| (number - least) as u32);
        let places = (most - least + 1) as usize;
        Placed { along: along(least), places, of: numbers.iter().map(place).collect() }
    };
    match column {
        Column::Date(days) => {
            let days: Vec<Option<i32>> = days.iter().collect();
            if let Some(months) = months(&days) {
                return follow(months, &|first| Along::Months(first as i32));
            }
            let days = days.into_iter().map(|day| day.map(i64::from)).collect();
            follow(days, &|first| Along::Days(first as i32))
        }
        Column::Integer(values) => {
            let numbers: Vec<Option<i64>> = values.iter().collect();
            let (least, most) = (numbers.iter().flatten().min(), numbers.iter().flatten().max());
            let span = least.zip(most).map_or(0, |(least, most)| most.abs_diff(*least));
            // Numbers far from each other are names of things.
            if span < (FILLED * numbers.len().max(1)).min(MOST) as u64 {
                return follow(numbers, &Along::Numbers);
            }
            in_order(column)
        }
        Column::Text(values) => {
            let read = |read: &dyn Fn(&str) -> Option<i64>| -> Option<Vec<Option<i64>>> {
                let numbers = (0..values.len()).map(|row| {
                    if column.is_blank(row) {
                        return Some(None);
                    }
                    read(values.value(row)).map(Some)
                });
                let numbers: Option<Vec<Option<i64>>> = numbers.collect();
                numbers.filter(|numbers| numbers.iter().any(Option::is_some))
            };
            if let Some(months) = read(&month) {
                return follow(months, &|first| Along::Months(first as i32));
            }
            if let Some(quarters) = read(&quarter) {
                return follow(quarters, &|first| Along::Quarters(first as i32));
            }
            if let Some(weeks) = read(&week) {
                return follow(weeks, &|first| Along::Weeks(7 * first as i32 + MONDAY));
            }
            texts(column)
        }
        _ => texts(column),
    }
}

/// A Monday, in days since 1970-01-01.
const MONDAY: i32 = 4;

/// Days that are all the first of their months, and of several, as months since the year 0.
fn months(days: &[Option<i32>]) -> Option<Vec<Option<i64>>> {
    let month = |day: &Option<i32>| match day {
        None => Some(None),
        Some(day) => {
            let date = day::to_civil(*day).filter(|date| date.day() == 1)?;
            Some(Some(12 * i64::from(date.year()) + i64::from(date.month()) - 1))
        }
    };
    let months: Vec<Option<i64>> = days.iter().map(month).collect::<Option<_>>()?;
    let mut some = months.iter().flatten();
    let first = some.next()?;
    some.any(|month| month != first).then_some(months)
}

/// A year of four digits, and what stands behind it and a sign.
fn year_and(text: &str) -> Option<(i64, &str)> {
    let digits = text.as_bytes().get(..4)?;
    if !digits.iter().all(u8::is_ascii_digit) {
        return None;
    }
    let (year, rest) = text.split_at(4);
    Some((year.parse().ok()?, rest.strip_prefix('-')?))
}

/// A number of two digits from one up to another.
fn two_digits(text: &str, most: i64) -> Option<i64> {
    let digits = text.len() == 2 && text.bytes().all(|digit| digit.is_ascii_digit());
    text.parse().ok().filter(|number| digits && (1..=most).contains(number))
}

/// `2026-03` as months since the year 0.
fn month(text: &str) -> Option<i64> {
    let (year, month) = year_and(text)?;
    Some(12 * year + two_digits(month, 12)? - 1)
}

/// `2026-Q1` as quarters since the year 0.
fn quarter(text: &str) -> Option<i64> {
    let (year, quarter) = year_and(text)?;
    let quarter = match quarter {
        "Q1" => 0,
        "Q2" => 1,
        "Q3" => 2,
        "Q4" => 3,
        _ => return None,
    };
    Some(4 * year + quarter)
}

/// `2026-W09` as weeks since that of 1970-01-05.
fn week(text: &str) -> Option<i64> {
    let (year, week) = year_and(text)?;
    let week = two_digits(week.strip_prefix('W')?, 53)?;
    let week = ISOWeekDate::new(year as i16, week as i8, Weekday::Monday).ok()?;
    let monday: Date = week.date();
    Some(i64::from((day::from_civil(monday) - MONDAY).div_euclid(7)))
}

/// Values as texts, in the order in which they first stand there.
fn texts(column: &Column) -> Placed {
    let (groups, firsts) = number(vec![column.clone()], column.len());
    // A blank is a group too, and has no place.
    let mut place_of = vec![None; firsts.len()];
    let mut names = vec![];
    for (group, first) in firsts.iter().enumerate() {
        if !column.is_blank(*first as usize) {
            place_of[group] = Some(names.len() as u32);
            names.push(column.scalar(*first as usize).to_string());
        }
    }
    let of = (0..column.len()).map(|row| place_of[groups.of(row)?]).collect();
    Placed { places: names.len(), along: Along::Texts(names), of }
}

/// The same of numbers, the least first.
fn in_order(column: &Column) -> Placed {
    let Placed { along, places, of } = texts(column);
    let Along::Texts(names) = along else { return Placed { along, places, of } };
    let mut order: Vec<usize> = (0..places).collect();
    order.sort_by_key(|at| names[*at].parse::<i64>().unwrap_or(i64::MAX));
    let mut to = vec![0; places];
    for (now, before) in order.iter().enumerate() {
        to[*before] = now as u32;
    }
    let names = order.iter().map(|at| names[*at].clone()).collect();
    let of = of.into_iter().map(|place| place.map(|place| to[place as usize])).collect();
    Placed { along: Along::Texts(names), places, of }
}
