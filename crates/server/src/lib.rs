//! The brisk-margin server and command line, around the rules of the core.
//!
//! - [`api`]: what a browser or a script can ask, over HTTP.
//! - [`intake`]: the way of a file into the library.
//! - [`measuring`]: pages measured in the background, and kept.
//! - [`variants`]: the way from a picture to the file for its slot.
//! - [`workshop`]: where pictures are decoded and encoded, within bounds.
//! - [`guard`] and [`web`]: who may ask, and the client's own files.
//! - [`command`]: the subcommands of the binary.

pub mod api;
pub mod app;
pub mod command;
pub mod folder;
pub mod guard;
pub mod intake;
pub mod measuring;
pub mod variants;
pub mod web;
pub mod workshop;
