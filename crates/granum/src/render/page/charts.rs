//! Charts on a page: the pictures that are written, and the same as rows.

use granum_core::tally::{Chart, Panel};
use granum_report::ChartPicture;
use granum_report::page::{ChartTold, RowsTold};

use super::super::count;
use super::plain;

/// So many rows are shown of a chart.
const ROWS: usize = 400;

pub(super) fn charts(charts: &[Chart]) -> Vec<ChartTold> {
    charts.iter().map(told).collect()
}

fn told(chart: &Chart) -> ChartTold {
    let svg = ChartPicture::new(chart).svg();
    let rows = rows(chart);
    let more = rows.rows.len().saturating_sub(ROWS);
    let left_out = match more {
        0 => String::new(),
        more => format!("{} more rows are not shown.", count(more as u64)),
    };
    ChartTold {
        title: plain(&chart.title),
        // A chart that cannot be drawn says so where it would stand.
        svg: svg.unwrap_or_else(|error| format!("<p>{error}</p>")),
        rows: RowsTold { rows: rows.rows.into_iter().take(ROWS).collect(), ..rows },
        left_out,
    }
}

fn rows(chart: &Chart) -> RowsTold {
    let mut heads = vec![(plain(&chart.x), false)];
    heads.extend(chart.by.iter().map(|by| (plain(by), false)));
    heads.extend(chart.series.iter().map(|series| (plain(&series.name), true)));
    let row = |panel: &Panel, place: usize| -> Option<Vec<Option<String>>> {
        let values = || panel.values.iter().map(|values| values[place]);
        // Where no row stands there is nothing to tell.
        values().any(|value| value.is_some()).then(|| {
            let name = chart.by.iter().map(|_| panel.name.as_deref().map(plain));
            let value = |value: Option<f64>| value.map(|value| number(value, chart.share));
            let place = Some(plain(&chart.along.name(place)));
            std::iter::once(place).chain(name).chain(values().map(value)).collect()
        })
    };
    let places = |panel| (0..chart.places).filter_map(move |place| row(panel, place));
    RowsTold { heads, rows: chart.panels.iter().flat_map(places).collect() }
}

/// A number with as many places as a reader needs.
fn number(value: f64, share: bool) -> String {
    if share {
        return format!("{:.2}%", value * 100.0);
    }
    let text = format!("{value:.4}");
    text.trim_end_matches('0').trim_end_matches('.').to_owned()
}
