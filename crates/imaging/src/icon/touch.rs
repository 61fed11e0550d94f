//! Touch-ups: what was changed by hand on a small version, laid on whatever that has become.

use brisk_margin_core::cache_key::CacheKey;
use brisk_margin_core::icon::design::TouchUps;

use crate::raster::Raster;

/// What stands for `small`: other pixels have another one.
pub fn fingerprint(small: &Raster) -> CacheKey {
    CacheKey::of(&(small.size(), small.data()))
}

/// `small`, a square with alpha, moved and with the pixels that were set.
pub fn touched(small: &Raster, touches: &TouchUps) -> Raster {
    let side = small.size().width as i64;
    let (dx, dy) = (i64::from(touches.right), i64::from(touches.down));
    let mut made = small.clone();
    for (n, pixel) in made.data_mut().chunks_exact_mut(4).enumerate() {
        let (x, y) = (n as i64 % side - dx, n as i64 / side - dy);
        let is_there = (0..side).contains(&x) && (0..side).contains(&y);
        match is_there {
            true => pixel.copy_from_slice(&small.data()[((y * side + x) * 4) as usize..][..4]),
            false => pixel.fill(0),
        }
    }
    for touch in &touches.pixels {
        let (x, y) = (i64::from(touch.x), i64::from(touch.y));
        if x < side && y < side {
            let at = ((y * side + x) * 4) as usize;
            made.data_mut()[at..at + 4].copy_from_slice(&touch.colour.rgba());
        }
    }
    made
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::raster::Channels;
    use brisk_margin_core::edits::values::{Colour, Ground};
    use brisk_margin_core::geometry::Size;
    use brisk_margin_core::icon::design::Touch;

    #[test]
    fn touch_ups_are_laid_on_another_version_of_the_master() {
        let of = |shade: u8| {
            let data = (0..16 * 16).flat_map(|n| [shade, n as u8, 0, 255]).collect();
            Raster::new(Size::new(16, 16), Channels::Rgba, data)
        };
        let touches = TouchUps {
            right: 1,
            down: 0,
            pixels: vec![
                Touch { x: 3, y: 2, colour: Ground::of(Colour([9, 8, 7])) },
                Touch { x: 4, y: 2, colour: Ground::TRANSPARENT },
            ],
            on: fingerprint(&of(1)).into(),
        };
        assert_ne!(fingerprint(&of(2)).as_str(), touches.on, "another version is told");
        for shade in [1, 2] {
            let made = touched(&of(shade), &touches);
            let at = |x: usize, y: usize| &made.data()[(y * 16 + x) * 4..][..4];
            assert_eq!(at(3, 2), [9, 8, 7, 255]);
            assert_eq!(at(4, 2), [0; 4]);
            assert_eq!(at(0, 5), [0; 4], "what was moved in from outside is nothing");
            assert_eq!(at(6, 1), [shade, 16 + 5, 0, 255]);
        }
    }
}
