//! Libraries that read files which may be damaged.

use std::panic::{AssertUnwindSafe, catch_unwind, resume_unwind};

use granum_core::Bug;
use granum_core::port::SourceError;

/// A file that is not as it has to be may be more than its reader bears; then it is `damaged`.
///
/// # Errors
/// That, and what the work says.
pub(crate) fn guarded<T>(
    work: impl FnOnce() -> Result<T, SourceError>,
    damaged: impl FnOnce() -> SourceError,
) -> Result<T, SourceError> {
    catch_unwind(AssertUnwindSafe(work)).unwrap_or_else(|caught| {
        // A fault of this program is no fault of the file.
        if caught.is::<Bug>() {
            resume_unwind(caught);
        }
        Err(damaged())
    })
}
