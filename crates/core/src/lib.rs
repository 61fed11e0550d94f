//! The job's rules and computation: bytes and values in, bytes and values out.
//!
//! No interface, database, network or file system in here. A picture's way through it:
//!
//! 1. [`picture`] reads what a file is and refuses what cannot be taken.
//! 2. [`fitting`] says, for a [`slot`], what is cut, scaled and short.
//! 3. [`render`] turns the original into the pixels of that fitting, and [`finish`] does so where
//!    the picture has edits.
//! 4. [`choosing`] finds the smallest file that is faithful enough, by trying with [`encode`] and
//!    judging with [`judge`].
//! 5. [`budget`] says what margin the file leaves in its slot.
//!
//! What a picture in the library is like and is said to be: its [`look`], the [`metadata`] that it
//! came with, how people [`describe`] it, and its [`standing`]: what is worth doing with it.
//!
//! A page's slots, once measured at several [`layout`] widths, have [`needs`]; a [`responsive`] set
//! of files meets them, [`sizes`] and [`markup`] tell the browser of it, and [`state`] says in
//! words how well the picture there does.

pub mod budget;
pub mod choosing;
pub mod chroma;
pub mod codec;
pub mod colour;
pub mod describe;
pub mod drawing;
pub mod encode;
pub mod finish;
pub mod fitting;
pub mod format;
pub mod framing;
pub mod geometry;
pub mod grade;
pub mod judge;
pub mod layout;
pub mod look;
pub mod lossless;
pub mod markup;
pub mod metadata;
pub mod motion;
pub mod naming;
pub mod needs;
pub mod orientation;
pub mod palette;
pub mod picture;
pub mod raster;
pub mod recognise;
pub mod render;
pub mod resize;
pub mod responsive;
pub mod rule;
pub mod saliency;
pub mod size_set;
pub mod sizes;
pub mod slot;
pub mod source;
pub mod standing;
pub mod state;
pub mod units;
