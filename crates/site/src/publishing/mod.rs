//! Publishing: files that are written to a site's folder so that each can go back to what it was, to
//! the byte, whatever happens in between.
//!
//! - [`folder`]: the site's folder, in which a file is there whole or not at all.
//! - [`journal`]: what was there before, kept until it is taken back; a site may have several [`journals`].

pub mod folder;
pub mod journal;
pub mod journals;
