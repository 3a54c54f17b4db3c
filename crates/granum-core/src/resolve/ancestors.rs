//! The tables whose links rows can follow.

use std::sync::Arc;

use crate::table::TableId;

/// A table and what it comes from. Those of a table are shared with all that are made from it, so
/// that a long row of tables holds each once.
#[derive(Debug, Clone, Default)]
pub(super) struct Ancestors {
    last: Option<Arc<Ancestor>>,
    /// One row of any of them may be several here.
    repeated: bool,
}

#[derive(Debug)]
struct Ancestor {
    table: TableId,
    before: Ancestors,
}

impl Ancestors {
    /// One table alone.
    pub fn of(table: TableId) -> Self {
        let mut one = Self::default();
        one.push(table);
        one
    }

    /// A table that is made from these comes next.
    pub fn push(&mut self, table: TableId) {
        let before = std::mem::take(self);
        self.last = Some(Arc::new(Ancestor { table, before }));
    }

    /// From here on one row of them may be several.
    pub fn repeat(&mut self) {
        self.repeated = true;
    }

    /// The tables, the nearest first, each with whether one row there may be several here.
    pub fn iter(&self) -> impl Iterator<Item = (TableId, bool)> {
        let mut rest = self;
        let mut repeated = false;
        std::iter::from_fn(move || {
            let next = rest.last.as_ref()?;
            repeated |= rest.repeated;
            rest = &next.before;
            Some((next.table, repeated))
        })
    }

    /// Whether a table is among them.
    pub fn has(&self, table: TableId) -> bool {
        self.iter().any(|(known, _)| known == table)
    }
}

impl Drop for Ancestors {
    /// One after the other: a long row would be too deep to drop one inside the other.
    fn drop(&mut self) {
        let mut last = self.last.take();
        while let Some(mut next) = last.and_then(Arc::into_inner) {
            last = next.before.last.take();
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_nearest_comes_first_and_what_stood_before_units_is_repeated() {
        let mut ancestors = Ancestors::of(TableId(0));
        ancestors.push(TableId(1));
        let before = ancestors.clone();
        ancestors.repeat();
        ancestors.push(TableId(2));
        let all: Vec<_> = ancestors.iter().map(|(table, repeated)| (table.0, repeated)).collect();
        assert_eq!(all, [(2, false), (1, true), (0, true)]);
        assert!(before.iter().all(|(_, repeated)| !repeated));
        assert!(ancestors.has(TableId(0)) && !before.has(TableId(2)));
        (3..300_000).for_each(|table| ancestors.push(TableId(table)));
        assert_eq!(ancestors.iter().count(), 300_000);
    }
}
