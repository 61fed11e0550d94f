//! Icons: from one master to the files of a site, readable also where they are small.
//!
//! 1. [`master`] reads the picture that they are made of; [`figure`] tells its mark from its ground.
//! 2. [`small`] makes versions for small sizes with the helps of [`help`], as far as [`legible`] finds that they help;
//!    [`touch`] lays on what was changed by hand.
//! 3. [`composed`] puts a mark on its ground; [`sharing`] is the picture of a shared link; [`file`](mod@file) makes the
//!    files, [`ico`] and [`drawing`] those that are not pixels alone.
//! 4. [`served`] reads icons that a site has.

pub mod composed;
pub mod drawing;
pub mod figure;
pub mod file;
pub mod help;
pub mod ico;
pub mod legible;
pub mod master;
pub mod served;
pub mod sharing;
pub mod small;
pub mod touch;

use crate::raster::{Channels, Raster};

/// `raster` with alpha.
pub(crate) fn with_alpha(raster: Raster) -> Raster {
    if raster.channels() == Channels::Rgba {
        return raster;
    }
    let size = raster.size();
    let data = raster.data().chunks_exact(3).flat_map(|p| [p[0], p[1], p[2], 255]).collect();
    Raster::new(size, Channels::Rgba, data)
}
