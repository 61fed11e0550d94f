//! Chroma: at which resolution a file keeps its colours.

use serde::{Deserialize, Serialize};

use crate::detail::detail;
use crate::raster::Raster;
use brisk_margin_core::encoding::Quality;

/// At which resolution colour is kept beside light.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Chroma {
    /// As light (4:4:4).
    Full,
    /// At half along both sides (4:2:0).
    Half,
}

impl Chroma {
    /// Above this loss, colour at half resolution shows at any quality: coloured letters and lines of
    /// a pixel or two. The pictures of `crates/demo` lie below, between 0.1 and 3.4.
    const VISIBLE: f64 = 4.0;

    /// What suits `raster` in a JPEG of `quality`: high up, the loss no longer hides under that of the
    /// quantisation, and full resolution comes to fewer bytes at the same score (docs/decisions/0031).
    pub fn for_jpeg(raster: &Raster, quality: Quality) -> Self {
        let loss = loss(raster);
        let hidden_below = match loss {
            ..=2.5 => 95.0,
            ..=Self::VISIBLE => 90.0,
            _ => 0.0,
        };
        if quality.get() < hidden_below { Self::Half } else { Self::Full }
    }

    /// What suits `raster` in a WebP.
    pub fn for_webp(raster: &Raster) -> Self {
        if loss(raster) > Self::VISIBLE { Self::Full } else { Self::Half }
    }

    /// What suits `raster` in an AVIF of `quality`: who comes so high mostly comes in search of a score that colour at
    /// half resolution never reaches (docs/decisions/0034).
    pub fn for_avif(raster: &Raster, quality: Quality) -> Self {
        const FAITHFUL: f64 = 90.0;
        if quality.get() >= FAITHFUL { Self::Full } else { Self::for_webp(raster) }
    }

    /// Whether `raster` may do with fewer bytes in an AVIF whose colours are at full resolution, which
    /// usually has them at half: where there are colours to lose, among fine detail or by themselves. Of pictures without,
    /// drafts never chose it (docs/decisions/0035).
    pub fn is_open_for_avif(raster: &Raster) -> bool {
        const SOME: f64 = 0.9;
        const MUCH: f64 = 2.5;
        const FINE: f64 = 5.0;
        let loss = loss(raster);
        let is_open = loss > MUCH || loss > SOME && detail(raster) > FINE;
        is_open && Self::for_webp(raster) == Self::Half
    }
}

/// How much colour is lost when each 2 × 2 pixels share one: the root mean square over the
/// picture, on the scale of 8 bits.
pub fn loss(raster: &Raster) -> f64 {
    let each = raster.channels().count();
    let width = raster.size().width as usize;
    let (mut squares, mut count) = (0.0, 0u64);
    let mut rows = raster.data().chunks_exact(raster.stride());
    while let (Some(above), Some(below)) = (rows.next(), rows.next()) {
        for x in (0..width.saturating_sub(1)).step_by(2) {
            let at = |row: &[u8], x: usize| colour(&row[x * each..]);
            let four = [at(above, x), at(above, x + 1), at(below, x), at(below, x + 1)];
            for part in [0, 1] {
                let mean = four.iter().map(|colour| colour[part]).sum::<f64>() / 4.0;
                squares += four.iter().map(|c| (c[part] - mean).powi(2)).sum::<f64>() / 4.0;
            }
            count += 1;
        }
    }
    (squares / count.max(1) as f64).sqrt()
}

/// Blue and red difference of a pixel (ITU-R BT.601).
fn colour(pixel: &[u8]) -> [f64; 2] {
    let [red, green, blue] = [0, 1, 2].map(|channel| f64::from(pixel[channel]));
    let luma = 0.299 * red + 0.587 * green + 0.114 * blue;
    [(blue - luma) * 0.564, (red - luma) * 0.713]
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::raster::Channels;
    use brisk_margin_core::geometry::Size;

    #[test]
    fn coloured_lines_keep_their_colour_and_grey_ones_need_none() {
        let lines = |colour: [u8; 3]| {
            let pixel = |n: usize| if n.is_multiple_of(2) { colour } else { [255; 3] };
            Raster::new(Size::new(16, 16), Channels::Rgb, (0..256).flat_map(pixel).collect())
        };
        let [middling, high] = [70, 96].map(|quality| Quality::new(quality).unwrap());
        assert_eq!(Chroma::for_jpeg(&lines([220, 20, 30]), middling), Chroma::Full);
        assert_eq!(Chroma::for_jpeg(&lines([40; 3]), middling), Chroma::Half);
        assert_eq!(Chroma::for_jpeg(&lines([40; 3]), high), Chroma::Full);
        let dot = Raster::new(Size::new(1, 1), Channels::Rgb, vec![200, 0, 0]);
        assert_eq!(loss(&dot), 0.0);
    }
}
