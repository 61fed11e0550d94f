//! Edits: the ordered list of edits that a picture gets, each of them reversible.
//!
//! Edits never touch the original: whatever is shown or written is rendered from it anew. They are
//! applied stage by stage: geometry, then framing and scaling, then tone and colour, sharpening,
//! what lies around the picture, and what lies on it. Within tone and colour, and among what lies
//! on the picture, the order of the list counts; elsewhere it has no meaning, and the list is kept
//! in the order in which its edits are applied.

pub mod canvas;
mod catalogue;
mod edit;
mod error;
mod figures;
mod limits;
mod list;
pub mod plan;
mod rotating;
pub mod text;
pub mod values;

pub use catalogue::{EditKind, behind_texts, edit_kinds, text_saying};
pub use edit::{Corners, Edit, Stage};
pub use error::EditError;
pub use figures::Figure;
pub use limits::{MOST_EDITS, VERSION};
pub use list::{EditEntry, EditList, Written};
pub use rotating::{RotateOrFlip, StraightenError};
pub use text::TextBlock;
