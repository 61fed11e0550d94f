//! How a browser puts a file into a box.

use serde::{Deserialize, Serialize};

/// How a browser puts a file into a box (CSS `object-fit` and `background-size`).
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum ObjectFit {
    /// Stretched to the box on both sides.
    Fill,
    /// Fills the box; what reaches over is cut.
    Cover,
    /// All of it inside the box.
    Contain,
    /// As many CSS pixels as the file has pixels.
    Natural,
}
