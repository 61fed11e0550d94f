//! Markup: what a page says so that the browser chooses the right file.
//!
//! A slot has one or several [`shape`]s; what each is offered is written as a [`picture`] element,
//! and [`choice`] tells which of its files a browser downloads. Where the browser crops, style
//! rules say the [`position`].

pub mod choice;
pub mod picture;
pub mod position;
pub mod shape;
