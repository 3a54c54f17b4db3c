//! One page that tells all of a run, for whoever opens it in a browser: no other file, no network, and without
//! scripts nothing is missing but the search.

mod told;
mod way;

use minijinja::syntax::SyntaxConfig;
use minijinja::value::{Serde, Value};
use minijinja::{AutoEscape, Environment, context};

pub use told::{
    BarTold, BridgeTold, ChartTold, CheckTold, ExampleTold, Fact, FileTold, LinkTold, MonthsTold,
    Page, PlanTold, RowsTold, SinceTold, Step, TableTold, TallyTold, Trouble,
};
pub use way::{Way, WayBox, WayKind, WayLine};

use super::PictureError;

const PAGE: &str = include_str!("page.html");
const PARTS: &str = include_str!("parts.html");
const STYLE: &str = include_str!("style.css");
const SCRIPT: &str = include_str!("script.js");

/// The only script that a browser lets run on the page, by its SHA-256: no text of a user ever becomes one.
const SCRIPT_HASH: &str = "sha256-+UybiSZkMoCDwuwbiUPwl3ypz11cEP1dVSLHYfhj0As=";

/// The page as HTML, in UTF-8.
///
/// # Errors
/// What the template library says, which would be a fault of this program.
pub fn page(page: &Page) -> Result<String, PictureError> {
    let wrong = |error: minijinja::Error| PictureError::Drawing(format!("{error:#}"));
    let mut environment = Environment::new();
    environment.set_auto_escape_callback(|_| AutoEscape::Html);
    let syntax = SyntaxConfig::builder().trim_blocks(true).lstrip_blocks(true).build();
    environment.set_syntax(syntax.map_err(wrong)?);
    // A name that is not there is a fault, never a blank.
    environment.set_undefined_behavior(minijinja::UndefinedBehavior::Strict);
    environment.add_template("parts.html", PARTS).map_err(wrong)?;
    environment.add_template("page.html", PAGE).map_err(wrong)?;
    let template = environment.get_template("page.html").map_err(wrong)?;
    let (page, way) = (Value::from(Serde(page)), Value::from(Serde(page.way.laid_out())));
    let all = context! { page, way, style => STYLE, script => SCRIPT, script_hash => SCRIPT_HASH };
    template.render(all).map_err(wrong)
}

#[cfg(test)]
mod tests;
