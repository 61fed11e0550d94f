//! Pixels, from files and edits to files, as callers use the crate.

use brisk_margin_imaging::codecs::Codecs;

mod choosing;
mod corpus;
mod dense;
mod desk;
mod files;
mod finish;
mod flat;
mod formats;
mod icons;
mod mutated;
mod pictures;

/// The tests run C code in their own process.
static CODECS: Codecs = Codecs::in_process();
