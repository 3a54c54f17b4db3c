//! What a chart is made of, before it is drawn: boxes, lines and texts, in points from the upper left corner.

use plotters::element::DashedPathElement;
use plotters::prelude::*;

use crate::font::Weight;
use crate::pen::{Area, Drawing, Drawn, FINE, Letters, Side, point, write};

/// The drawing library writes letters so much smaller than they are asked for.
const ENLARGED: f64 = 1.24;

/// A part of a picture.
#[derive(Debug, Clone, PartialEq)]
pub(super) enum Shape {
    /// A filled box, between two corners.
    Box {
        from: (f64, f64),
        to: (f64, f64),
        colour: RGBColor,
    },
    /// A line through points, with strokes and gaps or without.
    Line {
        through: Vec<(f64, f64)>,
        colour: RGBColor,
        width: f64,
        strokes: Option<(f64, f64)>,
    },
    /// A filled circle.
    Dot {
        at: (f64, f64),
        radius: f64,
        colour: RGBColor,
    },
    Text {
        text: String,
        at: (f64, f64),
        letters: Letters,
    },
}

/// A picture in the making.
#[derive(Debug, Default)]
pub(super) struct Scene {
    pub shapes: Vec<Shape>,
    pub width: f64,
    pub height: f64,
}

impl Scene {
    /// Adds a line of one width from one point to another.
    pub fn rule(&mut self, from: (f64, f64), to: (f64, f64), colour: RGBColor, width: f64) {
        self.shapes.push(Shape::Line { through: vec![from, to], colour, width, strokes: None });
    }

    /// Adds a text.
    pub fn text(&mut self, text: &str, at: (f64, f64), letters: Letters) {
        if !text.is_empty() {
            self.shapes.push(Shape::Text { text: text.to_owned(), at, letters });
        }
    }
}

impl Drawing for Scene {
    fn size(&self) -> (f64, f64) {
        (self.width, self.height)
    }

    fn draw<B: DrawingBackend>(&self, area: &Area<B>) -> Drawn
    where
        B::ErrorType: 'static,
    {
        area.fill(&WHITE)?;
        for shape in &self.shapes {
            match shape {
                Shape::Box { from, to, colour } => {
                    area.draw(&Rectangle::new([point(*from), point(*to)], colour.filled()))?;
                }
                Shape::Line { through, colour, width, strokes } => {
                    let way = through.iter().map(|at| point(*at)).collect::<Vec<_>>();
                    let style = colour.stroke_width((width * FINE).round() as u32);
                    match strokes {
                        None => area.draw(&PathElement::new(way, style))?,
                        Some((stroke, gap)) => {
                            let fine = |length: &f64| (length * FINE).round() as u32;
                            area.draw(&DashedPathElement::new(
                                way,
                                fine(stroke),
                                fine(gap),
                                style,
                            ))?;
                        }
                    }
                }
                Shape::Dot { at: (x, y), radius, colour } => {
                    const CORNERS: u32 = 24;
                    let corner = |corner: u32| {
                        let angle = std::f64::consts::TAU * f64::from(corner) / f64::from(CORNERS);
                        point((x + radius * angle.cos(), y + radius * angle.sin()))
                    };
                    let corners = (0..CORNERS).map(corner).collect::<Vec<_>>();
                    area.draw(&Polygon::new(corners, colour.filled()))?;
                }
                Shape::Text { text, at: (x, y), letters } => {
                    // Capitals and digits stand in the middle, which are higher than what is taken for it.
                    let at = (*x, y + 0.09 * letters.size);
                    write(area, text, at, Letters { size: ENLARGED * letters.size, ..*letters })?;
                }
            }
        }
        area.present()?;
        Ok(())
    }
}

/// Letters of one size and colour.
pub(super) fn plain(size: f64, colour: RGBColor, side: Side) -> Letters {
    Letters::new(size, Weight::Regular, colour, side)
}
