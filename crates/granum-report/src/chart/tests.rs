//! What must hold of every chart that is drawn.

use granum_core::tally::{Along, Chart, Panel, Series};
use proptest::prelude::*;

use super::frame::laid_out;
use super::scale::Scale;
use super::scene::{Scene, Shape};
use super::*;
use crate::font::Ruler;
use crate::pen::Side;

/// A chart of months with some columns, of which the first so many are bars.
fn chart(bars: usize, panels: Vec<Vec<Vec<Option<f64>>>>) -> Chart {
    let columns = panels[0].len();
    let places = panels[0][0].len();
    let series = |at: usize| Series { name: format!("column {at}"), bars: at < bars };
    let several = panels.len() > 1;
    let panel = |(at, values)| Panel { name: several.then(|| format!("panel {at}")), values };
    Chart {
        title: "Sales".into(),
        table: "t".into(),
        x: "month".into(),
        along: Along::Months(12 * 2025 + 6),
        places,
        by: several.then(|| "p".into()),
        series: (0..columns).map(series).collect(),
        panels: panels.into_iter().enumerate().map(panel).collect(),
        stacked: false,
        share: false,
        left_out: 0,
        rows: places as u64,
    }
}

fn boxes(scene: &Scene) -> Vec<((f64, f64), (f64, f64))> {
    let own = scene.shapes.iter().filter_map(|shape| match shape {
        Shape::Box { from, to, .. } => Some((*from, *to)),
        _ => None,
    });
    own.collect()
}

/// The lines that go through data: those of two points are rules.
fn lines(scene: &Scene) -> Vec<usize> {
    let own = scene.shapes.iter().filter_map(|shape| match shape {
        Shape::Line { through, width, .. } if *width > 2.0 => Some(through.len()),
        _ => None,
    });
    own.collect()
}

/// Where texts stand: from left to right, and the middle of their height.
fn texts(scene: &Scene) -> Vec<(f64, f64, f64, String)> {
    let ruler = Ruler::new();
    let own = scene.shapes.iter().filter_map(|shape| match shape {
        Shape::Text { text, at: (x, y), letters } => {
            let width = ruler.width(text, letters.size, letters.weight);
            let left = match letters.side {
                Side::Left => *x,
                Side::Middle => x - width / 2.0,
                Side::Right => x - width,
            };
            Some((left, left + width, *y, text.clone()))
        }
        _ => None,
    });
    own.collect()
}

fn values() -> impl Strategy<Value = Vec<Vec<Vec<Option<f64>>>>> {
    let value = prop_oneof![
        1 => Just(None),
        4 => (-1_000_000..3_000_000_i64).prop_map(|cents| Some(cents as f64 / 100.0)),
    ];
    (1..4_usize, 1..3_usize, 1..90_usize).prop_flat_map(move |(panels, columns, places)| {
        let column = prop::collection::vec(value.clone(), places);
        prop::collection::vec(prop::collection::vec(column, columns), panels)
    })
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    #[test]
    fn nothing_stands_outside_of_the_picture_and_no_two_names_touch(
        values in values(),
        bars in 0..3_usize,
        texts_along in any::<bool>(),
    ) {
        let mut chart = chart(bars, values);
        if texts_along {
            let words = (0..chart.places).map(|at| format!("article {at} {}", "x".repeat(at % 30)));
            chart.along = Along::Texts(words.collect());
        }
        let scene = laid_out(&chart);
        for (from, to) in boxes(&scene) {
            prop_assert!(from.0 >= 0.0 && to.0 <= scene.width && from.0 <= to.0, "{from:?} {to:?}");
            prop_assert!(from.1 >= 0.0 && to.1 <= scene.height && from.1 <= to.1, "{from:?} {to:?}");
        }
        let texts = texts(&scene);
        for (at, (left, right, y, text)) in texts.iter().enumerate() {
            prop_assert!(*left >= 0.0 && *right <= scene.width && *y > 0.0 && *y < scene.height, "{text}");
            for (other_left, other_right, other_y, other) in &texts[at + 1..] {
                let apart = right <= other_left || other_right <= left || (y - other_y).abs() > 9.0;
                prop_assert!(apart, "{text} touches {other}");
            }
        }
    }

    #[test]
    fn bars_begin_at_zero_and_are_as_high_as_their_values(column in prop::collection::vec(-500..900_i64, 1..40)) {
        let values = column.iter().map(|value| Some(*value as f64)).collect();
        let scene = laid_out(&chart(1, vec![vec![values]]));
        let bars = boxes(&scene);
        prop_assert_eq!(bars.len(), column.len());
        // One height for all: a unit is so many points, from the line of zero up or down.
        let (tallest, value) = bars.iter().zip(&column).max_by_key(|(_, value)| value.abs()).unwrap();
        let unit = (tallest.1.1 - tallest.0.1) / (value.abs() as f64).max(1e-9);
        for ((from, to), value) in bars.iter().zip(&column) {
            if *value != 0 {
                prop_assert!((to.1 - from.1 - unit * value.abs() as f64).abs() < 0.01);
            }
            let zero = if *value < 0 { from.1 } else { to.1 };
            let other = bars.iter().zip(&column).find(|(_, other)| **other > 0).map(|((_, to), _)| to.1);
            prop_assert!(other.is_none_or(|other| (zero - other).abs() < 0.01));
        }
    }

    #[test]
    fn all_heights_lie_between_the_least_and_the_greatest_that_is_named(values in values(), bars in 0..3_usize) {
        let chart = chart(bars, values);
        let scale = Scale::of(&chart);
        prop_assert!(scale.named.len() >= 2 && scale.named.len() <= 12, "{:?}", scale.named);
        let names: Vec<String> = scale.named.iter().map(|value| scale.name(*value)).collect();
        let mut once = names.clone();
        once.dedup();
        prop_assert_eq!(&once, &names);
        for value in chart.panels.iter().flat_map(|panel| &panel.values).flatten().flatten() {
            prop_assert!(*value >= scale.low - 1e-6 && *value <= scale.high + 1e-6);
        }
        prop_assert!(bars == 0 || (scale.low <= 0.0 && scale.high >= 0.0));
    }
}

#[test]
fn a_line_is_broken_where_a_place_has_no_value() {
    let values = vec![Some(1.0), Some(2.0), None, Some(3.0), None, Some(1.0), Some(1.0), Some(2.0)];
    let scene = laid_out(&chart(0, vec![vec![values]]));
    assert_eq!(lines(&scene), [2, 3]);
}

#[test]
fn what_could_be_taken_wrong_stands_below_the_chart() {
    let foot = |chart: &Chart| texts(&laid_out(chart)).last().unwrap().3.clone();
    let values = || vec![vec![vec![Some(95.0), Some(97.0)]]];
    assert_eq!(foot(&chart(1, values())), "month");
    assert_eq!(foot(&chart(0, values())), "month \u{b7} heights begin at 95");
    let mut some = chart(1, values());
    some.left_out = 1_200;
    assert_eq!(foot(&some), "month \u{b7} not drawn: 1,200 rows whose month is blank");
}

#[test]
fn bars_that_are_stacked_stand_on_each_other_and_those_below_zero_hang() {
    let mut chart = chart(3, vec![vec![vec![Some(2.0)], vec![Some(-1.0)], vec![Some(1.0)]]]);
    chart.stacked = true;
    let scale = Scale::of(&chart);
    assert!(scale.low <= -1.0 && scale.high >= 3.0);
    // Those of the legend come first.
    let bars = &boxes(&laid_out(&chart))[3..];
    assert!((bars[0].0.1 - bars[2].1.1).abs() < 0.01, "{bars:?}");
    assert!((bars[0].1.1 - bars[1].0.1).abs() < 0.01, "{bars:?}");
}

#[test]
fn heights_are_named_as_they_read() {
    let of = |values: &[f64], share: bool| {
        let mut chart = chart(1, vec![vec![values.iter().copied().map(Some).collect()]]);
        chart.share = share;
        let scale = Scale::of(&chart);
        let names: Vec<String> = scale.named.iter().map(|value| scale.name(*value)).collect();
        (names.join(" "), scale.value(values[0]), scale.in_what())
    };
    assert_eq!(
        of(&[1234.5, 4000.0], false),
        ("0 1,000 2,000 3,000 4,000".into(), "1,235".into(), "")
    );
    assert_eq!(of(&[3.0, 14.0], false), ("0 5 10 15".into(), "3".into(), ""));
    assert_eq!(of(&[0.125, 0.5], true), ("0% 10% 20% 30% 40% 50%".into(), "12.5%".into(), ""));
    assert_eq!(
        of(&[0.02, -0.03], false).0,
        "\u{2212}0.03 \u{2212}0.02 \u{2212}0.01 0.00 0.01 0.02"
    );
    let (names, ..) = of(&[2e300, -3e20], false);
    assert_eq!(names, "0 2.0e293 4.0e293 6.0e293 8.0e293 1.0e294");
    let (names, value, what) = of(&[123_456_789.0, 250e6], false);
    assert_eq!(
        (names.as_str(), value.as_str(), what),
        ("0 50 100 150 200 250", "123.5", ", in millions")
    );
}

#[test]
fn a_picture_is_told_and_texts_of_users_are_no_part_of_it() {
    let mut chart = chart(1, vec![vec![vec![Some(1.0), None]]]);
    chart.title = "</title><script>alert(1)</script> & more\n\u{7}".into();
    chart.series[0].name = "\"><script>".into();
    let svg = ChartPicture::new(&chart).svg().unwrap();
    assert!(!svg.contains("<script"), "{svg}");
    assert!(svg.contains(
        "<title>&lt;/title&gt;&lt;script&gt;alert(1)&lt;/script&gt; &amp; more  </title>"
    ));
    assert!(svg.contains("; month from 2025-07 to 2025-08</desc>"));
    #[cfg(feature = "png")]
    assert!(ChartPicture::new(&chart).png().unwrap().starts_with(b"\x89PNG"));
}
