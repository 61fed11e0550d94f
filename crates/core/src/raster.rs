//! Pixels in memory: 8 bits a channel, rows from the top, no padding.

use crate::geometry::{Rect, Size};

/// Which channels a pixel has.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Channels {
    /// Red, green, blue.
    Rgb,
    /// Red, green, blue and straight (not premultiplied) alpha.
    Rgba,
}

impl Channels {
    /// Bytes per pixel.
    pub const fn count(self) -> usize {
        match self {
            Self::Rgb => 3,
            Self::Rgba => 4,
        }
    }
}

/// A picture's pixels.
#[derive(Clone, PartialEq, Eq)]
pub struct Raster {
    size: Size,
    channels: Channels,
    data: Vec<u8>,
}

impl Raster {
    /// Wraps `data`, which must hold exactly the bytes of `size` in `channels`.
    ///
    /// # Panics
    /// When it does not.
    pub fn new(size: Size, channels: Channels, data: Vec<u8>) -> Self {
        assert_eq!(data.len() as u64, size.pixels() * channels.count() as u64, "pixels of {size}");
        Self { size, channels, data }
    }

    /// Its size in pixels.
    pub const fn size(&self) -> Size {
        self.size
    }

    /// Its channels.
    pub const fn channels(&self) -> Channels {
        self.channels
    }

    /// Its bytes, row by row from the top.
    pub fn data(&self) -> &[u8] {
        &self.data
    }

    /// Its bytes, to be changed in place.
    pub fn data_mut(&mut self) -> &mut [u8] {
        &mut self.data
    }

    /// Bytes per row.
    pub const fn stride(&self) -> usize {
        self.size.width as usize * self.channels.count()
    }

    /// A copy of the part inside `rect`, which must lie inside the picture.
    pub fn crop(&self, rect: Rect) -> Self {
        let bytes = self.channels.count();
        let data = (rect.y..rect.y + rect.height)
            .flat_map(|y| {
                let start = y as usize * self.stride() + rect.x as usize * bytes;
                &self.data[start..start + rect.width as usize * bytes]
            })
            .copied()
            .collect();
        Self::new(rect.size(), self.channels, data)
    }

    /// Without alpha, as it looks on a ground of colour `ground`.
    pub fn flattened(&self, ground: [u8; 3]) -> Self {
        if self.channels == Channels::Rgb {
            return self.clone();
        }
        let data = self
            .data
            .chunks_exact(4)
            .flat_map(|pixel| {
                let alpha = u32::from(pixel[3]);
                [0, 1, 2].map(|c| {
                    let mixed = u32::from(pixel[c]) * alpha + u32::from(ground[c]) * (255 - alpha);
                    ((mixed + 127) / 255) as u8
                })
            })
            .collect();
        Self::new(self.size, Channels::Rgb, data)
    }
}

impl std::fmt::Debug for Raster {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "Raster({}, {:?})", self.size, self.channels)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn flattening_mixes_by_alpha() {
        let raster = Raster::new(
            Size::new(3, 1),
            Channels::Rgba,
            vec![10, 20, 30, 255, 10, 20, 30, 0, 0, 0, 0, 128],
        );
        assert_eq!(raster.flattened([255; 3]).data(), [10, 20, 30, 255, 255, 255, 127, 127, 127]);
    }
}
