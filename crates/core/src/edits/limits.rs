//! What a list of edits may be.

/// The version of the lists that this program writes, and the newest that it reads.
pub const VERSION: u32 = 1;
/// The most edits that a list holds.
pub const MOST_EDITS: usize = 60;
