//! A plan of nothing but two files and the link between them.

use super::DraftedFiles;
use super::tables::sources;
use crate::lang::plan_name;

/// A file that is one side of a link.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Side {
    /// What its input is called.
    pub name: String,
    /// Where it is, and how it is written.
    pub files: DraftedFiles,
    /// Columns of which it is said how they are read, each with that.
    pub reads: Vec<(String, String)>,
}

impl Side {
    fn input(&self) -> String {
        let read =
            |(column, read): &(String, String)| format!("  read {} as {read}\n", plan_name(column));
        let reads = self.reads.iter().map(read).collect::<Vec<String>>().concat();
        format!("input {} from {}\n{reads}", plan_name(&self.name), sources(&self.files))
    }
}

/// The plan of two files that are linked on `keys`, as `link` has them.
///
/// ```
/// use granum_core::draft::{DraftedFiles, Side, linked};
/// let side = |name: &str| Side {
///     name: name.into(),
///     files: DraftedFiles { paths: vec![format!("{name}.csv")], ..DraftedFiles::default() },
///     reads: vec![("order no".into(), "text".into())],
/// };
/// assert_eq!(
///     linked(&side("lines"), &side("orders"), "`order no`"),
///     "input lines from \"lines.csv\"\n  read `order no` as text\n\
///      input orders from \"orders.csv\"\n  read `order no` as text\n\
///      link lines to orders on `order no`\n"
/// );
/// ```
pub fn linked(from: &Side, to: &Side, keys: &str) -> String {
    let (a, b) = (plan_name(&from.name), plan_name(&to.name));
    format!("{}{}link {a} to {b} on {keys}\n", from.input(), to.input())
}
