//! Texts as fields: in quotes where they have to be.

/// Adds a text, in quotes where it has to be.
#[inline]
pub(crate) fn write_text(text: &[u8], delimiter: u8, out: &mut Vec<u8>) {
    let special = Special::new(delimiter);
    if let Some(words) = words_of(text) {
        // Nearly all are as short, and are written at once whatever their length.
        if !special.is_in(words[0]) && !special.is_in(words[1]) {
            let end = out.len() + text.len();
            out.extend_from_slice([words[0].to_le_bytes(), words[1].to_le_bytes()].as_flattened());
            out.truncate(end);
            return;
        }
    } else if special.is_in_none_of(text) {
        out.extend_from_slice(text);
        return;
    }
    write_quoted(text, out);
}

/// How many bytes are signs that quotes are for.
pub(super) fn count_special(bytes: &[u8], delimiter: u8) -> usize {
    // In runs that a byte can count, so that many are looked at at once.
    let runs = bytes.chunks(u8::MAX.into());
    let is = |byte: u8| byte == b'"' || byte == b'\n' || byte == b'\r' || byte == delimiter;
    let of_run = |run: &[u8]| run.iter().fold(0_u8, |count, byte| count + u8::from(is(*byte)));
    runs.map(|run| usize::from(of_run(run))).sum()
}

fn write_quoted(text: &[u8], out: &mut Vec<u8>) {
    out.push(b'"');
    for byte in text {
        if *byte == b'"' {
            out.push(b'"');
        }
        out.push(*byte);
    }
    out.push(b'"');
}

/// A text of up to sixteen bytes in two words, with zeros behind it; nothing of a longer one. It is read from both ends,
/// where what is read twice is the same.
#[inline]
fn words_of(text: &[u8]) -> Option<[u64; 2]> {
    let length = text.len();
    if length > 16 {
        return None;
    }
    if let (Some(first), Some(last)) = (text.first_chunk::<8>(), text.last_chunk::<8>()) {
        let last = u128::from(u64::from_le_bytes(*last)) << (8 * (length - 8));
        let all = last | u128::from(u64::from_le_bytes(*first));
        return Some([all as u64, (all >> 64) as u64]);
    }
    if let (Some(first), Some(last)) = (text.first_chunk::<4>(), text.last_chunk::<4>()) {
        let last = u64::from(u32::from_le_bytes(*last)) << (8 * (length - 4));
        return Some([last | u64::from(u32::from_le_bytes(*first)), 0]);
    }
    Some([text.iter().rev().fold(0, |all, byte| all << 8 | u64::from(*byte)), 0])
}

/// The signs that quotes are for, each in all eight bytes of a word.
#[derive(Clone, Copy)]
struct Special([u64; 4]);

const ONES: u64 = u64::from_le_bytes([1; 8]);

impl Special {
    #[inline]
    fn new(delimiter: u8) -> Self {
        Self([b'"', b'\n', b'\r', delimiter].map(|sign| ONES * u64::from(sign)))
    }

    /// Whether one of eight bytes is one of them. A byte of zero is what borrows from its highest bit and has none.
    /// (A known way; S. E. Anderson, "Bit Twiddling Hacks", "Determine if a word has a zero byte".)
    #[inline]
    fn is_in(self, word: u64) -> bool {
        let zeros = self.0.map(|sign| {
            let left = word ^ sign;
            left.wrapping_sub(ONES) & !left
        });
        (zeros[0] | zeros[1] | zeros[2] | zeros[3]) & (ONES << 7) != 0
    }

    /// Whether none of them is in a text of eight bytes or more.
    fn is_in_none_of(self, text: &[u8]) -> bool {
        let plain = |word: &[u8; 8]| !self.is_in(u64::from_le_bytes(*word));
        // The last bytes are looked at once more together with those before them.
        text.as_chunks().0.iter().all(plain) && text.last_chunk().is_none_or(plain)
    }
}
