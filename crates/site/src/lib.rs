//! The site's side: measuring pages in a real browser, and a small stand-in host.
//!
//! - [`gate`]: the only way out of the browser, to hosts and ports that were entered.
//! - [`chromium`]: the browser itself, as an unprivileged user with an empty profile.
//! - [`plan`]: what to measure, and what may be reached for it; [`page_budget`] is what a page may cost,
//!   and `page_watch` ends it where it costs more.
//! - [`page`]: one page, opened at each layout width and density; `page_scripts` run in it,
//!   `pseudo_boxes` are asked of the browser; [`reading`] is what it tells,
//!   [`fetched`] the files that came, each a [`file_reader`]; `page_requests` lists what it transferred.
//! - [`har`]: the same from and to archives of other tools.
//! - [`measure`](mod@measure): one page; [`measured`] is what was found; [`crawl`] is a whole site.
//! - [`elements`]: where all that a page has stands, before and after a change of it.
//! - [`source`]: pages and style sheets byte for byte; [`rewriting`] has them offer other files.
//! - [`publishing`]: what is written to a site's folder, and how it goes back.
//! - [`archive`]: sites that come as files.
//! - [`icons`]: those that a site names, fetched.
//! - [`host`]: serves a folder as a customer's web host would.

pub mod chromium;
pub mod crawl;
mod devtools;
pub mod elements;
pub mod error;
pub mod fetched;
pub mod file_reader;
pub mod film;
pub mod gate;
pub mod har;
pub mod host;
pub mod icons;
pub mod measure;
pub mod measured;
pub mod page;
pub mod page_budget;
mod page_requests;
mod page_scripts;
mod page_watch;
pub mod plan;
mod pseudo_boxes;
pub mod publishing;
pub mod reading;
pub mod rewriting;
pub mod source;
mod tabs;
mod traffic;
