//! Rendering with edits: each file one kind of edit, [`render`] puts them in order.

pub(crate) mod edges;
pub mod histogram;
mod light;
pub(crate) mod overlay;
pub mod render;
mod setting;
mod shade;
