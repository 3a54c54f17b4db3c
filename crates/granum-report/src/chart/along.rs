//! What stands along a chart: which places are named, so that no name touches another, and how.

use granum_core::tally::Along;
use granum_core::value::day;

const MONTHS: [&str; 12] =
    ["Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"];

/// The name of a place: one line, or a second with what it belongs to.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct Named {
    pub place: usize,
    pub name: String,
    /// The year, or month and year, where it begins to be another.
    pub below: Option<String>,
}

/// The names of places that follow each other, each of which has so much room in points. Texts name themselves: none
/// here.
pub(super) fn named(along: &Along, places: usize, room: f64) -> Vec<Named> {
    match along {
        Along::Days(first) => days(*first, places, room),
        Along::Weeks(first) => weeks(*first, places, room),
        Along::Months(first) => {
            let month = |at: usize| first + at as i32;
            in_years(places, room, &[1, 2, 3, 6, 12], 12, &|at| {
                let month = month(at);
                (
                    month.div_euclid(12),
                    month.rem_euclid(12),
                    MONTHS[month.rem_euclid(12) as usize].into(),
                )
            })
        }
        Along::Quarters(first) => in_years(places, room, &[1, 2, 4], 4, &|at| {
            let quarter = first + at as i32;
            let of = quarter.rem_euclid(4);
            (quarter.div_euclid(4), of, format!("Q{}", of + 1))
        }),
        Along::Numbers(first) => {
            let widest = [*first, first + places as i64].map(|number| number.to_string().len());
            let wide = widest[0].max(widest[1]) as f64 * 8.0 + 10.0;
            let steps = (0..).flat_map(|power| [1, 2, 5].map(|of| of * 10_i64.pow(power)));
            let step = steps.take(30).find(|step| *step as f64 * room >= wide).unwrap_or(i64::MAX);
            let own = (0..places).filter(|at| (first + *at as i64) % step == 0);
            own.map(|at| Named { place: at, name: (first + at as i64).to_string(), below: None })
                .collect()
        }
        Along::Texts(_) => vec![],
    }
}

/// The width of the name of a month or quarter, and of a day with its month.
const SHORT: f64 = 32.0;
const DAY: f64 = 48.0;

/// Parts of years: every so manieth of a year, with the year below where it begins; where there is no room, years.
fn in_years(
    places: usize,
    room: f64,
    steps: &[i32],
    of_year: i32,
    part: &dyn Fn(usize) -> (i32, i32, String),
) -> Vec<Named> {
    let step = steps.iter().copied().find(|step| f64::from(*step) * room >= SHORT);
    let years = step.is_none_or(|step| step == of_year);
    let each = if years {
        // Every so manieth year.
        let year = room * f64::from(of_year);
        [1, 2, 5, 10, 20, 50, 100].into_iter().find(|years| f64::from(*years) * year >= SHORT + 6.0)
    } else {
        None
    };
    let mut named: Vec<Named> = vec![];
    for place in 0..places {
        let (year, of, name) = part(place);
        if years {
            if of == 0 && year % each.unwrap_or(1) == 0 {
                named.push(Named { place, name: format!("{year:04}"), below: None });
            }
            continue;
        }
        if of % step.unwrap_or(1) == 0 {
            let begins = of == 0 || named.is_empty();
            named.push(Named { place, name, below: begins.then(|| format!("{year:04}")) });
        }
    }
    // Of less than a year no year may begin: its first place says which it is.
    if named.is_empty() && places > 0 {
        let (year, _, name) = part(0);
        named.push(Named { place: 0, name, below: Some(format!("{year:04}")) });
    }
    without_close(named, room, SHORT)
}

/// Without what lies below a name and would touch that of the name before.
fn without_close(mut named: Vec<Named>, room: f64, width: f64) -> Vec<Named> {
    let mut last: Option<usize> = None;
    for at in 0..named.len() {
        if named[at].below.is_none() {
            continue;
        }
        let place = named[at].place;
        let close = last.is_some_and(|last| (place - last) as f64 * room < width + 8.0);
        if close {
            // That of the part of a year before it gives way.
            let before = named[..at].iter_mut().rev().find(|other| other.below.is_some());
            before.into_iter().for_each(|other| other.below = None);
        }
        last = Some(place);
    }
    named
}

/// Days: all of them, or Mondays, or first days of months.
fn days(first: i32, places: usize, room: f64) -> Vec<Named> {
    /// The width of a day's number.
    const NUMBER: f64 = 24.0;
    /// Of more days than these months are looked at.
    const FEW: usize = 120;
    let all = room >= NUMBER;
    if all || (7.0 * room >= SHORT && places <= FEW) {
        return days_of_months(first, places, room, all);
    }
    first_days(first, places, room)
}

/// The numbers of days, of all or of Mondays, with their month below.
fn days_of_months(first: i32, places: usize, room: f64, all: bool) -> Vec<Named> {
    let date = |at: usize| day::to_civil(first + at as i32);
    let month = |at: usize| {
        date(at).map(|date| format!("{} {}", MONTHS[date.month() as usize - 1], date.year()))
    };
    let mut named: Vec<Named> = vec![];
    for place in 0..places {
        let Some(own) = date(place) else { continue };
        if !all && own.weekday().to_monday_zero_offset() != 0 {
            continue;
        }
        let begins = named.last().is_none_or(|last| month(last.place) != month(place));
        let below = begins.then(|| month(place)).flatten();
        named.push(Named { place, name: own.day().to_string(), below });
    }
    without_close(named, room, 2.0 * SHORT)
}

/// The first days of months, of so many as there is room for, with the year below; of less than a month the first day.
fn first_days(first: i32, places: usize, room: f64) -> Vec<Named> {
    let of_month = 30.4 * room;
    let step = [1, 2, 3, 6, 12].into_iter().find(|step| f64::from(*step) * of_month >= SHORT);
    let mut named: Vec<Named> = vec![];
    for place in 0..places {
        let Some(own) = day::to_civil(first + place as i32) else { continue };
        let month = MONTHS[own.month() as usize - 1];
        if own.day() != 1 || (i32::from(own.month()) - 1) % step.unwrap_or(12) != 0 {
            continue;
        }
        let begins = named.is_empty() || own.month() == 1;
        let below = begins.then(|| own.year().to_string());
        named.push(Named { place, name: month.into(), below });
    }
    if named.is_empty() {
        return days_of_months(first, places.min(1), room, true);
    }
    without_close(named, room, SHORT)
}

/// Mondays, with the year below.
fn weeks(first: i32, places: usize, room: f64) -> Vec<Named> {
    let step =
        [1, 2, 4, 13, 26, 52].into_iter().find(|step| *step as f64 * room >= DAY).unwrap_or(104);
    let mut named: Vec<Named> = vec![];
    let mut last = None;
    for place in (0..places).step_by(step) {
        let Some(monday) = day::to_civil(first + 7 * place as i32) else { continue };
        let name = format!("{} {}", monday.day(), MONTHS[monday.month() as usize - 1]);
        let below = (last != Some(monday.year())).then(|| monday.year().to_string());
        last = Some(monday.year());
        named.push(Named { place, name, below });
    }
    named
}

#[cfg(test)]
mod tests {
    use super::*;
    use granum_core::value::day::from_civil;

    fn words(named: &[Named]) -> String {
        let word = |named: &Named| {
            let below = named.below.as_ref().map_or(String::new(), |below| format!("/{below}"));
            format!("{}:{}{below}", named.place, named.name)
        };
        named.iter().map(word).collect::<Vec<_>>().join(" ")
    }

    #[test]
    fn months_are_words_and_years_stand_where_they_begin() {
        let from = 12 * 2025 + 9;
        let few = named(&Along::Months(from), 5, 60.0);
        assert_eq!(words(&few), "0:Oct/2025 1:Nov 2:Dec 3:Jan/2026 4:Feb");
        let more = named(&Along::Months(from), 18, 14.0);
        assert_eq!(words(&more), "0:Oct/2025 3:Jan/2026 6:Apr 9:Jul 12:Oct 15:Jan/2027");
        assert_eq!(words(&named(&Along::Months(from), 30, 3.0)), "3:2026 27:2028");
        assert_eq!(words(&named(&Along::Months(from), 1, 700.0)), "0:Oct/2025");
        assert_eq!(words(&named(&Along::Months(from), 0, 700.0)), "");
    }

    #[test]
    fn days_weeks_and_quarters_say_what_they_are_of() {
        let day = |day| from_civil(jiff::civil::date(2026, 2, day));
        let few = named(&Along::Days(day(27)), 4, 60.0);
        assert_eq!(words(&few), "0:27/Feb 2026 1:28 2:1/Mar 2026 3:2");
        let some = named(&Along::Days(day(1)), 30, 9.0);
        assert_eq!(words(&some), "1:2/Feb 2026 8:9 15:16 22:23 29:2/Mar 2026");
        let many = named(&Along::Days(day(10)), 400, 2.0);
        assert!(words(&many).starts_with("19:Mar/2026 50:Apr"), "{}", words(&many));
        assert_eq!(words(&named(&Along::Days(day(2)), 20, 2.0)), "0:2/Feb 2026");
        let weeks = named(&Along::Weeks(from_civil(jiff::civil::date(2025, 12, 29))), 3, 60.0);
        assert_eq!(words(&weeks), "0:29 Dec/2025 1:5 Jan/2026 2:12 Jan");
        let quarters = named(&Along::Quarters(4 * 2025 + 3), 3, 60.0);
        assert_eq!(words(&quarters), "0:Q4/2025 1:Q1/2026 2:Q2");
        assert_eq!(words(&named(&Along::Numbers(2019), 8, 30.0)), "1:2020 3:2022 5:2024 7:2026");
    }
}
