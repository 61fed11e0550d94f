//! Rendering with edits: each file one kind of edit, [`render`] puts them in order.

mod edges;
pub mod histogram;
mod light;
mod overlay;
pub mod render;
mod setting;
mod shade;
