//! Files as editors name them.

use std::path::{Path, PathBuf};
use std::str::FromStr;

use lsp_types::Uri;

/// The file that an address names; what is no file is taken as its own name.
pub(super) fn path_of(uri: &Uri) -> PathBuf {
    let text = uri.as_str();
    let path = text.strip_prefix("file://").unwrap_or(text);
    let mut bytes = vec![];
    let mut rest = path.as_bytes();
    while let [first, after @ ..] = rest {
        let code = (*first == b'%').then(|| after.get(..2)).flatten();
        let code = code.and_then(|code| std::str::from_utf8(code).ok());
        match code.and_then(|code| u8::from_str_radix(code, 16).ok()) {
            Some(byte) => {
                bytes.push(byte);
                rest = &after[2..];
            }
            None => {
                bytes.push(*first);
                rest = after;
            }
        }
    }
    PathBuf::from(String::from_utf8_lossy(&bytes).into_owned())
}

/// The address of a file, if it can have one.
pub(super) fn uri_of(path: &Path) -> Option<Uri> {
    let mut text = "file://".to_owned();
    for byte in path.to_string_lossy().bytes() {
        if byte.is_ascii_alphanumeric() || b"/-_.~".contains(&byte) {
            text.push(char::from(byte));
        } else {
            text.push_str(&format!("%{byte:02X}"));
        }
    }
    Uri::from_str(&text).ok()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_path_is_found_again() {
        for path in ["/a/b.granum", "/with space/\u{e9}%41#?[x].granum", "/"] {
            assert_eq!(path_of(&uri_of(Path::new(path)).unwrap()), PathBuf::from(path));
        }
        let odd = Uri::from_str("untitled:Plan-1").unwrap();
        assert_eq!(path_of(&odd), PathBuf::from("untitled:Plan-1"));
    }
}
