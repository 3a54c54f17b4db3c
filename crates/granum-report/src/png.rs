//! Drawing into points, with the letters that are shipped.

use std::convert::Infallible;

use plotters_backend::text_anchor::{HPos, VPos};
use plotters_backend::{
    BackendColor, BackendCoord, BackendStyle, BackendTextStyle, DrawingBackend, DrawingErrorKind,
    FontStyle,
};
use tiny_skia::{
    Color, FillRule, LineCap, LineJoin, Paint, Path, PathBuilder, Pixmap, Rect, Stroke, Transform,
};
use ttf_parser::OutlineBuilder;

use super::PictureError;
use super::font::{Ruler, Weight};

/// No side may have more points.
const LARGEST: u32 = 16_000;

/// A picture in points, which is drawn into in finer numbers.
pub(crate) struct Points {
    map: Pixmap,
    /// How large it is in those.
    size: (u32, u32),
    /// How many points one of those is.
    scale: f32,
    ruler: Ruler,
}

type Drawn = Result<(), DrawingErrorKind<Infallible>>;

impl Points {
    /// A white picture, twice as large as `fine` numbers of which so many are a point, for displays
    /// of today.
    ///
    /// # Errors
    /// That it would be too large.
    pub fn new(size: (u32, u32), fine: f64) -> Result<Self, PictureError> {
        let side =
            |fine_side: u32, scale: f64| (f64::from(fine_side) * scale / fine).round() as u32;
        let scale = if side(size.0.max(size.1), 2.0) > LARGEST { 1.0 } else { 2.0 };
        let (width, height) = (side(size.0, scale), side(size.1, scale));
        let too_large = PictureError::Size { width, height };
        if width.max(height) > LARGEST {
            return Err(too_large);
        }
        let mut map = Pixmap::new(width, height).ok_or(too_large)?;
        map.fill(Color::WHITE);
        Ok(Self { map, size, scale: (scale / fine) as f32, ruler: Ruler::new() })
    }

    /// The picture as PNG.
    ///
    /// # Errors
    /// What the library says that packs it.
    pub fn png(&self) -> Result<Vec<u8>, PictureError> {
        self.map.encode_png().map_err(|error| PictureError::Drawing(error.to_string()))
    }

    fn at(&self) -> Transform {
        Transform::from_scale(self.scale, self.scale)
    }

    fn fill(&mut self, path: &Path, color: BackendColor, at: Transform) {
        self.map.fill_path(path, &paint(color), FillRule::Winding, at, None);
    }
}

fn paint(color: BackendColor) -> Paint<'static> {
    let (red, green, blue) = color.rgb;
    let mut paint = Paint { anti_alias: true, ..Paint::default() };
    paint.set_color_rgba8(red, green, blue, (color.alpha * 255.0).round() as u8);
    paint
}

/// Lines through some points.
fn lines(through: impl IntoIterator<Item = BackendCoord>, closed: bool) -> Option<Path> {
    let mut path = PathBuilder::new();
    for (x, y) in through {
        let (x, y) = (x as f32, y as f32);
        if path.is_empty() { path.move_to(x, y) } else { path.line_to(x, y) }
    }
    if closed {
        path.close();
    }
    path.finish()
}

impl DrawingBackend for &mut Points {
    type ErrorType = Infallible;

    fn get_size(&self) -> (u32, u32) {
        self.size
    }

    fn ensure_prepared(&mut self) -> Drawn {
        Ok(())
    }

    fn present(&mut self) -> Drawn {
        Ok(())
    }

    fn draw_pixel(&mut self, (x, y): BackendCoord, color: BackendColor) -> Drawn {
        if let Some(rect) = Rect::from_xywh(x as f32, y as f32, 1.0, 1.0) {
            self.map.fill_rect(rect, &paint(color), self.at(), None);
        }
        Ok(())
    }

    fn draw_line<S: BackendStyle>(
        &mut self,
        from: BackendCoord,
        to: BackendCoord,
        style: &S,
    ) -> Drawn {
        self.draw_path([from, to], style)
    }

    fn draw_rect<S: BackendStyle>(
        &mut self,
        (left, top): BackendCoord,
        (right, bottom): BackendCoord,
        style: &S,
        fill: bool,
    ) -> Drawn {
        let corners = [(left, top), (right, top), (right, bottom), (left, bottom)];
        if fill { self.fill_polygon(corners, style) } else { self.draw_path(corners, style) }
    }

    fn draw_path<S: BackendStyle, I: IntoIterator<Item = BackendCoord>>(
        &mut self,
        path: I,
        style: &S,
    ) -> Drawn {
        if let Some(path) = lines(path, false) {
            let stroke = Stroke {
                width: style.stroke_width() as f32,
                line_cap: LineCap::Butt,
                line_join: LineJoin::Miter,
                ..Stroke::default()
            };
            self.map.stroke_path(&path, &paint(style.color()), &stroke, self.at(), None);
        }
        Ok(())
    }

    fn fill_polygon<S: BackendStyle, I: IntoIterator<Item = BackendCoord>>(
        &mut self,
        corners: I,
        style: &S,
    ) -> Drawn {
        if let Some(path) = lines(corners, true) {
            self.fill(&path, style.color(), self.at());
        }
        Ok(())
    }

    fn draw_text<S: BackendTextStyle>(
        &mut self,
        text: &str,
        style: &S,
        (x, y): BackendCoord,
    ) -> Drawn {
        let weight = match style.style() {
            FontStyle::Bold => Weight::Bold,
            _ => Weight::Regular,
        };
        // As large as the library writes a text of this size into an SVG.
        let size = style.size() / 1.24;
        let (glyphs, ruled) = self.ruler.outlines(text, size, weight);
        let left = match style.anchor().h_pos {
            HPos::Left => 0.0,
            HPos::Center => -ruled.width / 2.0,
            HPos::Right => -ruled.width,
        };
        let down = match style.anchor().v_pos {
            VPos::Top => 0.76 * size,
            VPos::Center => ruled.lower / 2.0,
            VPos::Bottom => -ruled.lower / 2.0,
        };
        let (x, y) = (f64::from(x) + left, f64::from(y) + down);
        if let Some(path) = glyphs.0.finish() {
            let at = self.at().pre_translate(x as f32, y as f32);
            self.fill(&path, style.color(), at);
        }
        Ok(())
    }
}

/// The outlines of letters, each moved to its place; y goes down.
#[derive(Default)]
pub(crate) struct Glyphs(PathBuilder);

/// Draws one letter behind those before it.
pub(crate) struct Letter<'g> {
    pub into: &'g mut Glyphs,
    pub x: f32,
    pub scale: f32,
}

impl Letter<'_> {
    fn point(&self, x: f32, y: f32) -> (f32, f32) {
        (self.x + x * self.scale, -y * self.scale)
    }
}

impl OutlineBuilder for Letter<'_> {
    fn move_to(&mut self, x: f32, y: f32) {
        let (x, y) = self.point(x, y);
        self.into.0.move_to(x, y);
    }

    fn line_to(&mut self, x: f32, y: f32) {
        let (x, y) = self.point(x, y);
        self.into.0.line_to(x, y);
    }

    fn quad_to(&mut self, x1: f32, y1: f32, x: f32, y: f32) {
        let ((x1, y1), (x, y)) = (self.point(x1, y1), self.point(x, y));
        self.into.0.quad_to(x1, y1, x, y);
    }

    fn curve_to(&mut self, x1: f32, y1: f32, x2: f32, y2: f32, x: f32, y: f32) {
        let ((x1, y1), (x2, y2), (x, y)) =
            (self.point(x1, y1), self.point(x2, y2), self.point(x, y));
        self.into.0.cubic_to(x1, y1, x2, y2, x, y);
    }

    fn close(&mut self) {
        self.into.0.close();
    }
}

#[cfg(test)]
mod tests {
    use plotters::prelude::*;
    use plotters::style::text_anchor::Pos;

    use super::*;

    /// How dark the part of a picture is in which a text of one weight was written.
    fn ink(text: &str, style: FontStyle, side: HPos) -> (u64, u64) {
        let mut points = Points::new((1600, 400), 8.0).unwrap();
        {
            let area = DrawingArea::from(&mut points);
            let font = FontDesc::new(FontFamily::SansSerif, 160.0, style);
            let style = TextStyle::from(font).pos(Pos::new(side, VPos::Center));
            area.draw(&Text::new(text.to_owned(), (800, 200), style)).unwrap();
        }
        assert!(points.png().unwrap().starts_with(b"\x89PNG"));
        let dark = |half: bool| {
            let width = points.map.width() as usize;
            let inked = points.map.pixels().iter().enumerate();
            let inked = inked.filter(|(at, _)| (at % width < width / 2) == half);
            inked.map(|(_, pixel)| u64::from(255 - pixel.red())).sum()
        };
        (dark(true), dark(false))
    }

    #[test]
    fn texts_are_drawn_where_they_are_anchored_with_the_letters_that_are_shipped() {
        let (left, right) = ink("grain", FontStyle::Normal, HPos::Left);
        assert!(left == 0 && right > 0);
        let (before, after) = ink("grain", FontStyle::Normal, HPos::Right);
        assert!(before > 0 && after == 0);
        assert!(ink("grain", FontStyle::Bold, HPos::Left).1 > right);
        // A letter that is not shipped is a box, not nothing.
        assert!(ink("\u{4e00}", FontStyle::Normal, HPos::Left).1 > 0);
        assert_eq!(ink(" ", FontStyle::Normal, HPos::Left), (0, 0));
    }

    #[test]
    fn what_no_viewer_would_open_is_refused() {
        let size = |width| Points::new((width, 80), 8.0).map(|points| points.map.width());
        assert_eq!(size(8 * 8_000), Ok(16_000));
        assert_eq!(size(8 * 8_001), Ok(8_001));
        assert_eq!(size(8 * 16_001), Err(PictureError::Size { width: 16_001, height: 10 }));
    }
}
