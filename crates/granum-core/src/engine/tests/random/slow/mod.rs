//! What a plan means, worked row by row without any thought of speed, from the reference alone.

use std::cmp::Ordering;
use std::collections::{BTreeMap, BTreeSet};

mod parts;
mod periods;
mod tables;

pub use tables::{kept, sums, work};

use super::model::{Agg, Call, Expr, Group, Reach, Ty};

/// A value; numbers with their places.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum V {
    Blank,
    Bool(bool),
    Num(i128, u8),
    Text(String),
    Day(i64),
}

/// Why a table is not there: the kind of problem.
pub type Stop = &'static str;

/// Rows of files.
pub type Made = BTreeSet<(String, u32)>;

/// A table while it is worked, and when it is.
#[derive(Debug, Clone, Default)]
#[allow(clippy::struct_field_names)]
pub struct Rows {
    pub cols: Vec<(String, Ty)>,
    pub rows: Vec<Vec<V>>,
    /// The row of the input that each row was.
    pub from: Vec<usize>,
    /// The rows of files that each row is made of, by the input's name and their places.
    pub made: Vec<Made>,
    pub grain: Option<Vec<String>>,
    /// Rows with a blank in the grain are allowed.
    pub loose: bool,
    pub total: Option<Vec<V>>,
    pub tracked: Vec<String>,
    /// Rows, and sums of what is tracked, after each step that can change rows.
    pub tally: Vec<(usize, Vec<(String, i128)>)>,
}

fn pow(places: u8) -> i128 {
    10_i128.pow(places.into())
}

fn to(units: i128, from: u8, to: u8) -> i128 {
    units * pow(to - from)
}

fn order(a: &V, b: &V) -> Ordering {
    match (a, b) {
        (V::Num(a, s), V::Num(b, t)) => {
            let most = *s.max(t);
            to(*a, *s, most).cmp(&to(*b, *t, most))
        }
        (V::Text(a), V::Text(b)) => a.cmp(b),
        (V::Day(a), V::Day(b)) => a.cmp(b),
        (V::Bool(a), V::Bool(b)) => a.cmp(b),
        other => panic!("{other:?} have no order"),
    }
}

/// Blanks last, whichever way.
fn in_order(a: &V, b: &V, descending: bool) -> Ordering {
    match (a == &V::Blank, b == &V::Blank) {
        (true, true) => Ordering::Equal,
        (true, false) => Ordering::Greater,
        (false, true) => Ordering::Less,
        _ if descending => order(b, a),
        _ => order(a, b),
    }
}

fn truth(value: &V) -> Option<bool> {
    match value {
        V::Bool(value) => Some(*value),
        V::Blank => None,
        other => panic!("{other:?} is no condition"),
    }
}

fn bool_of(value: Option<bool>) -> V {
    value.map_or(V::Blank, V::Bool)
}

/// A quotient of ten places, rounded half away from zero.
fn quotient(a: i128, a_places: u8, b: i128, b_places: u8) -> V {
    if b == 0 {
        return V::Blank;
    }
    // a / 10^s over b / 10^t, times 10^10.
    let above = a * pow(10 + b_places);
    let below = b * pow(a_places);
    let twice = 2 * above.abs() + below.abs();
    let found = twice / (2 * below.abs());
    V::Num(if (above < 0) == (below < 0) { found } else { -found }, 10)
}

/// Everything that has been worked.
pub struct World {
    pub tables: BTreeMap<String, Result<Rows, Stop>>,
    /// For each row of `o` the row of `c`.
    pub link: Result<Vec<Option<usize>>, Stop>,
    /// For each row of `c` the rows of `h` that lead there.
    pub parts: Result<Vec<Vec<usize>>, Stop>,
    /// For each row of `o` the rows of `e` that hold, the preferred first.
    pub periods: Result<Vec<Vec<usize>>, Stop>,
}

struct Scope<'a> {
    table: &'a Rows,
    world: &'a World,
}

impl Scope<'_> {
    fn at(&self, name: &str) -> usize {
        self.table.cols.iter().position(|(known, _)| known == name).unwrap()
    }

    fn all(&self, expr: &Expr) -> Result<Vec<V>, Stop> {
        (0..self.table.rows.len()).map(|row| self.one(expr, row)).collect()
    }

    /// The rows of a row's group, in their order.
    fn group(&self, group: &Group, row: usize) -> Vec<usize> {
        let all = 0..self.table.rows.len();
        let Group::Per(keys) = group else { return all.collect() };
        let key = |row: usize| -> Vec<&V> {
            keys.iter().map(|key| &self.table.rows[row][self.at(key)]).collect()
        };
        all.filter(|other| key(*other) == key(row)).collect()
    }

    fn ordered(&self, mut rows: Vec<usize>, by: &Expr) -> Result<Vec<usize>, Stop> {
        let keys = self.all(by)?;
        let grain = self.table.grain.clone().unwrap_or_default();
        let cell = |row: usize, name: &String| &self.table.rows[row][self.at(name)];
        rows.sort_by(|a, b| {
            let by = in_order(&keys[*a], &keys[*b], false);
            grain
                .iter()
                .fold(by, |order, name| order.then(in_order(cell(*a, name), cell(*b, name), false)))
        });
        Ok(rows)
    }

    /// Those of a group's rows, which stand in order, that a row's window has.
    fn in_reach(
        &self,
        rows: Vec<usize>,
        row: usize,
        by: &Expr,
        reach: Reach,
    ) -> Result<Vec<usize>, Stop> {
        let upto = rows.iter().position(|own| *own == row).unwrap();
        Ok(match reach {
            Reach::All => rows[..=upto].to_vec(),
            Reach::Rows(count) => rows[(upto + 1).saturating_sub(count)..=upto].to_vec(),
            Reach::Days(days) => {
                let mut near = vec![];
                for other in rows {
                    let within = match (self.one(by, row)?, self.one(by, other)?) {
                        (V::Day(own), V::Day(other)) => other <= own && other > own - days,
                        _ => other == row,
                    };
                    if within {
                        near.push(other);
                    }
                }
                near
            }
        })
    }

    /// An aggregate over some of the table's rows.
    fn gather(&self, call: &Call, rows: &[usize], ty: Ty) -> Result<V, Stop> {
        let mut counted = vec![];
        for row in rows {
            let holds = match &call.filter {
                Some(filter) => truth(&self.one(filter, *row)?) == Some(true),
                None => true,
            };
            if holds {
                counted.push(*row);
            }
        }
        let Some(value) = &call.value else { return Ok(V::Num(counted.len() as i128, 0)) };
        let mut values = vec![];
        for row in &counted {
            let by = call.by.as_ref().map(|by| self.one(by, *row)).transpose()?;
            values.push((self.one(value, *row)?, by.unwrap_or(V::Blank)));
        }
        let all = values.len() as i128;
        values.retain(|(value, _)| *value != V::Blank);
        let places = ty.places().unwrap_or(0);
        let sum = || -> i128 {
            let units = values.iter().map(|(value, _)| match value {
                V::Num(units, own) => to(*units, *own, places),
                other => panic!("{other:?} is no number"),
            });
            units.sum()
        };
        let mut different: Vec<V> = vec![];
        for (value, _) in &values {
            if !different.contains(value) {
                different.push(value.clone());
            }
        }
        let holds = values.iter().filter(|(value, _)| *value == V::Bool(true)).count();
        let count = values.len() as i128;
        let listed = |values: &mut dyn Iterator<Item = &V>| {
            let texts: Vec<String> = values.map(cell).collect();
            if texts.is_empty() { V::Blank } else { V::Text(texts.join("+")) }
        };
        Ok(match call.agg {
            Agg::Rows => unreachable!("rows has no value"),
            Agg::Count => V::Num(count, 0),
            Agg::Distinct => V::Num(different.len() as i128, 0),
            Agg::Sum => V::Num(sum(), places),
            Agg::Mean if count == 0 => V::Blank,
            Agg::Mean => quotient(sum(), places, count, 0),
            Agg::Min | Agg::Max => {
                let best = values.iter().map(|(value, _)| value);
                let best = if call.agg == Agg::Min {
                    best.min_by(|a, b| order(a, b))
                } else {
                    best.max_by(|a, b| order(a, b))
                };
                best.cloned().unwrap_or(V::Blank)
            }
            Agg::Any => V::Bool(holds > 0),
            Agg::All => V::Bool(holds == values.len()),
            Agg::Share if all == 0 => V::Blank,
            Agg::Share => quotient(holds as i128, 0, all, 0),
            Agg::Sole if different.len() > 1 => return Err("several-values"),
            Agg::Sole => different.pop().unwrap_or(V::Blank),
            Agg::Median | Agg::Percentile => {
                let mut sorted: Vec<V> = values.iter().map(|(value, _)| value.clone()).collect();
                sorted.sort_by(order);
                let at = |rank: usize| sorted.get(rank).cloned().unwrap_or(V::Blank);
                if call.agg == Agg::Percentile {
                    return Ok(at((sorted.len() * 40).div_ceil(100).saturating_sub(1)));
                }
                match (at(sorted.len().saturating_sub(1) / 2), at(sorted.len() / 2)) {
                    (V::Num(a, s), V::Num(b, t)) => {
                        V::Num(to(to(a, s, places) + to(b, t, places), 0, 1) / 2, places + 1)
                    }
                    (low, _) => low,
                }
            }
            Agg::Latest | Agg::Earliest => {
                let mut best: Option<&(V, V)> = None;
                for pair in values.iter().filter(|(_, by)| *by != V::Blank) {
                    // What ties goes to the later row.
                    let wins = best.is_none_or(|best| {
                        let order = order(&pair.1, &best.1);
                        order.is_eq() || (order.is_gt() == (call.agg == Agg::Latest))
                    });
                    if wins {
                        best = Some(pair);
                    }
                }
                best.map_or(V::Blank, |(value, _)| value.clone())
            }
            Agg::List => listed(&mut values.iter().map(|(value, _)| value)),
            Agg::ListDistinct => listed(&mut different.iter()),
        })
    }

    fn one(&self, expr: &Expr, row: usize) -> Result<V, Stop> {
        Ok(match expr {
            Expr::Col(name) => self.table.rows[row][self.at(name)].clone(),
            Expr::Int(value) => V::Num((*value).into(), 0),
            Expr::Dec(cents) => V::Num((*cents).into(), 2),
            Expr::Text(text) => V::Text((*text).into()),
            Expr::Path(name) => match self.leads(row)? {
                Some(to) => {
                    let target = self.world.tables["c"].as_ref().map_err(|stop| *stop)?;
                    let at = target.cols.iter().position(|(known, _)| known == name).unwrap();
                    target.rows[to][at].clone()
                }
                None => V::Blank,
            },
            Expr::Has => V::Bool(self.leads(row)?.is_some()),
            Expr::When(name) => match self.holding(row)?.first() {
                Some(held) => {
                    let target = self.world.tables["e"].as_ref().map_err(|stop| *stop)?;
                    let at = target.cols.iter().position(|(known, _)| known == name).unwrap();
                    target.rows[*held][at].clone()
                }
                None => V::Blank,
            },
            Expr::Choices => V::Num(self.holding(row)?.len() as i128, 0),
            Expr::Back(call) => {
                let link = self.world.link.as_ref().map_err(|stop| *stop)?;
                let source = self.world.tables["o"].as_ref().map_err(|stop| *stop)?;
                let here = self.table.from[row];
                let rows: Vec<usize> =
                    (0..link.len()).filter(|from| link[*from] == Some(here)).collect();
                let scope = Scope { table: source, world: self.world };
                scope.gather(call, &rows, type_of(call.value.as_deref(), &source.cols))?
            }
            Expr::Of(call, group) => {
                let rows = self.group(group, row);
                self.gather(call, &rows, type_of(call.value.as_deref(), &self.table.cols))?
            }
            Expr::Position(..) | Expr::Window(..) | Expr::Neighbour(..) => {
                self.placed(expr, row)?
            }
            Expr::Bin(op @ ("and" | "or"), left, right) => {
                let left = truth(&self.one(left, row)?);
                let decides = *op == "or";
                if left == Some(decides) {
                    return Ok(V::Bool(decides));
                }
                let right = truth(&self.one(right, row)?);
                bool_of(match (left, right) {
                    (_, Some(right)) if right == decides => Some(decides),
                    (Some(_), Some(_)) => Some(!decides),
                    _ => None,
                })
            }
            Expr::Bin("??", left, right) => match self.one(left, row)? {
                V::Blank => self.widen(right, row, left)?,
                _ => self.widen(left, row, right)?,
            },
            Expr::Bin("&", left, right) => {
                let side = |value: V| if value == V::Blank { String::new() } else { cell(&value) };
                let both = side(self.one(left, row)?) + &side(self.one(right, row)?);
                if both.is_empty() { V::Blank } else { V::Text(both) }
            }
            Expr::Bin(op, left, right) => binary(op, &self.one(left, row)?, &self.one(right, row)?),
            Expr::Not(inner) => bool_of(truth(&self.one(inner, row)?).map(|value| !value)),
            Expr::If(condition, then, otherwise) => match truth(&self.one(condition, row)?) {
                Some(true) => self.widen(then, row, otherwise)?,
                Some(false) => self.widen(otherwise, row, then)?,
                None => V::Blank,
            },
            Expr::Blank(inner, not) => V::Bool((self.one(inner, row)? == V::Blank) != *not),
            Expr::In(value, items) => {
                let value = self.one(value, row)?;
                let mut found = Some(false);
                for item in items {
                    match truth(&binary("=", &value, &self.one(item, row)?)) {
                        Some(true) => found = Some(true),
                        None if found != Some(true) => found = None,
                        _ => {}
                    }
                }
                bool_of(found)
            }
            Expr::Fun(name, args) => {
                let values =
                    args.iter().map(|arg| self.one(arg, row)).collect::<Result<Vec<V>, Stop>>()?;
                function(name, &values)
            }
        })
    }

    /// What a row has by its place in its group.
    fn placed(&self, expr: &Expr, row: usize) -> Result<V, Stop> {
        Ok(match expr {
            Expr::Position(group, by) => {
                let rows = self.ordered(self.group(group, row), by)?;
                V::Num(rows.iter().position(|own| *own == row).unwrap() as i128 + 1, 0)
            }
            Expr::Window(function, value, group, by, reach) => {
                let rows =
                    self.in_reach(self.ordered(self.group(group, row), by)?, row, by, *reach)?;
                let agg = match *function {
                    "rows" => Agg::Rows,
                    "count" => Agg::Count,
                    "mean" => Agg::Mean,
                    "min" => Agg::Min,
                    "max" => Agg::Max,
                    _ => Agg::Sum,
                };
                let call = Call { agg, value: value.clone(), by: None, filter: None };
                self.gather(&call, &rows, type_of(value.as_deref(), &self.table.cols))?
            }
            Expr::Neighbour(next, value, group, by) => {
                let rows = self.ordered(self.group(group, row), by)?;
                let at = rows.iter().position(|own| *own == row).unwrap();
                let beside = if *next { rows.get(at + 1) } else { rows[..at].last() };
                beside.map_or(Ok(V::Blank), |beside| self.one(value, *beside))?
            }
            other => panic!("{other:?} is not of a place"),
        })
    }

    /// One side of two in the places of that which has more.
    fn widen(&self, expr: &Expr, row: usize, other: &Expr) -> Result<V, Stop> {
        let places = type_of(Some(expr), &self.table.cols).places();
        let most =
            places.zip(type_of(Some(other), &self.table.cols).places()).map(|(a, b)| a.max(b));
        Ok(match (self.one(expr, row)?, most) {
            (V::Num(units, own), Some(most)) => {
                V::Num(to(units, own, most.max(own)), most.max(own))
            }
            (value, _) => value,
        })
    }

    fn holding(&self, row: usize) -> Result<&Vec<usize>, Stop> {
        Ok(&self.world.periods.as_ref().map_err(|stop| *stop)?[self.table.from[row]])
    }

    fn leads(&self, row: usize) -> Result<Option<usize>, Stop> {
        Ok(self.world.link.as_ref().map_err(|stop| *stop)?[self.table.from[row]])
    }
}

/// The type of an expression whose names are these columns: enough for places of numbers.
pub fn type_of(expr: Option<&Expr>, cols: &[(String, Ty)]) -> Ty {
    let Some(expr) = expr else { return Ty::Int };
    let of = |expr: &Expr| type_of(Some(expr), cols);
    let larger = |a: Ty, b: Ty| match (a.places(), b.places()) {
        (Some(a), Some(b)) if a.max(b) > 0 => Ty::Dec(a.max(b)),
        (Some(_), Some(_)) => {
            if a == Ty::Int && b == Ty::Int {
                Ty::Int
            } else {
                Ty::Dec(0)
            }
        }
        _ => a,
    };
    match expr {
        Expr::Col(name) | Expr::Path(name) => {
            cols.iter().find(|(known, _)| known == name).map_or(base_type(name), |(_, ty)| *ty)
        }
        Expr::When(name) => base_type(name),
        Expr::Int(_) | Expr::Position(..) | Expr::Choices => Ty::Int,
        Expr::Dec(_) => Ty::Dec(2),
        Expr::Text(_) => Ty::Text,
        Expr::Has | Expr::Not(_) | Expr::Blank(..) | Expr::In(..) => Ty::Bool,
        Expr::Back(call) => aggregate_type(call, &base_columns()),
        Expr::Of(call, _) => aggregate_type(call, cols),
        Expr::Window("rows" | "count", ..) => Ty::Int,
        Expr::Window("mean", ..) => Ty::Dec(10),
        Expr::Window(_, value, ..) => type_of(value.as_deref(), cols),
        Expr::Neighbour(_, value, ..) => of(value),
        Expr::Bin("and" | "or" | "=" | "!=" | "<" | "<=" | ">" | ">=", ..) => Ty::Bool,
        Expr::Bin("&", ..) => Ty::Text,
        Expr::Bin("/", ..) => Ty::Dec(10),
        Expr::Bin("*", left, right) => match (of(left), of(right)) {
            (Ty::Int, Ty::Int) => Ty::Int,
            (a, b) => Ty::Dec(a.places().unwrap() + b.places().unwrap()),
        },
        Expr::Bin(_, left, right) | Expr::If(_, left, right) => larger(of(left), of(right)),
        Expr::Fun("abs", args) => of(&args[0]),
        Expr::Fun("round", _) => Ty::Dec(1),
        Expr::Fun("length", _) => Ty::Int,
        Expr::Fun(..) => Ty::Text,
    }
}

pub fn base_columns() -> Vec<(String, Ty)> {
    ["k", "x", "y", "d"].iter().map(|name| ((*name).to_owned(), base_type(name))).collect()
}

fn base_type(name: &str) -> Ty {
    match name {
        "x" | "n" | "p" => Ty::Int,
        "y" => Ty::Dec(2),
        "d" | "s" | "z" => Ty::Date,
        _ => Ty::Text,
    }
}

pub fn aggregate_type(call: &Call, cols: &[(String, Ty)]) -> Ty {
    match call.agg {
        Agg::Rows | Agg::Count | Agg::Distinct => Ty::Int,
        Agg::Mean | Agg::Share => Ty::Dec(10),
        Agg::Median => match type_of(call.value.as_deref(), cols) {
            Ty::Int => Ty::Dec(1),
            Ty::Dec(places) => Ty::Dec(places + 1),
            ty => ty,
        },
        Agg::Any | Agg::All => Ty::Bool,
        Agg::List | Agg::ListDistinct => Ty::Text,
        _ => type_of(call.value.as_deref(), cols),
    }
}

fn binary(op: &str, left: &V, right: &V) -> V {
    if *left == V::Blank || *right == V::Blank {
        return V::Blank;
    }
    match (op, left, right) {
        ("+" | "-", V::Num(a, s), V::Num(b, t)) => {
            let most = *s.max(t);
            let b = to(*b, *t, most);
            V::Num(to(*a, *s, most) + if op == "+" { b } else { -b }, most)
        }
        ("-", V::Day(a), V::Day(b)) => V::Num((a - b).into(), 0),
        ("*", V::Num(a, s), V::Num(b, t)) => V::Num(a * b, s + t),
        ("/", V::Num(a, s), V::Num(b, t)) => quotient(*a, *s, *b, *t),
        _ => {
            let order = order(left, right);
            V::Bool(match op {
                "=" => order.is_eq(),
                "!=" => order.is_ne(),
                "<" => order.is_lt(),
                "<=" => order.is_le(),
                ">" => order.is_gt(),
                _ => order.is_ge(),
            })
        }
    }
}

fn function(name: &str, values: &[V]) -> V {
    match (name, values) {
        (_, values) if values.contains(&V::Blank) => V::Blank,
        ("upper", [V::Text(text)]) => V::Text(text.to_uppercase()),
        ("trim", [V::Text(text)]) => {
            let text = text.trim();
            if text.is_empty() { V::Blank } else { V::Text(text.into()) }
        }
        ("length", [V::Text(text)]) => V::Num(text.chars().count() as i128, 0),
        ("abs", [V::Num(units, places)]) => V::Num(units.abs(), *places),
        ("round", [V::Num(units, places), _]) => {
            if *places <= 1 {
                return V::Num(to(*units, *places, 1), 1);
            }
            let by = pow(places - 1);
            let found = (2 * units.abs() + by) / (2 * by);
            V::Num(if *units < 0 { -found } else { found }, 1)
        }
        ("month", [V::Day(_)]) => V::Text(cell(&values[0])[..7].to_owned()),
        ("text", [value]) => V::Text(cell(value)),
        other => panic!("{other:?}"),
    }
}

/// A value as it is written. Days are of January 2026.
pub fn cell(value: &V) -> String {
    match value {
        V::Blank => String::new(),
        V::Bool(value) => value.to_string(),
        V::Num(units, 0) => units.to_string(),
        V::Num(units, places) => {
            let sign = if *units < 0 { "-" } else { "" };
            let (whole, part) = (units.abs() / pow(*places), units.abs() % pow(*places));
            format!("{sign}{whole}.{part:0width$}", width = *places as usize)
        }
        V::Text(text) => text.clone(),
        V::Day(day) => format!("2026-01-{day:02}"),
    }
}

/// Reads a cell of a file.
fn read(text: &str, ty: Ty) -> V {
    if text.is_empty() {
        return V::Blank;
    }
    match ty {
        Ty::Int => V::Num(text.parse().unwrap(), 0),
        Ty::Dec(_) => V::Num(text.replace('.', "").parse().unwrap(), 2),
        Ty::Date => V::Day(text[8..].parse().unwrap()),
        _ => V::Text(text.into()),
    }
}
