//! Colour: bringing pixels from their own profile to sRGB.

use moxcms::{ColorProfile, DataColorSpace, Layout, ProfileText, TransformOptions};

use crate::raster::{Channels, Raster};

/// An RGB colour profile that is not sRGB.
pub struct Profile {
    profile: ColorProfile,
    name: String,
}

impl Profile {
    /// Reads an ICC profile; `None` where it is sRGB, not for RGB, or not readable, since pixels
    /// are then shown as sRGB by browsers too.
    pub fn read(icc: &[u8]) -> Option<Self> {
        let profile = ColorProfile::new_from_slice(icc).ok()?;
        let name = description(&profile).unwrap_or_else(|| "unnamed profile".to_owned());
        let wanted = profile.color_space == DataColorSpace::Rgb && !name.contains("sRGB");
        wanted.then_some(Self { profile, name })
    }

    /// Its own description.
    pub fn name(&self) -> &str {
        &self.name
    }

    /// Converts `raster` to sRGB in place; pixels stay as they are where the profile has no
    /// usable transform.
    pub fn convert(&self, raster: &mut Raster) {
        let layout = match raster.channels() {
            Channels::Rgb => Layout::Rgb,
            Channels::Rgba => Layout::Rgba,
        };
        let srgb = ColorProfile::new_srgb();
        let Ok(transform) =
            self.profile.create_transform_8bit(layout, &srgb, layout, TransformOptions::default())
        else {
            return;
        };
        let stride = raster.stride();
        let mut row = vec![0; stride];
        for pixels in raster.data_mut().chunks_exact_mut(stride) {
            if transform.transform(pixels, &mut row).is_ok() {
                pixels.copy_from_slice(&row);
            }
        }
    }
}

fn description(profile: &ColorProfile) -> Option<String> {
    let text = match profile.description.as_ref()? {
        ProfileText::PlainString(text) => text.clone(),
        ProfileText::Localizable(texts) => texts.first()?.value.clone(),
        ProfileText::Description(text) => text.ascii_string.clone(),
    };
    let text = text.trim_matches(|c: char| c.is_whitespace() || c.is_control());
    (!text.is_empty()).then(|| text.to_owned())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::Size;

    #[test]
    fn a_wide_gamut_green_becomes_a_stronger_srgb_green() {
        let icc = ColorProfile::new_display_p3().encode().unwrap();
        let profile = Profile::read(&icc).expect("a profile that is not sRGB");
        let mut raster =
            Raster::new(Size::new(2, 1), Channels::Rgb, vec![100, 160, 90, 128, 128, 128]);
        profile.convert(&mut raster);
        // Reference: Display P3 → sRGB by the matrices of SMPTE EG 432-1 and IEC 61966-2-1.
        for (got, want) in raster.data().iter().zip([78u8, 162, 81, 128, 128, 128]) {
            assert!(got.abs_diff(want) <= 1, "{:?}", raster.data());
        }
    }

    #[test]
    fn srgb_and_rubbish_need_no_conversion() {
        let srgb = ColorProfile::new_srgb().encode().unwrap();
        assert!(Profile::read(&srgb).is_none());
        assert!(Profile::read(b"not a profile").is_none());
    }
}
