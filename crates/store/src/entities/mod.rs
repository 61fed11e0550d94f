//! The rows, one file per table.

pub mod page;
pub mod picture;
pub mod place;
pub mod site;
pub mod size_set;
pub mod slot;
pub mod variant;
