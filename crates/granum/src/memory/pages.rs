//! The pages in which the system gives memory: of four kilobytes each, or of two megabytes, which are had with fewer
//! requests, and of which the whole counts as soon as a byte of it is written.

use std::ops::Range;

use procfs::process::Process;
use rustix::mm::{Advice, madvise};

/// Says that of the memory that the allocator got first so many bytes may come in large pages from now on, and the others
/// not. Where the system has none, or does not say where that memory is, nothing changes.
pub fn large(bytes: usize) {
    let Some(range) = of_allocator() else { return };
    let cut = range.start + bytes.min(range.len());
    for (range, advice) in
        [(range.start..cut, Advice::LinuxHugepage), (cut..range.end, Advice::LinuxNoHugepage)]
    {
        // SAFETY: it says how pages come that are not there yet; what stands in those that are stays.
        #[allow(unsafe_code)]
        let _ = unsafe { madvise(range.start as *mut std::ffi::c_void, range.len(), advice) };
    }
}

/// The addresses of what the system gave as one, in which something stands that was just made.
fn of_allocator() -> Option<Range<usize>> {
    let made = Box::new(0_u8);
    let at = std::ptr::from_ref(&*made) as u64;
    let maps = Process::myself().and_then(|own| own.maps()).ok()?;
    let (start, end) =
        maps.iter().map(|map| map.address).find(|(start, end)| (start..end).contains(&&at))?;
    Some(start as usize..end as usize)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_stands_there_stays_and_what_comes_is_there_as_well() {
        let before: Vec<u32> = (0..1 << 20).collect();
        for bytes in [usize::MAX, 3 << 21, 0] {
            large(bytes);
            let after: Vec<u32> = (0..1 << 21).collect();
            assert!(before.iter().copied().eq(0..1 << 20) && after.iter().copied().eq(0..1 << 21));
        }
    }

    #[test]
    fn memory_that_was_made_lies_in_what_is_spoken_of() {
        let range = of_allocator().expect("the maps of this process");
        let made = Box::new(0_u8);
        assert!(range.contains(&(std::ptr::from_ref(&*made) as usize)), "{range:?}");
        assert!(range.len() >= 1 << 21 && range.start.is_multiple_of(1 << 12), "{range:?}");
    }
}
