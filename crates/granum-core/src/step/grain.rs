//! `grain`: what one row is, looked at where it does not follow.

use super::keys::keys_of;
use super::{Left, OnRows, Pace, RowsBecome, StepRunner, Work};
use crate::grain::broken;
use crate::link::{BlankKeys, EXAMPLES};
use crate::resolve::{GrainCheck, Proof};
use crate::table::SlotId;
use crate::tally::{Problem, RepeatedKey};

impl Work for GrainCheck {
    fn slots(&self) -> Vec<SlotId> {
        self.columns.iter().map(|(_, slot)| *slot).collect()
    }

    fn gets(&self) -> Vec<SlotId> {
        vec![]
    }

    fn pace(&self) -> Pace {
        if self.proof == Proof::Follows { Pace::Passing } else { Pace::Whole }
    }

    fn rows(&self) -> RowsBecome {
        RowsBecome::Same
    }

    fn work(&self, at: &StepRunner<'_>, on: OnRows<'_>) -> Result<Left, Problem> {
        if self.proof == Proof::Follows {
            return Ok(Left::default());
        }
        let batch = on.batch;
        let keys = keys_of(batch, &self.slots(), BlankKeys::Apart);
        let unique = self.proof == Proof::Unique;
        let Some(broken) = broken(&keys, unique) else { return Ok(Left::default()) };
        let place = |row: u32| at.naming.place(&at.around, batch, row as usize);
        let examples = broken.examples.iter().map(|(key, rows)| RepeatedKey {
            key: key.clone(),
            rows: rows.len() as u64,
            places: rows.iter().take(EXAMPLES).filter_map(|row| place(*row)).collect(),
        });
        Err(Problem::Grain {
            table: at.plan().name.clone(),
            columns: self.columns.iter().map(|(name, _)| name.clone()).collect(),
            repeated: broken.repeated,
            repeated_rows: broken.repeated_rows,
            blank: broken.blank,
            examples: examples.collect(),
            blank_places: broken.blank_rows.iter().filter_map(|row| place(*row)).collect(),
        })
    }
}
