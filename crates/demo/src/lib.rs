//! The pictures of the Tarnlight Observatory, an invented night-sky park: drawn, not taken, and
//! the same bytes on every run.
//!
//! [`SCENES`] lists them. Each file of this crate draws one kind of subject; [`file`](mod@file)
//! wraps the pixels as a camera or a drawing program would.

mod file;
mod flat;
mod land;
mod noise;
mod paint;
mod scenes;
pub mod seed;
pub mod site;
mod sky;
mod studio;
pub mod tea_room;

pub use scenes::{Place, SCENES, Scene, dome_of};
