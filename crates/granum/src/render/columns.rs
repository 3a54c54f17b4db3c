//! Text in columns without lines around it.

use comfy_table::{CellAlignment, ContentArrangement, Table, presets};

/// How a column stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Side {
    Left,
    Right,
}

/// Sets rows in columns, two spaces apart, no line longer than it must be.
pub(super) fn set(sides: &[Side], rows: &[Vec<String>]) -> Vec<String> {
    let mut table = Table::new();
    table.load_style(presets::NOTHING).set_content_arrangement(ContentArrangement::Disabled);
    for row in rows {
        table.add_row(row.iter().map(|cell| super::visible::seen(cell)));
    }
    for (at, side) in sides.iter().enumerate() {
        if let Some(column) = table.column_mut(at) {
            column.set_padding((0, 2));
            column.set_cell_alignment(match side {
                Side::Left => CellAlignment::Left,
                Side::Right => CellAlignment::Right,
            });
        }
    }
    table.lines().map(|line| line.trim_end().to_owned()).collect()
}
