//! Pictures of what the core found, and the page that tells all of a run. Knows no terminals, and no formats that
//! tables come from.
//!
//! What is drawn is drawn once, into SVG or into points. The letters that points need are shipped
//! with the program, so that a picture looks alike on every machine.
#![deny(missing_docs)]
#![cfg_attr(test, allow(clippy::unwrap_used, clippy::expect_used))]

mod chart;
mod font;
mod layout;
mod links;
pub mod page;
mod pen;
#[cfg(feature = "png")]
mod png;

pub use chart::ChartPicture;
pub use links::LinksPicture;

/// Why there is no picture.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum PictureError {
    /// What the drawing library says.
    #[error("the picture cannot be drawn: {0}")]
    Drawing(String),
    /// A picture so large that no viewer would open it.
    #[error("the picture would be {width} by {height} points large, which is too much")]
    Size {
        /// Its width.
        width: u32,
        /// Its height.
        height: u32,
    },
}
