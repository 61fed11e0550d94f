//! Sources: pages and style sheets as they are written, byte for byte, and changes to them that leave
//! every other byte alone.
//!
//! - [`page`]: the tags of a page; [`tag`] is one, with its attributes.
//! - [`style`]: the addresses that a style sheet names, with the rules around them.
//! - [`splice`]: what is put in place of some bytes.

pub mod page;
pub mod splice;
pub mod style;
pub mod tag;
