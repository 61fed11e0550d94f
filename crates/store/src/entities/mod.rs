//! The rows, one file per table.

pub mod occurrence;
pub mod page;
pub mod picture;
pub mod site;
pub mod size_set;
pub mod slot;
pub mod variant;
