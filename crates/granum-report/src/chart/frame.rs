//! What stands around the panels of a chart: its title, what each colour is, and what is not drawn.

use granum_core::tally::Chart;
use granum_core::value::{Scale as Places, decimal};

use super::colours::{STROKES, colour};
use super::fold::{folded, one_line};
use super::plot::{self, Room, Upright};
use super::scale::Scale;
use super::scene::{Scene, Shape, plain};
use crate::font::{Ruler, Weight};
use crate::pen::{FAINT, INK, Letters, Side};

const WIDTH: f64 = 960.0;
const MARGIN: f64 = 28.0;
const TITLE: f64 = 17.0;
const TEXT: f64 = 12.0;
/// A panel that stands alone is so high, and one among others.
const ALONE: f64 = 360.0;
const AMONG: f64 = 190.0;
/// Room between panels.
const BETWEEN: f64 = 30.0;

/// A chart as shapes.
pub(super) fn laid_out(chart: &Chart) -> Scene {
    let ruler = Ruler::new();
    let mut scene = Scene { width: WIDTH, ..Scene::default() };
    let mut y = MARGIN;
    for line in folded(&ruler, &chart.title, (TITLE, Weight::Bold), WIDTH - 2.0 * MARGIN, 3) {
        scene.text(&line, (MARGIN, y), Letters::new(TITLE, Weight::Bold, INK, Side::Left));
        y += TITLE + 7.0;
    }
    let scale = Scale::of(chart);
    y = legend(&mut scene, &ruler, chart, (y, scale.in_what()));
    if chart.rows == 0 {
        let none = "there are no rows to draw";
        scene.text(none, (WIDTH / 2.0, y + 60.0), plain(TEXT, FAINT, Side::Middle));
        scene.height = y + 120.0;
        return scene;
    }
    let panels = chart.panels.len();
    let across = match panels {
        1 => 1,
        2..=4 => 2,
        _ => 3,
    };
    let width = (WIDTH - 2.0 * MARGIN - BETWEEN * (across - 1) as f64) / across as f64;
    let upright = Upright::of(&ruler, chart, &scale, width);
    let lying = upright.is_none();
    let height = match lying {
        true => plot::height_lying(chart),
        false if panels == 1 => ALONE,
        false => AMONG,
    };
    let head = if chart.by.is_some() { 26.0 } else { 8.0 };
    for (at, panel) in chart.panels.iter().enumerate() {
        let left = MARGIN + (at % across) as f64 * (width + BETWEEN);
        let top = y + (at / across) as f64 * (head + height + BETWEEN / 2.0);
        if let Some(name) = &panel.name {
            let name = ruler.fitted(&one_line(name), TEXT, Weight::Bold, width);
            let letters = Letters::new(TEXT, Weight::Bold, INK, Side::Left);
            scene.text(&name, (left, top + 10.0), letters);
        }
        let room = Room { left, top: top + head, width, height };
        match &upright {
            Some(upright) => {
                plot::upright(&mut scene, &ruler, (chart, panel, &scale), upright, room);
            }
            None => plot::lying(&mut scene, &ruler, (chart, panel, &scale), room),
        }
    }
    y += panels.div_ceil(across) as f64 * (head + height + BETWEEN / 2.0) + 4.0;
    scene.text(&foot(chart, &scale), (MARGIN, y), plain(TEXT - 1.0, FAINT, Side::Left));
    scene.height = y + MARGIN / 2.0;
    scene
}

/// What stands along the chart, where heights do not begin at zero, and what is not drawn.
fn foot(chart: &Chart, scale: &Scale) -> String {
    let along = match &chart.by {
        None => chart.x.clone(),
        Some(by) => format!("{}, for each {by}", chart.x),
    };
    let mut parts = vec![along];
    if scale.low > 0.0 {
        parts.push(format!("heights begin at {}", scale.name(scale.low)));
    } else if scale.high < 0.0 {
        parts.push(format!("heights end at {}", scale.name(scale.high)));
    }
    let blank =
        chart.by.as_ref().map_or_else(|| chart.x.clone(), |by| format!("{} or {by}", chart.x));
    match chart.left_out {
        0 => {}
        1 => parts.push(format!("not drawn: 1 row whose {blank} is blank")),
        rows => {
            let count = decimal::grouped(rows.into(), Places(0));
            parts.push(format!("not drawn: {count} rows whose {blank} is blank"));
        }
    }
    parts.join(" \u{b7} ")
}

/// Writes what each colour is; gives where the rest begins.
fn legend(scene: &mut Scene, ruler: &Ruler, chart: &Chart, (top, in_what): (f64, &str)) -> f64 {
    const MARK: f64 = 30.0;
    const BOX: f64 = 12.0;
    let (mut x, mut y) = (MARGIN, top);
    if let [only] = &chart.series[..] {
        let name = ruler.fitted(&one_line(&only.name), TEXT, Weight::Regular, WIDTH / 2.0);
        scene.text(&(name + in_what), (x, y), plain(TEXT, FAINT, Side::Left));
        return y + 14.0;
    }
    for (at, series) in chart.series.iter().enumerate() {
        let name = ruler.fitted(&one_line(&series.name), TEXT, Weight::Regular, WIDTH / 3.0);
        let mark = if series.bars { BOX } else { MARK };
        let wide = mark + 8.0 + ruler.width(&name, TEXT, Weight::Regular) + 22.0;
        if x > MARGIN && x + wide > WIDTH - MARGIN {
            (x, y) = (MARGIN, y + 20.0);
        }
        let own = colour(at, series.bars);
        scene.shapes.push(if series.bars {
            Shape::Box { from: (x, y - 6.0), to: (x + BOX, y + 6.0), colour: own }
        } else {
            let through = vec![(x, y), (x + MARK, y)];
            Shape::Line { through, colour: own, width: 2.2, strokes: STROKES[at % STROKES.len()] }
        });
        scene.text(&name, (x + mark + 6.0, y), plain(TEXT, INK, Side::Left));
        x += wide;
    }
    scene.text(in_what.trim_start_matches(", "), (x, y), plain(TEXT, FAINT, Side::Left));
    y + 16.0
}
