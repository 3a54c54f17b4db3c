//! PNG from SVG, with the letters that are shipped.

use std::sync::Arc;

use resvg::tiny_skia::{Color, Pixmap, Transform};
use resvg::usvg::{Options, Tree, fontdb};

use super::PictureError;
use super::font::{BOLD, FAMILY, REGULAR};

/// No side may have more points.
const LARGEST: u32 = 16_000;

/// Draws an SVG as PNG on white, twice as large, for displays of today.
///
/// # Errors
/// What the drawing library says; that it would be too large.
pub fn to_png(svg: &str) -> Result<Vec<u8>, PictureError> {
    let drawing = |error: String| PictureError::Drawing(error);
    let mut fonts = fontdb::Database::new();
    for font in [REGULAR, BOLD] {
        fonts.load_font_source(fontdb::Source::Binary(Arc::new(font)));
    }
    if fonts.is_empty() {
        // Without a font the library draws no text and says nothing.
        return Err(drawing("the letters are missing".into()));
    }
    fonts.set_sans_serif_family(FAMILY);
    let options =
        Options { fontdb: Arc::new(fonts), font_family: FAMILY.into(), ..Options::default() };
    let tree = Tree::from_str(svg, &options).map_err(|error| drawing(error.to_string()))?;
    let size = tree.size().to_int_size();
    let mut scale = 2;
    if size.width().max(size.height()) * 2 > LARGEST {
        scale = 1;
    }
    let (width, height) = (size.width() * scale, size.height() * scale);
    let too_large = PictureError::Size { width, height };
    if width.max(height) > LARGEST {
        return Err(too_large);
    }
    let mut pixels = Pixmap::new(width, height).ok_or(too_large)?;
    pixels.fill(Color::WHITE);
    let transform = Transform::from_scale(scale as f32, scale as f32);
    resvg::render(&tree, transform, &mut pixels.as_mut());
    pixels.encode_png().map_err(|error| drawing(error.to_string()))
}
