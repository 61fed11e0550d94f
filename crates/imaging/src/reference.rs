//! References: pixels that files are made of and compared with, and the choice of files for them.

use brisk_margin_core::choice::EncodeRequest;
use brisk_margin_core::colour_space::ColourSpace;
use brisk_margin_core::content::ContentClass;
use brisk_margin_core::fitting::Fitting;
use brisk_margin_core::geometry::Size;
use brisk_margin_core::units::Bytes;
use rayon::prelude::*;

use crate::choosing::{ChoiceError, Choosing, Chosen, Hints, Stop};
use crate::codec::CodecError;
use crate::codec::extras::Extras;
use crate::metric::{MetricError, QualityMetric};
use crate::original::Original;
use crate::outside::Encoders;
use crate::raster::Raster;
use crate::render;

/// A picture's pixels as they fill a slot, with what concerns them of the quality metric worked out
/// once for all files.
pub struct Reference {
    metric: QualityMetric,
    profile: Option<Vec<u8>>,
}

impl Reference {
    /// A reference of `raster`, in the colours of `profile` or else in sRGB.
    ///
    /// # Errors
    /// [`MetricError`] where it is too large to be compared.
    pub fn new(raster: Raster, profile: Option<Vec<u8>>) -> Result<Self, MetricError> {
        Ok(Self { metric: QualityMetric::new(raster.without_idle_alpha())?, profile })
    }

    /// References of `original` for each of `fittings`, in `colours`, from one decoding.
    ///
    /// # Errors
    /// Those of decoding, and [`MetricError`].
    pub fn ladder(
        original: &Original<'_>,
        fittings: &[Fitting],
        colours: ColourSpace,
    ) -> Result<Vec<Self>, ReferenceError> {
        let profile = profile(original, colours);
        let mut rasters: Vec<Option<Raster>> = vec![None; fittings.len()];
        render::render_ladder(
            original,
            fittings,
            colours,
            |n, raster| -> Result<(), CodecError> {
                rasters[n] = Some(raster.clone());
                Ok(())
            },
        )?;
        let rasters: Vec<Raster> = rasters.into_iter().flatten().collect();
        let each = |raster| Ok(Self::new(raster, profile.clone())?);
        rasters.into_par_iter().map(each).collect()
    }

    /// The memory that one of `size` holds.
    pub fn memory(size: Size) -> Bytes {
        QualityMetric::memory(size)
    }

    /// Its pixels.
    pub fn raster(&self) -> &Raster {
        self.metric.raster()
    }

    /// The profile of its colours, where they are not sRGB.
    pub fn profile(&self) -> Option<&[u8]> {
        self.profile.as_deref()
    }

    /// Compares files with it.
    pub const fn metric(&self) -> &QualityMetric {
        &self.metric
    }

    /// The file that `request` asks for, of pixels of `class`; `xmp` goes into it beside the profile;
    /// `hints` tell of other files of the picture.
    /// Ends early where `stop` says so.
    ///
    /// # Errors
    /// [`ChoiceError`]; a grade or a cap that cannot be met is an outcome instead.
    pub fn choose(
        &self,
        encoders: Encoders<'_>,
        class: ContentClass,
        hints: Hints,
        request: EncodeRequest,
        xmp: Option<Vec<u8>>,
        stop: Stop<'_>,
    ) -> Result<Chosen, ChoiceError> {
        let extras = Extras { icc: self.profile.clone(), xmp };
        let (metric, moving) = (&self.metric, None);
        Choosing { encoders, metric, moving, class, hints, extras: &extras, stop }.answer(request)
    }
}

/// The profile that goes with the pixels of `original` in `colours`; sRGB needs none.
pub fn profile(original: &Original<'_>, colours: ColourSpace) -> Option<Vec<u8>> {
    if colours.is_srgb() { None } else { original.own_profile() }
}

/// Why there is no reference.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum ReferenceError {
    /// The original could not be decoded.
    #[error(transparent)]
    Codec(#[from] CodecError),
    /// Its pixels cannot be compared with.
    #[error(transparent)]
    Metric(#[from] MetricError),
}

impl ReferenceError {
    /// Whether the machine is at fault and not the picture: later it may go well.
    pub const fn is_transient(&self) -> bool {
        matches!(self, Self::Codec(error) if error.is_transient())
    }
}
