//! What changed since the time before, where a plan is run again and again.

use granum_core::tally::{Earlier, Moved};

use super::view::Report;
use super::{bad, counted, dim, folded, good, heading, since, verdict};

/// How the time before ended.
pub struct Before {
    pub held: bool,
    /// What did not hold or was warned of, each on a line.
    pub titles: Vec<String>,
    pub numbers: Earlier,
}

/// A run that is not the first.
pub struct Again<'a> {
    /// Which one it is.
    pub time: u32,
    /// The files that are others.
    pub changed: &'a [String],
    pub seconds: f64,
    pub before: &'a Before,
    pub held: bool,
    pub titles: &'a [String],
    /// Numbers that are others.
    pub moved: Vec<Moved>,
}

impl Report<'_> {
    /// What did not hold or is warned of, each on a line.
    pub fn titles(&self) -> Vec<String> {
        let troubles = verdict::troubles(self);
        let first = |text: &str| text.lines().next().unwrap_or_default().trim().to_owned();
        troubles.iter().map(|trouble| first(&trouble.text)).collect()
    }
}

/// What is another than the time before, and how it ended.
pub fn again(again: &Again<'_>, view: &Report<'_>) -> String {
    let files = match again.changed {
        [] => "again".to_owned(),
        [one] => format!("since {one} changed"),
        [one, more @ ..] => {
            format!(
                "since {one} and {} changed",
                counted(more.len() as u64, "other file", "other files")
            )
        }
    };
    let run = format!("run {}, {:.2} s, {files}", again.time, again.seconds);
    let mut out = format!("{} {}\n\n", heading("since the time before"), dim(&run));
    let word = |held: bool| if held { good("HELD") } else { bad("STOPPED") };
    if again.before.held != again.held {
        out.push_str(&format!("  {} \u{2192} {}\n", word(again.before.held), word(again.held)));
    }
    let titles = |out: &mut String, what: &str, of: &[String], not: &[String]| {
        for title in of.iter().filter(|title| !not.contains(title)) {
            out.push_str(&folded(&format!("{what}: {title}"), "  ", view.width));
        }
    };
    titles(&mut out, "new", again.titles, &again.before.titles);
    titles(&mut out, "gone", &again.before.titles, again.titles);
    out.push_str(&since::table(&again.moved));
    out + &view.verdict()
}
