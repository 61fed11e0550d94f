//! The brisk-margin server and command line, around the rules of the core.
//!
//! - [`api`]: what a browser or a script can ask, over HTTP.
//! - [`intake`]: the way of a file into the library.
//! - [`uploads`] and [`watching`]: uploads that can be resumed, and the site's own folder.
//! - [`looking`], [`judging`] and [`treating`]: what happens to a picture after it arrived.
//! - [`forgetting`]: what happens to one that was removed.
//! - [`measuring`]: pages measured in the background, and kept.
//! - [`variants`]: the way from a picture to the file for its slot.
//! - [`codecs`]: processes of their own for the C code that decodes and encodes.
//! - [`copies`]: reduced pictures, from which previews are made.
//! - [`trying`]: encodings tried on a picture's pixels, and kept.
//! - [`responsive`] and [`names`]: all files of a picture for a slot, and what they are called.
//! - [`workshop`]: where pictures are decoded and encoded, within bounds.
//! - [`guard`] and [`web`]: who may ask, and the client's own files.
//! - [`command`]: the subcommands of the binary.

pub mod api;
pub mod app;
pub mod codecs;
pub mod command;
pub mod copies;
pub mod folder;
pub mod forgetting;
pub mod guard;
pub mod intake;
pub mod judging;
pub mod looking;
pub mod measuring;
pub mod names;
pub mod responsive;
pub mod slots;
pub mod treating;
pub mod trying;
pub mod uploads;
pub mod variants;
pub mod watching;
pub mod web;
pub mod workshop;
