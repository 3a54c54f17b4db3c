//! Runs that were killed while they put outputs in their places.

use std::path::PathBuf;

use granum_io::LeftRun;

/// Paths are named up to so many.
const NAMED: usize = 5;

fn paths(paths: &[PathBuf]) -> String {
    let named: Vec<String> =
        paths.iter().take(NAMED).map(|path| path.display().to_string()).collect();
    let more = if paths.len() > NAMED { ", \u{2026}" } else { "" };
    format!("{}{more}", named.join(", "))
}

/// What was finished of one.
pub fn finished(run: &LeftRun) -> String {
    let mut out = String::new();
    if !run.outputs.is_empty() {
        let are = if run.outputs.len() == 1 { "is its output" } else { "are its outputs" };
        out.push_str(&format!(
            "A run before this one was killed while it put its outputs in their places. That is finished: {} \
             {are}.\n",
            paths(&run.outputs)
        ));
    }
    if !run.changed.is_empty() {
        let them = if run.changed.len() == 1 { "it" } else { "them" };
        out.push_str(&format!(
            "A run before this one was killed before it replaced {}. Somebody has changed {them} since, so \
             nothing was put there.\n",
            paths(&run.changed)
        ));
    }
    out
}

/// What one waits to have finished.
pub fn waiting(run: &LeftRun) -> String {
    let (wait, its) =
        if run.outputs.len() == 1 { ("waits", "is not") } else { ("wait", "are not") };
    format!(
        "A run was killed while it put its outputs in their places: {} {its} those of that run yet, and {wait} \
         for it. The next  granum run  that writes one of them finishes it.\n",
        paths(&run.outputs)
    )
}
