//! Pictures, written whole or not at all.

use std::path::Path;

use clap::CommandFactory;
use clap::error::ErrorKind;
use granum_core::relate::Relations;
use granum_io::write_file;
use granum_report::{LinksPicture, PictureError};

use super::{Exit, Printer};
use crate::args::Args;

/// What a picture is written as.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Kind {
    Svg,
    Png,
}

/// The format that follows from a path's ending.
pub(super) fn kind_of(path: &Path) -> Result<Kind, Exit> {
    let ending = path.extension().unwrap_or_default().to_ascii_lowercase();
    match ending.to_str() {
        Some("svg") => Ok(Kind::Svg),
        Some("png") if cfg!(feature = "png") => Ok(Kind::Png),
        _ => {
            let message = "a picture's path ends in .svg or .png";
            let _ = Args::command().error(ErrorKind::InvalidValue, message).print();
            Err(Exit::PlanWrong)
        }
    }
}

pub(super) fn write(printer: &mut Printer, relations: &Relations, path: &Path, kind: Kind) -> Exit {
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

fn draw(relations: &Relations, kind: Kind) -> Result<Vec<u8>, PictureError> {
    let picture = LinksPicture::new(relations);
    match kind {
        Kind::Svg => Ok(picture.svg()?.into_bytes()),
        #[cfg(feature = "png")]
        Kind::Png => picture.png(),
        #[cfg(not(feature = "png"))]
        Kind::Png => Err(PictureError::Drawing("this program was built without PNG".into())),
    }
}
