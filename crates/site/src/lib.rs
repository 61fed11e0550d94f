//! The site's side: measuring pages in a real browser, and a small stand-in host.
//!
//! - [`gate`]: the only way out of the browser, to hosts and ports that were entered.
//! - [`chromium`]: the browser itself, as an unprivileged user with an empty profile.
//! - [`plan`]: what to measure, and what may be reached for it.
//! - [`page`]: one page, opened at each layout width and density; [`reading`] is what it tells,
//!   [`fetched`] the files that came, each a [`file_reader`].
//! - [`measure`](mod@measure): one page or a whole site; [`measured`] is what was found.
//! - [`archive`]: sites that come as files.
//! - [`host`]: serves a folder as a customer's web host would.

pub mod archive;
pub mod chromium;
mod devtools;
pub mod error;
pub mod fetched;
pub mod file_reader;
pub mod gate;
pub mod host;
pub mod measure;
pub mod measured;
pub mod page;
pub mod plan;
pub mod reading;
mod traffic;
