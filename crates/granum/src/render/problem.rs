//! What stopped a table or a link from being built.

use granum_core::lang::plan_name;
use granum_core::lang::{OddQuantity, UnitsPolicy};
use granum_core::table::Place;
use granum_core::tally::{
    ChartProblem, ChartTrouble, Problem, RepeatedKey, RowReason, StackedTwice, UnitsProblem,
    UnitsTrouble, WideOutput, WideTrouble,
};
use granum_core::value::has_offset;

use super::lists::{more, more_indented, short};
use super::{allocate, apart, count, counted, expand, periods, sums};

/// Problems one under the other.
pub fn problems(problems: &[Problem], source: &str) -> String {
    problems.iter().map(|one| problem(one, source)).collect::<Vec<_>>().join("\n")
}

pub(super) fn problem(problem: &Problem, source: &str) -> String {
    match problem {
        Problem::BadCells { table, column, wanted, count: cells, examples } => {
            let mut out = format!(
                "  {table}: {} of `{column}` cannot be read as {wanted}\n",
                counted(*cells, "cell", "cells")
            );
            for cell in examples {
                out.push_str(&format!("    \"{}\"   ({})\n", short(&cell.text), cell.place));
            }
            more(&mut out, *cells, examples.len());
            if examples.first().is_some_and(|cell| has_offset(&cell.text)) {
                out.push_str(&format!(
                    "    they have an offset from UTC; say by whose clock they are read:  read {column} as \
                     datetime zone \"UTC\"  , or another place's, such as \"Europe/Berlin\"\n"
                ));
                return out;
            }
            out.push_str(&format!(
                "    mend the file, name another format, or let them be blank:  read {column} as \
                 {wanted} else blank\n    or leave their rows out, which the tally counts:  read \
                 {column} as {wanted} else aside\n"
            ));
            out
        }
        Problem::Grain {
            table,
            columns,
            repeated,
            repeated_rows,
            blank,
            examples,
            blank_places,
        } => grain(table, columns, (*repeated, *repeated_rows), *blank, examples, blank_places),
        Problem::RepeatedKeys {
            from,
            to,
            keys: key,
            target_keys,
            grain,
            repeated,
            source_rows,
            would_be,
            examples,
        } => {
            let mut out = format!(
                "  {from} \u{2192} {to}: {} of {to} ({key}) {} on several rows\n",
                counted(*repeated, "key", "keys"),
                if *repeated == 1 { "stands" } else { "stand" },
            );
            out.push_str(&format!(
                "    {} of {from} would have become {}\n",
                counted(*source_rows, "row", "rows"),
                count(*would_be)
            ));
            keys(&mut out, examples);
            more(&mut out, *repeated, examples.len());
            // Rows that differ in the grain are different things: to keep one would merge them.
            out.push_str(&if grain.is_empty() {
                format!("    say which row of {to} stays:  dedupe by {target_keys} keep latest COLUMN\n")
            } else {
                format!(
                    "    {to} has one row per {}: link on that, or on more columns that tell these rows \
                     apart\n",
                    grain.join(", ")
                )
            });
            out
        }
        Problem::InvertedPeriods(problem) => periods::inverted(problem),
        Problem::SeveralPeriods(problem) => periods::several_hold(problem),
        Problem::Units(problem) => units(problem),
        Problem::CountedApart(problem) => {
            let words = source.get(problem.span.start..problem.span.end);
            apart::problem(problem, words.unwrap_or_default())
        }
        Problem::Expand(problem) => expand::problem(problem),
        Problem::Allocate(problem) => allocate::problem(problem),
        Problem::Row { table, step, reason, span, row, place } => row_problem(
            table,
            step,
            reason,
            source.get(span.start..span.end),
            (row, place.as_ref()),
        ),
        Problem::Group { table, step, aggregate, span: _, group, values } => {
            group_problem(table, step, aggregate, group, values)
        }
        Problem::TotalTaken { table, column, total } => format!(
            "  {table}: a group of `{column}` is called \"{total}\", as the total row would be\n    \
             give the total another name:  total row \"\u{2026}\"\n"
        ),
        Problem::StackedTwice { table, twice } => stacked_twice(table, twice),
        Problem::MeetingRepeats { table, of, columns, examples, rows } => {
            meeting(table, of, columns, examples, *rows)
        }
        Problem::WideOutput(problem) => wide(problem),
        Problem::Chart(problem) => chart(problem),
        Problem::TooManyRows { table } => {
            format!("  {table}: more than 4,294,967,295 rows are more than one table can have\n")
        }
    }
}

/// Values that cannot become columns.
fn wide(problem: &WideOutput) -> String {
    let WideOutput { table, path, column, what, count: number, examples } = problem;
    let head = format!("  {table}: \"{path}\" cannot have a column for each `{column}`\n    ");
    let examples = examples.join(", ");
    let why = match what {
        WideTrouble::Blank => format!(
            "{} blank there\n    leave them out before:  keep {column} is not blank\n",
            counted(*number, "row is", "rows are")
        ),
        WideTrouble::Many => format!(
            "it has {} different values, and a table of more than 1,000 such columns is read by nobody\n    \
             group before:  one row per \u{2026}, month({column}) as month\n",
            count(*number)
        ),
        WideTrouble::Several(other) => format!(
            "`{other}` has several values in one row: {examples}\n    leave it out before, or make it a part \
             of what one row is\n"
        ),
        WideTrouble::Twice => format!("two rows would come into one cell, of {examples}\n"),
        WideTrouble::Taken => format!(
            "a column is called as a value already: {examples}\n    give it another name before:  rename\n"
        ),
    };
    head + &why
}

/// Rows that cannot be drawn.
fn chart(problem: &ChartProblem) -> String {
    let ChartProblem { table, title, x, by, what } = problem;
    let head = format!("  {table}: the chart \"{title}\" cannot be drawn\n    ");
    let why = match what {
        ChartTrouble::Repeats { rows, examples, apart } => {
            let (places, gather) = match by {
                None => (format!("`{x}`"), plan_name(x)),
                Some(by) => {
                    (format!("`{x}` and `{by}`"), format!("{}, {}", plan_name(x), plan_name(by)))
                }
            };
            let example =
                |(place, rows): &(String, u64)| format!("{place} on {} rows", count(*rows));
            let examples: Vec<String> = examples.iter().map(example).collect();
            let rows = counted(*rows, "row has", "rows have");
            let mut out = format!("{rows} the {places} of a row before: {}\n", examples.join(", "));
            out.push_str(&format!("    gather them before:  one row per {gather}\n"));
            for column in apart {
                let column = plan_name(column);
                out.push_str(&format!("    or draw it for each {column}:  by {column}\n"));
            }
            out
        }
        ChartTrouble::Places { count: places, most, days } => {
            let fewer = if *days {
                format!("group before:  one row per month({}) as month", plan_name(x))
            } else {
                format!("draw fewer of them: keep those that are meant, or  top {most} by \u{2026}")
            };
            format!(
                "`{x}` has {} places, and more than {} side by side nobody tells apart\n    {fewer}\n",
                count(*places),
                count(*most)
            )
        }
        ChartTrouble::Panels { count: panels, most } => {
            let by = by.as_deref().unwrap_or_default();
            format!(
                "`{by}` has {} values, and one page shows {most} panels\n    keep the values that are looked at, \
                 or group by something coarser\n",
                count(*panels)
            )
        }
    };
    head + &why
}

/// Rows that stand in a stack twice.
fn stacked_twice(table: &str, twice: &StackedTwice) -> String {
    let amounts = sums(&twice.amounts);
    let amounts =
        if amounts.is_empty() { String::new() } else { format!(", with {amounts} once more") };
    format!(
        "  {table}: {} of {} {} in it twice{amounts}\n    {} brings them again. Stack tables \
         that have no row in common, or say why they are meant twice:\n    allow \
         repeated-rows \"\u{2026}\"  behind the tables\n",
        counted(twice.rows, "row", "rows"),
        twice.of,
        if twice.rows == 1 { "stands" } else { "stand" },
        twice.part
    )
}

/// A grain that does not hold; `repeated` are keys and their rows.
fn grain(
    table: &str,
    columns: &[String],
    (repeated, repeated_rows): (u64, u64),
    blank: u64,
    examples: &[RepeatedKey],
    blank_places: &[Place],
) -> String {
    let columns = columns.join(", ");
    let mut out = format!("  {table}: the grain {columns} does not hold\n");
    if repeated > 0 {
        out.push_str(&format!(
            "    {} on {}\n",
            counted(repeated, "key stands", "keys stand"),
            counted(repeated_rows, "row", "rows")
        ));
        keys(&mut out, examples);
        more(&mut out, repeated, examples.len());
        out.push_str(&format!(
            "    if they are copies or versions, say which stays:  dedupe  or  dedupe by \
             {columns} keep latest COLUMN\n"
        ));
    }
    if blank > 0 {
        out.push_str(&format!(
            "    {} a blank in it{}\n",
            counted(blank, "row has", "rows have"),
            at(blank_places)
        ));
        out.push_str("    take them out, with  drop COLUMN is blank\n");
    }
    out
}

/// A row that cannot be worked; `words` are those of the plan that it was worked by.
fn row_problem(
    table: &str,
    step: &str,
    reason: &RowReason,
    words: Option<&str>,
    (row, place): (&str, Option<&Place>),
) -> String {
    let reason = match reason {
        RowReason::Overflow => "a result has more digits than its type can hold".to_owned(),
        RowReason::Limit { what } => format!("this would be {what}"),
        RowReason::Conversion { value, to } => {
            format!("\"{}\" is no {to}", short(value))
        }
    };
    let mut out = format!("  {table}: {reason}\n");
    let words = words.unwrap_or("").trim();
    let words: Vec<&str> = words.split_whitespace().collect();
    if !words.is_empty() {
        out.push_str(&format!("    in  {}\n", words.join(" ")));
    }
    let whole: Vec<&str> = step.split_whitespace().collect();
    if whole != words && !whole.is_empty() {
        out.push_str(&format!("    of  {}\n", whole.join(" ")));
    }
    let place = place.map(|place| format!("({place})"));
    let row = [Some(row.to_owned()).filter(|row| !row.is_empty()), place];
    let row: Vec<String> = row.into_iter().flatten().collect();
    if !row.is_empty() {
        out.push_str(&format!("    at  {}\n", row.join("   ")));
    }
    out
}

/// Rows that share a key where each stands beside others.
fn meeting(
    table: &str,
    of: &str,
    columns: &[String],
    examples: &[RepeatedKey],
    rows: u64,
) -> String {
    let mut out = format!(
        "  {table}: {} of {of} share a key, so not all of them can be laid beside others\n",
        counted(rows, "row", "rows")
    );
    keys(&mut out, examples);
    let blank: Vec<String> =
        columns.iter().map(|name| format!("{} is blank", plan_name(name))).collect();
    out.push_str(&format!(
        "    rows with a blank key stay beside a `dedupe by`; take them out in {of}:  drop {}\n    \
         or make one row of them:  one row per {}\n",
        blank.join(" or "),
        columns.iter().map(|name| plan_name(name)).collect::<Vec<_>>().join(", ")
    ));
    out
}

/// A group that has no value.
fn group_problem(
    table: &str,
    step: &str,
    aggregate: &str,
    group: &str,
    values: &[String],
) -> String {
    let reason = match (values.is_empty(), group.is_empty()) {
        (true, _) => "a sum has more digits than its type can hold",
        (false, false) => "a group has several values where one was meant",
        (false, true) => "its rows have several values where one was meant",
    };
    let key = if group.is_empty() { "" } else { " ; or make it a key" };
    let mut out = format!("  {table}: {reason}\n    in  {aggregate}\n    of  {step}\n");
    if !group.is_empty() {
        out.push_str(&format!("    at  {group}\n"));
    }
    if !values.is_empty() {
        out.push_str(&format!(
            "    values are {}\n    say which is meant:  latest(\u{2026} by \u{2026}) , \
             min(\u{2026}) , list(\u{2026}){key}\n",
            values.join(", ")
        ));
    }
    out
}

fn units(problem: &UnitsProblem) -> String {
    let UnitsProblem { table, of, troubles, most, policy } = problem;
    let mut out = format!("  {table}: not every row can be counted in units of {of}\n");
    for trouble in troubles {
        let what = match trouble.what {
            "zero" => "a quantity of zero",
            "negative" => "a negative quantity",
            "blank" => "a blank quantity",
            "fraction" => "a fraction of a unit",
            "many" => &format!("a quantity above {}", count(most.unsigned_abs())),
            "fine" => "an amount with more places than its parts are to have",
            _ => "an amount with too many digits to be split",
        };
        let amounts = sums(&trouble.amounts);
        let amounts = if amounts.is_empty() { String::new() } else { format!(" ({amounts})") };
        out.push_str(&format!(
            "    {} {what}{amounts}\n",
            counted(trouble.rows, "row has", "rows have")
        ));
        for (quantity, place) in &trouble.examples {
            let place = place.as_ref().map_or(String::new(), |place| format!("   ({place})"));
            out.push_str(&format!("      {}{place}\n", short(quantity)));
        }
        more_indented(&mut out, trouble.rows, trouble.examples.len(), "      ");
    }
    out.push_str(&units_help(of, troubles, *most, policy));
    out
}

/// What the step can say of such quantities, and the step that takes out every row that it cannot count,
/// and no other.
fn units_help(of: &str, troubles: &[UnitsTrouble], most: i64, policy: &UnitsPolicy) -> String {
    use OddQuantity::{Blank, Fraction, Negative, Zero};
    let has = |kind: &str| troubles.iter().any(|trouble| trouble.what == kind);
    if has("fine") {
        return "    round the amount before, or give its parts more places:  split COLUMN to N places\n"
            .into();
    }
    let taken_out = units_taken_out(of, troubles, most, policy.keeping.contains(&Negative));
    if has("many") || has("large") {
        return taken_out;
    }
    // The end of the step, with all that it says already.
    let said = UnitsPolicy {
        dropping: [Zero, Negative, Blank]
            .into_iter()
            .filter(|odd| policy.dropping.contains(odd) || has(odd.word()))
            .collect(),
        keeping: [Negative, Fraction]
            .into_iter()
            .filter(|odd| policy.keeping.contains(odd) || *odd == Fraction && has(odd.word()))
            .collect(),
        most: policy.most,
    };
    format!("{taken_out}    or say what becomes of them, at the end of the step: {said}\n")
}

fn units_taken_out(of: &str, troubles: &[UnitsTrouble], most: i64, keeps_negative: bool) -> String {
    let any = |kinds: &[&str]| troubles.iter().any(|trouble| kinds.contains(&trouble.what));
    let mut conditions = vec![];
    if any(&["zero", "negative", "blank"]) {
        // Negative rows that stay as they are must not go with the others.
        conditions.push(format!("{of} {} 0", if keeps_negative { "!=" } else { ">" }));
    }
    if any(&["many"]) {
        conditions.push(format!("{of} <= {most}"));
    }
    if any(&["fraction"]) {
        conditions.push(format!("{of} = floor({of})"));
    }
    if conditions.is_empty() {
        return "    take them out before the step, or leave the amount out of its  split\n".into();
    }
    format!("    take them out before the step:  keep {}\n", conditions.join(" and "))
}

fn keys(out: &mut String, examples: &[RepeatedKey]) {
    for example in examples {
        out.push_str(&format!(
            "      {} on {}{}\n",
            example.key,
            counted(example.rows, "row", "rows"),
            at(&example.places)
        ));
    }
}

fn at(places: &[Place]) -> String {
    if places.is_empty() {
        return String::new();
    }
    let places: Vec<String> = places.iter().map(ToString::to_string).collect();
    format!("   ({})", places.join(", "))
}
