//! What to measure, and what may be reached for it.

use std::collections::BTreeSet;

use brisk_margin_core::layout::LayoutWidth;
use brisk_margin_core::units::Density;
use url::Url;

use crate::error::MeasureError;
use crate::file_reader::FileReader;
use crate::gate::{Authority, Rules};
use crate::page_budget::PageBudget;

/// What to measure, and what may be reached for it.
#[derive(Debug, Clone)]
pub struct Plan {
    /// Layout widths, each opened once per density.
    pub widths: Vec<LayoutWidth>,
    /// Densities at which files are chosen.
    pub densities: Vec<Density>,
    /// Who may be reached.
    pub rules: Rules,
    /// Most pages of a site.
    pub pages: usize,
    /// What a page may cost.
    pub budget: PageBudget,
    /// Tells what the files that come are.
    pub reader: FileReader,
    /// Whether the boxes of all elements are told, besides those of the places.
    pub tells_elements: bool,
    /// Whether it is told what pages transfer.
    pub tells_requests: bool,
}

impl Plan {
    /// The usual layout widths at densities 1 and 2, reaching only the host and port of `address`.
    ///
    /// # Errors
    /// [`MeasureError::Address`] where it is none that a browser can open.
    pub fn for_page(address: &str, reader: FileReader) -> Result<Self, MeasureError> {
        let unusable = || MeasureError::Address(address.to_owned());
        let url = Url::parse(address).map_err(|_| unusable())?;
        let allowed = BTreeSet::from([Authority::of(&url).ok_or_else(unusable)?]);
        Ok(Self {
            widths: LayoutWidth::USUAL.to_vec(),
            densities: vec![Density::ONE, Density::new(2.0).expect("within range")],
            rules: Rules { allowed, own_ports: BTreeSet::new() },
            pages: 50,
            budget: PageBudget::USUAL,
            reader,
            tells_elements: false,
            tells_requests: true,
        })
    }
}
