//! Rewriting: pages and style sheets that offer browsers new files, and differ from what was there in
//! nothing else.
//!
//! - [`address`]: how new files are written in the manner of the page.
//! - [`image`](mod@image): an `<img>` or `<picture>`.
//! - [`style`]: a background, in a style sheet or in the page.
//! - [`head`]: what names the icons of a site.

pub mod address;
pub mod head;
pub mod image;
pub mod style;
