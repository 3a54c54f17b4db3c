//! The real program, run on files in a folder of its own.
#![allow(clippy::unwrap_used, clippy::expect_used)]

mod aside;
mod commands;
mod correct;
mod demo;
mod files;
mod folder;
mod gate;
mod groups;
mod guide;
mod json;
mod matching;
mod messages;
mod mistakes;
mod near;
mod plans;
mod relate;
mod same;
mod several;
mod show;
mod survey;
mod tally;
mod used;
mod warnings;
mod written;
