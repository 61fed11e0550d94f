//! Pixels: decoders, encoders, colour, scaling, rendering of edits, the quality metric, and
//! choosing an encoding.
//!
//! No interface, database, network or file system in here. A picture's way through it:
//!
//! 1. [`original`] reads what a file is and refuses what cannot be taken; [`metadata`] and
//!    [`analysis`] say more of it.
//! 2. [`render`] turns it into the pixels that fill a slot, and [`edited`] does so where the
//!    picture has edits.
//! 3. A [`reference`](mod@reference) holds those pixels; [`choosing`] finds the smallest file that is faithful
//!    enough, by trying encodings and comparing them by the [`metric`].
//!
//! [`icon`] makes the icons of a site of one picture.
//!
//! Untrusted bytes and C libraries meet only in [`job`]s, which [`codecs`] runs here or in
//! processes of their own.

pub mod analysis;
pub mod choosing;
mod chroma;
pub mod codec;
pub mod codecs;
pub mod colour;
mod contrast;
mod detail;
pub mod drawing;
pub mod edited;
pub mod effort;
pub mod encode;
mod fonts;
pub mod icon;
pub mod job;
pub mod lossless;
pub mod metadata;
pub mod metric;
pub mod motion;
pub mod original;
pub mod outside;
pub mod own_colours;
pub mod palette;
pub mod picture_error;
pub mod raster;
pub mod reading;
pub mod reference;
pub mod render;
pub mod resize;
pub mod saliency;
mod turn;
