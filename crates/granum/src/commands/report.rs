//! `report`: checks a plan, and writes its page.

use std::fs::File;
use std::io::Read;
use std::path::{Path, PathBuf};

use super::run::Does;
use super::{Exit, Printer, watch};
use crate::args::{PlanArgs, PlanSource, Writing};

/// By this a page is known as one of this program's.
const OWN: &str = "<meta name=\"generator\" content=\"granum ";

/// So far into a file that is looked for.
const HEAD: u64 = 4_096;

/// `report`: checks a plan, and writes its page.
pub(super) fn run(
    printer: &mut Printer,
    args: &PlanArgs,
    to: Option<&Path>,
    against: Option<&Path>,
) -> Exit {
    let path = to.map_or_else(|| beside(&args.source()), Path::to_path_buf);
    if to.is_none() && is_foreign(&path) {
        let name = path.display();
        printer.diagnostic(&format!(
            "error: {name}: stands there already, and is no page of this program\n  say where the page goes:  \
             --to PAGE.html\n"
        ));
        return Exit::FileFailed;
    }
    let writing = Writing {
        report: Some(path),
        against: against.map(Path::to_path_buf),
        ..Writing::default()
    };
    watch::run(printer, args, Does::Page(&writing))
}

/// The page's path where none is said: the plan's name in the current folder.
fn beside(source: &PlanSource) -> PathBuf {
    match source {
        PlanSource::File(path) => {
            PathBuf::from(path.file_name().unwrap_or_default()).with_extension("html")
        }
        PlanSource::Text(_) => PathBuf::from("report.html"),
    }
}

/// Whether a file stands there that this program did not write.
fn is_foreign(path: &Path) -> bool {
    let Ok(file) = File::open(path) else { return path.exists() };
    let mut head = vec![];
    // What cannot be read is not ours either.
    let read = file.take(HEAD).read_to_end(&mut head);
    read.is_err() || !String::from_utf8_lossy(&head).contains(OWN)
}
