//! The colours of what is drawn: told apart by eyes that do not tell red from green, and on paper in grey, where each
//! has a lightness of its own.

use plotters::style::RGBColor;

/// By the place of what is drawn: bars first. As many as a chart shows columns.
const BARS: [RGBColor; 6] = [
    RGBColor(29, 63, 114),
    RGBColor(237, 167, 58),
    RGBColor(169, 71, 43),
    RGBColor(199, 222, 240),
    RGBColor(110, 147, 181),
    RGBColor(38, 22, 46),
];

/// The same for lines, which are thin: none is pale.
const LINES: [RGBColor; 6] =
    [BARS[0], RGBColor(214, 137, 16), BARS[2], RGBColor(95, 163, 211), BARS[4], BARS[5]];

/// The gaps and strokes of lines, in points, by the same places: no gap is a line without one.
pub(super) const STROKES: [Option<(f64, f64)>; 6] = [
    None,
    Some((8.0, 4.0)),
    Some((2.5, 3.0)),
    Some((14.0, 4.0)),
    Some((5.0, 2.0)),
    Some((1.5, 1.5)),
];

/// What stands behind all: lines of heights.
pub(super) const GRID: RGBColor = RGBColor(226, 232, 240);

/// The colour of what is drawn at a place.
pub(super) fn colour(at: usize, bars: bool) -> RGBColor {
    let colours = if bars { BARS } else { LINES };
    colours[at % colours.len()]
}

#[cfg(test)]
mod tests {
    use super::*;

    fn linear(part: f64) -> f64 {
        let part = part / 255.0;
        if part <= 0.04045 { part / 12.92 } else { ((part + 0.055) / 1.055).powf(2.4) }
    }

    /// CIE lightness, from 0 to 100.
    fn lightness([red, green, blue]: [f64; 3]) -> f64 {
        let y = 0.2126 * red + 0.7152 * green + 0.0722 * blue;
        if y > 0.008_856 { 116.0 * y.cbrt() - 16.0 } else { 903.3 * y }
    }

    /// What eyes without the green or the red cones see, in linear light: Viénot, Brettel and Mollon (1999).
    fn seen([red, green, blue]: [f64; 3], without_green: bool) -> [f64; 3] {
        if without_green {
            [
                0.29275 * red + 0.70725 * green,
                0.29275 * red + 0.70725 * green,
                -0.02234 * red + 0.02234 * green + blue,
            ]
        } else {
            [
                0.10889 * red + 0.89111 * green,
                0.10889 * red + 0.89111 * green,
                0.00447 * red - 0.00447 * green + blue,
            ]
        }
    }

    fn parts(colour: RGBColor) -> [f64; 3] {
        [colour.0, colour.1, colour.2].map(|part| linear(part.into()))
    }

    #[test]
    fn no_two_colours_of_bars_are_alike_in_grey_or_to_eyes_that_do_not_tell_red_from_green() {
        for (at, one) in BARS.iter().enumerate() {
            for other in &BARS[at + 1..] {
                let (one, other) = (parts(*one), parts(*other));
                let apart = (lightness(one) - lightness(other)).abs();
                assert!(apart >= 9.0, "{one:?} {other:?} are {apart} apart in grey");
                for without_green in [false, true] {
                    let (one, other) = (seen(one, without_green), seen(other, without_green));
                    let lighter = (lightness(one) - lightness(other)).abs();
                    let bluer =
                        (one[2].cbrt() - one[0].cbrt() - other[2].cbrt() + other[0].cbrt()).abs();
                    assert!(lighter + 60.0 * bluer >= 15.0, "{lighter} {bluer}");
                }
            }
        }
    }

    #[test]
    fn lines_can_be_seen_on_white_and_each_has_its_own_stroke() {
        for (at, line) in LINES.iter().enumerate() {
            assert!(lightness(parts(*line)) < 68.0, "line {at} is pale");
            assert!(STROKES[at + 1..].iter().all(|other| *other != STROKES[at]));
        }
    }
}
