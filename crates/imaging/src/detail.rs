//! Detail: how much a picture changes from one pixel to the next.

use crate::raster::Raster;

/// How far a pixel's light lies from that of its four neighbours, on the scale of 8 bits and in the mean over the
/// picture, times four (the absolute discrete Laplacian). Skies have 1, faces 3, gravel and leaves 15 and more; a
/// picture that is less than three pixels across has 0.
pub fn detail(raster: &Raster) -> f64 {
    let each = raster.channels().count();
    let light = |pixel: &[u8]| {
        // Rec. ITU-R BT.601, in thousandths.
        299 * i64::from(pixel[0]) + 587 * i64::from(pixel[1]) + 114 * i64::from(pixel[2])
    };
    let rows: Vec<&[u8]> = raster.data().chunks_exact(raster.stride()).collect();
    let (mut sum, mut count) = (0_u64, 0_u64);
    for three in rows.windows(3) {
        let at = |row: usize, x: usize| light(&three[row][x * each..]);
        for x in 1..(raster.size().width as usize).saturating_sub(1) {
            let around = at(0, x) + at(2, x) + at(1, x - 1) + at(1, x + 1);
            sum += (4 * at(1, x) - around).unsigned_abs();
            count += 1;
        }
    }
    sum as f64 / 1_000.0 / count.max(1) as f64
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::raster::Channels;
    use brisk_margin_core::geometry::Size;

    #[test]
    fn a_slope_has_none_and_a_chessboard_has_all() {
        let of = |shade: &dyn Fn(u32, u32) -> u8| {
            let pixels = (0..8).flat_map(|y| (0..9).map(move |x| (x, y)));
            let data = pixels.flat_map(|(x, y)| [shade(x, y); 3]).collect();
            detail(&Raster::new(Size::new(9, 8), Channels::Rgb, data))
        };
        assert_eq!(of(&|x, y| (x * 3 + y * 5) as u8), 0.0);
        assert_eq!(of(&|x, y| if (x + y) % 2 == 0 { 10 } else { 60 }), 200.0);
        assert_eq!(detail(&Raster::new(Size::new(2, 1), Channels::Rgba, vec![9; 8])), 0.0);
    }
}
