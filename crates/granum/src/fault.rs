//! What is told when the program itself is at fault: a bug that the core found, or a panic.

use std::any::Any;
use std::panic;
use std::sync::{Mutex, PoisonError};

use granum_core::Bug;

/// The first panic, with its place.
static PANIC: Mutex<Option<String>> = Mutex::new(None);

/// From now on panics are noted and told once, in place of the system's own words.
pub fn watch() {
    panic::set_hook(Box::new(|panic| {
        let mut first = PANIC.lock().unwrap_or_else(PoisonError::into_inner);
        first.get_or_insert_with(|| panic.to_string());
    }));
}

/// What is being done, for who must tell that memory ran out in it.
static DOING: Mutex<String> = Mutex::new(String::new());

/// Notes what is being done from now on; nothing where that is not known.
pub fn doing(what: &str) {
    let mut doing = DOING.lock().unwrap_or_else(PoisonError::into_inner);
    doing.clear();
    doing.push_str(what);
}

/// What is printed where the system ended the work from within, behind its own line, and the exit
/// code: memory that was refused, unless something had panicked before.
pub fn aborted() -> (String, i32) {
    let panicked = PANIC.try_lock().is_ok_and(|first| first.is_some());
    if panicked {
        return (told(&()), 4);
    }
    let doing = DOING.try_lock().map(|doing| doing.clone()).unwrap_or_default();
    let place = if doing.is_empty() { String::new() } else { format!(" while {doing}") };
    let text = format!(
        "error: memory ran out{place}\n  Outputs were left as they were. Less is needed with  --memory 500MB \
         (run and check: tables go to a disk) or  --threads 1 ,\n  and where rows that are not used are \
         left out before a step that holds them all (sort, one row).\n"
    );
    (text, 3)
}

/// What is printed of a fault that ended the work.
pub fn told(fault: &(dyn Any + Send)) -> String {
    let noted = PANIC.lock().unwrap_or_else(PoisonError::into_inner).take();
    let what = match fault.downcast_ref::<Bug>() {
        Some(bug) => bug.to_string(),
        None => noted.unwrap_or_else(|| "it stopped without a word".into()),
    };
    format!(
        "internal error: {what}\n  This is a fault of granum {}, not of your plan or data. Outputs \
         were left as they were.\n  Please send its makers this text, the plan or the words that \
         you typed, and the first\n  lines of each file: it can be mended with those.\n",
        env!("CARGO_PKG_VERSION")
    )
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_fault_says_what_it_found_and_what_to_send() {
        watch();
        let found = Bug { what: "slot 3 is missing".into(), at: "batch.rs:80".into() };
        let bug = panic::catch_unwind(|| panic::resume_unwind(Box::new(found))).unwrap_err();
        assert!(told(&*bug).starts_with("internal error: slot 3 is missing (at batch.rs:80)\n"));
        let panicked = panic::catch_unwind(|| panic!("no such row")).unwrap_err();
        let _ = panic::take_hook();
        let text = told(&*panicked);
        assert!(text.contains("fault.rs:") && text.contains("no such row"), "{text}");
        assert!(text.contains("the first\n  lines of each file"), "{text}");
    }
}
