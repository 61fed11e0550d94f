//! The rows, one file per table.

pub mod picture;
pub mod variant;
