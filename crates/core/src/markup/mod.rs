//! Markup: what a page says so that the browser chooses the right file.
//!
//! A slot has one or several [`shape`]s; what each is offered is written as a [`picture`] element,
//! and [`choice`] tells which of its files a browser downloads. A style sheet offers files to a
//! [`background`]. Where the browser crops, style rules say the [`position`]. A [`preload`] fetches early, [`alt`] is what is
//! said where nothing is seen, and [`caption`] what stands below.

pub mod alt;
pub mod background;
pub mod caption;
pub mod choice;
pub mod picture;
pub mod position;
pub mod preload;
pub mod shape;

/// `text` as it stands in HTML or XML, between tags or in an attribute in double quotes.
pub fn escaped(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;").replace('"', "&quot;")
}
