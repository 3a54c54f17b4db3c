//! Random plans over random rows, from a tape of numbers: a shorter tape, and smaller numbers on it,
//! make a simpler plan, so that what fails can be shrunk.

mod expr;
mod steps;

use super::model::{End, Period, Plan, Start, Step, Table, Ty};
use super::slow::base_columns;

/// Numbers that choose. At its end everything is the first choice.
pub struct Tape<'t> {
    numbers: &'t [u8],
    at: usize,
}

/// A column while a plan is made.
#[derive(Clone)]
struct Col {
    name: String,
    ty: Ty,
    /// Whether a sum of it may be asked for.
    sums: bool,
}

/// A table while its steps are made.
struct Shape {
    cols: Vec<Col>,
    /// `o` or `c`, as long as its rows are rows of that.
    base: Option<&'static str>,
    grain: Vec<String>,
    tracked: Vec<String>,
    units: bool,
    total: bool,
    made: usize,
    /// Whether the amount that rows of `o` lead to is tracked there.
    led: bool,
}

impl<'t> Tape<'t> {
    pub fn new(numbers: &'t [u8]) -> Self {
        Self { numbers, at: 0 }
    }

    fn pick(&mut self, of: usize) -> usize {
        let number = self.numbers.get(self.at).copied().unwrap_or(0);
        self.at += 1;
        usize::from(number) % of
    }

    fn one<'a, T>(&mut self, of: &'a [T]) -> &'a T {
        &of[self.pick(of.len())]
    }

    fn word(&mut self, of: &[&'static str]) -> &'static str {
        of[self.pick(of.len())]
    }

    fn rows(&mut self) -> String {
        let mut out = "k,x,y,d\n".to_owned();
        for _ in 0..self.pick(7) {
            let k = self.word(&["A", "B", "A", "", "a", "C "]);
            let x = self.word(&["1", "0", "3", "", "-2"]);
            let y = self.word(&["1.00", "", "0.01", "-2.50", "10.00"]);
            let d = self.word(&["2026-01-05", "2026-01-06", ""]);
            out.push_str(&format!("{k},{x},{y},{d}\n"));
        }
        out
    }

    fn column(&mut self, shape: &Shape, fits: impl Fn(&Col) -> bool) -> Option<String> {
        let known: Vec<&Col> = shape.cols.iter().filter(|col| fits(col)).collect();
        if known.is_empty() { None } else { Some(known[self.pick(known.len())].name.clone()) }
    }

    fn periods(&mut self) -> (Period, String) {
        let mut rows = "k,n,p,s,z\n".to_owned();
        for number in 0..self.pick(6) {
            let k = self.word(&["A", "B", "A", "", "a"]);
            let n = self.word(&["1", "2", "1", ""]);
            let s = self.word(&["2026-01-05", "2026-01-06", "", "2026-01-04"]);
            let z = self.word(&["2026-01-06", "2026-01-07", "", "2026-01-05", "2026-01-03"]);
            rows.push_str(&format!("{k},{n},{number},{s},{z}\n"));
        }
        let end = *self.one(&[End::Through, End::Until, End::Onward]);
        let prefer =
            *self.one(&[Some("latest s"), Some("largest n"), None, Some("smallest n, latest z")]);
        (Period { keyed: self.pick(2) == 1, end, prefer }, rows)
    }

    fn steps(&mut self, shape: &mut Shape, input: bool, most: usize) -> Vec<Step> {
        let count = self.pick(most + 1);
        (0..count).filter_map(|_| self.step(shape, input)).collect()
    }

    /// A whole plan: two inputs and a link, a table of one of them, and one of what came.
    pub fn plan(&mut self) -> Plan {
        let (period, periods) = self.periods();
        let files =
            vec![("o", self.rows()), ("c", self.rows()), ("e", periods), ("h", self.parts())];
        let mut tables = vec![];
        let mut inputs = vec![];
        for name in ["c", "o"] {
            let mut shape = Shape { base: Some(name), ..input() };
            // Most targets have a key, so that most plans go on.
            let mut steps = if name == "c" && self.pick(8) < 7 {
                shape.grain = vec!["k".into()];
                vec![Step::DedupeBy(vec!["k".into()], Err("first"))]
            } else {
                vec![]
            };
            // Columns that a path or a gathering asks for stay.
            let more = self.steps(&mut shape, true, 3);
            steps.extend(more.into_iter().filter(|step| !matches!(step, Step::Columns(_))));
            // So does what is tracked.
            let tracked = steps.iter().filter_map(|step| match step {
                Step::Track(name) => Some(name.clone()),
                _ => None,
            });
            shape.tracked = tracked.collect();
            shape.cols.extend(
                input()
                    .cols
                    .into_iter()
                    .filter(|col| !shape.cols.iter().any(|known| known.name == col.name))
                    .collect::<Vec<_>>(),
            );
            tables.push(Table { name: name.into(), start: Start::File, steps });
            inputs.push(shape);
        }
        let at = self.pick(2);
        let base = ["c", "o"][at];
        inputs[1].led = !inputs[0].tracked.is_empty();
        let mut shape = inputs.swap_remove(at);
        shape.base = Some(base);
        let steps = self.steps(&mut shape, false, 4);
        tables.push(Table { name: "t".into(), start: Start::Base(base.into()), steps });
        (shape.total, shape.units) = (false, shape.units);
        shape
            .cols
            .iter_mut()
            .for_each(|col| col.sums &= !shape.units || shape.tracked.contains(&col.name));
        match self.pick(4) {
            0 | 1 => {
                let steps = self.steps(&mut shape, false, 3);
                tables.push(Table { name: "u".into(), start: Start::Base("t".into()), steps });
            }
            2 => {
                for name in ["p", "q"] {
                    let condition = self.expr(Ty::Bool, &shape, 1);
                    let steps = vec![Step::Filter(name == "p", condition)];
                    tables.push(Table { name: name.into(), start: Start::Base("t".into()), steps });
                }
                let allows = self.pick(2) == 1;
                (shape.base, shape.grain) = (None, vec![]);
                let steps = self.steps(&mut shape, false, 2);
                tables.push(Table {
                    name: "u".into(),
                    start: Start::Stack(vec!["p".into(), "q".into()], allows),
                    steps,
                });
            }
            _ => self.meeting(&mut tables),
        }
        Plan { tables, files, period }
    }

    /// Two tables of one key each, laid side by side.
    fn meeting(&mut self, tables: &mut Vec<Table>) {
        let mut shapes = vec![];
        for (name, base) in [("p", "o"), ("q", "c")] {
            let mut shape = input();
            let by = name == "q" || self.pick(2) == 1;
            let step = if by {
                Step::DedupeBy(vec!["k".into()], Err("last"))
            } else {
                shape.made = 50;
                let call = self.call(&shape);
                Step::OneRow {
                    keys: vec!["k".into()],
                    total: false,
                    results: vec![("r50".into(), call)],
                }
            };
            let columns = match (&step, name) {
                (Step::OneRow { .. }, _) => vec![],
                (_, "p") => vec![Step::Columns(vec!["k".into(), "x".into()])],
                _ => vec![Step::Columns(vec!["k".into(), "d".into()])],
            };
            shapes.push(shape);
            let steps = std::iter::once(step).chain(columns).collect();
            tables.push(Table { name: name.into(), start: Start::Base(base.into()), steps });
        }
        let start = Start::Meeting(vec!["p".into(), "q".into()], vec!["k".into()]);
        tables.push(Table { name: "u".into(), start, steps: vec![] });
    }
}

/// The columns of an input.
fn input() -> Shape {
    let cols = base_columns().into_iter().map(|(name, ty)| Col { name, ty, sums: ty.numeric() });
    Shape {
        cols: cols.collect(),
        base: None,
        grain: vec![],
        tracked: vec![],
        units: false,
        total: false,
        made: 0,
        led: false,
    }
}
