//! Pictures of charts: bars and lines over places, in panels of one height.

mod along;
mod colours;
mod fold;
mod frame;
mod plot;
mod scale;
mod scene;

use granum_core::tally::Chart;

use super::{PictureError, pen};
use scene::Scene;

/// A chart, laid out to be drawn.
pub struct ChartPicture {
    scene: Scene,
    /// What it shows, for those who do not see it.
    title: String,
    told: String,
}

impl ChartPicture {
    /// Lays out a chart.
    pub fn new(chart: &Chart) -> Self {
        Self { scene: frame::laid_out(chart), title: chart.title.clone(), told: told(chart) }
    }

    /// The picture as SVG.
    ///
    /// # Errors
    /// What the drawing library says.
    pub fn svg(&self) -> Result<String, PictureError> {
        let svg = pen::svg(&self.scene)?;
        let Some(end) = svg.find('>') else { return Ok(svg) };
        let (head, rest) = svg.split_at(end);
        let (title, told) = (escaped(&self.title), escaped(&self.told));
        Ok(format!(
            "{head} role=\"img\">\n<title>{title}</title>\n<desc>{told}</desc>{}",
            &rest[1..]
        ))
    }

    /// The same as PNG.
    ///
    /// # Errors
    /// What the drawing library says; that it would be too large.
    #[cfg(feature = "png")]
    pub fn png(&self) -> Result<Vec<u8>, PictureError> {
        pen::png(&self.scene)
    }
}

/// A chart in words: what is drawn of what, from where to where.
fn told(chart: &Chart) -> String {
    let names = |bars: bool| {
        let own = chart.series.iter().filter(|series| series.bars == bars);
        own.map(|series| series.name.as_str()).collect::<Vec<_>>().join(", ")
    };
    let drawn = [("bars of ", names(true)), ("lines of ", names(false))];
    let drawn = drawn.into_iter().filter(|(_, names)| !names.is_empty());
    let drawn: Vec<String> =
        drawn.map(|(what, names)| format!("{what}{names}")).collect::<Vec<String>>();
    let by = chart.by.as_ref().map_or(String::new(), |by| format!(", for each {by}"));
    let along = match chart.places {
        0 => "no rows".to_owned(),
        1 => format!("{} {}", chart.x, chart.along.name(0)),
        places => {
            format!("{} from {} to {}", chart.x, chart.along.name(0), chart.along.name(places - 1))
        }
    };
    format!("{}{by}; {along}", drawn.join(" and "))
}

/// A text as it stands in XML.
fn escaped(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    for letter in text.chars() {
        match letter {
            '&' => out.push_str("&amp;"),
            '<' => out.push_str("&lt;"),
            '>' => out.push_str("&gt;"),
            letter if letter.is_control() => out.push(' '),
            letter => out.push(letter),
        }
    }
    out
}

#[cfg(test)]
mod tests;
