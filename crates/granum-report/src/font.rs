//! The letters that pictures are written in, and how wide texts are.

use ttf_parser::Face;

/// What the letters are called where a picture names them; another sans serif will do.
pub(crate) const FAMILY: &str = "DejaVu Sans";

const REGULAR: &[u8] = include_bytes!("../fonts/DejaVuSans.ttf");
const BOLD: &[u8] = include_bytes!("../fonts/DejaVuSans-Bold.ttf");

/// How a text is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Weight {
    Regular,
    Bold,
}

/// What a text measures.
#[cfg(feature = "png")]
#[derive(Debug, Clone, Copy)]
pub(crate) struct Ruled {
    pub width: f64,
    /// The height of its lower-case letters.
    pub lower: f64,
}

/// Measures texts.
pub(crate) struct Ruler {
    regular: Option<Face<'static>>,
    bold: Option<Face<'static>>,
}

impl Ruler {
    pub fn new() -> Self {
        Self { regular: Face::parse(REGULAR, 0).ok(), bold: Face::parse(BOLD, 0).ok() }
    }

    fn face(&self, weight: Weight) -> Option<&Face<'static>> {
        match weight {
            Weight::Regular => self.regular.as_ref(),
            Weight::Bold => self.bold.as_ref(),
        }
    }

    /// How wide a text is at a size, both in points.
    pub fn width(&self, text: &str, size: f64, weight: Weight) -> f64 {
        let Some(face) = self.face(weight) else {
            return text.chars().count() as f64 * size * 0.65;
        };
        let units = f64::from(face.units_per_em());
        let advance = |letter: char| {
            let glyph = face.glyph_index(letter).and_then(|glyph| face.glyph_hor_advance(glyph));
            // A letter that is not shipped is about as wide as others.
            glyph.map_or(0.65 * units, f64::from)
        };
        text.chars().map(advance).sum::<f64>() * size / units
    }

    /// The outlines of a text's letters from its left end on, at a size; and how wide it is, and how
    /// high its lower-case letters. A letter that is not shipped is the box that stands for such.
    #[cfg(feature = "png")]
    pub fn outlines(&self, text: &str, size: f64, weight: Weight) -> (crate::png::Glyphs, Ruled) {
        let mut glyphs = crate::png::Glyphs::default();
        let Some(face) = self.face(weight) else {
            return (glyphs, Ruled { width: 0.0, lower: 0.0 });
        };
        let scale = size / f64::from(face.units_per_em());
        let mut width = 0.0;
        for letter in text.chars() {
            let glyph = face.glyph_index(letter).unwrap_or_default();
            let (x, scale) = (width as f32, scale as f32);
            let mut letter = crate::png::Letter { into: &mut glyphs, x, scale };
            // A space has no outline.
            let _ = face.outline_glyph(glyph, &mut letter);
            width += f64::from(face.glyph_hor_advance(glyph).unwrap_or(0)) * f64::from(scale);
        }
        // The font has no table that says it.
        let lower = face.glyph_index('x').and_then(|glyph| face.glyph_bounding_box(glyph));
        let lower = lower.map_or(0.0, |seen| f64::from(seen.y_max)) * scale;
        (glyphs, Ruled { width, lower })
    }

    /// A text that is no wider than `most`.
    pub fn fitted(&self, text: &str, size: f64, weight: Weight, most: f64) -> String {
        if self.width(text, size, weight) <= most {
            return text.to_owned();
        }
        let mut letters: Vec<char> = text.chars().collect();
        while !letters.is_empty() {
            letters.pop();
            let shorter: String = letters.iter().chain(&['\u{2026}']).collect();
            if self.width(&shorter, size, weight) <= most {
                return shorter;
            }
        }
        String::new()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn texts_are_measured_by_the_letters_that_are_shipped() {
        let ruler = Ruler::new();
        assert!(ruler.regular.is_some() && ruler.bold.is_some());
        let narrow = ruler.width("iii", 12.0, Weight::Regular);
        assert!(narrow < ruler.width("WWW", 12.0, Weight::Regular) / 2.0);
        assert!(
            ruler.width("order_no", 12.0, Weight::Bold)
                > ruler.width("order_no", 12.0, Weight::Regular)
        );
        let fitted = ruler.fitted("a_very_long_column_name", 12.0, Weight::Regular, 60.0);
        assert!(
            fitted.ends_with('\u{2026}') && ruler.width(&fitted, 12.0, Weight::Regular) <= 60.0
        );
    }
}
