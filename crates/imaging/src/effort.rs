//! How long an encoder looks.

use serde::{Deserialize, Serialize};

/// How long an encoder looks for fewer bytes.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub enum Effort {
    /// As shortly as it can: for a file that is judged and thrown away.
    Draft,
    /// As long as a file is worth that is kept.
    Full,
}
