//! Random plans over random rows, from a tape of numbers: a shorter tape, and smaller numbers on it,
//! make a simpler plan, so that what fails can be shrunk.

use super::model::{Agg, Call, End, Expr, Group, Period, Plan, Reach, Start, Step, Table, Ty};
use super::slow::{aggregate_type, base_columns, type_of};

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

    /// An expression of a type over some columns; `deep` says how much may be in it.
    fn expr(&mut self, ty: Ty, shape: &Shape, deep: usize) -> Expr {
        let simple = |tape: &mut Self| -> Expr {
            if let Some(name) = tape.column(shape, |col| col.ty == ty)
                && tape.pick(4) < 3
            {
                return Expr::Col(name);
            }
            match ty {
                Ty::Int => Expr::Int(*tape.one(&[1, 0, -1, 2])),
                Ty::Dec(2) => Expr::Dec(*tape.one(&[100, 0, -250, 1])),
                Ty::Text => Expr::Text(tape.word(&["A", "b", "C "])),
                Ty::Bool => {
                    let number = tape.column(shape, |col| col.ty.numeric());
                    match number {
                        Some(name) => {
                            Expr::Bin(">", Box::new(Expr::Col(name)), Box::new(Expr::Int(0)))
                        }
                        None => Expr::Blank(Box::new(Expr::Int(1)), true),
                    }
                }
                Ty::Date | Ty::Dec(_) => match tape.column(shape, |col| col.ty == ty) {
                    Some(name) => Expr::Col(name),
                    None => Expr::Int(1),
                },
            }
        };
        if deep == 0 {
            return simple(self);
        }
        let own = |tape: &mut Self, ty: Ty| Box::new(tape.expr(ty, shape, deep - 1));
        match (ty, self.pick(6)) {
            (_, 0 | 1) => simple(self),
            (Ty::Int | Ty::Text | Ty::Dec(2), 2) => {
                Expr::If(own(self, Ty::Bool), own(self, ty), own(self, ty))
            }
            (Ty::Int | Ty::Text | Ty::Dec(2), 3) => Expr::Bin("??", own(self, ty), own(self, ty)),
            (Ty::Int, 4) => Expr::Bin(self.word(&["+", "-", "*"]), own(self, ty), own(self, ty)),
            (Ty::Int, _) => Expr::Fun(self.word(&["length"]), vec![*own(self, Ty::Text)]),
            (Ty::Dec(2), 4) => Expr::Bin(self.word(&["+", "-"]), own(self, ty), own(self, Ty::Int)),
            (Ty::Dec(2), _) => Expr::Fun("abs", vec![*own(self, ty)]),
            (Ty::Text, 4) => Expr::Fun(self.word(&["upper", "trim"]), vec![*own(self, ty)]),
            (Ty::Text, _) => Expr::Bin("&", own(self, ty), own(self, ty)),
            (Ty::Bool, 2) => {
                let side = *self.one(&[Ty::Int, Ty::Dec(2), Ty::Text]);
                let op = self.word(&["=", "!=", "<", "<=", ">", ">="]);
                Expr::Bin(op, own(self, side), own(self, side))
            }
            (Ty::Bool, 3) => Expr::Bin(self.word(&["and", "or"]), own(self, ty), own(self, ty)),
            (Ty::Bool, 4) => Expr::Not(own(self, ty)),
            (Ty::Bool, _) => {
                let of = *self.one(&[Ty::Text, Ty::Int]);
                if self.pick(2) == 0 {
                    Expr::Blank(own(self, of), self.pick(2) == 1)
                } else {
                    Expr::In(own(self, of), vec![*own(self, of), *own(self, of)])
                }
            }
            _ => simple(self),
        }
    }

    /// A small expression of one of some types.
    fn any(&mut self, types: &[Ty], shape: &Shape) -> Expr {
        let ty = *self.one(types);
        self.expr(ty, shape, 1)
    }

    /// An aggregate over rows of some columns.
    fn call(&mut self, shape: &Shape) -> Call {
        use Agg::{
            All, Any, Count, Distinct, Earliest, Latest, List, ListDistinct, Max, Mean, Median,
            Min, Percentile, Rows, Share, Sole, Sum,
        };
        let kinds = [
            Rows,
            Sum,
            Count,
            Distinct,
            Min,
            Max,
            Mean,
            Any,
            All,
            Share,
            Latest,
            Earliest,
            List,
            ListDistinct,
            Sole,
            Median,
            Percentile,
        ];
        let mut agg = *self.one(&kinds);
        let value = match agg {
            Rows => None,
            Sum | Mean => self.column(shape, |col| col.ty.numeric() && col.sums).map(Expr::Col),
            Any | All | Share => Some(self.expr(Ty::Bool, shape, 1)),
            Median | Percentile => {
                let fits = |col: &Col| match col.ty {
                    Ty::Date => true,
                    ty => ty.numeric() && col.sums,
                };
                self.column(shape, fits).map(Expr::Col)
            }
            Min | Max => self.column(shape, |col| col.ty != Ty::Bool).map(Expr::Col),
            List | ListDistinct => {
                self.column(shape, |col| col.ty == Ty::Text || col.ty == Ty::Int).map(Expr::Col)
            }
            _ => self.column(shape, |_| true).map(Expr::Col),
        };
        if value.is_none() {
            agg = Rows;
        }
        let filter = (self.pick(4) == 3).then(|| Box::new(self.expr(Ty::Bool, shape, 1)));
        let by = matches!(agg, Latest | Earliest).then(|| {
            let by = self.column(shape, |col| col.ty == Ty::Date || col.ty == Ty::Int);
            Box::new(by.map_or(Expr::Int(1), Expr::Col))
        });
        Call { agg, value: value.map(Box::new), by, filter }
    }

    fn keys(&mut self, shape: &Shape) -> Vec<String> {
        let first = self.column(shape, |col| col.ty == Ty::Text);
        let second = if self.pick(3) == 2 {
            self.column(shape, |col| col.ty == Ty::Int || col.ty == Ty::Bool)
        } else {
            None
        };
        first.into_iter().chain(second).collect()
    }

    /// What an `add` works, and whether its sum may be asked for.
    fn added(&mut self, shape: &Shape) -> (Expr, bool) {
        let group = |tape: &mut Self| {
            let keys = tape.keys(shape);
            if keys.is_empty() { Group::All } else { Group::Per(keys) }
        };
        let by = |tape: &mut Self| {
            Box::new(
                tape.column(shape, |col| col.ty == Ty::Date || col.ty == Ty::Int)
                    .map_or(Expr::Int(1), Expr::Col),
            )
        };
        match self.pick(9) {
            5 if !shape.total => (Expr::Of(self.call(shape), group(self)), false),
            6 if !shape.total => {
                let order = by(self);
                let expr = match self.pick(4) {
                    1 => self.neighbour(shape, order.clone()),
                    2 | 3 => self.window(shape, order.clone()),
                    _ => None,
                };
                (expr.unwrap_or_else(|| Expr::Position(group(self), order)), false)
            }
            7 if shape.base == Some("o") => {
                let expr = match self.pick(6) {
                    2 => Expr::Has,
                    3 | 4 => Expr::When((self.word(&["p", "k", "s", "n"])).into()),
                    5 => Expr::Choices,
                    _ => Expr::Path((self.word(&["x", "k", "y", "d"])).into()),
                };
                (expr, false)
            }
            8 if shape.base == Some("c") && !shape.units => {
                let mut call = self.call(&input());
                if matches!(call.agg, Agg::Any | Agg::All | Agg::Share) {
                    // What names no column of the rows that lead here is not of them.
                    let key = Box::new(Expr::Blank(Box::new(Expr::Col("k".into())), false));
                    call.value = call.value.map(|value| Box::new(Expr::Bin("or", value, key)));
                }
                let sums = call.agg == Agg::Sum;
                (Expr::Back(call), sums)
            }
            4 => {
                let number = self.column(shape, |col| col.ty.numeric() && col.ty != Ty::Dec(10));
                let left = number.map_or(Expr::Int(3), Expr::Col);
                let right = self.expr(Ty::Int, shape, 1);
                (Expr::Bin("/", Box::new(left), Box::new(right)), false)
            }
            _ => {
                let ty = *self.one(&[Ty::Int, Ty::Dec(2), Ty::Text, Ty::Bool]);
                (self.expr(ty, shape, 2), false)
            }
        }
    }

    fn group(&mut self, shape: &Shape) -> Group {
        let keys = self.keys(shape);
        if keys.is_empty() { Group::All } else { Group::Per(keys) }
    }

    fn neighbour(&mut self, shape: &Shape, by: Box<Expr>) -> Option<Expr> {
        let value = Box::new(Expr::Col(self.column(shape, |_| true)?));
        Some(Expr::Neighbour(self.pick(2) == 1, value, self.group(shape), by))
    }

    fn window(&mut self, shape: &Shape, by: Box<Expr>) -> Option<Expr> {
        let reach = match self.pick(3) {
            1 => Reach::Rows(1 + self.pick(3)),
            2 => Reach::Days(1 + self.pick(2) as i64),
            _ => Reach::All,
        };
        let by = match reach {
            Reach::Days(_) => Box::new(Expr::Col(self.column(shape, |col| col.ty == Ty::Date)?)),
            _ => by,
        };
        let function = match reach {
            Reach::All => "running",
            _ => self.word(&["running", "mean", "min", "max", "count", "rows"]),
        };
        let value = match function {
            "rows" => None,
            "running" | "mean" => Some(self.column(shape, |col| col.ty.numeric() && col.sums)?),
            "count" => Some(self.column(shape, |_| true)?),
            _ => Some(self.column(shape, |col| col.ty != Ty::Bool)?),
        };
        let value = value.map(|name| Box::new(Expr::Col(name)));
        Some(Expr::Window(function, value, self.group(shape), by, reach))
    }

    #[allow(clippy::too_many_lines)]
    fn step(&mut self, shape: &mut Shape, input: bool) -> Option<Step> {
        let choice = self.pick(18);
        if shape.total && !matches!(choice, 0 | 7) {
            return None;
        }
        Some(match choice {
            0 => {
                let (value, sums) = self.added(shape);
                let uses_links = matches!(
                    value,
                    Expr::Path(_) | Expr::Has | Expr::Back(_) | Expr::When(_) | Expr::Choices
                );
                if input && uses_links {
                    return None;
                }
                let name = format!("a{}", shape.made);
                shape.made += 1;
                let cols: Vec<(String, Ty)> =
                    shape.cols.iter().map(|col| (col.name.clone(), col.ty)).collect();
                shape.cols.push(Col { name: name.clone(), ty: type_of(Some(&value), &cols), sums });
                Step::Add(name, value)
            }
            1 | 2 => Step::Filter(self.pick(2) == 0, self.expr(Ty::Bool, shape, 2)),
            3 => Step::Dedupe,
            4 => {
                let keys = self.keys(shape);
                if keys.is_empty() {
                    return None;
                }
                let largest = self.column(shape, |col| col.ty.numeric());
                let rule = match (self.pick(3), largest) {
                    (0, _) => Err("first"),
                    (1, Some(column)) => Ok(column),
                    _ => Err("last"),
                };
                shape.grain.clone_from(&keys);
                Step::DedupeBy(keys, rule)
            }
            5 => Step::Sort(self.any(&[Ty::Int, Ty::Text, Ty::Dec(2)], shape), self.pick(2) == 1),
            6 => Step::Top {
                bottom: self.pick(2) == 1,
                count: if self.pick(4) == 3 {
                    Err(*self.one(&[34, 1, 50, 100]))
                } else {
                    Ok(1 + self.pick(3))
                },
                by: self.any(&[Ty::Int, Ty::Dec(2)], shape),
                per: if self.pick(2) == 1 { self.keys(shape) } else { vec![] },
                ties: self.pick(2) == 1,
            },
            7 => {
                let name = self.column(shape, |col| col.name == "x" && col.ty == Ty::Int)?;
                if shape.grain.contains(&name) || shape.tracked.contains(&name) {
                    return None;
                }
                let value = self.expr(Ty::Int, shape, 1);
                shape
                    .cols
                    .iter_mut()
                    .filter(|col| col.name == name)
                    .for_each(|col| col.sums = false);
                Step::Change(name, value)
            }
            8 if !input && !shape.units => {
                let of = self.column(shape, |col| col.ty == Ty::Int)?;
                if shape.grain.contains(&of) || shape.tracked.contains(&of) {
                    return None;
                }
                let split = shape.tracked.clone();
                let name = format!("u{}", shape.made);
                shape.made += 1;
                shape.units = true;
                for col in &mut shape.cols {
                    col.sums &= split.contains(&col.name);
                }
                if !shape.grain.is_empty() {
                    shape.grain.push(name.clone());
                }
                shape.cols.push(Col { name: name.clone(), ty: Ty::Int, sums: true });
                let dropping = ["zero", "negative", "blank"];
                let dropping: Vec<&str> =
                    dropping.into_iter().filter(|_| self.pick(3) == 0).collect();
                let keeps_negative = !dropping.contains(&"negative") && self.pick(3) == 0;
                Step::Units { of, name, split, dropping, keeps_negative }
            }
            9 | 10 if !input => self.one_row(shape),
            11 => {
                let keep: Vec<Col> = shape
                    .cols
                    .iter()
                    .filter(|col| {
                        shape.grain.contains(&col.name) || col.name == "k" || self.pick(3) > 0
                    })
                    .cloned()
                    .collect();
                if keep.is_empty() {
                    return None;
                }
                shape.tracked.retain(|name| keep.iter().any(|col| col.name == *name));
                shape.cols = keep;
                Step::Columns(shape.cols.iter().map(|col| col.name.clone()).collect())
            }
            12 if !input => {
                let tracked = shape.tracked.clone();
                let name = self.column(shape, |col| {
                    col.ty.numeric() && col.sums && !tracked.contains(&col.name)
                })?;
                shape.tracked.push(name.clone());
                Step::Track(name)
            }
            12 if input && !shape.tracked.contains(&"y".to_owned()) => {
                shape.cols.iter().find(|col| col.name == "y" && col.ty == Ty::Dec(2))?;
                shape.tracked.push("y".into());
                Step::Track("y".into())
            }
            13 => {
                let keys = self.keys(shape);
                if keys.is_empty() || !shape.grain.is_empty() {
                    return None;
                }
                shape.grain.clone_from(&keys);
                Step::Grain(keys)
            }
            14 | 15 if !input => self.allocate(shape)?,
            16 if !input && !shape.units => self.turn(shape)?,
            17 if !input && !shape.units => self.expand(shape)?,
            _ => return None,
        })
    }

    fn turn(&mut self, shape: &mut Shape) -> Option<Step> {
        let ty = *self.one(&[Ty::Int, Ty::Dec(2), Ty::Text, Ty::Date]);
        let fits = |col: &Col| match (ty, col.ty) {
            (Ty::Dec(2), Ty::Int) => true,
            (ty, own) => ty == own,
        };
        let may = |col: &&Col| fits(col) && !shape.grain.contains(&col.name);
        let known: Vec<Col> = shape.cols.iter().filter(may).cloned().collect();
        let chosen: Vec<Col> = known.into_iter().filter(|_| self.pick(3) > 0).take(3).collect();
        let is = |name: &String| chosen.iter().any(|col| col.name == *name);
        if chosen.is_empty() || !shape.tracked.iter().all(is) {
            return None;
        }
        let (name, value) = (format!("n{}", shape.made), format!("v{}", shape.made));
        shape.made += 1;
        shape.units = true;
        shape.tracked.clear();
        shape.cols.retain(|col| !is(&col.name));
        shape.cols.iter_mut().for_each(|col| col.sums = false);
        if !shape.grain.is_empty() {
            shape.grain.push(name.clone());
        }
        let ty = chosen.iter().map(|col| col.ty).find(|own| *own == ty).unwrap_or(chosen[0].ty);
        let sums = chosen.iter().all(|col| col.sums);
        shape.cols.push(Col { name: name.clone(), ty: Ty::Text, sums: false });
        shape.cols.push(Col { name: value.clone(), ty, sums });
        let columns = chosen.into_iter().map(|col| col.name).collect();
        Some(Step::Turn { columns, name, value, keeping: self.pick(2) == 1 })
    }

    /// Rows of `h`, which all come in but for what leads to `c`.
    fn expand(&mut self, shape: &mut Shape) -> Option<Step> {
        let base = shape.base?;
        let exact = |col: &Col| matches!(col.ty, Ty::Int | Ty::Dec(0..=8));
        let in_grain = |name: &String| shape.grain.contains(name);
        let multiply = if self.pick(2) == 1 { self.column(shape, exact) } else { None };
        let mut split: Vec<String> = shape.tracked.clone();
        split.retain(|name| multiply.as_ref() != Some(name));
        if split.iter().chain(&multiply).any(in_grain) {
            return None;
        }
        let weighted = !split.is_empty() && self.pick(3) > 0;
        let else_equally = weighted && self.pick(2) == 1;
        shape.units = true;
        for col in &mut shape.cols {
            let divided = split.contains(&col.name);
            col.sums &= divided || multiply.as_ref() == Some(&col.name);
            if let (Some(places), true) = (col.ty.places(), divided) {
                col.ty = Ty::Dec(places.max(2));
            }
        }
        if !shape.grain.is_empty() {
            shape.grain.push("m".into());
        }
        let came = ["m", "w", "q"];
        shape.cols.extend(came.map(|name| Col { name: name.into(), ty: Ty::Int, sums: false }));
        Some(Step::Expand { from_c: base == "c", split, weighted, else_equally, multiply })
    }

    fn parts(&mut self) -> String {
        let mut rows = "g,m,w,q\n".to_owned();
        for number in 0..self.pick(6) {
            let g = self.word(&["A", "B", "A", "", "a"]);
            let w = self.word(&["1", "2", "0", "3", "1", "7", "-1", ""]);
            let q = self.word(&["1", "2", "0", "3", "1", "-1", "2", ""]);
            rows.push_str(&format!("{g},{number},{w},{q}\n"));
        }
        rows
    }

    /// An amount that is led to, or one that each group repeats, or does not.
    fn allocate(&mut self, shape: &mut Shape) -> Option<Step> {
        let exact = |col: &Col| matches!(col.ty, Ty::Int | Ty::Dec(0..=8));
        let over_link = shape.base == Some("o") && self.pick(3) > 0;
        let (amount, per) = if over_link {
            ("y".to_owned(), vec![])
        } else {
            let keys = self.keys(shape);
            let tracked = shape.tracked.clone();
            let amount = self.column(shape, |col| exact(col) && !tracked.contains(&col.name))?;
            if keys.is_empty() {
                return None;
            }
            (amount, keys)
        };
        let weight = if self.pick(3) > 0 { self.column(shape, exact) } else { None };
        let else_equally = weight.is_some() && self.pick(3) == 0;
        let places = match shape.cols.iter().find(|col| col.name == amount && !over_link) {
            Some(Col { ty: Ty::Dec(places), .. }) => (*places).max(2),
            _ => 2,
        };
        let name = format!("b{}", shape.made);
        shape.made += 1;
        if !over_link || shape.led {
            shape.tracked.push(name.clone());
        }
        shape.cols.push(Col { name: name.clone(), ty: Ty::Dec(places), sums: true });
        Some(Step::Allocate { amount, name, weight, else_equally, per })
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

    fn one_row(&mut self, shape: &mut Shape) -> Step {
        let keys = self.keys(shape);
        let texts = keys
            .iter()
            .all(|key| shape.cols.iter().any(|col| col.name == *key && col.ty == Ty::Text));
        let total = texts && !keys.is_empty() && self.pick(3) == 2;
        let cols: Vec<(String, Ty)> =
            shape.cols.iter().map(|col| (col.name.clone(), col.ty)).collect();
        let mut results = vec![];
        let mut made: Vec<Col> = shape
            .cols
            .iter()
            .filter(|col| keys.contains(&col.name))
            .map(|col| Col { sums: false, ..col.clone() })
            .collect();
        for _ in 0..=self.pick(3) {
            let name = format!("r{}", shape.made);
            shape.made += 1;
            let call = self.call(shape);
            made.push(Col { name: name.clone(), ty: aggregate_type(&call, &cols), sums: false });
            results.push((name, call));
        }
        let carried = |tracked: &String| {
            let sum = results.iter().find(|(_, call): &&(String, Call)| {
                call.agg == Agg::Sum
                    && call.filter.is_none()
                    && matches!(call.value.as_deref(), Some(Expr::Col(name)) if name == tracked)
            });
            sum.map(|(name, _)| name.clone())
        };
        shape.tracked = shape.tracked.iter().filter_map(carried).collect();
        shape.cols = made;
        shape.base = None;
        shape.grain.clone_from(&keys);
        shape.units = false;
        shape.total = total;
        Step::OneRow { keys, total, results }
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
