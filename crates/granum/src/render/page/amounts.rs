//! What became of amounts, as steps that are drawn beside each other.

use granum_core::table::Amount;
use granum_core::tally::Bridge;
use granum_report::page::{BarTold, BridgeTold, Step};

use super::super::bridge::{change, signed, words};
use super::super::count;
use super::plain;

/// So many bridges have their place on a page.
const BRIDGES: usize = 60;

/// What is drawn is never shorter than this: what is small is there all the same.
const LEAST: u32 = 3;

/// The bridges that something changed; of more than a page shows, the rest is named.
pub(super) fn bridges(bridges: &[Bridge], left_out: &mut Vec<String>) -> Vec<BridgeTold> {
    let changed = || bridges.iter().filter(|bridge| bridge.entries.len() > 1);
    let more = changed().count().saturating_sub(BRIDGES);
    if more > 0 {
        left_out.push(format!(
            "Of {} bridges of amounts the first {BRIDGES} are here; all are printed by granum check --bridge.",
            count(changed().count() as u64)
        ));
    }
    changed().take(BRIDGES).map(told).collect()
}

/// Amounts that nothing changed, a line for each output.
pub(super) fn unchanged(bridges: &[Bridge]) -> Vec<String> {
    let mut lines = vec![];
    for of_output in bridges.chunk_by(|a, b| a.output == b.output) {
        let amounts = of_output.iter().filter(|bridge| bridge.entries.len() == 1);
        let amounts: Vec<String> = amounts
            .map(|bridge| {
                let total = bridge.total.map_or(String::new(), |total| total.to_string());
                format!("{} {total}", bridge.amount)
            })
            .collect();
        if !amounts.is_empty() {
            let output = &of_output[0].output;
            lines.push(plain(&format!("In {output} as it was read: {}.", amounts.join(", "))));
        }
    }
    lines
}

/// An amount before a step, what it becomes, and what is written of it.
struct Stand {
    name: String,
    rows: String,
    amount: String,
    before: f64,
    after: Amount,
    all: bool,
}

fn told(bridge: &Bridge) -> BridgeTold {
    let mut stands: Vec<Stand> = vec![];
    for (at, entry) in bridge.entries.iter().enumerate() {
        let before = stands.last().map(|stand| stand.after);
        stands.push(Stand {
            name: words(entry),
            rows: signed(entry.rows, at == 0),
            amount: change(entry.amount, at == 0),
            before: before.map_or(0.0, Amount::as_float),
            after: before.map_or(entry.amount, |before| before.plus(entry.amount)),
            all: at == 0,
        });
    }
    if let Some(total) = bridge.total {
        stands.push(Stand {
            name: format!("in {}", bridge.output),
            rows: count(bridge.rows),
            amount: total.to_string(),
            before: 0.0,
            after: total,
            all: true,
        });
    }
    let ends = stands.iter().flat_map(|stand| [stand.before, stand.after.as_float()]);
    let (least, most) = ends.fold((0.0_f64, 0.0_f64), |(a, b), end| (a.min(end), b.max(end)));
    let at = |amount: f64| match most - least {
        span if span > 0.0 => ((amount - least) / span * 1_000.0).round() as u32,
        _ => 0,
    };
    let step = |stand: &Stand| {
        let after = stand.after.as_float();
        let (from, to) = (at(stand.before.min(after)), at(stand.before.max(after)));
        let kind = match (stand.all, after < stand.before) {
            (true, _) => "all",
            (false, true) => "less",
            (false, false) => "more",
        };
        let length = match to - from {
            0 if after == stand.before => 0,
            length => length.max(LEAST),
        };
        Step {
            name: plain(&stand.name),
            rows: stand.rows.clone(),
            amount: stand.amount.clone(),
            stands: stand.after.to_string(),
            kind,
            bar: BarTold { from: from.min(1_000 - length), length },
        }
    };
    BridgeTold {
        output: plain(&bridge.output),
        amount: plain(&bridge.amount),
        steps: stands.iter().map(step).collect(),
    }
}
