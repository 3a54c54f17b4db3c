//! Which files make one table, and what it is called.

use crate::survey::names::bare;

/// Files that make one table: their places among those given.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Grouped {
    /// The table's name.
    pub name: String,
    /// The files.
    pub files: Vec<usize>,
    /// Whether some of them lack columns that others have.
    pub filling: bool,
}

/// A file as its header shows it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Headed {
    /// The file.
    pub file: String,
    /// Of a book of several the sheet.
    pub part: Option<String>,
    /// The format; files of one table are of one.
    pub format: &'static str,
    /// The columns' names.
    pub columns: Vec<String>,
}

/// Names of tables begin alike in at least so many letters if they are one.
const ALIKE: usize = 3;

/// Groups files of one format that have the same columns, in whatever order and however they are written:
/// `orders_shop.csv` and `orders_post.csv` are `orders`. Where columns are few, as every list has them,
/// the files' names must begin alike too.
pub fn group(files: &[Headed]) -> Vec<Grouped> {
    let mut groups: Vec<Grouped> = vec![];
    for (at, headed) in files.iter().enumerate() {
        let Headed { file, part, format, columns } = headed;
        let own = part.clone().unwrap_or_else(|| stem(file));
        let mut sorted = columns.clone();
        sorted.sort();
        let alike = groups.iter_mut().find(|group| {
            let first = &files[group.files[0]];
            let mut other = first.columns.clone();
            other.sort();
            let named = common(&group.name, &own).len() >= ALIKE;
            // An input has one sheet or table, by its name.
            first.format == *format
                && first.part == *part
                && other == sorted
                && (named || tell(&sorted))
        });
        match alike {
            Some(group) => {
                group.name = both_names(&group.name, &own);
                group.files.push(at);
            }
            None => groups.push(Grouped { name: own, files: vec![at], filling: false }),
        }
    }
    named_apart(&mut groups);
    groups
}

/// Groups of which two turned out to be parts of one, together.
pub fn together(groups: &[Grouped], one: &str, other: &str) -> Vec<Grouped> {
    let mut out: Vec<Grouped> =
        groups.iter().filter(|group| group.name != other).cloned().collect();
    let files = groups.iter().find(|group| group.name == other).map(|group| group.files.clone());
    if let (Some(group), Some(files)) = (out.iter_mut().find(|group| group.name == one), files) {
        group.name = both_names(one, other);
        group.files.extend(files);
        group.filling = true;
    }
    named_apart(&mut out);
    out
}

/// Names that columns of all kinds of lists have, without signs.
const EVERYWHERE: [&str; 20] = [
    "id",
    "no",
    "number",
    "code",
    "name",
    "title",
    "type",
    "status",
    "date",
    "description",
    "label",
    "city",
    "street",
    "email",
    "phone",
    "country",
    "postcode",
    "address",
    "kind",
    "remark",
];

/// Whether columns tell by themselves that files are of one layout, whatever the files' names.
fn tell(columns: &[String]) -> bool {
    let own = columns.iter().filter(|column| !EVERYWHERE.contains(&bare(column).as_str()));
    columns.len() > 2 && own.count() > 1
}

/// What two names begin with, if that is a name; else the first.
fn both_names(one: &str, other: &str) -> String {
    let common = common(one, other);
    if common.len() >= ALIKE { common } else { one.to_owned() }
}

fn named_apart(groups: &mut [Grouped]) {
    let mut taken: Vec<String> = vec![];
    for group in groups {
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
