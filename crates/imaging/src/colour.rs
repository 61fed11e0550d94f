//! Colour: bringing pixels from their own profile to sRGB.

use moxcms::{ColorProfile, DataColorSpace, Layout, ProfileText, TransformOptions};

use crate::raster::{Channels, Raster};
use crate::resize;

/// The profile `icc`, or that of Display P3 where there is none; nothing where pixels are sRGB's.
pub(crate) fn profile(icc: Option<&[u8]>) -> Option<Profile> {
    icc.map_or_else(|| Some(Profile::display_p3()), Profile::read)
}

/// An RGB colour profile that is not sRGB, and was read here.
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

    /// Display P3, which a container can name without a profile (ITU-T H.273, primaries 12).
    pub fn display_p3() -> Self {
        Self { profile: ColorProfile::new_display_p3(), name: "Display P3".to_owned() }
    }

    /// Its own description.
    pub fn name(&self) -> &str {
        &self.name
    }

    /// The profile as a file carries it; nothing where it cannot be written.
    pub fn icc(&self) -> Option<Vec<u8>> {
        self.profile.encode().ok()
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

impl Profile {
    /// Converts light (16 bits a channel, as if it had sRGB's transfer function) to sRGB's, in
    /// place; `each` is 3 or 4 samples a pixel.
    pub(crate) fn convert_light(&self, light: &mut [u16], each: usize) {
        let layout = if each == 3 { Layout::Rgb } else { Layout::Rgba };
        let srgb = ColorProfile::new_srgb();
        let options = TransformOptions::default();
        let Ok(transform) = self.profile.create_transform_16bit(layout, &srgb, layout, options)
        else {
            return;
        };
        let mut encoded = Vec::new();
        let mut converted = Vec::new();
        let is_alpha = |at: usize| each == 4 && at % 4 == 3;
        for pixels in light.chunks_mut(4_096 * each) {
            encoded.clear();
            let encode = |(at, &v): (usize, &u16)| if is_alpha(at) { v } else { encode16(v) };
            encoded.extend(pixels.iter().enumerate().map(encode));
            converted.resize(encoded.len(), 0);
            if transform.transform(&encoded, &mut converted).is_ok() {
                for (at, (to, &from)) in pixels.iter_mut().zip(&converted).enumerate() {
                    *to = if is_alpha(at) { from } else { decode16(from) };
                }
            }
        }
    }
}

/// The sRGB transfer function (IEC 61966-2-1) on 16 bits.
fn encode16(light: u16) -> u16 {
    (resize::encode(f64::from(light) / 65_535.0) * 65_535.0).round() as u16
}

fn decode16(encoded: u16) -> u16 {
    (resize::decode(f64::from(encoded) / 65_535.0) * 65_535.0).round() as u16
}

/// How the four inks of a print picture mix to colours on a screen.
#[derive(Default)]
pub struct Inks(Option<ColorProfile>);

impl Inks {
    /// Reads the ICC profile of a print picture. Without one, or with one that is not for four
    /// inks, they mix as if each took its own share of the light.
    pub fn read(icc: Option<&[u8]>) -> Self {
        let profile = icc.and_then(|icc| ColorProfile::new_from_slice(icc).ok());
        Self(profile.filter(|profile| profile.color_space == DataColorSpace::Cmyk))
    }

    /// Mixes pixels of four inks, 255 for none of it, to sRGB.
    pub fn mix(&self, inks: &[u8]) -> Vec<u8> {
        self.by_profile(inks).unwrap_or_else(|| by_share(inks))
    }

    fn by_profile(&self, inks: &[u8]) -> Option<Vec<u8>> {
        let srgb = ColorProfile::new_srgb();
        let options = TransformOptions::default();
        let transform = self
            .0
            .as_ref()?
            .create_transform_8bit(Layout::Rgba, &srgb, Layout::Rgb, options)
            .ok()?;
        let mut mixed = vec![0; inks.len() / 4 * 3];
        let mut full = Vec::new();
        for (pixels, out) in inks.chunks(4 * 4096).zip(mixed.chunks_mut(3 * 4096)) {
            full.clear();
            // Profiles count ink, not its absence (ICC.1, 6.5.1).
            full.extend(pixels.iter().map(|ink| 255 - ink));
            transform.transform(&full, out).ok()?;
        }
        Some(mixed)
    }
}

fn by_share(inks: &[u8]) -> Vec<u8> {
    let light = |ink: u8, black: u8| ((u32::from(ink) * u32::from(black) + 127) / 255) as u8;
    inks.chunks_exact(4)
        .flat_map(|p| [light(p[0], p[3]), light(p[1], p[3]), light(p[2], p[3])])
        .collect()
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
    use brisk_margin_core::geometry::Size;

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
    fn inks_without_a_profile_take_their_share_of_the_light() {
        let inks = [255, 255, 255, 255, 0, 255, 255, 255, 255, 0, 255, 128, 9, 9, 9, 0];
        let mixed = Inks::read(None).mix(&inks);
        assert_eq!(mixed, [255, 255, 255, 0, 255, 255, 128, 0, 128, 0, 0, 0]);
    }

    #[test]
    fn srgb_and_rubbish_need_no_conversion() {
        let srgb = ColorProfile::new_srgb().encode().unwrap();
        assert!(Profile::read(&srgb).is_none());
        assert!(Profile::read(b"not a profile").is_none());
    }
}
