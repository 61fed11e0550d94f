//! Pixels in memory: 8 bits a channel, rows from the top, no padding.

use brisk_margin_core::geometry::{Rect, Size};

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

    /// Its bytes, for keeps.
    pub fn into_data(self) -> Vec<u8> {
        self.data
    }

    /// Bytes per row.
    pub const fn stride(&self) -> usize {
        self.size.width as usize * self.channels.count()
    }

    /// Whether a pixel lets the ground through.
    pub fn is_transparent(&self) -> bool {
        self.channels == Channels::Rgba && self.data.chunks_exact(4).any(|pixel| pixel[3] < 255)
    }

    /// Without alpha, where no pixel lets the ground through.
    pub fn without_idle_alpha(self) -> Self {
        if self.channels == Channels::Rgb || self.is_transparent() {
            return self;
        }
        let data = self.data.chunks_exact(4).flat_map(|p| [p[0], p[1], p[2]]).collect();
        Self::new(self.size, Channels::Rgb, data)
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

/// Rasters below each other on one, transparent where there is none, and where each of them lies; nothing for those that are not
/// there, and no raster where none is.
pub fn stacked(rasters: &[Option<Raster>]) -> (Option<Raster>, Vec<Option<Rect>>) {
    let mut y = 0;
    let places: Vec<Option<Rect>> = rasters
        .iter()
        .map(|raster| {
            let size = raster.as_ref()?.size();
            y += size.height;
            Some(Rect { x: 0, y: y - size.height, width: size.width, height: size.height })
        })
        .collect();
    let Some(width) = places.iter().flatten().map(|place| place.width).max() else {
        return (None, places);
    };
    // Rows of one width and no alpha need none on the sheet.
    let opaque = rasters.iter().flatten().all(|raster| raster.channels() == Channels::Rgb)
        && places.iter().flatten().all(|place| place.width == width);
    let channels = if opaque { Channels::Rgb } else { Channels::Rgba };
    let (each, stride) = (channels.count(), width as usize * channels.count());
    let mut sheet = vec![0; stride * y as usize];
    for (raster, place) in rasters.iter().flatten().zip(places.iter().flatten()) {
        for (row, pixels) in raster.data().chunks_exact(raster.stride()).enumerate() {
            let to = &mut sheet[(place.y as usize + row) * stride..];
            if raster.channels() == channels {
                to[..pixels.len()].copy_from_slice(pixels);
                continue;
            }
            for (to, from) in to.chunks_exact_mut(each).zip(pixels.chunks_exact(3)) {
                to[..3].copy_from_slice(from);
                to[3] = 255;
            }
        }
    }
    (Some(Raster::new(Size::new(width, y), channels, sheet)), places)
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
    fn a_stack_holds_each_raster_where_it_says() {
        let red = Raster::new(Size::new(2, 1), Channels::Rgb, [200, 0, 0].repeat(2));
        let clear = Raster::new(Size::new(1, 2), Channels::Rgba, [0, 0, 9, 40].repeat(2));
        let (sheet, places) = stacked(&[Some(red), None, Some(clear.clone())]);
        assert_eq!(places[1], None);
        assert_eq!(sheet.as_ref().unwrap().size(), Size::new(2, 3));
        assert_eq!(sheet.unwrap().crop(places[2].unwrap()), clear);
        assert_eq!(stacked(&[None]), (None, vec![None]));
    }

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
