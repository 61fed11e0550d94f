//! Pixels in colours of their own, brought to sRGB where profiles may be read.

use std::sync::Arc;

use crate::codec::CodecError;
use crate::codecs::Codecs;
use crate::colour::Profile;
use crate::raster::Raster;

/// The colours of a picture that are RGB and not sRGB's.
#[derive(Debug, Clone)]
pub struct OwnColours {
    codecs: Codecs,
    profile: NamedProfile,
}

/// A profile that nobody has read here.
#[derive(Debug, Clone)]
enum NamedProfile {
    /// As it stands in a file (ICC.1).
    Icc(Arc<[u8]>),
    /// Display P3, which a container can name without a profile (ITU-T H.273, primaries 12).
    DisplayP3,
}

impl OwnColours {
    /// Those of the profile `icc`, which is read in `codecs`.
    pub(crate) fn of_profile(codecs: &Codecs, icc: &[u8]) -> Self {
        Self { codecs: codecs.clone(), profile: NamedProfile::Icc(icc.into()) }
    }

    /// Those of Display P3, converted in `codecs`.
    pub fn display_p3(codecs: &Codecs) -> Self {
        Self { codecs: codecs.clone(), profile: NamedProfile::DisplayP3 }
    }

    fn icc(&self) -> Option<&[u8]> {
        match &self.profile {
            NamedProfile::Icc(icc) => Some(icc),
            NamedProfile::DisplayP3 => None,
        }
    }

    /// The profile as a file carries it; nothing where it cannot be written.
    pub(crate) fn to_icc(&self) -> Option<Vec<u8>> {
        self.icc().map_or_else(|| Profile::display_p3().icc(), |icc| Some(icc.to_vec()))
    }

    /// Brings `raster` to sRGB in place; pixels stay as they are where the profile has no usable
    /// transform.
    ///
    /// # Errors
    /// Those of the codec's process.
    pub fn convert(&self, raster: &mut Raster) -> Result<(), CodecError> {
        self.codecs.to_srgb(raster, self.icc())
    }

    /// Brings light (16 bits a channel, as if it had sRGB's transfer function) to sRGB's, in place;
    /// `each` is 3 or 4 samples a pixel.
    ///
    /// # Errors
    /// Those of the codec's process.
    pub(crate) fn convert_light(&self, light: &mut [u16], each: usize) -> Result<(), CodecError> {
        self.codecs.light_to_srgb(light, each, self.icc())
    }
}
