//! Amounts divided over the rows of their groups.

use rayon::prelude::*;

use super::amounts::Amounts;
use crate::table::{Bits, Column, Present, Rows};
use crate::value::parts::ByWeights;
use crate::value::{Scale, Type};

/// The parts.
pub(super) struct Divided {
    /// Of the rows of all groups, one group after another; blank where there is none.
    parts: Column,
    /// Groups with an amount of which all weights are zero.
    pub zero: Vec<usize>,
}

/// The parts of some groups on their way.
#[derive(Default)]
struct SomeParts {
    parts: Vec<i128>,
    there: Vec<bool>,
    zero: Vec<usize>,
}

impl Divided {
    pub fn new(
        amounts: &Amounts,
        weights: Option<&Column>,
        else_equally: bool,
        places: Scale,
        (rows, starts): (&[u32], &[usize]),
    ) -> Self {
        const RUN: usize = 1 << 12;
        let run = |run: usize| {
            let mut divided = SomeParts::default();
            let (mut by, mut of_group) = (ByWeights::default(), vec![]);
            for group in run * RUN..((run + 1) * RUN).min(amounts.of.len()) {
                let rows = &rows[starts[group]..starts[group + 1]];
                let weight =
                    |row: &u32| weights.map_or(1, |w| w.units(*row as usize).unsigned_abs());
                let Some(amount) = amounts.of.get(group).filter(|_| !rows.is_empty()) else {
                    divided.nothing(rows.len());
                    continue;
                };
                of_group.clear();
                of_group.extend(rows.iter().map(weight));
                let mut shared = by.divide(amount, &of_group, &mut divided.parts);
                // Nothing can be divided by any weights.
                if !shared && (else_equally || amount == 0) {
                    of_group.fill(1);
                    shared = by.divide(amount, &of_group, &mut divided.parts);
                }
                if !shared {
                    divided.nothing(rows.len());
                    divided.zero.push(group);
                    continue;
                }
                divided.there.resize(divided.parts.len(), true);
            }
            let SomeParts { parts, there, zero } = divided;
            (Column::decimal(parts, Some(Present::from(there)), places).narrowed(), zero)
        };
        let runs = (0..amounts.of.len().div_ceil(RUN)).into_par_iter().map(run);
        let (parts, zero): (Vec<Column>, Vec<Vec<usize>>) = runs.unzip();
        Self { parts: Column::concat(&parts), zero: zero.concat() }
    }

    /// The parts where their rows stand; blank in rows of no group.
    pub fn column(&self, rows: &[u32], all: usize, places: Scale) -> Column {
        let mut places_of = vec![0; all];
        (0..).zip(rows).for_each(|(place, row)| places_of[*row as usize] = place);
        let there = Bits::of(all, rows.iter().copied());
        match self.parts.take(&Rows::new(places_of, Some(Present::new(there)))) {
            Column::Blank(rows) => Column::all_blank(Type::Decimal(places), rows),
            parts => parts,
        }
    }
}

impl SomeParts {
    fn nothing(&mut self, rows: usize) {
        self.parts.resize(self.parts.len() + rows, 0);
        self.there.resize(self.parts.len(), false);
    }
}
