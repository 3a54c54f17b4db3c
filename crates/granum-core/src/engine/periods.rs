//! Links by a period: built from a plan, and what they tell.

use super::context::Context;
use super::ends::{Followed, tracked, values};
use crate::link::{
    EXAMPLES, Ends, Inverted, Keys, Linked, Moments, Order, Outside, Periods, Within,
};
use crate::resolve::{LinkPlan, PeriodEnd, PeriodPlan};
use crate::step::Naming;
use crate::table::{Batch, Column};
use crate::tally::{
    InvertedPeriod, InvertedPeriods, OutsideTally, PeriodTally, Problem, SeveralPeriods,
};

/// Ranges of days on which several hold are named in a message up to so many.
const NAMED: usize = 5;

/// Leads rows by their moments: those of the source with their equal keys and behind them their moments, those of the
/// target with their equal keys.
///
/// # Errors
/// As [`linked`](super::links::linked).
pub(super) fn by_period(
    context: &Context<'_>,
    link: &LinkPlan,
    period: &PeriodPlan,
    left: Keys,
    (right, to): (Vec<Column>, &Batch),
) -> Result<Linked, Problem> {
    let moments = |typed| {
        let found = values(context, link, link.to, to, &[typed]);
        found.map(|mut found| Moments::new(found.remove(0)))
    };
    let starts = moments(&period.starts)?;
    let end = period.end.said().map(moments).transpose()?;
    let ends = match (&period.end, end) {
        (PeriodEnd::Through(_), Some(end)) => Ends::Through(end),
        (PeriodEnd::Until(_), Some(end)) => Ends::Until(end),
        _ => Ends::Onward,
    };
    let prefer = (!period.prefer.is_empty()).then(|| Order {
        by: period.prefer.iter().map(|(by, column)| (*by, to.column(*column).whole())).collect(),
        grain: grain(context, link, to),
    });
    let (starts_said, ends_said) = (starts.clone(), ends.clone());
    let periods = Periods { starts, ends, prefer };
    Linked::by_period(left, right, periods).map_err(|Inverted(rows)| {
        let naming = Naming::finished(context.plan, link.to);
        let words = |moment: Option<i64>| {
            moment.and_then(|moment| starts_said.words(moment)).unwrap_or_default()
        };
        let example = |row: &u32| InvertedPeriod {
            from: words(starts_said.get(*row as usize)),
            to: words(ends_said.get(*row as usize)),
            place: naming.place(context, to, *row as usize),
        };
        Problem::InvertedPeriods(InvertedPeriods {
            to: context.plan.tables[link.to.0].name.clone(),
            from: context.plan.tables[link.from.0].name.clone(),
            keys: link.keys_text.clone(),
            bounds: link.words.period.as_ref().map_or_else(Default::default, |words| {
                (words.starts.clone(), words.ends.clone().unwrap_or_default())
            }),
            rows: rows.len() as u64,
            examples: rows.iter().take(EXAMPLES).map(example).collect(),
        })
    })
}

/// The columns that say what one row of a link's target is.
fn grain(context: &Context<'_>, link: &LinkPlan, to: &Batch) -> Vec<Column> {
    let columns = context.plan.tables[link.to.0].grain_columns();
    columns.into_iter().map(|at| to.column(at).whole()).collect()
}

/// What a row of a link's target is called: by its grain, else by its period.
fn named<'a>(
    context: &Context<'_>,
    link: &LinkPlan,
    within: &'a Within,
) -> impl Fn(u32) -> String + use<'a> {
    let to = context.world.tables[link.to.0].as_ref();
    let rows = to.map(|to| crate::step::finished_rows(to, link.to));
    let grain = rows.map_or_else(Vec::new, |rows| grain(context, link, &rows));
    move |row: u32| {
        if grain.is_empty() {
            return within.period_words(row as usize);
        }
        let values = grain.iter().map(|column| column.scalar(row as usize).to_string());
        values.collect::<Vec<_>>().join("/")
    }
}

/// Why a look-up would have multiplied rows: several periods hold for one of them, and nothing says
/// which is preferred.
pub(super) fn several(context: &Context<'_>, link: &LinkPlan, linked: &Linked) -> Option<Problem> {
    let within = linked.within.as_ref().filter(|within| !within.prefers())?;
    let chosen = within.chosen();
    if chosen.several == 0 {
        return None;
    }
    let (mut overlaps, _) = within.overlaps(&named(context, link, within));
    overlaps.retain(|overlap| overlap.range.rows > 0);
    let ranges = within.overlaps_met();
    overlaps.sort_by_key(|overlap| std::cmp::Reverse(overlap.range.rows));
    overlaps.truncate(NAMED);
    Some(Problem::SeveralPeriods(SeveralPeriods {
        from: context.plan.tables[link.from.0].name.clone(),
        to: context.plan.tables[link.to.0].name.clone(),
        keys: link.keys_text.clone(),
        source_rows: chosen.several,
        would_be: chosen.pairs,
        ranges,
        overlaps,
        could_prefer: link
            .period
            .as_ref()
            .and_then(|period| period.could_prefer.clone())
            .filter(|_| linked.latest_start_decides()),
    }))
}

/// What a link by a period tells beyond how complete it is.
pub(super) fn period_tally(context: &Context<'_>, link: &LinkPlan, within: &Within) -> PeriodTally {
    let rows = within.counts();
    let mut outside: [OutsideTally; 4] = rows.map(|rows| OutsideTally { rows, amounts: vec![] });
    if rows.iter().any(|rows| *rows > 0) {
        for Followed { name, column, values } in tracked(context, link.from) {
            for (outside, amount) in outside.iter_mut().zip(within.amounts(&values)) {
                // Of what counts apart, what is there.
                if name == column || !amount.net.is_zero() {
                    outside.amounts.push((name.clone(), amount.net));
                }
            }
        }
    }
    let of = |why: Outside| outside[why as usize].clone();
    let chosen = within.chosen();
    let (first, last) = within.span();
    let (gaps, gap_ranges) = within.gaps();
    let (overlaps, overlap_ranges) = within.overlaps(&named(context, link, within));
    PeriodTally {
        no_key: of(Outside::Key),
        before: of(Outside::Before),
        gap: of(Outside::Gap),
        after: of(Outside::After),
        first,
        last,
        gaps,
        gap_ranges,
        overlaps,
        overlap_ranges,
        several: chosen.several,
        pairs: chosen.pairs,
        tied: chosen.tied,
        prefers: within.prefers(),
        never: within.never(),
    }
}
