//! What is made of what: inputs, tables, outputs, and the links between them.

use granum_core::lang::{PlanTree, StatementKind};
use granum_core::tally::{Report, TableTally, part_name, share_text};
use granum_report::page::{Way, WayBox, WayKind, WayLine};

use super::super::counted;
use super::super::tally::grain_words;
use super::plain;

/// An output of a plan.
pub(super) struct Output {
    /// Where it goes, as a run says it.
    pub path: String,
    /// Its table.
    pub table: String,
    /// Whether it is a picture.
    pub chart: bool,
}

/// The outputs of a plan, and the charts that are written.
pub(super) fn outputs(tree: &PlanTree) -> Vec<Output> {
    let output = |statement: &StatementKind| match statement {
        StatementKind::Output(output) => {
            let part = output.style.sheet.as_ref().or(output.style.named.as_ref());
            let path = &output.path.text;
            Some(Output {
                path: part.map_or_else(|| path.clone(), |part| part_name(path, &part.text)),
                table: output.table.text.clone(),
                chart: false,
            })
        }
        StatementKind::Chart(chart) => Some(Output {
            path: chart.path.as_ref()?.text.clone(),
            table: chart.table.text.clone(),
            chart: true,
        }),
        _ => None,
    };
    tree.statements.iter().filter_map(|statement| output(&statement.kind)).collect()
}

pub(super) fn way(report: &Report, tree: &PlanTree) -> Way {
    let mut boxes: Vec<WayBox> = report.tables.iter().enumerate().map(table).collect();
    boxes.extend(report.not_built.iter().map(|name| WayBox {
        kind: WayKind::Missing,
        name: plain(name),
        rows: "was not built".into(),
        grain: String::new(),
        table: None,
    }));
    let names = report.tables.iter().map(|table| table.name.as_str());
    let names: Vec<&str> = names.chain(report.not_built.iter().map(String::as_str)).collect();
    let at = |name: &str| names.iter().position(|known| *known == name);
    let mut lines = vec![];
    for (to, table) in report.tables.iter().enumerate().filter(|(_, table)| !table.input) {
        let parts = table.parts.iter().map(|part| part.table.as_str());
        let mut bases: Vec<&str> = parts.collect();
        if bases.is_empty() {
            bases.push(&table.begins_as);
        }
        for base in bases {
            let Some(from) = at(base).filter(|from| *from != to) else { continue };
            let told = plain(&format!("{} is made from {base}", table.name));
            lines.push(WayLine { from, to, share: None, told });
        }
    }
    for link in &report.links {
        let (Some(from), Some(to)) = (at(&link.to), at(&link.from)) else { continue };
        let share = share_text(link.matched.into(), link.counted().into());
        let told =
            plain(&format!("{} → {} on {}: {share} of rows", link.from, link.name, link.keys));
        let share = share.strip_suffix(".00%").map_or(share.clone(), |whole| format!("{whole}%"));
        if from != to {
            lines.push(WayLine { from, to, share: Some(share), told });
        }
    }
    for output in outputs(tree) {
        let Some(from) = at(&output.table) else { continue };
        let (rows, grain) =
            (boxes[from].rows.clone(), if output.chart { "chart" } else { "output" });
        let path = plain(&output.path);
        let told = format!("{} goes to {path}", boxes[from].name);
        lines.push(WayLine { from, to: boxes.len(), share: None, told });
        let table = boxes[from].table;
        boxes.push(WayBox { kind: WayKind::Output, name: path, rows, grain: grain.into(), table });
    }
    Way { boxes, lines }
}

fn table((at, table): (usize, &TableTally)) -> WayBox {
    WayBox {
        kind: if table.input { WayKind::Input } else { WayKind::Table },
        name: plain(&table.name),
        rows: counted(table.rows_at_end(), "row", "rows"),
        grain: plain(&grain_words(&table.grain, table.one_row)),
        table: Some(at),
    }
}
