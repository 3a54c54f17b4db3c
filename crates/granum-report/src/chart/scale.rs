//! The heights of a chart: from where to where, which of them are named, and how.

use granum_core::tally::Chart;
use granum_core::value::{Scale as Places, decimal};

/// Heights are named up to so many times.
const MOST: f64 = 6.0;

/// Nothing is higher.
const GREATEST: f64 = 1e300;

/// Numbers of so many digits are written by their power of ten.
const DIGITS: f64 = 1e15;

/// The heights that a chart shows, the same for all its panels.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Scale {
    pub low: f64,
    pub high: f64,
    /// The heights that are named, in their order.
    pub named: Vec<f64>,
    /// Decimal places of what is named.
    places: u8,
    /// What values are told in: 1, or a million where they are many millions.
    unit: f64,
    share: bool,
    /// Whether all values are whole, and told one by one.
    whole: bool,
}

impl Scale {
    /// The heights of all that is drawn.
    pub fn of(chart: &Chart) -> Self {
        let (mut low, mut high) = (f64::INFINITY, f64::NEG_INFINITY);
        // Sums of what is stacked may be larger than any number.
        let mut take = |value: f64| {
            let value = value.clamp(-GREATEST, GREATEST);
            (low, high) = (low.min(value), high.max(value));
        };
        for panel in &chart.panels {
            for place in 0..chart.places {
                let (mut up, mut down) = (0.0, 0.0);
                for (series, values) in chart.series.iter().zip(&panel.values) {
                    let Some(value) = values[place] else { continue };
                    if chart.stacked && series.bars {
                        *(if value < 0.0 { &mut down } else { &mut up }) += value;
                    } else {
                        take(value);
                    }
                }
                if chart.stacked {
                    take(up);
                    take(down);
                }
            }
        }
        if low > high {
            (low, high) = (0.0, 1.0);
        }
        // Bars begin at zero. So do lines, unless all that is to be seen lies far from it.
        let bars = chart.series.iter().any(|series| series.bars);
        if bars || low < 0.0 || high - low > 0.3 * high {
            (low, high) = (low.min(0.0), high.max(0.0));
        }
        Self::from_to(low, high, chart)
    }

    fn from_to(low: f64, high: f64, chart: &Chart) -> Self {
        let mut values = chart.panels.iter().flat_map(|panel| &panel.values).flatten().flatten();
        let whole = !chart.share && values.all(|value| value.fract() == 0.0);
        // Where all are one there is a little room around.
        let span = if high > low { high - low } else { high.abs().max(1.0) / 2.0 };
        let (low, high) =
            if high > low { (low, high) } else { (low - span / 2.0, high + span / 2.0) };
        let step = match step(span / MOST) {
            step if whole && step < 1.0 => 1.0,
            step if whole && step.fract() > 0.0 => 2.0 * step,
            step => step,
        };
        let first = (low / step + 1e-9).floor();
        let last = (high / step - 1e-9).ceil();
        let count = (last - first).round().clamp(1.0, 100.0) as usize;
        let named: Vec<f64> = (0..=count).map(|at| (first + at as f64) * step).collect();
        let unit = if !chart.share && low.abs().max(high.abs()) >= 1e7 { 1e6 } else { 1.0 };
        let shown = if chart.share { 100.0 * step } else { step / unit };
        // As many places as the step has, which is 1, 2, 2.5 or 5 of some power of ten.
        let mut places = 0;
        while places < 12 && (shown * 10_f64.powi(places)).fract().abs() > 1e-6 {
            places += 1;
        }
        Self {
            low: named[0],
            high: named[count],
            named,
            places: places as u8,
            unit,
            share: chart.share,
            whole: whole && unit == 1.0,
        }
    }

    /// Where a height is between the lowest, 0, and the highest, 1.
    pub fn at(&self, value: f64) -> f64 {
        (value - self.low) / (self.high - self.low)
    }

    /// The height at which bars begin.
    pub fn base(&self) -> f64 {
        0.0_f64.clamp(self.low, self.high)
    }

    /// A height that is named.
    pub fn name(&self, value: f64) -> String {
        self.told(value, self.places)
    }

    /// The height of a bar, where it is written at its end: all of a chart with as many places.
    pub fn value(&self, value: f64) -> String {
        let most = self.low.abs().max(self.high.abs()) / self.unit;
        let places = if self.share {
            1
        } else if self.whole || most >= 1_000.0 {
            0
        } else if most >= 100.0 {
            1
        } else {
            2
        };
        self.told(value, places)
    }

    fn told(&self, value: f64, places: u8) -> String {
        let shown = if self.share { 100.0 * value } else { value / self.unit };
        if shown.abs() >= DIGITS {
            return format!("{shown:.1e}").replace('-', "\u{2212}");
        }
        let units = (shown * 10_f64.powi(places.into())).round();
        let text = decimal::grouped(units as i128, Places(places));
        if self.share { format!("{text}%") } else { text }
    }

    /// What stands behind a column's name, where values are not told one by one.
    pub fn in_what(&self) -> &'static str {
        if self.unit > 1.0 { ", in millions" } else { "" }
    }
}

/// The least of 1, 2, 2.5 and 5 times a power of ten that is no less.
fn step(least: f64) -> f64 {
    let power = 10_f64.powf(least.log10().floor());
    let steps = [1.0, 2.0, 2.5, 5.0, 10.0].map(|of| of * power);
    steps.into_iter().find(|step| *step >= least * (1.0 - 1e-9)).unwrap_or(10.0 * power)
}
