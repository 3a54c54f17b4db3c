//! Steps, each with what it makes of the columns.

use super::super::model::{Agg, Call, Expr, Step, Ty};
use super::super::slow::{aggregate_type, type_of};
use super::{Col, Shape, Tape};

impl Tape<'_> {
    #[allow(clippy::too_many_lines)]
    pub(super) fn step(&mut self, shape: &mut Shape, input: bool) -> Option<Step> {
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

    pub(super) fn turn(&mut self, shape: &mut Shape) -> Option<Step> {
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
    pub(super) fn expand(&mut self, shape: &mut Shape) -> Option<Step> {
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

    pub(super) fn parts(&mut self) -> String {
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
    pub(super) fn allocate(&mut self, shape: &mut Shape) -> Option<Step> {
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

    pub(super) fn one_row(&mut self, shape: &mut Shape) -> Step {
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
}
