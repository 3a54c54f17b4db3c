//! The real program, run on files in a folder of its own.
#![allow(clippy::unwrap_used, clippy::expect_used)]

mod commands;
mod correct;
mod demo;
mod files;
mod folder;
mod gate;
mod json;
mod messages;
mod mistakes;
mod near;
mod plans;
mod same;
mod tally;
