//! Pictures, written whole or not at all.

use std::path::Path;

use clap::CommandFactory;
use clap::error::ErrorKind;
use granum_core::port::Picture;
use granum_core::relate::Relations;
use granum_core::tally::Chart;
use granum_io::write_file;
use granum_report::{ChartPicture, LinksPicture, PictureError};

use super::{Exit, Printer};
use crate::args::Args;

/// The format that follows from a path's ending.
pub(super) fn kind_of(path: &Path) -> Result<Picture, Exit> {
    let ending = path.extension().unwrap_or_default().to_ascii_lowercase();
    match ending.to_str() {
        Some("svg") => Ok(Picture::Svg),
        Some("png") if cfg!(feature = "png") => Ok(Picture::Png),
        _ => {
            let message = "a picture's path ends in .svg or .png";
            let _ = Args::command().error(ErrorKind::InvalidValue, message).print();
            Err(Exit::PlanWrong)
        }
    }
}

pub(super) fn write(
    printer: &mut Printer,
    relations: &Relations,
    path: &Path,
    kind: Picture,
) -> Exit {
    let name = path.display();
    let bytes = match draw(relations, kind) {
        Ok(bytes) => bytes,
        Err(error) => {
            printer.diagnostic(&format!("error: {name}: {error}\n"));
            return Exit::FileFailed;
        }
    };
    match write_file(path, &bytes) {
        Ok(()) => {
            printer.diagnostic(&format!("drew {name}\n"));
            Exit::Held
        }
        Err(error) => {
            printer.diagnostic(&format!("error: {error}\n  {}\n", error.help));
            Exit::FileFailed
        }
    }
}

/// The bytes of a chart's picture.
///
/// # Errors
/// Why there is none.
pub(super) fn paint(chart: &Chart, kind: Picture) -> Result<Vec<u8>, String> {
    let picture = ChartPicture::new(chart);
    let drawn = match kind {
        Picture::Svg => picture.svg().map(String::into_bytes),
        #[cfg(feature = "png")]
        Picture::Png => picture.png(),
        #[cfg(not(feature = "png"))]
        Picture::Png => Err(PictureError::Drawing("this program was built without PNG".into())),
    };
    drawn.map_err(|error| error.to_string())
}

fn draw(relations: &Relations, kind: Picture) -> Result<Vec<u8>, PictureError> {
    let picture = LinksPicture::new(relations);
    match kind {
        Picture::Svg => Ok(picture.svg()?.into_bytes()),
        #[cfg(feature = "png")]
        Picture::Png => picture.png(),
        #[cfg(not(feature = "png"))]
        Picture::Png => Err(PictureError::Drawing("this program was built without PNG".into())),
    }
}
