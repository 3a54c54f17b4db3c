//! The program: arguments, progress, text, exit codes. What is computed is in `granum-core`.
#![deny(missing_docs)]
#![cfg_attr(test, allow(clippy::unwrap_used, clippy::expect_used))]

mod args;
mod commands;
mod fault;
mod memory;
mod progress;
mod record;
mod render;
mod signals;

use std::io::{self, Write};
use std::process::ExitCode;

use clap::Parser;

/// Columns come and go by the hundred megabytes; this allocator gives their pages to the next ones
/// where the system's would give them back and ask for them again.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

/// Plans nest expressions and run on threads; both get room for the deepest plan that parses.
const STACK: usize = 16 << 20;

/// Runs what the command line asks for.
pub fn main() -> ExitCode {
    memory::keep_little();
    let args = args::Args::parse();
    fault::watch();
    signals::watch();
    let run = std::thread::Builder::new().stack_size(STACK).spawn(move || commands::run(args));
    match run.map(std::thread::JoinHandle::join) {
        Ok(Ok(exit)) => exit.into(),
        Ok(Err(fault)) => {
            let _ = io::stderr().write_all(fault::told(&*fault).as_bytes());
            commands::Exit::Fault.into()
        }
        Err(error) => {
            let _ = writeln!(io::stderr(), "{}", commands::no_thread(&error));
            commands::Exit::FileFailed.into()
        }
    }
}
