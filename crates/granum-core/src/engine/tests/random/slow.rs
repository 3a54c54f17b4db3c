//! What a plan means, worked row by row without any thought of speed, from the reference alone.

use std::cmp::Ordering;
use std::collections::BTreeMap;

use super::model::{Agg, Call, End, Expr, Group, Period, Plan, Start, Step, Ty};

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

/// A table while it is worked, and when it is.
#[derive(Debug, Clone, Default)]
#[allow(clippy::struct_field_names)]
pub struct Rows {
    pub cols: Vec<(String, Ty)>,
    pub rows: Vec<Vec<V>>,
    /// The row of the input that each row was.
    pub from: Vec<usize>,
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
        rows.sort_by(|a, b| in_order(&keys[*a], &keys[*b], false));
        Ok(rows)
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
            Expr::Position(group, by) => {
                let rows = self.ordered(self.group(group, row), by)?;
                V::Num(rows.iter().position(|own| *own == row).unwrap() as i128 + 1, 0)
            }
            Expr::Running(value, group, by) => {
                let rows = self.ordered(self.group(group, row), by)?;
                let upto = rows.iter().position(|own| *own == row).unwrap();
                let sum =
                    Call { agg: Agg::Sum, value: Some(value.clone()), by: None, filter: None };
                self.gather(&sum, &rows[..=upto], type_of(Some(value), &self.table.cols))?
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
        Expr::Running(value, ..) => of(value),
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

/// Works a whole plan.
pub fn work(plan: &Plan) -> World {
    let mut world = World { tables: BTreeMap::new(), link: Err("none"), periods: Err("none") };
    for table in &plan.tables {
        if table.name == "t" {
            world.link = link(&world);
            let (_, text) = plan.files.iter().find(|(known, _)| *known == "e").unwrap();
            let periods = periods(text, &plan.period, &world);
            (world.periods, world.tables) = periods;
        }
        let rows = start(plan, &table.name, &table.start, &world)
            .and_then(|rows| steps(rows, &table.steps, &world));
        world.tables.insert(table.name.clone(), rows);
    }
    world
}

fn link(world: &World) -> Result<Vec<Option<usize>>, Stop> {
    let (o, c) = (world.tables["o"].clone()?, world.tables["c"].clone()?);
    let key = |rows: &Rows, row: usize| {
        rows.rows[row][rows.cols.iter().position(|(name, _)| name == "k").unwrap()].clone()
    };
    let of = |wanted: V| -> Vec<usize> {
        (0..c.rows.len()).filter(|row| wanted != V::Blank && key(&c, *row) == wanted).collect()
    };
    if (0..c.rows.len()).any(|row| of(key(&c, row)).len() > 1) {
        return Err("repeated-keys");
    }
    Ok((0..o.rows.len()).map(|row| of(key(&o, row)).first().copied()).collect())
}

/// The periods, which are not changed by anything, and which of them hold for each row of `o`.
#[allow(clippy::type_complexity)]
fn periods(
    text: &str,
    period: &Period,
    world: &World,
) -> (Result<Vec<Vec<usize>>, Stop>, BTreeMap<String, Result<Rows, Stop>>) {
    let names: Vec<&str> = text.lines().next().unwrap().split(',').collect();
    let cols: Vec<(String, Ty)> =
        names.iter().map(|name| ((*name).to_owned(), base_type(name))).collect();
    let row = |line: &str| -> Vec<V> {
        line.split(',').zip(&cols).map(|(cell, (_, ty))| read(cell, *ty)).collect()
    };
    let rows: Vec<Vec<V>> = text.lines().skip(1).map(row).collect();
    let holding = holding(&rows, period, world);
    let e = Rows { from: (0..rows.len()).collect(), cols, rows, ..Rows::default() };
    let mut tables = world.tables.clone();
    tables.insert("e".into(), Ok(e));
    (holding, tables)
}

fn holding(rows: &[Vec<V>], period: &Period, world: &World) -> Result<Vec<Vec<usize>>, Stop> {
    // k, n, p, s, z
    let (start, end) = (|at: usize| &rows[at][3], |at: usize| &rows[at][4]);
    let said = |at: usize| match (start(at), end(at)) {
        (V::Day(start), V::Day(end)) => Some((*start, *end)),
        _ => None,
    };
    let ends = period.end != End::Onward;
    if ends && (0..rows.len()).any(|at| said(at).is_some_and(|(start, end)| end < start)) {
        return Err("inverted-periods");
    }
    let o = world.tables["o"].clone()?;
    let place = |name: &str| o.cols.iter().position(|(known, _)| known == name).unwrap();
    let (k, d) = (place("k"), place("d"));
    let best = |held: &mut Vec<usize>| match period.prefer {
        None => held.len() < 2,
        Some(prefer) => {
            let by = |word: &str, a: usize, b: usize| match word {
                "latest s" => in_order(&rows[a][3], &rows[b][3], true),
                "latest z" => in_order(&rows[a][4], &rows[b][4], true),
                "largest n" => in_order(&rows[a][1], &rows[b][1], true),
                _ => in_order(&rows[a][1], &rows[b][1], false),
            };
            held.sort_by(|a, b| {
                let mut words = prefer.split(", ").map(|word| by(word, *a, *b));
                words.find(|order| order.is_ne()).unwrap_or_else(|| a.cmp(b))
            });
            true
        }
    };
    let mut all = vec![];
    for row in &o.rows {
        let V::Day(day) = row[d] else {
            all.push(vec![]);
            continue;
        };
        let holds = |at: &usize| {
            let same = !period.keyed || (row[k] != V::Blank && rows[*at][0] == row[k]);
            let begun = match start(*at) {
                V::Day(start) => *start <= day,
                _ => true,
            };
            let open = match (end(*at), period.end) {
                (V::Day(end), End::Through) => day <= *end,
                (V::Day(end), End::Until) => day < *end,
                _ => true,
            };
            same && begun && open
        };
        let mut held: Vec<usize> = (0..rows.len()).filter(holds).collect();
        if period.end == End::Onward {
            let day_of = |at: &usize| match start(*at) {
                V::Day(start) => *start,
                _ => i64::MIN,
            };
            let latest = held.iter().map(day_of).max();
            held.retain(|at| Some(day_of(at)) == latest);
        }
        if !best(&mut held) {
            return Err("several-periods");
        }
        all.push(held);
    }
    Ok(all)
}

fn start(plan: &Plan, name: &str, start: &Start, world: &World) -> Result<Rows, Stop> {
    let built = |name: &String| world.tables[name].clone();
    match start {
        Start::File => {
            let (_, text) = plan.files.iter().find(|(known, _)| *known == name).unwrap();
            let cols = base_columns();
            let row = |line: &str| -> Vec<V> {
                line.split(',').zip(&cols).map(|(cell, (_, ty))| read(cell, *ty)).collect()
            };
            let rows: Vec<Vec<V>> = text.lines().skip(1).map(row).collect();
            let from = (0..rows.len()).collect();
            Ok(Rows { cols, rows, from, ..Rows::default() })
        }
        Start::Base(base) => {
            let mut rows = built(base)?;
            rows.total = None;
            rows.tally.clear();
            // Of an input's rows the finished ones are led to.
            if base == "o" || base == "c" {
                rows.from = (0..rows.rows.len()).collect();
            }
            Ok(rows)
        }
        Start::Stack(parts, _) => {
            let parts = parts.iter().map(built).collect::<Result<Vec<Rows>, Stop>>()?;
            let mut out = Rows { cols: parts[0].cols.clone(), ..Rows::default() };
            let all = |name: &String| parts.iter().all(|part| part.tracked.contains(name));
            out.tracked = parts[0].tracked.iter().filter(|name| all(name)).cloned().collect();
            for part in &parts {
                for row in &part.rows {
                    let value = |(name, ty): &(String, Ty)| {
                        let at = part.cols.iter().position(|(known, _)| known == name).unwrap();
                        match (&row[at], ty.places()) {
                            (V::Num(units, own), Some(places)) => {
                                V::Num(to(*units, *own, places), places)
                            }
                            (value, _) => value.clone(),
                        }
                    };
                    out.rows.push(out.cols.iter().map(value).collect());
                }
            }
            Ok(out)
        }
        Start::Meeting(parts, keys) => {
            let parts = parts.iter().map(built).collect::<Result<Vec<Rows>, Stop>>()?;
            meeting(&parts, keys)
        }
    }
}

fn meeting(parts: &[Rows], keys: &[String]) -> Result<Rows, Stop> {
    let key = |part: &Rows, row: &[V]| -> Vec<V> {
        let at = |name: &String| part.cols.iter().position(|(known, _)| known == name).unwrap();
        keys.iter().map(|name| row[at(name)].clone()).collect()
    };
    let mut met: Vec<Vec<V>> = vec![];
    for part in parts {
        let own: Vec<Vec<V>> = part.rows.iter().map(|row| key(part, row)).collect();
        for (at, one) in own.iter().enumerate() {
            if own[..at].contains(one) {
                return Err("meeting-repeats");
            }
            if !met.contains(one) {
                met.push(one.clone());
            }
        }
    }
    let mut out = Rows { grain: Some(keys.to_vec()), loose: true, ..Rows::default() };
    let ty = |name: &String| parts[0].cols.iter().find(|(known, _)| known == name).unwrap().1;
    out.cols = keys.iter().map(|name| (name.clone(), ty(name))).collect();
    for part in parts {
        out.cols.extend(part.cols.iter().filter(|(name, _)| !keys.contains(name)).cloned());
        out.tracked.extend(part.tracked.iter().filter(|name| !keys.contains(name)).cloned());
    }
    for one in met {
        let mut row = one.clone();
        for part in parts {
            let own = part.rows.iter().find(|row| key(part, row) == one);
            for (at, _) in
                part.cols.iter().enumerate().filter(|(_, (name, _))| !keys.contains(name))
            {
                row.push(own.map_or(V::Blank, |row| row[at].clone()));
            }
        }
        out.rows.push(row);
    }
    Ok(out)
}

fn steps(mut rows: Rows, steps: &[Step], world: &World) -> Result<Rows, Stop> {
    for step in steps {
        rows = apply(rows, step, world)?;
        let tells = matches!(
            step,
            Step::Filter(..)
                | Step::Dedupe
                | Step::DedupeBy(..)
                | Step::Top { .. }
                | Step::Units { .. }
                | Step::Allocate { .. }
                | Step::OneRow { .. }
        );
        if tells {
            let sums = sums(&rows);
            rows.tally.push((rows.rows.len(), sums));
        }
    }
    if let Some(grain) = rows.grain.clone().filter(|_| !rows.loose) {
        holds(&rows, &grain)?;
    }
    Ok(rows)
}

/// The sum of each tracked column.
pub fn sums(rows: &Rows) -> Vec<(String, i128)> {
    let sum = |name: &String| {
        let at = rows.cols.iter().position(|(known, _)| known == name)?;
        let units = rows.rows.iter().map(|row| match row[at] {
            V::Num(units, _) => units,
            _ => 0,
        });
        Some((name.clone(), units.sum()))
    };
    rows.tracked.iter().filter_map(sum).collect()
}

fn holds(rows: &Rows, grain: &[String]) -> Result<(), Stop> {
    let at = |name: &String| rows.cols.iter().position(|(known, _)| known == name).unwrap();
    let keys: Vec<Vec<&V>> =
        rows.rows.iter().map(|row| grain.iter().map(|name| &row[at(name)]).collect()).collect();
    let twice = keys.iter().enumerate().any(|(row, key)| keys[..row].contains(key));
    if twice || keys.iter().flatten().any(|value| **value == V::Blank) {
        Err("grain")
    } else {
        Ok(())
    }
}

/// The rows that stay, in this order.
fn take(rows: &Rows, stay: &[usize]) -> Rows {
    let from = stay.iter().filter_map(|row| rows.from.get(*row).copied()).collect();
    Rows { rows: stay.iter().map(|row| rows.rows[*row].clone()).collect(), from, ..rows.clone() }
}

#[allow(clippy::too_many_lines)]
fn apply(mut rows: Rows, step: &Step, world: &World) -> Result<Rows, Stop> {
    let scope = Scope { table: &rows, world };
    let key = |names: &[String], row: usize| -> Vec<V> {
        names.iter().map(|name| rows.rows[row][scope.at(name)].clone()).collect()
    };
    let every = 0..rows.rows.len();
    match step {
        Step::Add(name, value) | Step::Change(name, value) => {
            let (ty, values) = (type_of(Some(value), &rows.cols), scope.all(value)?);
            let total = rows.total.take().map(|total| {
                let alone = Rows { rows: vec![total], cols: rows.cols.clone(), ..Rows::default() };
                let value = Scope { table: &alone, world }.one(value, 0).unwrap_or(V::Blank);
                (alone.rows[0].clone(), value)
            });
            let at = rows.cols.iter().position(|(known, _)| known == name);
            for (row, value) in rows.rows.iter_mut().zip(values) {
                match at {
                    Some(at) => row[at] = value,
                    None => row.push(value),
                }
            }
            if rows.grain.as_ref().is_some_and(|grain| grain.contains(name)) {
                rows.loose = false;
            }
            match at {
                Some(at) => rows.cols[at].1 = ty,
                None => rows.cols.push((name.clone(), ty)),
            }
            rows.total = total.map(|(mut row, value)| {
                match at {
                    Some(at) => row[at] = value,
                    None => row.push(value),
                }
                row
            });
        }
        Step::Filter(keep, condition) => {
            let values = scope.all(condition)?;
            let stays = |row: &usize| match truth(&values[*row]) {
                Some(holds) => holds == *keep,
                None => !*keep,
            };
            let stay: Vec<usize> = every.filter(stays).collect();
            return Ok(take(&rows, &stay));
        }
        Step::Dedupe => {
            let stay: Vec<usize> =
                every.filter(|row| !rows.rows[..*row].contains(&rows.rows[*row])).collect();
            return Ok(take(&rows, &stay));
        }
        Step::DedupeBy(keys, rule) => {
            let wins = |row: usize, other: usize| match rule {
                Err("first") => row < other,
                Err(_) => row > other,
                Ok(column) => {
                    let at = scope.at(column);
                    match in_order(&rows.rows[row][at], &rows.rows[other][at], true) {
                        Ordering::Equal => row > other,
                        order => order.is_lt(),
                    }
                }
            };
            let stays = |row: &usize| {
                let own = key(keys, *row);
                own.contains(&V::Blank)
                    || every
                        .clone()
                        .all(|other| other == *row || key(keys, other) != own || wins(*row, other))
            };
            let stay: Vec<usize> = every.clone().filter(stays).collect();
            let mut out = take(&rows, &stay);
            (out.grain, out.loose) = (Some(keys.clone()), true);
            return Ok(out);
        }
        Step::Sort(by, descending) => {
            let values = scope.all(by)?;
            let mut stay: Vec<usize> = every.collect();
            stay.sort_by(|a, b| in_order(&values[*a], &values[*b], *descending));
            return Ok(take(&rows, &stay));
        }
        Step::Top { bottom, count, by, per, ties } => {
            let values = scope.all(by)?;
            let grain = rows.grain.clone().unwrap_or_default();
            let compare = |a: &usize, b: &usize| {
                let mut order = in_order(&values[*a], &values[*b], !*bottom);
                for (a, b) in key(&grain, *a).iter().zip(&key(&grain, *b)) {
                    order = order.then(in_order(a, b, false));
                }
                order
            };
            let mut groups: Vec<(Vec<V>, Vec<usize>)> = vec![];
            for row in every {
                let own = key(per, row);
                match groups.iter_mut().find(|(known, _)| *known == own) {
                    Some((_, rows)) => rows.push(row),
                    None => groups.push((own, vec![row])),
                }
            }
            let mut stay = vec![];
            for (_, mut of) in groups {
                of.sort_by(compare);
                let mut end = (*count).min(of.len());
                while *ties
                    && end > 0
                    && end < of.len()
                    && in_order(&values[of[end]], &values[of[end - 1]], false).is_eq()
                {
                    end += 1;
                }
                stay.extend_from_slice(&of[..end]);
            }
            return Ok(take(&rows, &stay));
        }
        Step::Units { of, name, split, dropping, keeps_negative } => {
            let mut out = Rows { rows: vec![], from: vec![], ..rows.clone() };
            for row in every {
                let quantity = rows.rows[row][scope.at(of)].clone();
                let odd = match quantity {
                    V::Num(0, _) => "zero",
                    V::Num(..0, _) => "negative",
                    V::Num(..) => "",
                    _ => "blank",
                };
                if dropping.contains(&odd) {
                    continue;
                }
                let whole = odd == "negative" && *keeps_negative;
                let count = match quantity {
                    V::Num(count @ 1..=10_000, _) => count,
                    V::Num(..) if whole => 1,
                    _ => return Err("units"),
                };
                for unit in 0..count {
                    let mut cells = rows.rows[row].clone();
                    if !whole {
                        cells[scope.at(of)] = V::Num(1, 0);
                    }
                    for column in split {
                        let cell = &mut cells[scope.at(column)];
                        if let V::Num(units, places) = *cell {
                            let most = places.max(2);
                            let all = to(units, places, most);
                            let (share, rest) = (all.abs() / count, all.abs() % count);
                            let own = share + i128::from(unit < rest);
                            *cell = V::Num(if all < 0 { -own } else { own }, most);
                        }
                    }
                    cells.push(V::Num(unit + 1, 0));
                    out.rows.push(cells);
                    out.from.extend(rows.from.get(row));
                }
            }
            for column in split {
                let ty = &mut out.cols[scope.at(column)].1;
                *ty = Ty::Dec(ty.places().unwrap().max(2));
            }
            out.cols.push((name.clone(), Ty::Int));
            if let Some(grain) = &mut out.grain {
                grain.push(name.clone());
            }
            return Ok(out);
        }
        Step::Allocate { amount, name, weight, else_equally, per } => {
            let whose = |row: usize| -> Result<Option<Vec<V>>, Stop> {
                if per.is_empty() {
                    return Ok(scope.leads(row)?.map(|to| vec![V::Num(to as i128, 0)]));
                }
                Ok(Some(key(per, row)).filter(|key| !key.contains(&V::Blank)))
            };
            let mut groups: Vec<(Vec<V>, Vec<usize>)> = vec![];
            for row in every {
                let Some(own) = whose(row)? else { continue };
                match groups.iter_mut().find(|(known, _)| *known == own) {
                    Some((_, rows)) => rows.push(row),
                    None => groups.push((own, vec![row])),
                }
            }
            let expr =
                if per.is_empty() { Expr::Path(amount.clone()) } else { Expr::Col(amount.clone()) };
            let own = if per.is_empty() { Ty::Dec(2) } else { rows.cols[scope.at(amount)].1 };
            let places = own.places().unwrap().max(2);
            let mut parts = vec![V::Blank; rows.rows.len()];
            for (_, of) in groups {
                let mut amounts: Vec<V> = vec![];
                for row in &of {
                    let value = scope.one(&expr, *row)?;
                    if value != V::Blank && !amounts.contains(&value) {
                        amounts.push(value);
                    }
                }
                let all = match amounts.as_slice() {
                    [] => continue,
                    [V::Num(units, own)] => to(*units, *own, places),
                    _ => return Err("allocate"),
                };
                let mut weights = vec![];
                for row in &of {
                    weights.push(match weight {
                        None => 1,
                        Some(name) => match &rows.rows[*row][scope.at(name)] {
                            V::Num(units @ 0.., _) => *units,
                            _ => return Err("allocate"),
                        },
                    });
                }
                if weights.iter().all(|weight| *weight == 0) {
                    if !*else_equally && all != 0 {
                        continue;
                    }
                    weights.fill(1);
                }
                let sum: i128 = weights.iter().sum();
                let mut shares: Vec<(i128, i128)> = weights
                    .iter()
                    .map(|weight| (all.abs() * weight / sum, all.abs() * weight % sum))
                    .collect();
                let left = all.abs() - shares.iter().map(|(share, _)| share).sum::<i128>();
                let mut by: Vec<usize> = (0..shares.len()).collect();
                by.sort_by_key(|at| (-shares[*at].1, *at));
                by.iter().take(left as usize).for_each(|at| shares[*at].0 += 1);
                for (row, (share, _)) in of.iter().zip(shares) {
                    parts[*row] = V::Num(if all < 0 { -share } else { share }, places);
                }
            }
            let over_link = per.is_empty();
            rows.rows.iter_mut().zip(parts).for_each(|(row, part)| row.push(part));
            rows.cols.push((name.clone(), Ty::Dec(places)));
            let led = world.tables["c"].as_ref().map_err(|stop| *stop)?;
            if !over_link || led.tracked.contains(amount) {
                rows.tracked.push(name.clone());
            }
        }
        Step::OneRow { keys, total, results } => {
            return one_row(&rows, keys, *total, results, world);
        }
        Step::Columns(names) => {
            let pick = |row: &Vec<V>| -> Vec<V> {
                names.iter().map(|name| row[scope.at(name)].clone()).collect()
            };
            let cols = names.iter().map(|name| rows.cols[scope.at(name)].clone()).collect();
            let tracked =
                rows.tracked.iter().filter(|name| names.contains(name)).cloned().collect();
            return Ok(Rows {
                rows: rows.rows.iter().map(pick).collect(),
                total: rows.total.as_ref().map(pick),
                cols,
                tracked,
                ..rows.clone()
            });
        }
        Step::Track(name) => rows.tracked.push(name.clone()),
        Step::Grain(names) => {
            holds(&rows, names)?;
            (rows.grain, rows.loose) = (Some(names.clone()), false);
        }
    }
    Ok(rows)
}

fn one_row(
    rows: &Rows,
    keys: &[String],
    total: bool,
    results: &[(String, Call)],
    world: &World,
) -> Result<Rows, Stop> {
    let scope = Scope { table: rows, world };
    let key = |row: usize| -> Vec<V> {
        keys.iter().map(|name| rows.rows[row][scope.at(name)].clone()).collect()
    };
    let mut groups: Vec<(Vec<V>, Vec<usize>)> =
        if keys.is_empty() { vec![(vec![], vec![])] } else { vec![] };
    for row in 0..rows.rows.len() {
        match groups.iter_mut().find(|(known, _)| *known == key(row)) {
            Some((_, of)) => of.push(row),
            None => groups.push((key(row), vec![row])),
        }
    }
    let types: Vec<Ty> = results.iter().map(|(_, call)| aggregate_type(call, &rows.cols)).collect();
    let worked = |of: &[usize]| -> Result<Vec<V>, Stop> {
        results
            .iter()
            .map(|(_, call)| scope.gather(call, of, type_of(call.value.as_deref(), &rows.cols)))
            .collect()
    };
    let mut out = Rows {
        grain: Some(keys.to_vec()),
        loose: true,
        tally: rows.tally.clone(),
        ..Rows::default()
    };
    for (key, of) in &groups {
        out.rows.push(key.iter().cloned().chain(worked(of)?).collect());
    }
    if total {
        let all: Vec<usize> = (0..rows.rows.len()).collect();
        let names = keys.iter().map(|_| V::Text("all".into()));
        out.total = Some(names.chain(worked(&all)?).collect());
    }
    out.cols = keys.iter().map(|name| rows.cols[scope.at(name)].clone()).collect();
    out.cols.extend(results.iter().zip(types).map(|((name, _), ty)| (name.clone(), ty)));
    // A plain sum of what is tracked goes on under its new name.
    for tracked in &rows.tracked {
        let sum = results.iter().find(|(_, call)| {
            call.agg == Agg::Sum
                && call.filter.is_none()
                && matches!(call.value.as_deref(), Some(Expr::Col(name)) if name == tracked)
        });
        out.tracked.extend(sum.map(|(name, _)| name.clone()));
    }
    Ok(out)
}

/// Which rows of a base stay behind a filter.
pub fn kept(base: &Rows, step: &Step, world: &World) -> Vec<bool> {
    let Step::Filter(keep, condition) = step else { return vec![true; base.rows.len()] };
    let scope = Scope { table: base, world };
    let Ok(values) = scope.all(condition) else { return vec![] };
    values.iter().map(|value| truth(value).map_or(!*keep, |holds| holds == *keep)).collect()
}
