//! What happens where the system or the user ends the program early, and what it may use meanwhile.

/// From now on `Ctrl-C`, a request to end, and memory that runs out take back what was begun: temporary
/// files and new folders go, outputs that were being put in their places are as they were before.
#[cfg(unix)]
pub fn watch() {
    use signal_hook::consts::{SIGABRT, SIGHUP, SIGINT, SIGTERM};
    let ends = [SIGHUP, SIGINT, SIGTERM, SIGABRT];
    let Ok(mut signals) = signal_hook::iterator::Signals::new(ends) else {
        return;
    };
    wait_before_an_abort();
    std::thread::spawn(move || {
        if let Some(signal) = signals.forever().next() {
            granum_io::take_back();
            if signal == SIGABRT {
                let (text, exit) = crate::fault::aborted();
                let _ = std::io::Write::write_all(&mut std::io::stderr(), text.as_bytes());
                std::process::exit(exit);
            }
            // As a shell tells of a program that a signal ended.
            std::process::exit(128 + signal);
        }
    });
    // A plan may have more outputs than a process may have files open at first.
    let _ = rlimit::increase_nofile_limit(u64::MAX);
}

/// Holds the thread that aborts for long enough that the one above can end the program in its place.
#[cfg(unix)]
#[allow(unsafe_code)]
fn wait_before_an_abort() {
    const LONG_ENOUGH: std::time::Duration = std::time::Duration::from_secs(10);
    let wait = || std::thread::sleep(LONG_ENOUGH);
    // SAFETY: what a signal calls may neither allocate, lock nor panic; a sleep is one call of the
    // system that POSIX allows there (`nanosleep`). Where it cannot be set up, an abort ends the
    // program at once, as it would by itself.
    let _ = unsafe { signal_hook::low_level::register(signal_hook::consts::SIGABRT, wait) };
}

/// Elsewhere the system's own ways hold.
#[cfg(not(unix))]
pub fn watch() {}
