//! The keys of rows that a step sees all at once, which may be away.

use super::StepRunner;
use crate::aggregate::Groups;
use crate::expr::{Kind, Typed};
use crate::link::{BlankKeys, Keys};
use crate::table::{Batch, Held, SlotId};
use crate::tally::Problem;

/// Keys of some slots.
pub(super) fn keys_of(batch: &Batch, slots: &[SlotId], blank: BlankKeys) -> Keys {
    let held = slots.iter().map(|slot| batch.held(*slot)).collect();
    Keys::away(held, blank, batch.rows)
}

/// Keys of some expressions over all rows. Those that are more than a slot are worked, and what they look at is here.
///
/// # Errors
/// The first row that cannot be worked.
pub(super) fn keys(
    at: &StepRunner<'_>,
    batch: &Batch,
    typed: &[Typed],
    blank: BlankKeys,
) -> Result<Keys, Problem> {
    let held = |typed: &Typed| match typed.kind {
        Kind::Slot(slot) if batch.slots[slot.0].is_none() && batch.has(slot.0) => {
            Ok(vec![batch.held(slot)])
        }
        _ => {
            let worked = at.columns(batch, [typed].into_iter())?;
            Ok(worked.into_iter().map(Held::Own).collect())
        }
    };
    let held: Result<Vec<Vec<Held>>, Problem> = typed.iter().map(held).collect();
    Ok(Keys::away(held?.concat(), blank, batch.rows))
}

/// The groups of rows of equal keys; what the keys look at is got where it is away.
///
/// # Errors
/// The first row that cannot be worked.
pub(super) fn groups(at: &StepRunner<'_>, rows: &Batch, keys: &[Typed]) -> Result<Groups, Problem> {
    let mut keyed = rows.clone();
    keyed.get(keys.iter().flat_map(Typed::slots));
    Ok(Groups::by(&at.columns(&keyed, keys.iter())?, rows.rows))
}
