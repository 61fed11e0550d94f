//! The rows, one file per table.

pub mod occurrence;
pub mod page;
pub mod picture;
pub mod slot;
pub mod variant;
