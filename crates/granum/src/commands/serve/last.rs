//! What the last run of a plan found, where its record lies beside the plan.

use std::fs::{self, File};
use std::io::Read;
use std::path::{Path, PathBuf};
use std::time::SystemTime;

use granum_core::value::day;
use serde_json::Value;

use crate::commands::record;

/// A record of a run, and when it was written.
pub(super) struct LastRun {
    name: String,
    written: SystemTime,
    report: Value,
}

/// A link that was not as complete as asked, with keys that mend it.
pub(super) struct Mend {
    pub from: String,
    pub name: String,
    /// What to write behind `on`.
    pub keys: String,
    /// How many rows that wins.
    pub rows: u64,
}

/// Records are no larger: what is, is another file.
const LARGEST: u64 = 64 << 20;

/// So far into a file stands what wrote it.
const HEAD: u64 = 256;

/// Whether a file begins as records do: inputs of JSON may lie there too, and are not read for this.
fn is_record(path: &Path) -> bool {
    let mut head = vec![];
    let read = File::open(path).map(|file| file.take(HEAD).read_to_end(&mut head));
    matches!(read, Ok(Ok(_))) && String::from_utf8_lossy(&head).contains("\"program\": \"granum ")
}

impl LastRun {
    /// The newest record of a plan in its folder.
    pub fn of(plan: &Path) -> Option<Self> {
        let own = plan.file_name()?.to_string_lossy().into_owned();
        let mut records: Vec<(SystemTime, PathBuf)> = fs::read_dir(plan.parent()?)
            .ok()?
            .filter_map(|entry| {
                let path = entry.ok()?.path();
                let data = fs::metadata(&path).ok()?;
                let json = path.extension().is_some_and(|ending| ending == "json");
                (json && data.is_file() && data.len() <= LARGEST).then_some(())?;
                Some((data.modified().ok()?, path))
            })
            .collect();
        records.sort();
        records.into_iter().rev().filter(|(_, path)| is_record(path)).find_map(|(written, path)| {
            let record = record::read(&path).ok()?;
            let plan = Path::new(&record.plan.name).file_name()?.to_string_lossy().into_owned();
            let name = path.file_name()?.to_string_lossy().into_owned();
            (plan == own).then_some(Self { name, written, report: record.report })
        })
    }

    /// When it was written: the day (of UTC), and how long ago.
    fn when(&self) -> String {
        let since = self.written.duration_since(SystemTime::UNIX_EPOCH);
        let days = since.map_or(0, |since| since.as_secs() / 86_400);
        let mut day = vec![];
        day::write(i32::try_from(days).unwrap_or(i32::MAX), &mut day);
        let day = String::from_utf8_lossy(&day).into_owned();
        let seconds = self.written.elapsed().map_or(0, |since| since.as_secs());
        let (count, unit) = match seconds {
            0..120 => return format!("{day}, just now"),
            120..7_200 => (seconds / 60, "minutes"),
            7_200..172_800 => (seconds / 3_600, "hours"),
            _ => (seconds / 86_400, "days"),
        };
        format!("{day}, {count} {unit} ago")
    }

    /// What it found of a table: its rows, and how complete its links were.
    pub fn of_table(&self, table: &str) -> Vec<String> {
        let mut lines = vec![];
        let own = |name: &str| -> Vec<&Value> {
            let key = if name == "links" { "from" } else { "name" };
            let all = self.report[name].as_array().into_iter().flatten();
            all.filter(|one| one[key] == table).collect()
        };
        for found in own("tables") {
            let last = found["steps"].as_array().and_then(|steps| steps.last()).unwrap_or(found);
            let noun = if last["rows"] == 1 { "row" } else { "rows" };
            lines.push(format!("{} {noun}", last["rows"]));
        }
        for link in own("links") {
            let asked = link["required"].as_str().filter(|asked| !asked.is_empty());
            let asked = asked.map_or(String::new(), |asked| format!("; asked: {asked}"));
            let share = link["share"].as_str().unwrap_or_default();
            let name = link["name"].as_str().unwrap_or_default();
            lines.push(format!("→ {name}: {share} of rows{asked}"));
            let mends = self.mends().into_iter();
            let own = mends.filter(|mend| mend.from == table && mend.name == name);
            lines.extend(own.map(|mend| format!("{} more on {}", mend.rows, mend.keys)));
        }
        if lines.is_empty() {
            return lines;
        }
        vec![format!("In the last run ({}, {}): {}", self.name, self.when(), lines.join(" · "))]
    }

    /// Keys that mend links, as that run measured them.
    pub fn mends(&self) -> Vec<Mend> {
        let links = self.report["links"].as_array().into_iter().flatten();
        let mends = links.flat_map(|link| {
            let near = link["near"].as_array().into_iter().flatten();
            near.filter_map(|near| {
                Some(Mend {
                    from: link["from"].as_str()?.to_owned(),
                    name: link["name"].as_str()?.to_owned(),
                    keys: near["keys"].as_str()?.to_owned(),
                    rows: near["rows"].as_u64()?,
                })
            })
        });
        mends.collect()
    }

    /// Where it stands, and since when, in words.
    pub fn called(&self) -> String {
        format!("{}, {}", self.name, self.when())
    }
}
