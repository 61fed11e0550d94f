//! Publishing: files that are written to a site's folder so that each can go back to what it was, to
//! the byte, whatever happens in between.
//!
//! - [`folder`]: the site's folder, in which a file is there whole or not at all.
//! - [`site_change`]: what is written, and how it goes back; [`error`] is why not.
//! - [`journal`]: one in a folder of its own, kept until it is taken back; a site may have several
//!   [`journals`].
//! - [`turn`]: who may write to a site now; [`host_check`]: whether its host serves what was written.

pub mod error;
pub mod folder;
pub mod host_check;
pub mod journal;
pub mod journals;
pub mod site_change;
pub mod turn;
