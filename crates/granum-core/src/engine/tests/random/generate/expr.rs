//! Expressions, aggregates, windows.

use super::super::model::{Agg, Call, Expr, Group, Reach, Ty};
use super::{Col, Shape, Tape, input};

impl Tape<'_> {
    /// An expression of a type over some columns; `deep` says how much may be in it.
    pub(super) fn expr(&mut self, ty: Ty, shape: &Shape, deep: usize) -> Expr {
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
    pub(super) fn any(&mut self, types: &[Ty], shape: &Shape) -> Expr {
        let ty = *self.one(types);
        self.expr(ty, shape, 1)
    }

    /// An aggregate over rows of some columns.
    pub(super) fn call(&mut self, shape: &Shape) -> Call {
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

    pub(super) fn keys(&mut self, shape: &Shape) -> Vec<String> {
        let first = self.column(shape, |col| col.ty == Ty::Text);
        let second = if self.pick(3) == 2 {
            self.column(shape, |col| col.ty == Ty::Int || col.ty == Ty::Bool)
        } else {
            None
        };
        first.into_iter().chain(second).collect()
    }

    /// What an `add` works, and whether its sum may be asked for.
    pub(super) fn added(&mut self, shape: &Shape) -> (Expr, bool) {
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

    pub(super) fn group(&mut self, shape: &Shape) -> Group {
        let keys = self.keys(shape);
        if keys.is_empty() { Group::All } else { Group::Per(keys) }
    }

    pub(super) fn neighbour(&mut self, shape: &Shape, by: Box<Expr>) -> Option<Expr> {
        let value = Box::new(Expr::Col(self.column(shape, |_| true)?));
        Some(Expr::Neighbour(self.pick(2) == 1, value, self.group(shape), by))
    }

    pub(super) fn window(&mut self, shape: &Shape, by: Box<Expr>) -> Option<Expr> {
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
}
