//! The way of the tables as a picture: what is read at the top, what is written at the bottom.

use serde::Serialize;

use crate::font::{Ruler, Weight};
use crate::layout::{Layout, Size, place};

/// What is made of what.
#[derive(Debug, Clone, Default, Serialize)]
pub struct Way {
    /// Inputs, tables and outputs.
    pub boxes: Vec<WayBox>,
    /// What leads from one to another.
    pub lines: Vec<WayLine>,
}

/// An input, a table or an output.
#[derive(Debug, Clone, Serialize)]
pub struct WayBox {
    /// What it is.
    pub kind: WayKind,
    /// Its name.
    pub name: String,
    /// Its rows, in words.
    pub rows: String,
    /// What one row of it is.
    pub grain: String,
    /// Which of the page's tables it leads to.
    pub table: Option<usize>,
}

/// What a box stands for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum WayKind {
    /// What is read.
    Input,
    /// What is made.
    Table,
    /// What is written.
    Output,
    /// What could not be made.
    Missing,
}

/// What leads from one box to another.
#[derive(Debug, Clone, Serialize)]
pub struct WayLine {
    /// The box that gives: what a table is made from, or where a link leads.
    pub from: usize,
    /// The box that takes.
    pub to: usize,
    /// The share of a link; nothing where one is made of the other.
    pub share: Option<String>,
    /// What it is, in words.
    pub told: String,
}

/// The picture, in points.
#[derive(Debug, Default, Serialize)]
pub(super) struct LaidOut {
    width: f64,
    height: f64,
    boxes: Vec<Placed>,
    lines: Vec<Drawn>,
}

#[derive(Debug, Serialize)]
struct Placed {
    x: f64,
    y: f64,
    width: f64,
    height: f64,
    middle: f64,
    /// What stands in it: the size of the letters is the template's.
    texts: [String; 3],
    told: String,
    kind: WayKind,
    table: Option<usize>,
}

#[derive(Debug, Serialize)]
struct Drawn {
    /// The line as SVG draws it.
    path: String,
    /// Its point.
    tip: String,
    link: bool,
    share: String,
    x: f64,
    y: f64,
    told: String,
}

/// The sizes of letters, as the style has them.
const TITLE: f64 = 15.0;
const TEXT: f64 = 12.0;
const HEIGHT: f64 = 66.0;
const NARROWEST: f64 = 118.0;
const WIDEST: f64 = 186.0;
const PADDING: f64 = 10.0;
/// Room between what stands below each other, where lines run.
const BETWEEN: f64 = 58.0;
/// Where on its line a share may stand, the best first; and the room that one takes.
const ALONG: [f64; 6] = [0.5, 0.38, 0.62, 0.28, 0.72, 0.2];
const SHARE: (f64, f64) = (58.0, 15.0);
/// A picture is this wide at least.
const LEAST: f64 = 640.0;

impl Way {
    /// Lays it out.
    pub(super) fn laid_out(&self) -> LaidOut {
        let ruler = Ruler::new();
        let boxes: Vec<([String; 3], f64)> =
            self.boxes.iter().map(|one| written(one, &ruler)).collect();
        // Those that would close a circle are drawn, but move no box.
        let mut lines: Vec<(usize, usize)> = vec![];
        for line in &self.lines {
            let ends = (line.from, line.to);
            if !lines.contains(&ends) && !leads(&lines, line.to, line.from) {
                lines.push(ends);
            }
        }
        // Boxes are placed from left to right; here that is downwards.
        let turned: Vec<Size> =
            boxes.iter().map(|(_, width)| Size { width: HEIGHT, height: *width }).collect();
        let Layout { boxes: places, bends, width: height, height: width } =
            place(&turned, &lines, BETWEEN);
        let placed: Vec<Placed> = self
            .boxes
            .iter()
            .zip(boxes)
            .zip(places)
            .map(|((one, (texts, width)), place)| Placed {
                x: round(place.y),
                y: round(place.x),
                width: round(width),
                height: HEIGHT,
                middle: round(place.y + width / 2.0),
                texts,
                told: format!("{}, {}, {}", one.name, one.rows, one.grain),
                kind: one.kind,
                table: one.table,
            })
            .collect();
        let mut taken = vec![];
        let drawn = self.lines.iter().map(|line| {
            let at = lines.iter().position(|ends| *ends == (line.from, line.to));
            let bends = at.and_then(|at| bends.get(at)).map_or(&[][..], Vec::as_slice);
            drawn(line, &placed, bends, &mut taken)
        });
        let lines = drawn.collect();
        let width = width.max(LEAST);
        LaidOut { width: round(width), height: round(height), boxes: placed, lines }
    }
}

/// Whether one leads to another.
fn leads(lines: &[(usize, usize)], from: usize, to: usize) -> bool {
    let mut seen = vec![from];
    let mut at = 0;
    while at < seen.len() {
        let next = lines.iter().filter(|line| line.0 == seen[at]).map(|line| line.1);
        let next: Vec<usize> = next.filter(|next| !seen.contains(next)).collect();
        seen.extend(next);
        at += 1;
    }
    seen.contains(&to)
}

/// What stands in a box, and how wide it is.
fn written(one: &WayBox, ruler: &Ruler) -> ([String; 3], f64) {
    let room = WIDEST - 2.0 * PADDING;
    let title = ruler.fitted(&one.name, TITLE, Weight::Bold, room);
    let rows = ruler.fitted(&one.rows, TEXT, Weight::Regular, room);
    let grain = ruler.fitted(&one.grain, TEXT, Weight::Regular, room);
    let widths = [
        ruler.width(&title, TITLE, Weight::Bold),
        ruler.width(&rows, TEXT, Weight::Regular),
        ruler.width(&grain, TEXT, Weight::Regular),
    ];
    let widest = widths.into_iter().fold(0.0, f64::max) + 2.0 * PADDING;
    ([title, rows, grain], widest.clamp(NARROWEST, WIDEST))
}

/// A line that leaves at the bottom of one box and arrives at the top of another.
/// Its share stands on its last piece, where none of those in `taken` stands.
fn drawn(
    line: &WayLine,
    boxes: &[Placed],
    bends: &[(f64, f64)],
    taken: &mut Vec<(f64, f64)>,
) -> Drawn {
    let (from, to) = (&boxes[line.from], &boxes[line.to]);
    let begin = (from.middle, from.y + from.height);
    let end = (to.middle, to.y - 7.0);
    let mut stops = vec![begin];
    // They were placed from left to right.
    stops.extend(bends.iter().map(|(x, y)| (*y, *x)));
    stops.push(end);
    let mut path = format!("M{} {}", round(begin.0), round(begin.1));
    for pair in stops.windows(2) {
        let [(x, y), (to_x, to_y)] = pair else { continue };
        let bend = (to_y - y) / 2.0;
        let numbers =
            [*x, y + bend, *to_x, to_y - bend, *to_x, *to_y].map(|at| round(at).to_string());
        path.push_str(&format!("C{}", numbers.join(" ")));
    }
    let last = stops[stops.len() - 2];
    let places = ALONG.map(|part| on_curve(last, end, part));
    let apart = |(x, y): &(f64, f64)| {
        let near = |(a, b): &(f64, f64)| (a - x).abs() < SHARE.0 && (b - y).abs() < SHARE.1;
        !taken.iter().any(near)
    };
    let (x, y) = places.into_iter().find(apart).unwrap_or(places[0]);
    if line.share.is_some() {
        taken.push((x, y));
    }
    let tip = [(0.0, 7.0), (-4.0, 0.0), (4.0, 0.0)];
    let tip = tip.map(|(x, y)| format!("{},{}", round(end.0 + x), round(end.1 + y))).join(" ");
    Drawn {
        path,
        tip,
        link: line.share.is_some(),
        share: line.share.clone().unwrap_or_default(),
        x: round(x),
        y: round(y),
        told: line.told.clone(),
    }
}

/// A point of a line that leaves and arrives downwards, by how much of it lies before.
fn on_curve(from: (f64, f64), to: (f64, f64), part: f64) -> (f64, f64) {
    let (t, s) = (part, 1.0 - part);
    let level = s * s * s + 3.0 * s * s * t;
    let bend = (to.1 - from.1) / 2.0;
    let (first, second) = (3.0 * s * s * t, 3.0 * s * t * t);
    let y =
        s * s * s * from.1 + first * (from.1 + bend) + second * (to.1 - bend) + t * t * t * to.1;
    (from.0 * level + to.0 * (1.0 - level), y)
}

/// A tenth of a point is as fine as anybody sees.
fn round(at: f64) -> f64 {
    (at * 10.0).round() / 10.0
}
