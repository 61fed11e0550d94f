//! The codecs: each file one format, the only place where its library is called.
//!
//! C code reports errors by unwinding or by status; both come out as [`CodecError`], so that a
//! bad picture costs one picture. In which process it runs is [`Codecs`](crate::codecs::Codecs)'
//! business.

pub mod animation;
pub mod avif;
pub mod avif_boxes;
pub mod error;
pub mod extras;
pub mod gif;
pub mod header;
pub mod jpeg;
pub mod jpeg_copy;
mod jpeg_encode;
mod jpeg_header;
mod jpeg_library;
mod jpeg_tables;
pub mod jxl;
pub mod png;
pub mod simple;
pub mod svg;
mod tiff_ycbcr;
pub mod webp;
pub mod webp_motion;

pub use error::CodecError;
pub use header::{Blocks, Header};
