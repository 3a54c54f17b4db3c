//! The file in which passwords of databases stand, a line each: `HOST:PORT:DATABASE:USER:PASSWORD`, where `*` fits all and
//! `\` stands before a sign that is itself.

use std::path::{Path, PathBuf};

use crate::served::Environment;

/// The password for host, port, database and user; or what keeps the file from being read.
pub(super) fn password_of(
    doors: &[String; 4],
    says: Environment<'_>,
) -> (Option<String>, Option<String>) {
    let named = says("PGPASSFILE").map(PathBuf::from);
    let own = || says("HOME").map(|home| Path::new(&home).join(".pgpass"));
    let Some(path) = named.or_else(own) else { return (None, None) };
    let Ok(text) = std::fs::read_to_string(&path) else { return (None, None) };
    if seen_by_others(&path) {
        let help = format!(
            "{} is not read, since others may read it:  chmod 600 {}",
            path.display(),
            path.display()
        );
        return (None, Some(help));
    }
    (text.lines().find_map(|line| fitting(line, doors)), None)
}

/// Whether others than its owner may read a file.
fn seen_by_others(path: &Path) -> bool {
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt;
        std::fs::metadata(path).is_ok_and(|data| data.permissions().mode() & 0o077 != 0)
    }
    #[cfg(not(unix))]
    {
        let _ = path;
        false
    }
}

/// The password of a line, if the line fits.
pub(super) fn fitting(line: &str, doors: &[String; 4]) -> Option<String> {
    if line.starts_with('#') {
        return None;
    }
    let mut rest = line;
    for door in doors {
        let (field, more) = field(rest)?;
        if field != *door && field != "*" {
            return None;
        }
        rest = more;
    }
    let password = unescaped(rest);
    (!password.is_empty()).then_some(password)
}

/// The text before the next `:`, and what stands behind that.
fn field(line: &str) -> Option<(String, &str)> {
    let mut escaped = false;
    for (at, sign) in line.char_indices() {
        match sign {
            _ if escaped => escaped = false,
            '\\' => escaped = true,
            ':' => return Some((unescaped(&line[..at]), &line[at + 1..])),
            _ => {}
        }
    }
    None
}

fn unescaped(text: &str) -> String {
    let mut out = String::new();
    let mut signs = text.chars();
    while let Some(sign) = signs.next() {
        out.extend(if sign == '\\' { signs.next() } else { Some(sign) });
    }
    out
}
