//! What the journeys in `tests/` share: the running application, and a browser that looks at it.

pub mod application;
pub mod browser;
pub mod files;
pub mod hands;
pub mod http;
pub mod processes;
pub mod small_disk;
pub mod web_host;
