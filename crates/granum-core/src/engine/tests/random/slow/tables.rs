//! Tables and their steps, row by row.

use std::cmp::Ordering;
use std::collections::BTreeMap;

use super::super::model::{Agg, Call, Expr, Plan, Start, Step, Ty};
use super::parts::{leading, parts, shares};
use super::periods::periods;
use super::{
    Made, Rows, Scope, Stop, V, World, aggregate_type, base_columns, in_order, read, to, truth,
    type_of,
};

/// Works a whole plan.
pub fn work(plan: &Plan) -> World {
    let mut world = World {
        tables: BTreeMap::new(),
        link: Err("none"),
        parts: Err("none"),
        periods: Err("none"),
    };
    for table in &plan.tables {
        if table.name == "t" {
            world.link = link(&world);
            let (_, text) = plan.files.iter().find(|(known, _)| *known == "e").unwrap();
            let periods = periods(text, &plan.period, &world);
            (world.periods, world.tables) = periods;
            let (_, text) = plan.files.iter().find(|(known, _)| *known == "h").unwrap();
            let h = parts(text);
            world.parts = leading(&h, &world);
            world.tables.insert("h".into(), Ok(h));
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
            let made = (0..rows.len() as u32).map(|row| [(name.to_owned(), row)].into()).collect();
            Ok(Rows { cols, rows, from, made, ..Rows::default() })
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
                out.made.extend(part.made.iter().cloned());
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
        let mut made = Made::new();
        for part in parts {
            let at = part.rows.iter().position(|row| key(part, row) == one);
            let own = at.map(|at| &part.rows[at]);
            made.extend(at.into_iter().flat_map(|at| part.made[at].clone()));
            for (at, _) in
                part.cols.iter().enumerate().filter(|(_, (name, _))| !keys.contains(name))
            {
                row.push(own.map_or(V::Blank, |row| row[at].clone()));
            }
        }
        out.rows.push(row);
        out.made.push(made);
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
                | Step::Expand { .. }
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
    let made = stay.iter().map(|row| rows.made[*row].clone()).collect();
    let own = stay.iter().map(|row| rows.rows[*row].clone()).collect();
    Rows { rows: own, from, made, ..rows.clone() }
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
                let count = count.unwrap_or_else(|part| (of.len() * part).div_ceil(100));
                let mut end = count.min(of.len());
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
            let mut out = Rows { rows: vec![], from: vec![], made: vec![], ..rows.clone() };
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
                    out.made.push(rows.made[row].clone());
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
        Step::Turn { columns, name, value, keeping } => {
            let types: Vec<Ty> = columns.iter().map(|name| rows.cols[scope.at(name)].1).collect();
            let places = types.iter().filter_map(|ty| ty.places()).max().unwrap_or(0);
            let ty = if types.contains(&Ty::Dec(places)) { Ty::Dec(places) } else { types[0] };
            let stays = |name: &str| !columns.iter().any(|column| column == name);
            let mut out = Rows { rows: vec![], from: vec![], made: vec![], ..rows.clone() };
            for row in every {
                for column in columns {
                    let own = match &rows.rows[row][scope.at(column)] {
                        V::Blank if !*keeping => continue,
                        V::Num(units, own) if *own < places => {
                            V::Num(to(*units, *own, places), places)
                        }
                        own => own.clone(),
                    };
                    let cells = rows.cols.iter().zip(&rows.rows[row]);
                    let cells = cells.filter(|((name, _), _)| stays(name));
                    let mut cells: Vec<V> = cells.map(|(_, cell)| cell.clone()).collect();
                    cells.extend([V::Text(column.clone()), own]);
                    out.rows.push(cells);
                    out.from.extend(rows.from.get(row));
                    out.made.push(rows.made[row].clone());
                }
            }
            out.cols.retain(|(name, _)| stays(name));
            out.cols.extend([(name.clone(), Ty::Text), (value.clone(), ty)]);
            out.tracked.retain(|name| stays(name));
            if let Some(grain) = &mut out.grain {
                grain.push(name.clone());
            }
            return Ok(out);
        }
        Step::Expand { from_c, split, weighted, else_equally, multiply } => {
            let leads = world.parts.as_ref().map_err(|stop| *stop)?;
            let h = world.tables["h"].as_ref().map_err(|stop| *stop)?;
            let mut out = Rows { rows: vec![], from: vec![], made: vec![], ..rows.clone() };
            for row in every {
                let led = if *from_c { Some(rows.from[row]) } else { scope.leads(row)? };
                let came = led.map_or(&[][..], |led| &leads[led]);
                let cells: Vec<Vec<V>> = came.iter().map(|at| h.rows[*at][1..].to_vec()).collect();
                let mut new = vec![rows.rows[row].clone(); cells.len().max(1)];
                if let (Some(name), true) = (multiply, !cells.is_empty()) {
                    for (own, came) in new.iter_mut().zip(&cells) {
                        let V::Num(factor, _) = came[2] else { return Err("expand") };
                        if let V::Num(units, _) = &mut own[scope.at(name)] {
                            *units *= factor;
                        }
                    }
                }
                let mut weights = vec![1; cells.len()];
                if *weighted {
                    for (weight, came) in weights.iter_mut().zip(&cells) {
                        let V::Num(own @ 0.., _) = came[1] else { return Err("expand") };
                        *weight = own;
                    }
                }
                for name in split {
                    let V::Num(units, places) = rows.rows[row][scope.at(name)] else { continue };
                    let most = places.max(2);
                    let all = to(units, places, most);
                    let parts = match weights.as_slice() {
                        [] | [_] => vec![all],
                        some if some.iter().any(|weight| *weight != 0) => shares(all, some),
                        some if *else_equally || all == 0 => shares(all, &vec![1; some.len()]),
                        _ => return Err("expand"),
                    };
                    for (own, part) in new.iter_mut().zip(parts) {
                        own[scope.at(name)] = V::Num(part, most);
                    }
                }
                for (at, mut own) in new.into_iter().enumerate() {
                    own.extend(cells.get(at).cloned().unwrap_or_else(|| vec![V::Blank; 3]));
                    out.rows.push(own);
                    out.from.extend(rows.from.get(row));
                    out.made.push(rows.made[row].clone());
                }
            }
            for name in split {
                let ty = &mut out.cols[scope.at(name)].1;
                *ty = Ty::Dec(ty.places().unwrap().max(2));
            }
            out.cols.extend(["m", "w", "q"].map(|name| (name.to_owned(), Ty::Int)));
            if let Some(grain) = &mut out.grain {
                grain.push("m".into());
                // Rows without parts have none of it.
                out.loose = true;
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
                for (row, share) in of.iter().zip(shares(all, &weights)) {
                    parts[*row] = V::Num(share, places);
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
        out.made.push(of.iter().flat_map(|row| rows.made[*row].clone()).collect());
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
