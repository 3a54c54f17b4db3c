//! One panel of a chart: bars and lines between the heights and the places that are named.

use granum_core::tally::{Along, Chart, Panel};
use plotters::style::RGBColor;

use super::along::{Named, named};
use super::colours::{GRID, STROKES, colour};
use super::fold::folded;
use super::scale::Scale;
use super::scene::{Scene, Shape, plain};
use crate::font::{Ruler, Weight};
use crate::pen::{EDGE, FAINT, INK, Side};

const TEXT: f64 = 11.0;
const LINE: f64 = 14.0;
/// What a bar takes of its place, and its greatest width in points.
const PART: f64 = 0.78;
const WIDEST: f64 = 64.0;
/// Heights are written at the ends of so many bars at most.
const WRITTEN: usize = 16;
/// Points of a line are marked where there are so few of them.
const MARKED: usize = 40;

/// Where a panel stands.
#[derive(Debug, Clone, Copy)]
pub(super) struct Room {
    pub left: f64,
    pub top: f64,
    pub width: f64,
    pub height: f64,
}

/// What names there are below and beside upright bars and lines, the same in all panels.
pub(super) struct Upright {
    /// The room that the names of heights take.
    beside: f64,
    below: f64,
    names: Names,
}

enum Names {
    /// Places that follow each other.
    Following(Vec<Named>),
    /// The lines of each text that is named.
    Texts(Vec<(usize, Vec<String>)>),
}

impl Upright {
    /// How places are named in panels of a width. None where long texts stand below bars: those lie better.
    pub fn of(ruler: &Ruler, chart: &Chart, scale: &Scale, width: f64) -> Option<Self> {
        let widths =
            scale.named.iter().map(|value| ruler.width(&scale.name(*value), TEXT, Weight::Regular));
        let beside = widths.fold(0.0, f64::max) + 10.0;
        let room = (width - beside) / chart.places.max(1) as f64;
        let Along::Texts(texts) = &chart.along else {
            let names = named(&chart.along, chart.places, room);
            let lines = if names.iter().any(|named| named.below.is_some()) { 2.0 } else { 1.0 };
            return Some(Self {
                beside,
                below: lines * LINE + 6.0,
                names: Names::Following(names),
            });
        };
        let fold =
            |text: &String, room: f64| folded(ruler, text, (TEXT, Weight::Regular), room - 8.0, 3);
        let all: Vec<Vec<String>> = texts.iter().map(|text| fold(text, room)).collect();
        let cut = |lines: &Vec<String>| {
            lines.iter().any(|line| line.ends_with('\u{2026}') || line.is_empty())
        };
        if all.iter().any(cut) && chart.series.iter().all(|series| series.bars) {
            return None;
        }
        // Where a line goes through many texts, some of them are named.
        let step = (44.0 / room).ceil().max(1.0) as usize;
        let names = (0..texts.len()).step_by(step);
        let names: Vec<(usize, Vec<String>)> =
            names.map(|at| (at, fold(&texts[at], room * step as f64))).collect();
        let lines = names.iter().map(|(_, lines)| lines.len()).max().unwrap_or(1);
        Some(Self { beside, below: lines as f64 * LINE + 6.0, names: Names::Texts(names) })
    }
}

/// The bars of a place, between two heights each, and which of the place's parts each takes.
struct Bar {
    series: usize,
    from: f64,
    to: f64,
    /// Its place among those beside each other.
    beside: usize,
}

/// The bars of one place of a panel.
fn bars(chart: &Chart, panel: &Panel, scale: &Scale, place: usize) -> Vec<Bar> {
    let base = scale.base();
    let (mut up, mut down) = (base, base);
    let drawn = (0..chart.series.len()).filter(|series| chart.series[*series].bars);
    let mut bars = vec![];
    for (beside, series) in drawn.enumerate() {
        let Some(value) = panel.values[series][place] else { continue };
        if !chart.stacked {
            bars.push(Bar { series, from: base, to: value, beside });
            continue;
        }
        let end = if value < 0.0 { &mut down } else { &mut up };
        bars.push(Bar { series, from: *end, to: *end + value, beside: 0 });
        *end += value;
    }
    bars
}

/// How many bars stand beside each other in a place.
fn beside(chart: &Chart) -> usize {
    let bars = chart.series.iter().filter(|series| series.bars).count();
    if chart.stacked { 1 } else { bars.max(1) }
}

/// Where the bars of a place begin, and how wide each is: `middle` is that of a place that has so much room.
fn widths(chart: &Chart, middle: f64, room: f64) -> (f64, f64) {
    let count = beside(chart) as f64;
    // Of many places each takes all its room, so that no grid of gaps is seen.
    let inner = if room < 4.0 { room } else { (PART * room).min(WIDEST * count) };
    (middle - inner / 2.0, inner / count)
}

/// Whether heights are written at the ends of bars.
fn writes(chart: &Chart) -> bool {
    chart.series.len() == 1
        && chart.series[0].bars
        && chart.panels.len() == 1
        && chart.places <= WRITTEN
}

type Drawing<'a> = (&'a Chart, &'a Panel, &'a Scale);

/// Draws a panel with its places from left to right.
pub(super) fn upright(
    scene: &mut Scene,
    ruler: &Ruler,
    (chart, panel, scale): Drawing<'_>,
    around: &Upright,
    room: Room,
) {
    let (left, right) = (room.left + around.beside, room.left + room.width);
    let (top, bottom) = (room.top + 10.0, room.top + room.height - around.below);
    // What is written below bars that hang stands above the names of places.
    let hanging = if writes(chart) && scale.low < 0.0 { LINE } else { 0.0 };
    let y = |value: f64| bottom - hanging - (bottom - hanging - top) * scale.at(value);
    for value in &scale.named {
        scene.rule((left, y(*value)), (right, y(*value)), GRID, 1.0);
        let at = (left - 8.0, y(*value));
        scene.text(&scale.name(*value), at, plain(TEXT, FAINT, Side::Right));
    }
    let own = (right - left) / chart.places as f64;
    let middle = |place: usize| left + (place as f64 + 0.5) * own;
    for place in 0..chart.places {
        let (begin, width) = widths(chart, middle(place), own);
        for bar in bars(chart, panel, scale, place) {
            let x = begin + bar.beside as f64 * width;
            let (from, to) = ((x, y(bar.from.max(bar.to))), (x + width, y(bar.from.min(bar.to))));
            scene.shapes.push(Shape::Box { from, to, colour: colour(bar.series, true) });
            let text = scale.value(bar.to);
            if writes(chart) && ruler.width(&text, TEXT, Weight::Regular) <= own {
                let above = if bar.to < 0.0 { 9.0 } else { -8.0 };
                scene.text(
                    &text,
                    (middle(place), y(bar.to) + above),
                    plain(TEXT, INK, Side::Middle),
                );
            }
        }
    }
    scene.rule((left, y(scale.base())), (right, y(scale.base())), EDGE, 1.2);
    for (series, values) in panel.values.iter().enumerate() {
        if !chart.series[series].bars {
            let points = values.iter().enumerate();
            let points = points.map(|(place, value)| Some((middle(place), y((*value)?))));
            line(scene, series, &points.collect::<Vec<_>>());
        }
    }
    match &around.names {
        Names::Following(names) => {
            for Named { place, name, below } in names {
                // What follows each other closely has a mark where it stands.
                if own < 24.0 {
                    let x = middle(*place);
                    scene.rule((x, bottom), (x, bottom + 4.0), EDGE, 1.0);
                }
                let at = (middle(*place), bottom + 14.0);
                scene.text(name, at, plain(TEXT, INK, Side::Middle));
                if let Some(below) = below {
                    let at = (middle(*place), bottom + 14.0 + LINE);
                    scene.text(below, at, plain(TEXT, FAINT, Side::Middle));
                }
            }
        }
        Names::Texts(names) => {
            for (place, lines) in names {
                for (at, line) in lines.iter().enumerate() {
                    let at = (middle(*place), bottom + 14.0 + at as f64 * LINE);
                    scene.text(line, at, plain(TEXT, INK, Side::Middle));
                }
            }
        }
    }
}

/// Draws a line through points; where one is not there, it is broken.
fn line(scene: &mut Scene, series: usize, points: &[Option<(f64, f64)>]) {
    let (own, strokes): (RGBColor, _) = (colour(series, false), STROKES[series % STROKES.len()]);
    let marked = points.len() <= MARKED;
    for run in points.split(Option::is_none) {
        let through: Vec<(f64, f64)> = run.iter().copied().flatten().collect();
        if marked || through.len() == 1 {
            let dots = through.iter().map(|at| Shape::Dot { at: *at, radius: 3.2, colour: own });
            scene.shapes.extend(dots);
        }
        if through.len() > 1 {
            scene.shapes.push(Shape::Line { through, colour: own, width: 2.2, strokes });
        }
    }
}

/// What a lying bar, or a group of them, takes from top to bottom.
fn row_height(chart: &Chart) -> f64 {
    (14.0 * beside(chart) as f64).max(16.0) + 8.0
}

/// How high a panel is whose bars lie.
pub(super) fn height_lying(chart: &Chart) -> f64 {
    chart.places as f64 * row_height(chart) + 34.0
}

/// Draws a panel of bars that lie, the first place on top.
pub(super) fn lying(
    scene: &mut Scene,
    ruler: &Ruler,
    (chart, panel, scale): Drawing<'_>,
    room: Room,
) {
    let Along::Texts(texts) = &chart.along else { return };
    let fit = |text: &String| folded(ruler, text, (TEXT, Weight::Regular), 0.4 * room.width, 1);
    let names: Vec<String> = texts.iter().map(|text| fit(text).concat()).collect();
    let width = |text: &String| ruler.width(text, TEXT, Weight::Regular);
    let beside = names.iter().map(width).fold(0.0, f64::max) + 10.0;
    // The same room in all panels, so that one length is one height.
    let written = if chart.series.len() == 1 {
        let values = chart.panels.iter().flat_map(|panel| &panel.values[0]).flatten();
        values.map(|value| width(&scale.value(*value))).fold(0.0, f64::max) + 8.0
    } else {
        0.0
    };
    // Half of the last height's name stands behind its line.
    let last = scale.named.last().map_or(0.0, |value| width(&scale.name(*value)) / 2.0);
    let (left, right) = (room.left + beside, room.left + room.width - written.max(last));
    let (top, bottom) = (room.top + 6.0, room.top + room.height - 24.0);
    let x = |value: f64| left + (right - left) * scale.at(value);
    for value in &scale.named {
        scene.rule((x(*value), top), (x(*value), bottom), GRID, 1.0);
        scene.text(
            &scale.name(*value),
            (x(*value), bottom + 12.0),
            plain(TEXT, FAINT, Side::Middle),
        );
    }
    let own = (bottom - top) / chart.places as f64;
    for (place, name) in names.iter().enumerate() {
        let middle = top + (place as f64 + 0.5) * own;
        scene.text(name, (left - 8.0, middle), plain(TEXT, INK, Side::Right));
        let (begin, width) = widths(chart, middle, own);
        for bar in bars(chart, panel, scale, place) {
            let y = begin + bar.beside as f64 * width;
            let (from, to) = ((x(bar.from.min(bar.to)), y), (x(bar.from.max(bar.to)), y + width));
            scene.shapes.push(Shape::Box { from, to, colour: colour(bar.series, true) });
            if written > 0.0 {
                let at = (x(bar.to.max(bar.from)) + 6.0, middle);
                scene.text(&scale.value(bar.to), at, plain(TEXT, INK, Side::Left));
            }
        }
    }
    scene.rule((x(scale.base()), top), (x(scale.base()), bottom), EDGE, 1.2);
}
