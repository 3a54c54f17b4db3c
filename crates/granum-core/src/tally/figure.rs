//! The numbers of a run that are compared with another run's: rows of tables, shares of links, amounts of
//! outputs.

use serde::{Deserialize, Serialize};

use super::Report;
use super::link::share_text;
use crate::value::decimal;

/// What a number counts.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(rename_all = "kebab-case")]
pub enum FigureKind {
    /// Rows of a table at its end.
    Rows,
    /// The share of a link's rows that lead somewhere, in percent with two places, rounded down.
    Share,
    /// An amount of an output.
    Amount,
}

/// A number of a run.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Figure {
    /// Of what: `lines`, `lines \u{2192} orders`, `out/sales.csv net`.
    pub of: String,
    /// What it counts.
    pub kind: FigureKind,
    /// The number, exactly.
    pub value: String,
}

/// A number that is another than in an earlier run.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Moved {
    /// Of what.
    pub of: String,
    /// What it counts.
    pub kind: FigureKind,
    /// What it was; nothing where it is new.
    pub before: Option<String>,
    /// What it is; nothing where it is no more.
    pub now: Option<String>,
    /// Whether it moved more than it did between that run and the one that it was compared with.
    pub more: bool,
}

/// What is known of an earlier run.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Earlier {
    /// Its numbers.
    pub figures: Vec<Figure>,
    /// How they had moved then.
    pub moved: Vec<Moved>,
}

/// The numbers of a run.
pub fn figures(report: &Report) -> Vec<Figure> {
    let figure = |of: String, kind, value: String| Figure { of, kind, value };
    let mut all = vec![];
    for table in &report.tables {
        let rows = table.rows_at_end();
        all.push(figure(table.name.clone(), FigureKind::Rows, rows.to_string()));
    }
    for link in &report.links {
        let share = share_text(link.matched.into(), link.counted().into());
        let of = format!("{} \u{2192} {}", link.from, link.name);
        all.push(figure(of, FigureKind::Share, share.trim_end_matches('%').to_owned()));
    }
    for bridge in &report.bridges {
        let Some(total) = bridge.total else { continue };
        let of = format!("{} {}", bridge.output, bridge.amount);
        if let Some(value) = total.text() {
            all.push(figure(of, FigureKind::Amount, value));
        }
    }
    all
}

/// What moved since an earlier run, in the order of the numbers; those that are no more come last.
pub fn moved(now: &[Figure], earlier: &Earlier) -> Vec<Moved> {
    let same = |a: &Figure, b: &Figure| a.of == b.of && a.kind == b.kind;
    let mut all = vec![];
    for figure in now {
        let before = earlier.figures.iter().find(|before| same(before, figure));
        if before.is_some_and(|before| equal(&before.value, &figure.value)) {
            continue;
        }
        let mut moved = Moved {
            of: figure.of.clone(),
            kind: figure.kind,
            before: before.map(|before| before.value.clone()),
            now: Some(figure.value.clone()),
            more: false,
        };
        let then =
            earlier.moved.iter().find(|then| (&then.of, then.kind) == (&moved.of, moved.kind));
        // What did not move then, though it was compared, moves more now.
        let compared = !earlier.moved.is_empty() || then.is_some();
        moved.more = before.is_some()
            && compared
            && moved.far().is_some_and(|far| then.and_then(Moved::far).unwrap_or(0.0) < far);
        all.push(moved);
    }
    for before in &earlier.figures {
        if !now.iter().any(|figure| same(before, figure)) {
            all.push(Moved {
                of: before.of.clone(),
                kind: before.kind,
                before: Some(before.value.clone()),
                now: None,
                more: false,
            });
        }
    }
    all
}

/// Whether two numbers have one value, however many places are written.
fn equal(a: &str, b: &str) -> bool {
    match (decimal::parse(a.as_bytes()), decimal::parse(b.as_bytes())) {
        (Some((a, a_scale)), Some((b, b_scale))) => {
            decimal::compare(a, a_scale, b, b_scale).is_eq()
        }
        _ => a == b,
    }
}

impl Moved {
    /// The difference, with as many places as either has, and a sign; nothing where one is not there.
    pub fn change(&self) -> Option<String> {
        let (before, now) = (self.before.as_ref()?, self.now.as_ref()?);
        let (before, a) = decimal::parse(before.as_bytes())?;
        let (now, b) = decimal::parse(now.as_bytes())?;
        let scale = a.max(b);
        let units = decimal::subtract(
            decimal::rescale(now, b, scale)?,
            decimal::rescale(before, a, scale)?,
        )?;
        let sign = if units > 0 { "+" } else { "" };
        Some(format!("{sign}{}", decimal::grouped(units, scale)))
    }

    /// How far it moved: of a share in points, of the others as a part of what it was. Of nothing every move is
    /// endless.
    fn far(&self) -> Option<f64> {
        let number = |text: &Option<String>| text.as_ref()?.parse::<f64>().ok();
        let (before, now) = (number(&self.before)?, number(&self.now)?);
        let far = (now - before).abs();
        match self.kind {
            FigureKind::Share => Some(far),
            FigureKind::Rows | FigureKind::Amount if before == 0.0 => Some(f64::INFINITY),
            FigureKind::Rows | FigureKind::Amount => Some(far / before.abs()),
        }
    }

    /// How far it moved as a part of what it was, in percent with a sign and one place; nothing of a share, and
    /// where it was nothing.
    pub fn percent(&self) -> Option<String> {
        let number = |text: &Option<String>| text.as_ref()?.parse::<f64>().ok();
        let (before, now) = (number(&self.before)?, number(&self.now)?);
        if self.kind == FigureKind::Share || before == 0.0 {
            return None;
        }
        let percent = (now - before) / before.abs() * 100.0;
        let sign = if percent < 0.0 { "\u{2212}" } else { "+" };
        Some(format!("{sign}{:.1}%", percent.abs()))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn figure(of: &str, kind: FigureKind, value: &str) -> Figure {
        Figure { of: of.into(), kind, value: value.into() }
    }

    #[test]
    fn what_moved_and_what_moved_more_than_before() {
        use FigureKind::{Amount, Rows, Share};
        let then = |of: &str, kind, before: &str, now: &str| Moved {
            of: of.into(),
            kind,
            before: Some(before.into()),
            now: Some(now.into()),
            more: false,
        };
        let earlier = Earlier {
            figures: vec![
                figure("a", Rows, "110"),
                figure("b", Rows, "100"),
                figure("a \u{2192} b", Share, "97.00"),
                figure("o net", Amount, "10.50"),
                figure("gone", Rows, "1"),
                figure("zero", Rows, "0"),
            ],
            moved: vec![
                then("a", Rows, "100", "110"),
                then("a \u{2192} b", Share, "98.00", "97.00"),
            ],
        };
        let now = [
            figure("a", Rows, "119"),
            figure("b", Rows, "101"),
            figure("a \u{2192} b", Share, "95.50"),
            figure("o net", Amount, "10.500"),
            figure("new", Rows, "5"),
            figure("zero", Rows, "2"),
        ];
        let told = moved(&now, &earlier);
        let told: Vec<(&str, bool, Option<String>, Option<String>)> = told
            .iter()
            .map(|moved| (moved.of.as_str(), moved.more, moved.change(), moved.percent()))
            .collect();
        let text = |text: &str| Some(text.to_owned());
        assert_eq!(
            told,
            [
                ("a", false, text("+9"), text("+8.2%")),
                ("b", true, text("+1"), text("+1.0%")),
                ("a \u{2192} b", true, text("\u{2212}1.50"), None),
                ("new", false, None, None),
                ("zero", true, text("+2"), None),
                ("gone", false, None, None),
            ]
        );
        // The first comparison has nothing to compare moves with.
        let first = Earlier { moved: vec![], ..earlier };
        assert!(moved(&now, &first).iter().all(|moved| !moved.more));
    }
}
