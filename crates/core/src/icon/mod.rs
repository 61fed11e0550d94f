//! Icons of a site: from one master to every file that browsers and devices ask for.
//!
//! - [`target`]: the files, and which of them a master is large enough for.
//! - [`design`]: what is decided for them: masters, margins, grounds, and what makes small ones readable.
//! - [`legibility`]: how well a mark can be read when it is small.
//! - [`manifest`] and [`snippet`]: how pages name the files.
//! - [`check`]: what is wrong with the icons that a site has.

pub mod check;
pub mod design;
pub mod legibility;
pub mod manifest;
pub mod snippet;
pub mod target;
