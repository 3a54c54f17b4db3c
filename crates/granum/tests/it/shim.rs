//! A library that is loaded before the system's: it sees what the program does with files.
#![cfg(target_os = "linux")]

use std::path::PathBuf;
use std::process::Command;

use super::folder::Folder;

/// Ends a process before its Nth call that changes files, where `KILL_AT` says which; writes down every file that
/// it opens, where `OPENED` says to which.
const SHIM: &str = r#"
#define _GNU_SOURCE
#include <dlfcn.h>
#include <fcntl.h>
#include <signal.h>
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>
static int count;
static void step(void) {
    const char *at = getenv("KILL_AT");
    if (at && __sync_add_and_fetch(&count, 1) == atoi(at)) kill(getpid(), SIGKILL);
}
static void opened(const char *path, int flags) {
    const char *log = getenv("OPENED");
    if (!log || !strcmp(path, log)) return;
    int file = open(log, O_WRONLY | O_APPEND);
    char writes = (flags & (O_WRONLY | O_RDWR | O_CREAT)) ? 'w' : 'r';
    if (file >= 0) { dprintf(file, "%c %s\n", writes, path); close(file); }
}
#define NEXT(name) ((__typeof__(&name))dlsym(RTLD_NEXT, #name))
int rename(const char *a, const char *b) { step(); return NEXT(rename)(a, b); }
int unlink(const char *a) { step(); return NEXT(unlink)(a); }
int fsync(int f) { step(); return NEXT(fsync)(f); }
int fdatasync(int f) { step(); return NEXT(fdatasync)(f); }
int linkat(int f, const char *a, int g, const char *b, int h) { step(); return NEXT(linkat)(f, a, g, b, h); }
int open64(const char *a, int flags, ...) {
    va_list more;
    va_start(more, flags);
    mode_t mode = (flags & O_CREAT) ? va_arg(more, mode_t) : 0;
    va_end(more);
    if (flags & O_CREAT) step();
    opened(a, flags);
    return NEXT(open64)(a, flags, mode);
}
"#;

/// The shim as a library; a C compiler is there wherever the program was built.
pub fn shim(folder: &Folder) -> PathBuf {
    folder.file("shim.c", SHIM);
    let library = folder.path().join("shim.so");
    let made = Command::new("cc")
        .args(["-shared", "-fPIC", "-o"])
        .arg(&library)
        .arg(folder.path().join("shim.c"))
        .arg("-ldl")
        .status();
    assert!(made.unwrap().success());
    library
}
