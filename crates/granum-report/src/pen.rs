//! What all pictures are drawn with: points, letters, and the colours of what is no data.

use plotters::coord::Shift;
use plotters::prelude::*;
use plotters::style::FontTransform;
use plotters::style::text_anchor::{HPos, Pos, VPos};

use super::PictureError;
use super::font::{FAMILY, Weight};

pub(crate) const INK: RGBColor = RGBColor(31, 41, 55);
pub(crate) const FAINT: RGBColor = RGBColor(107, 114, 128);
pub(crate) const EDGE: RGBColor = RGBColor(148, 163, 184);

/// Drawing goes in whole numbers; so many of them are a point, so that curves are smooth.
pub(crate) const FINE: f64 = 8.0;

pub(crate) type Point = (i32, i32);
pub(crate) type Area<B> = DrawingArea<B, Shift>;
pub(crate) type Drawn = Result<(), Box<dyn std::error::Error>>;

/// A picture that is laid out.
pub(crate) trait Drawing {
    /// Its width and height in points.
    fn size(&self) -> (f64, f64);

    /// Draws it.
    fn draw<B: DrawingBackend>(&self, area: &Area<B>) -> Drawn
    where
        B::ErrorType: 'static;
}

/// A width and height in the numbers in which is drawn.
fn fine((width, height): (f64, f64)) -> (u32, u32) {
    let fine = |points: f64| (points * FINE).ceil() as u32;
    (fine(width), fine(height))
}

/// A picture as SVG.
///
/// # Errors
/// What the drawing library says.
pub(crate) fn svg(drawing: &impl Drawing) -> Result<String, PictureError> {
    let mut svg = String::new();
    let area = SVGBackend::with_string(&mut svg, fine(drawing.size())).into_drawing_area();
    drawing.draw(&area).map_err(|error| PictureError::Drawing(error.to_string()))?;
    drop(area);
    Ok(in_points(&svg))
}

/// The same as PNG.
///
/// # Errors
/// What the drawing library says; that it would be too large.
#[cfg(feature = "png")]
pub(crate) fn png(drawing: &impl Drawing) -> Result<Vec<u8>, PictureError> {
    let mut points = crate::png::Points::new(fine(drawing.size()), FINE)?;
    let drawn = drawing.draw(&DrawingArea::from(&mut points));
    drawn.map_err(|error| PictureError::Drawing(error.to_string()))?;
    points.png()
}

pub(crate) fn point((x, y): (f64, f64)) -> Point {
    ((x * FINE).round() as i32, (y * FINE).round() as i32)
}

/// The size of a picture in points; what is drawn stays in finer numbers.
fn in_points(svg: &str) -> String {
    let (head, rest) = svg.split_at(svg.find(" viewBox").unwrap_or(0));
    let mut points = String::new();
    for (at, part) in head.split('"').enumerate() {
        if at > 0 {
            points.push('"');
        }
        match part.parse::<f64>() {
            Ok(fine) => points.push_str(&(fine / FINE).to_string()),
            Err(_) => points.push_str(part),
        }
    }
    points + rest
}

/// Which end of a text stands at its point.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Side {
    Left,
    Middle,
    Right,
}

/// How a text is written.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Letters {
    /// In points.
    pub size: f64,
    pub weight: Weight,
    pub colour: RGBColor,
    pub side: Side,
}

impl Letters {
    pub fn new(size: f64, weight: Weight, colour: RGBColor, side: Side) -> Self {
        Self { size, weight, colour, side }
    }
}

/// Writes a text beside or around a point, in the middle of its height.
pub(crate) fn write<B: DrawingBackend>(
    area: &Area<B>,
    text: &str,
    at: (f64, f64),
    letters: Letters,
) -> Drawn
where
    B::ErrorType: 'static,
{
    let style = match letters.weight {
        Weight::Regular => FontStyle::Normal,
        Weight::Bold => FontStyle::Bold,
    };
    let font = FontDesc::new(FontFamily::Name(FAMILY), letters.size * FINE, style)
        .transform(FontTransform::None);
    let side = match letters.side {
        Side::Left => HPos::Left,
        Side::Middle => HPos::Center,
        Side::Right => HPos::Right,
    };
    let style = TextStyle::from(font).color(&letters.colour).pos(Pos::new(side, VPos::Center));
    area.draw(&Text::new(text.to_owned(), point(at), style))?;
    Ok(())
}
