//! What runs in a measured page.

use serde_json::Value;

/// Runs before the page's own scripts.
pub(crate) const WATCH: &str = include_str!("watch.js");

/// Runs before the page's own scripts where nothing has to be painted.
pub(crate) const HIDE: &str = "globalThis.__hide()";

/// Whether the page can do anything by itself after it was loaded.
pub(crate) const SCRIPTED: &str = concat!("(() => {", include_str!("scripted.js"), "})()");

/// How many elements a page has.
pub(crate) const COUNT: &str = "document.getElementsByTagName('*').length";

/// Waits for the largest paint, and remembers it.
pub(crate) const PAINTED: &str = concat!("(async () => {", include_str!("painted.js"), "})()");

/// When things were there; see [`Came`](crate::page::Came).
pub(crate) const CAME: &str = concat!("(() => {", include_str!("came.js"), "})()");

/// Has a page painted that was not, and tells its height.
pub(crate) const SHOW: &str = concat!("(async () => {", include_str!("show.js"), "})()");

/// Waits until what a new layout chooses has come.
pub(crate) const LAID_OUT: &str = concat!("(async () => {", include_str!("laid_out.js"), "})()");

/// Tells everything that the page shows; see [`Reading`](crate::reading::Reading).
pub(crate) const READ: &str = concat!(
    "(() => {",
    include_str!("selectors.js"),
    include_str!("surroundings.js"),
    include_str!("boxes.js"),
    include_str!("hidden.js"),
    include_str!("images.js"),
    include_str!("places.js"),
    include_str!("rules.js"),
    include_str!("reading.js"),
    "})()"
);

/// The boxes of all elements; see [`ElementBox`](crate::elements::ElementBox).
pub(crate) const ELEMENTS: &str = concat!("(() => {", include_str!("elements.js"), "})()");

/// Has lazy pictures load, of a page that is `scripted` also those that wait to be scrolled to.
pub(crate) fn load_lazy(scripted: bool) -> String {
    format!("(async (scripted) => {{{}}})({scripted})", include_str!("lazy.js"))
}

/// Where `known` places are, after the page was laid out anew.
pub(crate) fn moved(known: &Value) -> String {
    const MOVED: &str =
        concat!(include_str!("boxes.js"), include_str!("hidden.js"), include_str!("moved.js"));
    format!("((known) => {{{MOVED}}})({known})")
}
