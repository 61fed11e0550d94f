//! What runs in a measured page.

use serde_json::Value;

/// Runs before the page's own scripts.
pub(crate) const WATCH: &str = include_str!("watch.js");

/// Tells everything that the page shows; see [`Reading`](crate::reading::Reading).
pub(crate) const READ: &str = concat!(
    "(() => {",
    include_str!("selectors.js"),
    include_str!("boxes.js"),
    include_str!("images.js"),
    include_str!("places.js"),
    include_str!("rules.js"),
    include_str!("reading.js"),
    "})()"
);

/// Where `known` places are, after the page was laid out anew.
pub(crate) fn moved(known: &Value) -> String {
    const MOVED: &str = concat!(include_str!("boxes.js"), include_str!("moved.js"));
    format!("((known) => {{{MOVED}}})({known})")
}
