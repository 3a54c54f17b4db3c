//! Which files make one table, and what it is called.

use crate::survey::names::bare;

/// Files that make one table: their places among those given.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Grouped {
    /// The table's name.
    pub name: String,
    /// The files.
    pub files: Vec<usize>,
}

/// Names of tables begin alike in at least so many letters if they are one.
const ALIKE: usize = 3;

/// Groups files by how they are written (equal `written`), what columns they have, and how their
/// names begin: `orders_shop.csv` and `orders_post.csv` are `orders`.
pub fn group<W: PartialEq>(files: &[(String, W, Vec<String>)]) -> Vec<Grouped> {
    let mut groups: Vec<Grouped> = vec![];
    for (at, (file, written, columns)) in files.iter().enumerate() {
        let mut sorted = columns.clone();
        sorted.sort();
        let alike = groups.iter_mut().find(|group| {
            let (_, other_written, other) = &files[group.files[0]];
            let mut other = other.clone();
            other.sort();
            other == sorted
                && written == other_written
                && common(&group.name, &stem(file)).len() >= ALIKE
        });
        match alike {
            Some(group) => {
                group.name = common(&group.name, &stem(file));
                group.files.push(at);
            }
            None => groups.push(Grouped { name: stem(file), files: vec![at] }),
        }
    }
    let mut taken: Vec<String> = vec![];
    for group in &mut groups {
        let name = table_name(&group.name);
        let free = (1..).map(|number| match number {
            1 => name.clone(),
            _ => format!("{name}_{number}"),
        });
        let free =
            free.into_iter().find(|name| !taken.iter().any(|known| bare(known) == bare(name)));
        group.name = free.unwrap_or(name);
        taken.push(group.name.clone());
    }
    groups
}

/// A file's name without folders and endings.
fn stem(file: &str) -> String {
    let name = file.rsplit(['/', '\\']).next().unwrap_or(file);
    name.split('.').find(|part| !part.is_empty()).unwrap_or("data").to_owned()
}

/// How two names begin.
fn common(one: &str, other: &str) -> String {
    let letters = one.chars().zip(other.chars()).take_while(|(a, b)| a == b);
    letters.map(|(letter, _)| letter).collect()
}

/// A name that a plan can have for a table: letters, digits and `_`, with no digit first.
///
/// ```
/// use granum_core::relate::table_name;
/// assert_eq!(table_name("2026 Orders-"), "t_2026_orders");
/// ```
pub fn table_name(text: &str) -> String {
    let sign = |letter: char| if letter.is_alphanumeric() { letter } else { '_' };
    let name: String = text.to_lowercase().chars().map(sign).collect();
    let mut name = name.trim_matches('_').to_owned();
    while name.contains("__") {
        name = name.replace("__", "_");
    }
    match name.chars().next() {
        None => "data".into(),
        Some(first) if first.is_alphabetic() => name,
        Some(_) => format!("t_{name}"),
    }
}
