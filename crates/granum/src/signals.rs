//! What happens where the system or the user ends the program early, and what it may use meanwhile.

/// From now on `Ctrl-C` and a request to end take back what was begun: temporary files and new folders
/// go, outputs that were being put in their places are as they were before.
#[cfg(unix)]
pub fn watch() {
    use signal_hook::consts::{SIGHUP, SIGINT, SIGTERM};
    let Ok(mut signals) = signal_hook::iterator::Signals::new([SIGHUP, SIGINT, SIGTERM]) else {
        return;
    };
    std::thread::spawn(move || {
        if let Some(signal) = signals.forever().next() {
            granum_io::take_back();
            // As a shell tells of a program that a signal ended.
            std::process::exit(128 + signal);
        }
    });
    // A plan may have more outputs than a process may have files open at first.
    let _ = rlimit::increase_nofile_limit(u64::MAX);
}

/// Elsewhere the system's own ways hold.
#[cfg(not(unix))]
pub fn watch() {}
