//! What handlers share: the services of their site.

/// The services of the site that a request is about.
pub use brisk_margin_work::sites::SiteServices as App;
