//! The site's side: measuring pages in a real browser, and a small stand-in host.
//!
//! - [`gate`]: the only way out of the browser, to hosts and ports that were entered.
//! - [`chromium`]: the browser itself, as an unprivileged user with an empty profile.
//! - [`page`]: one page, opened at each layout width and density.
//! - [`measure`](mod@measure): what is found on pages, one or a whole site.
//! - [`archive`]: sites that come as files.
//! - [`host`]: serves a folder as a customer's web host would.

pub mod archive;
pub mod chromium;
mod devtools;
pub mod gate;
pub mod host;
pub mod measure;
pub mod page;
