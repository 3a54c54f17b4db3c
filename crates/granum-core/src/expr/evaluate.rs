//! Works a typed expression on a batch of rows.

use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Mutex, PoisonError};

use super::kernel::{Counting, Failing, FailureKind, RowFailure, texts};
use super::typed::{Kind, Logic, Typed};
use super::world::World;
use super::{arithmetic, compare, convert};
use crate::bug::{Sure, bug};
use crate::table::{
    Batch, Bits, Column, GatherId, Hop, LinkId, PIECE, Rows, SlotId, TableId, Truths,
};
use crate::value::{Scalar, Type};

/// Where an expression is worked: the rows, and what they lead to.
pub(crate) struct Scope<'a> {
    pub batch: &'a Batch,
    pub world: &'a World,
    /// Counts rows that divided by zero.
    pub zero_divisions: &'a AtomicU64,
    pub failing: Failing<'a>,
}

/// The expression's value for each row of the batch.
pub(crate) fn evaluate(expr: &Typed, scope: &Scope<'_>) -> Result<Column, RowFailure> {
    scope.column(expr, None)
}

/// The expression's value for each of many rows, worked on all cores.
pub(crate) fn evaluate_all(
    expr: &Typed,
    rows: &Batch,
    world: &World,
    zero_divisions: &AtomicU64,
) -> Result<Column, RowFailure> {
    use rayon::prelude::*;
    let work = |batch: &Batch| {
        evaluate(expr, &Scope { batch, world, zero_divisions, failing: Failing::Stops })
    };
    if rows.rows <= PIECE || matches!(expr.kind, Kind::Slot(_) | Kind::Column(_)) {
        return work(rows);
    }
    // As many rows as a piece has: then what comes of them is put together without a copy.
    let starts: Vec<usize> = (0..rows.rows).step_by(PIECE).collect();
    let parts: Result<Vec<Column>, RowFailure> = starts
        .into_par_iter()
        .with_max_len(1)
        .map(|start| {
            let batch = rows.slice(start, PIECE.min(rows.rows - start));
            work(&batch).map_err(|failure| RowFailure { row: start + failure.row, ..failure })
        })
        .collect::<Vec<_>>()
        .into_iter()
        .collect();
    Ok(Column::concat(&parts?))
}

/// The same where rows that cannot be worked are blank; and those rows, in their order.
pub(crate) fn evaluate_noting(
    expr: &Typed,
    rows: &Batch,
    world: &World,
    zero_divisions: &AtomicU64,
) -> (Column, Vec<RowFailure>) {
    let zeros = AtomicU64::new(0);
    if let Ok(column) = evaluate_all(expr, rows, world, &zeros) {
        zero_divisions.fetch_add(zeros.into_inner(), Ordering::Relaxed);
        return (column, vec![]);
    }
    let noted = Mutex::new(vec![]);
    let scope = Scope { batch: rows, world, zero_divisions, failing: Failing::Noted(&noted) };
    let column = evaluate(expr, &scope).unwrap_or_else(|failure| {
        bug(format!("row {} failed where failures are noted", failure.row))
    });
    let mut noted = noted.into_inner().unwrap_or_else(PoisonError::into_inner);
    noted.sort_by_key(|failure| failure.row);
    noted.dedup_by_key(|failure| failure.row);
    (column, noted)
}

/// The rows for which a condition is true, and how many it was blank for.
pub(crate) fn truth(expr: &Typed, scope: &Scope<'_>) -> Result<(Bits, usize), RowFailure> {
    let column = scope.truth(expr, None)?;
    Ok((column.sure(), column.blanks()))
}

type Mask<'a> = Option<&'a Bits>;

impl Scope<'_> {
    fn counting<'m>(&'m self, expr: &Typed, mask: Mask<'m>) -> Counting<'m> {
        Counting { mask, failing: self.failing, span: expr.span }
    }

    fn truth(&self, expr: &Typed, mask: Mask<'_>) -> Result<Truths, RowFailure> {
        Ok(match self.column(expr, mask)? {
            Column::Boolean(array) => array,
            Column::Blank(rows) => Truths::blank(rows),
            other => bug(format!("a condition is of {}", other.ty())),
        })
    }

    fn column(&self, expr: &Typed, mask: Mask<'_>) -> Result<Column, RowFailure> {
        let rows = self.batch.rows;
        Ok(match &expr.kind {
            Kind::Slot(slot) => self.slot(*slot, self.counting(expr, mask))?,
            Kind::Column(column) => self.batch.column(*column).whole(),
            Kind::Constant(value) => Column::constant(value, expr.ty, rows),
            // Whoever takes one looks at the pattern itself.
            Kind::Pattern(_) => Column::all_blank(expr.ty, rows),
            Kind::Path { from, hops, target, column } => {
                let to = self.path(*from, hops);
                let table = self.world.tables[target.0].as_ref().sure("a table that is led to");
                table.column(*column).sure("a column that is led to").take(&to)
            }
            Kind::Leads { from, hops } => {
                let to = self.path(*from, hops);
                let leads = to
                    .present()
                    .map_or_else(|| Bits::all(rows, true), |present| present.bits().clone());
                Column::Boolean(Truths::new(leads, None))
            }
            Kind::Choices { from, hops, link } => self.choices(&self.path(*from, hops), *link),
            Kind::Gathered { from, id } => self.gathered(*from, *id, self.counting(expr, mask))?,
            Kind::Total(id) => Column::constant(&self.world.totals[id.0], expr.ty, rows),
            Kind::Convert(inner) => {
                convert::convert(&self.column(inner, mask)?, expr.ty, self.counting(expr, mask))?
            }
            Kind::Negate(inner) => {
                arithmetic::negate(&self.column(inner, mask)?, self.counting(expr, mask))?
            }
            Kind::Not(inner) => Column::Boolean(compare::not(&self.truth(inner, mask)?)),
            Kind::Arithmetic { op, left, right } => {
                let (left, right) = (self.column(left, mask)?, self.column(right, mask)?);
                let counting = self.counting(expr, mask);
                let (column, zeros) =
                    arithmetic::arithmetic(*op, &left, &right, expr.ty, counting)?;
                if zeros > 0 && !matches!(self.failing, Failing::Blank) {
                    self.zero_divisions.fetch_add(zeros, Ordering::Relaxed);
                }
                column
            }
            Kind::Compare { op, left, right } => {
                let (left, right) = (self.column(left, mask)?, self.column(right, mask)?);
                Column::Boolean(compare::compare(*op, &left, &right))
            }
            Kind::Logic { op, left, right } => Column::Boolean(self.logic(*op, left, right, mask)?),
            Kind::OrElse { left, right } => {
                let left = self.column(left, mask)?;
                let Some(present) = left.present().filter(|present| present.blanks() > 0) else {
                    return Ok(left);
                };
                let open = and_mask(mask, &!present.bits());
                let right = self.column(right, Some(&open))?;
                choose(present.bits(), &left, &right)
            }
            Kind::Join { left, right } => {
                joined(&self.column(left, mask)?, &self.column(right, mask)?)
            }
            Kind::In { value, items } => {
                let value = self.column(value, mask)?;
                let mut found: Option<Truths> = None;
                for item in items {
                    let item = self.column(item, mask)?;
                    let equal = compare::compare(crate::lang::Operator::Equal, &value, &item);
                    found = Some(match found {
                        None => equal,
                        Some(found) => compare::logic(Logic::Or, &found, &equal),
                    });
                }
                Column::Boolean(found.unwrap_or_else(|| Truths::blank(rows)))
            }
            Kind::IsBlank { value, negated } => {
                let value = self.column(value, mask)?;
                let is = value
                    .present()
                    .map_or_else(|| Bits::all(rows, false), |present| !present.bits());
                Column::Boolean(Truths::new(if *negated { !&is } else { is }, None))
            }
            Kind::If { condition, then, otherwise } => {
                self.either(condition, then, otherwise, mask)?
            }
            Kind::Call { function, args } => {
                let columns: Vec<Column> =
                    args.iter().map(|arg| self.column(arg, mask)).collect::<Result<_, _>>()?;
                let call = super::function::Call {
                    args,
                    columns: &columns,
                    rows,
                    ty: expr.ty,
                    counting: self.counting(expr, mask),
                };
                if columns.iter().any(|column| column.ty() == Type::Blank) {
                    return Ok(Column::all_blank(expr.ty, rows));
                }
                (function.work)(&call)?
            }
        })
    }

    /// A slot; what has no value in some rows fails in those that count.
    fn slot(&self, slot: SlotId, counting: Counting<'_>) -> Result<Column, RowFailure> {
        if let Some((_, groups)) = self.batch.without.iter().find(|(of, _)| *of == slot) {
            for (row, group) in groups.iter().enumerate() {
                if let Some(group) = group {
                    counting.fail(row, || FailureKind::Grouped { slot, group })?;
                }
            }
        }
        Ok(self.batch.slot(slot).clone())
    }

    /// How many rows held for each of these rows of a link's source.
    fn choices(&self, of: &Rows, link: LinkId) -> Column {
        let count = self.world.choices[link.0].as_ref().sure("how many rows held").take(of);
        match count.present().filter(|present| present.blanks() > 0) {
            None => count,
            Some(present) => {
                let none = Column::constant(&Scalar::Integer(0), Type::Integer, count.len());
                choose(present.bits(), &count, &none)
            }
        }
    }

    /// What was gathered for the rows that these came from.
    fn gathered(
        &self,
        from: TableId,
        id: GatherId,
        counting: Counting<'_>,
    ) -> Result<Column, RowFailure> {
        let gathered = self.world.gathered[id.0].as_ref().sure("what was gathered");
        let of = self.batch.origin(from).sure("where rows came from");
        if !gathered.failed.is_empty() {
            for (row, of) in of.iter().enumerate() {
                if let Some(of) = of.filter(|of| gathered.failed.binary_search(of).is_ok()) {
                    counting.fail(row, || FailureKind::Gathered { id, row: of })?;
                }
            }
        }
        Ok(gathered.column.take(of))
    }

    /// `and` and `or`. Where the left side decides, the right one need not be workable.
    fn logic(
        &self,
        op: Logic,
        left: &Typed,
        right: &Typed,
        mask: Mask<'_>,
    ) -> Result<Truths, RowFailure> {
        let left = self.truth(left, mask)?;
        let decides = op == Logic::Or;
        let open = Bits::collect(self.batch.rows, |row| {
            mask.is_none_or(|mask| mask.value(row)) && compare::at(&left, row) != Some(decides)
        });
        let right = self.truth(right, Some(&open))?;
        Ok(compare::logic(op, &left, &right))
    }

    /// `if`: each side is worked where it is taken.
    fn either(
        &self,
        condition: &Typed,
        then: &Typed,
        otherwise: &Typed,
        mask: Mask<'_>,
    ) -> Result<Column, RowFailure> {
        let condition = self.truth(condition, mask)?;
        let is = |truth| {
            Bits::collect(self.batch.rows, |row| compare::at(&condition, row) == Some(truth))
        };
        let (yes, no) = (is(true), is(false));
        let then = self.column(then, Some(&and_mask(mask, &yes)))?;
        let otherwise = self.column(otherwise, Some(&and_mask(mask, &no)))?;
        let chosen = choose(&yes, &then, &otherwise);
        let blanks = condition.blanks() > 0;
        Ok(if blanks { blank_unless(&chosen, &(&yes | &no)) } else { chosen })
    }

    /// For each row of a base the row of the table built from it that it became.
    fn within(&self, of: TableId, base: TableId) -> Rows {
        let table = self.world.tables[of.0].as_ref().sure("a table on a path");
        let rows = self.world.tables[base.0].as_ref().sure("the base of a table").rows;
        let mut became = vec![None; rows];
        let origins = table.origin(base).sure("where rows of a table came from");
        for (row, from) in (0..).zip(origins.numbers()) {
            became[from as usize] = Some(row);
        }
        Rows::from(became)
    }

    /// The rows of the last table of a path that the batch's rows lead to.
    pub fn path(&self, from: TableId, hops: &[Hop]) -> Rows {
        let Some((last, before)) = hops.split_last() else {
            return self.batch.origin(from).sure("where rows came from").clone();
        };
        self.batch.paths.lead(from, hops, || {
            let rows = self.path(from, before);
            if let Hop::Within { of, base } = last {
                return rows.follow(&self.within(*of, *base));
            }
            let index = match last {
                Hop::Link(link) => self.world.links[link.0].as_ref(),
                Hop::Origin { of, base } => {
                    self.world.tables[of.0].as_ref().and_then(|table| table.origin(*base))
                }
                Hop::Within { .. } => None,
            };
            rows.follow(index.sure("a link on a path"))
        })
    }
}

/// `&`: what is blank joins as nothing.
fn joined(left: &Column, right: &Column) -> Column {
    Column::Text(texts(left.len(), |row, out| {
        [left, right].iter().filter_map(|side| side.text(row)).for_each(|text| out.push_str(text));
        true
    }))
}

fn and_mask(mask: Mask<'_>, rows: &Bits) -> Bits {
    mask.map_or_else(|| rows.clone(), |mask| mask & rows)
}

/// The left value where `first` is true, else the right. Both have one type.
fn choose(first: &Bits, left: &Column, right: &Column) -> Column {
    let rows = first.len();
    if first.count() == rows {
        return left.clone();
    }
    let both = Column::concat(&[left.clone(), right.clone()]);
    let pick: Vec<u32> =
        (0..rows).map(|row| if first.value(row) { row } else { rows + row } as u32).collect();
    both.take(&pick.into())
}

fn blank_unless(column: &Column, present: &Bits) -> Column {
    let rows: Rows =
        (0..column.len()).map(|row| present.value(row).then_some(row as u32)).collect();
    column.take(&rows)
}
