//! Where files appear: whole or not at all, several together or none.

mod begun;
mod file;
mod filled;
mod journal;
mod left;
mod lock;
mod table;

use std::fs;
use std::hash::Hasher;
use std::io;
use std::path::{Component, Path, PathBuf};

use siphasher::sip::SipHasher13;

pub(crate) use begun::{Begun, locked};
pub(crate) use file::PlacedFile;
pub(crate) use journal::{Deciding, Journal, Move, Refill};
pub use left::LeftRun;
pub(crate) use left::{Reaching, finish_left, left_in};
pub(crate) use table::PlacedTable;

/// Links are followed so often at most.
const LINKS: usize = 40;

/// Where a path leads: links are followed, also one that leads to no file yet, and `..` is taken away.
/// Two paths of one file give one place.
///
/// # Errors
/// What is in the way: a circle of links, a folder that cannot be looked into.
pub(crate) fn place(path: &Path) -> io::Result<PathBuf> {
    let mut path = path.to_path_buf();
    for _ in 0..LINKS {
        if let Ok(real) = path.canonicalize() {
            return Ok(real);
        }
        let folder = match path.parent() {
            Some(folder) if folder.as_os_str().is_empty() => PathBuf::from("."),
            Some(folder) => folder.to_path_buf(),
            None => return Ok(path),
        };
        match fs::symlink_metadata(&path) {
            Ok(data) if data.is_symlink() => path = folder.join(fs::read_link(&path)?),
            _ => {
                // Of folders that are not there yet only the names are known.
                let name = path.components().next_back();
                let folder = place(&folder)?;
                return Ok(match name {
                    Some(Component::ParentDir) => {
                        folder.parent().map_or_else(|| folder.clone(), Path::to_path_buf)
                    }
                    Some(Component::Normal(name)) => folder.join(name),
                    _ => folder,
                });
            }
        }
    }
    Err(io::Error::other("links lead in a circle"))
}

/// The folder that a place is in.
fn folder_of(place: &Path) -> &Path {
    match place.parent() {
        Some(folder) if !folder.as_os_str().is_empty() => folder,
        _ => Path::new("."),
    }
}

/// What the temporary files of an output are called before what tells them apart.
fn prefix(target: &Path) -> String {
    let name = target.file_name().unwrap_or_default().to_string_lossy();
    // Names can be as long as the system allows; the beginning says whose they are, the number tells them apart.
    let short: String = name.chars().take(60).collect();
    let mut hasher = SipHasher13::new();
    hasher.write(name.as_bytes());
    format!(".granum-{short}-{:08x}-", hasher.finish() as u32)
}

#[cfg(test)]
mod tests;
