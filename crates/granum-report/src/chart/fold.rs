//! Texts on lines that have no more room than they need.

use crate::font::{Ruler, Weight};

/// A text without line ends and the like.
pub(super) fn one_line(text: &str) -> String {
    text.split(|letter: char| letter.is_whitespace() || letter.is_control())
        .filter(|word| !word.is_empty())
        .collect::<Vec<_>>()
        .join(" ")
}

/// A text on up to so many lines, none wider than `room`; what does not fit is cut off with a sign that says so.
pub(super) fn folded(
    ruler: &Ruler,
    text: &str,
    (size, weight): (f64, Weight),
    room: f64,
    most: usize,
) -> Vec<String> {
    let text = one_line(text);
    let mut lines: Vec<String> = vec![];
    let mut words = text.split(' ');
    while let Some(word) = words.next() {
        let longer = match lines.last() {
            Some(line) => format!("{line} {word}"),
            None => word.to_owned(),
        };
        let fits = ruler.width(&longer, size, weight) <= room;
        let full = lines.len() == most;
        match lines.last_mut() {
            Some(line) if fits => *line = longer,
            // What is left goes on the last line, as far as it has room.
            _ if full => {
                let rest: Vec<&str> = words.collect();
                let all = [&[longer.as_str()], &rest[..]].concat().join(" ");
                lines.pop();
                lines.push(ruler.fitted(&all, size, weight, room));
                return lines;
            }
            _ => lines.push(ruler.fitted(word, size, weight, room)),
        }
    }
    lines
}
