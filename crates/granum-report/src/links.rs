//! The picture of how files link: a box for each table with what one row of it is, and a line for
//! each link with how complete it is.

use granum_core::relate::{FoundLink, RelatedTable, Relations};
use granum_core::survey::ColumnSurvey;
use granum_core::tally::share_text;
use granum_core::value::{Scale, decimal};
use plotters::prelude::*;

use super::font::{Ruler, Weight};
use super::layout::{Layout, Placed, Size, place};
use super::pen::{
    Area, Drawing, Drawn, EDGE, FAINT, FINE, INK, Letters, Point, Side, point, write,
};
use super::{PictureError, pen};

const TITLE: f64 = 15.0;
const TEXT: f64 = 12.0;
const LINE: f64 = 18.0;
const PADDING: f64 = 12.0;
/// The part of a box above its columns.
const HEAD: f64 = 62.0;
/// A box is this wide at least and at most.
const NARROWEST: f64 = 150.0;
const WIDEST: f64 = 300.0;
/// A link leaves its box level for so long, beside its label.
const LEVEL: f64 = 62.0;
/// Room between layers, where links and what they are labelled with stand.
const BETWEEN: f64 = 170.0;
/// So many columns are shown of a table, those of its links apart.
const COLUMNS: usize = 8;

const HEADING: RGBColor = RGBColor(241, 245, 249);
const COMPLETE: RGBColor = RGBColor(21, 128, 61);
const PARTLY: RGBColor = RGBColor(180, 83, 9);

/// A table as it is drawn.
struct TableBox<'r> {
    table: &'r RelatedTable,
    title: String,
    rows: String,
    grain: String,
    /// Names of columns and their types.
    columns: Vec<(String, String, bool)>,
    more: usize,
    size: Size,
}

/// The links between tables, laid out to be drawn.
pub struct LinksPicture<'r> {
    boxes: Vec<TableBox<'r>>,
    links: Vec<&'r FoundLink>,
    /// For each link the boxes that it joins.
    ends: Vec<(usize, usize)>,
    layout: Layout,
}

impl<'r> LinksPicture<'r> {
    /// Lays out what `relate` found.
    pub fn new(relations: &'r Relations) -> Self {
        let ruler = Ruler::new();
        let links = drawn_links(relations);
        let boxes: Vec<TableBox<'_>> =
            relations.tables.iter().map(|table| table_box(table, &links, &ruler)).collect();
        let at = |name: &str| boxes.iter().position(|it| it.table.name == name).unwrap_or(0);
        let ends: Vec<(usize, usize)> =
            links.iter().map(|link| (at(&link.from), at(&link.to))).collect();
        let sizes: Vec<Size> = boxes.iter().map(|it| it.size).collect();
        let layout = place(&sizes, &ends, BETWEEN);
        Self { boxes, links, ends, layout }
    }

    /// The picture as SVG.
    ///
    /// # Errors
    /// What the drawing library says.
    pub fn svg(&self) -> Result<String, PictureError> {
        pen::svg(self)
    }

    /// The same as PNG.
    ///
    /// # Errors
    /// What the drawing library says; that it would be too large.
    #[cfg(feature = "png")]
    pub fn png(&self) -> Result<Vec<u8>, PictureError> {
        pen::png(self)
    }
}

impl Drawing for LinksPicture<'_> {
    fn size(&self) -> (f64, f64) {
        (self.layout.width.max(600.0), self.layout.height + 20.0)
    }

    fn draw<B: DrawingBackend>(&self, area: &Area<B>) -> Drawn
    where
        B::ErrorType: 'static,
    {
        draw(area, self)
    }
}

/// The links that can be drawn from left to right: one between two tables, and none that closes a
/// circle.
fn drawn_links(relations: &Relations) -> Vec<&FoundLink> {
    fn leads(links: &[&FoundLink], from: &str, to: &str) -> bool {
        from == to || links.iter().any(|link| link.from == from && leads(links, &link.to, to))
    }
    let mut drawn: Vec<&FoundLink> = vec![];
    for link in &relations.links {
        let known = drawn.iter().any(|other| other.from == link.from && other.to == link.to);
        if !known && !leads(&drawn, &link.to, &link.from) {
            drawn.push(link);
        }
    }
    drawn
}

fn table_box<'r>(table: &'r RelatedTable, links: &[&FoundLink], ruler: &Ruler) -> TableBox<'r> {
    let linked = |name: &str| {
        links.iter().any(|link| {
            link.keys.iter().any(|(from, to)| {
                (link.from == table.name && from == name) || (link.to == table.name && to == name)
            })
        })
    };
    let columns = &table.survey.columns;
    let is_key = |column: &ColumnSurvey| table.key.contains(&column.name);
    let mut shown: Vec<&ColumnSurvey> =
        columns.iter().filter(|column| is_key(column) || linked(&column.name)).collect();
    let rest = columns.iter().filter(|column| !is_key(column) && !linked(&column.name));
    shown.extend(rest.take(COLUMNS.saturating_sub(shown.len())));
    shown.sort_by_key(|column| columns.iter().position(|other| other.name == column.name));
    let room = WIDEST - 2.0 * PADDING;
    let title = ruler.fitted(&table.name, TITLE, Weight::Bold, room);
    let rows = match table.survey.rows {
        1 => "1 row".to_owned(),
        rows => format!("{} rows", decimal::grouped(rows.into(), Scale(0))),
    };
    let grain = match table.key.as_slice() {
        [] => "no key was found".to_owned(),
        key => format!("one row per {}", key.join(", ")),
    };
    let grain = ruler.fitted(&grain, TEXT, Weight::Regular, room);
    let named: Vec<(String, String, bool)> = shown
        .iter()
        .map(|column| {
            let name = ruler.fitted(&column.name, TEXT, Weight::Bold, room - 80.0);
            (name, column.read_as.to_string(), is_key(column))
        })
        .collect();
    let widths = named.iter().map(|(name, ty, key)| {
        let weight = if *key { Weight::Bold } else { Weight::Regular };
        ruler.width(name, TEXT, weight) + ruler.width(ty, TEXT, Weight::Regular) + 24.0
    });
    let head = [
        ruler.width(&title, TITLE, Weight::Bold) + ruler.width(&rows, TEXT, Weight::Regular) + 18.0,
        ruler.width(&grain, TEXT, Weight::Regular),
    ];
    let widest = widths.chain(head).fold(0.0, f64::max) + 2.0 * PADDING;
    let more = columns.len() - named.len();
    let lines = named.len() + usize::from(more > 0);
    TableBox {
        table,
        title,
        rows,
        grain,
        columns: named,
        more,
        size: Size {
            width: widest.clamp(NARROWEST, WIDEST),
            height: HEAD + lines as f64 * LINE + PADDING,
        },
    }
}

impl TableBox<'_> {
    /// The height, within the box, at which a link that goes by some columns begins or ends.
    fn port(&self, columns: &[&str]) -> f64 {
        let at = self.columns.iter().position(|(name, _, _)| columns.contains(&name.as_str()));
        at.map_or(HEAD / 2.0, |at| HEAD + (at as f64 + 0.5) * LINE)
    }
}

fn draw<B: DrawingBackend>(area: &Area<B>, picture: &LinksPicture<'_>) -> Drawn
where
    B::ErrorType: 'static,
{
    let LinksPicture { boxes, links, ends, layout } = picture;
    area.fill(&WHITE)?;
    let mut labels = vec![];
    for (at, link) in links.iter().enumerate() {
        let (from, to) = ends[at];
        labels.push(draw_link(
            area,
            link,
            (&boxes[from], layout.boxes[from]),
            (&boxes[to], layout.boxes[to]),
            &layout.bends[at],
        )?);
    }
    for (it, placed) in boxes.iter().zip(&layout.boxes) {
        draw_box(area, it, *placed)?;
    }
    // A label stands above its line, or below where another line leaves at the same place.
    let mut taken: Vec<(f64, f64)> = vec![];
    for (text, colour, (x, y)) in labels {
        let free = [-8.0, 9.0, 22.0, 35.0].map(|offset| y + offset);
        let free = free.into_iter().find(|y| !taken.contains(&(x, *y))).unwrap_or(y);
        taken.push((x, free));
        write(area, &text, (x, free), Letters::new(TEXT, Weight::Bold, colour, Side::Left))?;
    }
    let legend =
        "arrows lead from many rows to one; % of the rows that find theirs; dashed: unsure";
    write(
        area,
        legend,
        (30.0, layout.height + 12.0),
        Letters::new(TEXT, Weight::Regular, FAINT, Side::Left),
    )?;
    area.present()?;
    Ok(())
}

fn draw_box<B: DrawingBackend>(area: &Area<B>, it: &TableBox<'_>, Placed { x, y }: Placed) -> Drawn
where
    B::ErrorType: 'static,
{
    let Size { width, height } = it.size;
    let end = point((x + width, y + height));
    area.draw(&Rectangle::new([point((x, y)), end], WHITE.filled()))?;
    area.draw(&Rectangle::new(
        [point((x, y)), point((x + width, y + HEAD - 8.0))],
        HEADING.filled(),
    ))?;
    let corners = [(0.0, 0.0), (width, 0.0), (width, height), (0.0, height), (0.0, 0.0)];
    let frame: Vec<Point> =
        corners.iter().map(|(right, down)| point((x + right, y + down))).collect();
    area.draw(&PathElement::new(frame, EDGE.stroke_width(FINE as u32)))?;
    let (left, right) = (x + PADDING, x + width - PADDING);
    write(area, &it.title, (left, y + 17.0), Letters::new(TITLE, Weight::Bold, INK, Side::Left))?;
    write(
        area,
        &it.rows,
        (right, y + 17.0),
        Letters::new(TEXT, Weight::Regular, FAINT, Side::Right),
    )?;
    write(area, &it.grain, (left, y + 39.0), Letters::new(TEXT, Weight::Regular, INK, Side::Left))?;
    for (at, (name, ty, key)) in it.columns.iter().enumerate() {
        let middle = y + HEAD + (at as f64 + 0.5) * LINE;
        let weight = if *key { Weight::Bold } else { Weight::Regular };
        write(area, name, (left, middle), Letters::new(TEXT, weight, INK, Side::Left))?;
        write(area, ty, (right, middle), Letters::new(TEXT, Weight::Regular, FAINT, Side::Right))?;
    }
    if it.more > 0 {
        let middle = y + HEAD + (it.columns.len() as f64 + 0.5) * LINE;
        let more = format!("and {} more", it.more);
        write(area, &more, (left, middle), Letters::new(TEXT, Weight::Regular, FAINT, Side::Left))?;
    }
    Ok(())
}

type Label = (String, RGBColor, (f64, f64));

/// Draws a link; gives what it is to be labelled with, and where.
fn draw_link<B: DrawingBackend>(
    area: &Area<B>,
    link: &FoundLink,
    (from, from_at): (&TableBox<'_>, Placed),
    (to, to_at): (&TableBox<'_>, Placed),
    bends: &[(f64, f64)],
) -> Result<Label, Box<dyn std::error::Error>>
where
    B::ErrorType: 'static,
{
    let own: Vec<&str> = link.keys.iter().map(|(own, _)| own.as_str()).collect();
    let target: Vec<&str> = link.keys.iter().map(|(_, target)| target.as_str()).collect();
    let begin = (from_at.x + from.size.width, from_at.y + from.port(&own));
    let end = (to_at.x, to_at.y + to.port(&target));
    let level = (begin.0 + LEVEL, begin.1);
    let mut stops = vec![level];
    stops.extend(bends);
    stops.push(end);
    let counted = link.rows - link.blank;
    let colour = match (link.is_sure(), link.matched == counted) {
        (false, _) => FAINT,
        (true, true) => COMPLETE,
        (true, false) => PARTLY,
    };
    let mut way = vec![point(begin)];
    way.extend(stops.windows(2).flat_map(|pair| curve(pair[0], pair[1])));
    let width = (1.6 * FINE) as u32;
    if link.is_sure() {
        area.draw(&PathElement::new(way, colour.stroke_width(width)))?;
    } else {
        area.draw(&plotters::element::DashedPathElement::new(
            way,
            6 * FINE as u32,
            4 * FINE as u32,
            colour.stroke_width(width),
        ))?;
    }
    let tip = [(0.0, 0.0), (-9.0, -5.0), (-9.0, 5.0)].map(|(x, y)| point((end.0 + x, end.1 + y)));
    area.draw(&Polygon::new(tip.to_vec(), colour.filled()))?;
    let share = share_text(link.matched.into(), counted.into());
    let text = share.strip_suffix(".00%").map_or(share.clone(), |whole| format!("{whole}%"));
    let text = if link.one_in > 1 { format!("about {text}") } else { text };
    Ok((text, colour, (begin.0 + 6.0, begin.1)))
}

/// A line that leaves and arrives level.
fn curve(from: (f64, f64), to: (f64, f64)) -> Vec<Point> {
    const STEPS: u32 = 24;
    let bend = (to.0 - from.0) / 2.0;
    let points = (0..=STEPS).map(|step| {
        let t = f64::from(step) / f64::from(STEPS);
        let s = 1.0 - t;
        // A cubic Bézier curve with both handles level.
        let mix = |a: f64, b: f64, c: f64, d: f64| {
            s * s * s * a + 3.0 * s * s * t * b + 3.0 * s * t * t * c + t * t * t * d
        };
        point((mix(from.0, from.0 + bend, to.0 - bend, to.0), mix(from.1, from.1, to.1, to.1)))
    });
    points.collect()
}
