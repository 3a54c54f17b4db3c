//! The amount bridge: from where an amount began to an output's total, one signed list that adds up.

use granum_core::table::Amount;
use granum_core::tally::{Bridge, BridgeEntry, BridgeKind};

use super::columns::{Side, set};
use super::{count, counted, dim, folded, heading, shortened, width_of};

/// Entries are shown up to so many; of more, those that changed most.
const SHOWN: usize = 8;

/// What an entry is called has so many letters, even where amounts are left for below.
const LABEL: usize = 44;

/// The bridges of all outputs; with all their entries, or those that changed most.
pub(super) fn bridges(bridges: &[Bridge], all: bool, width: usize) -> String {
    let mut out = String::new();
    for of_output in bridges.chunk_by(|a, b| a.output == b.output) {
        out.push_str(&format!("{}\n\n", heading(&format!("bridge to {}", of_output[0].output))));
        // Amounts that went the same way stand beside each other.
        let mut ways: Vec<Vec<&Bridge>> = vec![];
        // What nothing changed is said in a line.
        let (unchanged, changed): (Vec<&Bridge>, Vec<&Bridge>) =
            of_output.iter().partition(|bridge| bridge.entries.len() == 1);
        if !unchanged.is_empty() {
            let amounts = unchanged.iter().map(|bridge| {
                let total = bridge.total.map_or(String::new(), |total| total.to_string());
                format!("{} {total}", bridge.amount)
            });
            let text = format!("as it was read: {}", amounts.collect::<Vec<_>>().join(", "));
            out.push_str(&format!("{}\n", folded(&text, "  ", width)));
        }
        for bridge in changed {
            match ways.iter_mut().find(|way| same_way(way[0], bridge)) {
                Some(way) => way.push(bridge),
                None => ways.push(vec![bridge]),
            }
        }
        for way in ways {
            way_of(&way, all, width, &mut out);
        }
    }
    out
}

/// Whether two amounts begin alike, end alike, and what changed one stands where it changed the other.
fn same_way(one: &Bridge, other: &Bridge) -> bool {
    let place =
        |entry: &BridgeEntry| (entry.kind, entry.table.clone(), entry.text.clone(), entry.rows);
    one.total.is_some() == other.total.is_some()
        && one.entries.iter().map(place).eq(other.entries.iter().map(place))
}

/// Amounts that went one way, as many beside each other as fit.
fn way_of(way: &[&Bridge], all: bool, width: usize, out: &mut String) {
    let mut from = 0;
    while from < way.len() {
        let mut to = way.len();
        let widest = |to: usize, label: usize| {
            let lines = block(&way[from..to], all, label);
            lines.iter().map(|line| width_of(line) + 2).max().unwrap_or(0)
        };
        while widest(to, LABEL) > width && to > from + 1 {
            to -= 1;
        }
        let label = LABEL + width.saturating_sub(widest(to, LABEL));
        for (at, line) in block(&way[from..to], all, label).iter().enumerate() {
            out.push_str(&format!("  {}\n", if at == 0 { dim(line) } else { line.clone() }));
        }
        out.push('\n');
        from = to;
    }
}

fn block(way: &[&Bridge], all: bool, label: usize) -> Vec<String> {
    let mut header = vec![String::new(), "rows".to_owned()];
    header.extend(way.iter().map(|bridge| bridge.amount.clone()));
    let mut rows = vec![header];
    let entries = way[0].entries.len();
    let shown = if all { (0..entries).collect() } else { largest(way[0]) };
    let mut folded: Vec<usize> = vec![];
    for at in 0..entries {
        if !shown.contains(&at) {
            folded.push(at);
            continue;
        }
        let first = &way[0].entries[at];
        let mut row = vec![shortened(&words(first), label), signed(first.rows, at == 0)];
        row.extend(way.iter().map(|bridge| change(bridge.entries[at].amount, at == 0)));
        rows.push(row);
    }
    if !folded.is_empty() {
        let more = counted(folded.len() as u64, "smaller entry", "smaller entries");
        let changed = folded.iter().map(|at| way[0].entries[*at].rows).sum();
        let mut row = vec![format!("{more} (all: --bridge)"), signed(changed, false)];
        row.extend(way.iter().map(|bridge| {
            let amounts = folded.iter().map(|at| bridge.entries[*at].amount);
            amounts.reduce(Amount::plus).map_or(String::new(), |sum| change(sum, false))
        }));
        rows.push(row);
    }
    if way[0].total.is_some() {
        let mut row = vec![shortened(&format!("in {}", way[0].output), label), count(way[0].rows)];
        row.extend(
            way.iter().map(|bridge| bridge.total.map_or(String::new(), |all| all.to_string())),
        );
        rows.push(row);
    }
    let sides: Vec<Side> =
        std::iter::once(Side::Left).chain((0..=way.len()).map(|_| Side::Right)).collect();
    set(&sides, &rows)
}

/// Where it began, and the entries that changed most; all if there are few.
fn largest(bridge: &Bridge) -> Vec<usize> {
    let mut places: Vec<usize> = (0..bridge.entries.len()).collect();
    if places.len() <= SHOWN {
        return places;
    }
    // What says where the amount stands, or ends, is told in any case.
    let stays = |at: usize| {
        matches!(
            bridge.entries[at].kind,
            BridgeKind::Begins
                | BridgeKind::Made
                | BridgeKind::Summed
                | BridgeKind::Allocated
                | BridgeKind::Ends
        )
    };
    places.sort_by(|a, b| {
        let size = |at: usize| bridge.entries[at].amount.as_float().abs();
        stays(*b).cmp(&stays(*a)).then(size(*b).total_cmp(&size(*a))).then(a.cmp(b))
    });
    places.truncate(SHOWN - 1);
    places
}

pub(super) fn signed(rows: i64, first: bool) -> String {
    match rows {
        rows if first => count(rows.unsigned_abs()),
        0 => String::new(),
        ..0 => format!("\u{2212}{}", count(rows.unsigned_abs())),
        _ => format!("+{}", count(rows.unsigned_abs())),
    }
}

pub(super) fn change(amount: Amount, first: bool) -> String {
    let sign = if first || amount.is_zero() || amount.is_negative() { "" } else { "+" };
    format!("{sign}{amount}")
}

pub(super) fn words(entry: &BridgeEntry) -> String {
    let BridgeEntry { kind, table, text, .. } = entry;
    match kind {
        BridgeKind::Begins if text.is_empty() => format!("{table} as it begins"),
        BridgeKind::Begins => format!("{table}: {text}, all there is"),
        BridgeKind::Made | BridgeKind::Step | BridgeKind::Allocated => format!("{table}: {text}"),
        BridgeKind::Part => format!("rows of {table}"),
        BridgeKind::Twice => format!("rows of {table} that come twice"),
        BridgeKind::Nowhere => format!("rows of {table} that lead nowhere"),
        BridgeKind::Where => format!("left out by where: {text}"),
        BridgeKind::Met => format!("{table}: one row for each key"),
        BridgeKind::NotThere => format!("rows of {text} that {table} does not have"),
        BridgeKind::Summed => format!("{table}: {text}"),
        BridgeKind::NotAllocated => match text.as_str() {
            "no-row" => format!("not allocated: no row of {table} leads there"),
            "zero-weights" => "not allocated: all weights are zero".to_owned(),
            _ => "not allocated: the key is blank".to_owned(),
        },
        BridgeKind::Ends => format!("{table}: {text}: it ends here"),
    }
}
