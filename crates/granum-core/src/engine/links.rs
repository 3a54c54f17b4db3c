//! Builds links between finished tables, and their tallies.

use super::context::Context;
use super::ends::{Followed, keys, tracked, values};
use super::periods::{by_period, period_tally, several};
use crate::expr::{Kind, Typed};
use crate::link::{Counts, EXAMPLES, Linked, Method};
use crate::resolve::{LinkPlan, Required};
use crate::step::{Naming, finished_rows};
use crate::table::{Amount, Batch, Bits, Held, LinkId, Rows};
use crate::tally::{LinkAmount, LinkTally, Problem, RepeatedKey, TakenOut};

/// A link that is built.
pub(super) struct Built {
    /// For each row of the source the one that it leads to.
    pub index: Rows,
    /// How many rows held for each, where that is asked for.
    pub choices: Option<Held>,
    pub tally: LinkTally,
    /// Which rows are left out of the share, where that is looked at by month.
    pub left_out: Option<Vec<bool>>,
}

/// What steps took out of a link's target, by its keys.
#[derive(Default)]
pub(super) struct KeysTakenOut {
    pub told: Vec<TakenOut>,
    /// The rows of the source that have such a key, if there are any.
    pub rows: Option<Bits>,
}

/// Builds a link. A target that repeats a key stops it, as do several periods that hold at once. Where it is not as complete
/// as asked, `taken_out` looks at what steps took out of the target.
pub(super) fn build(
    context: &Context<'_>,
    id: LinkId,
    taken_out: impl Fn(&LinkPlan, &Linked) -> KeysTakenOut,
) -> Result<Option<Built>, Problem> {
    let link = &context.plan.links[id.0];
    let Some(linked) = linked(context, link)? else { return Ok(None) };
    if !linked.repeats.is_empty() {
        return Err(repeated(context, link, &linked));
    }
    if let Some(problem) = several(context, link, &linked) {
        return Err(problem);
    }
    let mut tally = tally(context, link, &linked);
    if !tally.held {
        let known = taken_out(link, &linked);
        (tally.near, tally.unlike) = match &known.rows {
            Some(rows) => linked.near_beside(rows, &link.words),
            None => linked.near(&link.words),
        };
        tally.taken_out = known.told;
    }
    let asked = link.period.as_ref().is_some_and(|period| period.choices);
    let choices = linked.within.as_ref().filter(|_| asked).map(|within| {
        let file = linked.left.file_for_led(linked.left.rows());
        within.choices(file.as_ref())
    });
    let left_out = (link.blank_allowed && context.demand.by_month)
        .then(|| (0..linked.left.rows()).map(|row| !linked.left.has_key(row)).collect());
    Ok(Some(Built { index: linked.index, choices, tally, left_out }))
}

/// Why a look-up would have multiplied rows.
fn repeated(context: &Context<'_>, link: &LinkPlan, linked: &Linked) -> Problem {
    // A join would have made one row for each pair; most rows meet no repeated key.
    let (source_rows, would_be) = linked.repeats.pairs(&linked.index);
    let target = &context.plan.tables[link.to.0];
    let target_keys: Vec<&str> = link.words.keys.iter().map(|(_, right)| right.as_str()).collect();
    Problem::RepeatedKeys {
        from: context.plan.tables[link.from.0].name.clone(),
        to: target.name.clone(),
        keys: link.keys_text.clone(),
        target_keys: target_keys.join(", "),
        grain: target.grain.as_ref().map_or(vec![], |grain| grain.columns.clone()),
        repeated: linked.repeats.keys(),
        source_rows,
        would_be,
        examples: repeated_keys(context, link, linked),
    }
}

/// The rows of a link's source and where they lead; nothing where an end of it is not there.
///
/// # Errors
/// A row whose key cannot be worked, and periods that end before they start.
pub(super) fn linked(context: &Context<'_>, link: &LinkPlan) -> Result<Option<Linked>, Problem> {
    let Some(from) = &context.world.tables[link.from.0] else { return Ok(None) };
    linked_rows(context, link, &finished_rows(from, link.from))
}

/// The same of some rows of the source.
///
/// # Errors
/// As [`linked`].
pub(super) fn linked_rows(
    context: &Context<'_>,
    link: &LinkPlan,
    from: &Batch,
) -> Result<Option<Linked>, Problem> {
    let Some(to) = &context.world.tables[link.to.0] else { return Ok(None) };
    let to = finished_rows(to, link.to);
    let (left, right): (Vec<&Typed>, Vec<&Typed>) = link.keys.iter().map(|(a, b)| (a, b)).unzip();
    if let Some(period) = &link.period {
        let left = [left, vec![&period.when]].concat();
        let left = keys(context, link, link.from, from, &left)?;
        let right = values(context, link, link.to, &to, &right)?;
        return by_period(context, link, period, left, (right, &to)).map(Some);
    }
    let left = keys(context, link, link.from, from, &left)?;
    let right = keys(context, link, link.to, &to, &right)?;
    let method = Method::Equal { unique: keys_are_grain(context, link) };
    Ok(Some(Linked::new(left, right, method)))
}

/// The first keys that stand on several rows of a link's target, with the places of those.
pub(super) fn repeated_keys(
    context: &Context<'_>,
    link: &LinkPlan,
    linked: &Linked,
) -> Vec<RepeatedKey> {
    let naming = Naming::finished(context.plan, link.to);
    let Some(to) = &context.world.tables[link.to.0] else { return vec![] };
    let rows = finished_rows(to, link.to);
    let place = |row: &u32| naming.place(context, &rows, *row as usize);
    let repeated = linked.repeats.examples(&linked.right).into_iter().map(|(key, rows)| {
        let places = rows.iter().take(EXAMPLES).filter_map(place).collect();
        RepeatedKey { key, rows: rows.len() as u64, places }
    });
    repeated.collect()
}

/// Whether the keys on the target's side are its grain, which has been checked: then none repeats.
fn keys_are_grain(context: &Context<'_>, link: &LinkPlan) -> bool {
    let target = &context.plan.tables[link.to.0];
    let Some(grain) = &target.grain else { return false };
    grain.columns.iter().all(|name| {
        link.keys.iter().any(|(_, right)| {
            matches!(right.kind, Kind::Column(column) if target.columns[column.0].0 == *name)
        })
    })
}

fn tally(context: &Context<'_>, link: &LinkPlan, linked: &Linked) -> LinkTally {
    let plan = &context.plan.tables[link.from.0];
    let amounts = || -> Vec<LinkAmount> {
        tracked(context, link.from)
            .into_iter()
            .map(|Followed { name, column, values }| {
                let amounts = linked.amounts(&values);
                // Blank keys count against a link unless they are allowed.
                let missing = if link.blank_allowed {
                    amounts.missing
                } else {
                    amounts.missing.plus(amounts.blank)
                };
                LinkAmount {
                    name,
                    column,
                    matched: amounts.matched.size,
                    missing: missing.size,
                    matched_net: amounts.matched.net,
                    missing_net: missing.net,
                }
            })
            .collect()
    };
    let (amounts, ((unreached, spread), examples)) =
        rayon::join(amounts, || (linked.spread(), linked.missing_keys()));
    let period = linked.within.as_ref().map(|within| period_tally(context, link, within));
    let Counts { rows, matched, missing, blank } = linked.counts();
    let mut tally = LinkTally {
        from: plan.name.clone(),
        to: context.plan.tables[link.to.0].name.clone(),
        name: link.name.clone(),
        keys: link.keys_text.clone(),
        rows,
        matched,
        missing,
        blank,
        blank_allowed: link.blank_allowed,
        amounts,
        unreached,
        target_rows: linked.right.rows() as u64,
        spread,
        examples,
        taken_out: vec![],
        near: vec![],
        unlike: 0,
        period,
        required: String::new(),
        held: true,
    };
    if let Some(required) = &link.required {
        (tally.required, tally.held) = reached(required, &tally);
    }
    tally
}

/// What a link asks in words, and whether it is reached. Exact: no share is rounded first.
fn reached(required: &Required, tally: &LinkTally) -> (String, bool) {
    match required {
        Required::Complete => ("complete".into(), tally.matched == tally.counted()),
        Required::Share { percent, of } => {
            // Of amounts that count apart each must reach it.
            let shares: Vec<(u128, u128)> = match of {
                None => vec![(u128::from(tally.matched), u128::from(tally.counted()))],
                Some((name, _)) => {
                    let own = tally.amounts.iter().filter(|amount| amount.column == *name);
                    let share = |amount: &LinkAmount| {
                        let part = magnitude(amount.matched);
                        (part, part.saturating_add(magnitude(amount.missing)))
                    };
                    own.map(share).collect()
                }
            };
            let scale = 10_u128.pow(percent.scale.into());
            let reaches = |(part, whole): (u128, u128)| match (
                part.checked_mul(100 * scale),
                whole.checked_mul(u128::from(percent.units)),
            ) {
                (Some(part), Some(whole)) => part >= whole,
                _ => part / 100 >= whole / 10_000 * u128::from(percent.units) / scale,
            };
            let held = shares.into_iter().all(reaches);
            let of = of.as_ref().map_or(String::new(), |(name, _)| format!(" of {name}"));
            (format!("at least {percent}{of}"), held)
        }
    }
}

/// An absolute amount as a whole number of its smallest units.
pub(crate) fn magnitude(amount: Amount) -> u128 {
    match amount {
        Amount::Exact { units, .. } => units.unwrap_or(i128::MAX).unsigned_abs(),
        Amount::Float { sum, .. } => (sum.abs() * 1e6) as u128,
    }
}
