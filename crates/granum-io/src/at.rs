//! Bytes at a place of a file, by several threads at once.

use std::fs::File;
use std::io;

#[cfg(unix)]
pub(crate) fn write_at(file: &File, bytes: &[u8], from: u64) -> io::Result<()> {
    use std::os::unix::fs::FileExt;
    file.write_all_at(bytes, from)
}

#[cfg(unix)]
pub(crate) fn read_at(file: &File, into: &mut [u8], from: u64) -> io::Result<()> {
    use std::os::unix::fs::FileExt;
    file.read_exact_at(into, from)
}

#[cfg(windows)]
pub(crate) fn write_at(file: &File, mut bytes: &[u8], mut from: u64) -> io::Result<()> {
    use std::os::windows::fs::FileExt;
    while !bytes.is_empty() {
        let written = file.seek_write(bytes, from)?;
        (bytes, from) = (&bytes[written..], from + written as u64);
    }
    Ok(())
}

#[cfg(windows)]
pub(crate) fn read_at(file: &File, mut into: &mut [u8], mut from: u64) -> io::Result<()> {
    use std::os::windows::fs::FileExt;
    while !into.is_empty() {
        let read = file.seek_read(into, from)?;
        if read == 0 {
            return Err(io::ErrorKind::UnexpectedEof.into());
        }
        (into, from) = (&mut into[read..], from + read as u64);
    }
    Ok(())
}
