//! Links on a page: shares as bars, month by month where rows have days.

use granum_core::tally::{Along, LinkMonths, LinkTally, MonthMet, Report, share_text};
use granum_report::page::{BarTold, LinkTold, MonthsTold, RowsTold};

use super::super::links::{amount_share, spread};
use super::super::{count, periods};
use super::{UNFOLDED, plain};

pub(super) fn links(report: &Report, months: &[LinkMonths]) -> Vec<LinkTold> {
    report.links.iter().map(|link| told(link, months)).collect()
}

fn told(link: &LinkTally, months: &[LinkMonths]) -> LinkTold {
    let rows = share_text(link.matched.into(), link.counted().into());
    let mut shares = vec![("of rows".to_owned(), rows.clone(), bar(&rows))];
    for amount in &link.amounts {
        let share = amount_share(amount);
        shares.push((plain(&format!("of {}", amount.name)), share.clone(), bar(&share)));
    }
    let months = months.iter().find(|of| of.from == link.from && of.name == link.name);
    let more =
        link.period.as_ref().map(|period| periods::told(period, &link.from, &link.to, UNFOLDED));
    LinkTold {
        from: plain(&link.from),
        name: plain(&link.name),
        keys: plain(&link.keys),
        counts: [link.rows, link.missing, link.blank].map(count),
        shares,
        required: plain(&link.required),
        state: match (link.required.is_empty(), link.held) {
            (true, _) => "",
            (false, true) => "held",
            (false, false) => "stopped",
        },
        reach: plain(&format!(
            "rows that lead to one of {to}: {} \u{b7} {} of {} {to} never reached",
            spread(link),
            count(link.unreached),
            count(link.target_rows),
            to = link.to,
        )),
        more: plain(&more.unwrap_or_default())
            .lines()
            .map(str::trim)
            .collect::<Vec<_>>()
            .join("\n"),
        months: months.map(by_month),
    }
}

/// How long the bar of a share is.
fn bar(share: &str) -> BarTold {
    let percent = share.strip_suffix('%').and_then(|share| share.parse::<f64>().ok());
    BarTold { from: 0, length: (percent.unwrap_or(0.0) * 10.0) as u32 }
}

fn by_month(of: &LinkMonths) -> MonthsTold {
    let along = Along::Months(of.first);
    let share = |met: &MonthMet| share_text(met.matched.into(), met.rows.into());
    let row = |name: String, met: &MonthMet| {
        let numbers = [count(met.rows), count(met.matched), count(met.rows - met.matched)];
        let share = (met.rows > 0).then(|| share(met));
        std::iter::once(Some(name)).chain(numbers.map(Some)).chain([share]).collect::<Vec<_>>()
    };
    let months = || of.months.iter().enumerate();
    let mut rows: Vec<_> = months().map(|(at, met)| row(along.name(at), met)).collect();
    if of.without.rows > 0 {
        rows.push(row("without a day".into(), &of.without));
    }
    let parts = |met: &MonthMet| u128::from(met.matched) * 1_000_000 / u128::from(met.rows.max(1));
    let least =
        months().filter(|(_, met)| met.matched < met.rows).min_by_key(|(_, met)| parts(met));
    MonthsTold {
        by: plain(&of.by),
        least: least
            .map_or(String::new(), |(at, met)| format!("{}, {}", along.name(at), share(met))),
        rows: RowsTold {
            heads: [
                ("month", false),
                ("rows", true),
                ("matched", true),
                ("not", true),
                ("share", true),
            ]
            .map(|(head, number)| (head.to_owned(), number))
            .to_vec(),
            rows,
        },
        bars: of
            .months
            .iter()
            .map(|met| (met.rows > 0).then(|| (met.matched * 1_000 / met.rows) as u32))
            .collect(),
    }
}
