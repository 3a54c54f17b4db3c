//! The page that tells all of a run: what a terminal prints, and what only a page has room for.

mod amounts;
mod charts;
mod links;
mod plan;
mod tables;
mod way;

use granum_core::lang::{PlanTree, Severity};
use granum_core::tally::{CheckTally, Seen, TableTally};
use granum_report::page::{CheckTold, Fact, FileTold, Page, RowsTold, SinceTold, Trouble as Told};

use super::sentence::sentence;
use super::verdict::{self, Trouble, troubles, wrote};
use super::view::Report;
use super::{Texts, counted, since, visible};
use crate::record::FileRecord;

/// Lines that a page folds by itself.
pub const UNFOLDED: usize = 1_000;

/// What stands on a page beside what is printed of a run.
pub struct Beside<'a> {
    /// What is shown of tables, links and charts.
    pub seen: &'a Seen,
    /// The plan, with those that it uses.
    pub tree: &'a PlanTree,
    pub texts: &'a Texts,
    /// The files that were read.
    pub read: &'a [FileRecord],
}

/// The page of a run. The view's lines are not folded: [`UNFOLDED`].
pub fn page(view: &Report<'_>, beside: &Beside<'_>) -> Page {
    let report = view.tally;
    let mut left_out = vec![];
    let tables = tables::tables(report, beside);
    let bridges = amounts::bridges(&report.bridges, &mut left_out);
    Page {
        title: plain(report.title.as_deref().unwrap_or(view.plan)),
        plan: plain(view.plan),
        program: format!("granum {}", env!("CARGO_PKG_VERSION")),
        state: match (report.held(), report.warns()) {
            (false, _) => "stopped",
            (true, true) => "warned",
            (true, false) => "held",
        },
        verdict: plain(&sentence(view)),
        facts: facts(view, beside),
        troubles: troubles(view).iter().map(trouble).collect(),
        links: links::links(report, &beside.seen.months),
        unchanged: amounts::unchanged(&report.bridges),
        bridges,
        way: way::way(report, beside.tree),
        tables,
        charts: charts::charts(&beside.seen.charts),
        checks: report.checks.iter().map(check).collect(),
        examples: plan::examples(report, beside),
        since: view.since.map(|told| SinceTold {
            record: plain(&told.record),
            lines: since::lines(told).iter().map(|line| plain(line)).collect(),
            rows: since_rows(&since::numbers(&report.moved, usize::MAX)),
        }),
        read: beside.read.iter().map(file).collect(),
        written: report.written.iter().map(|written| plain(wrote(written).trim())).collect(),
        parameters: view
            .settings
            .iter()
            .map(|(name, value)| plain(&format!("parameter {name}: {value}")))
            .collect(),
        texts: plan::texts(beside.texts),
        left_out,
    }
}

/// A text as a page shows it: without colours, and with what nobody sees as escapes.
fn plain(text: &str) -> String {
    visible(text, false)
}

/// The outputs with their rows and amounts: what a reader came for.
fn facts(view: &Report<'_>, beside: &Beside<'_>) -> Vec<Fact> {
    let report = view.tally;
    if !report.held() {
        return vec![];
    }
    let outputs = way::outputs(beside.tree);
    let rows = |name: &str| report.table(name).map(TableTally::rows_at_end);
    let facts = outputs.iter().filter(|output| !output.chart).filter_map(|output| {
        // A sheet may be named by the program.
        let own = report.bridges.iter().filter(|bridge| {
            bridge.table == output.table && bridge.output.starts_with(&output.path)
        });
        let amounts = own.filter_map(|bridge| Some(format!("{} {}", bridge.total?, bridge.amount)));
        Some(Fact {
            name: plain(&output.path),
            value: counted(rows(&output.table)?, "row", "rows"),
            note: plain(&amounts.collect::<Vec<_>>().join(", ")),
        })
    });
    facts.collect()
}

/// Something that did not hold: its first line is its title.
fn trouble(trouble: &Trouble) -> Told {
    let text = plain(&trouble.text);
    let mut lines = text.lines();
    let title = lines.next().unwrap_or_default().trim().to_owned();
    let rest: Vec<&str> = lines.map(|line| line.strip_prefix("    ").unwrap_or(line)).collect();
    Told {
        state: if trouble.warned { "warned" } else { "stopped" },
        title,
        text: rest.join("\n").trim_end().to_owned(),
    }
}

fn check(check: &CheckTally) -> CheckTold {
    let state = match check.severity {
        _ if check.skipped => "skipped",
        _ if check.held => "held",
        Severity::Check => "stopped",
        Severity::Warn => "warned",
    };
    let asked =
        check.at_least.as_ref().map_or(String::new(), |asked| format!(" (at least {asked})"));
    CheckTold {
        title: plain(&check.title),
        condition: plain(&format!("{}{asked}", check.condition)),
        over: plain(&verdict::over(check)),
        state,
    }
}

fn file(file: &FileRecord) -> FileTold {
    FileTold {
        input: plain(&file.input),
        path: plain(&file.path),
        size: verdict::size(file.bytes),
        sha256: file.sha256.clone(),
    }
}

/// Numbers that moved, the first line their heads.
fn since_rows(lines: &[Vec<String>]) -> RowsTold {
    let (heads, rows) = lines.split_first().map_or((&[][..], lines), |(heads, rows)| (heads, rows));
    let heads = heads.iter().enumerate();
    RowsTold {
        heads: heads.map(|(at, head)| (head.clone(), (1..5).contains(&at))).collect(),
        rows: rows.iter().map(|row| row.iter().map(|cell| Some(plain(cell))).collect()).collect(),
    }
}
