//! Choice: which file of a `srcset` a browser downloads.

use crate::units::Density;

/// Which of `widths`, the smallest first, a browser downloads for a picture that is rendered
/// `rendered` CSS pixels wide at `density`; nothing where there is none.
///
/// The HTML Standard (4.8.4.3.7) leaves this to the browser. Chromium (156) takes the first file that
/// has the screen's density, or else the densest. Its lengths are 32-bit floats, which decide where two
/// are equally near.
pub fn downloaded(widths: &[u32], rendered: f64, density: Density) -> Option<usize> {
    let wanted = density.get() as f32;
    let is_enough = |&width: &u32| width as f32 / rendered as f32 >= wanted;
    let last = widths.len().checked_sub(1)?;
    Some(widths.iter().position(is_enough).unwrap_or(last))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn a_screen_gets_the_first_file_that_is_dense_enough() {
        let chosen = |widths: &[u32], rendered, density| {
            downloaded(widths, rendered, Density::new(density).unwrap()).map(|n| widths[n])
        };
        assert_eq!(chosen(&[400, 800], 401.0, 1.0), Some(800));
        assert_eq!(chosen(&[400, 800], 400.0, 1.0), Some(400));
        assert_eq!(chosen(&[400, 800, 1_600], 400.0, 2.0), Some(800));
        assert_eq!(chosen(&[400, 800], 201.0, 2.0), Some(800));
        assert_eq!(chosen(&[100, 200, 400], 266.0, 1.5), Some(400));
        assert_eq!(chosen(&[400, 800], 3_000.0, 2.0), Some(800));
        assert_eq!(chosen(&[], 300.0, 1.0), None);
    }

    proptest! {
        #[test]
        fn what_is_there_exactly_is_taken(
            widths in prop::collection::btree_set(50u32..3_000, 1..9),
            at in any::<prop::sample::Index>(),
            density in prop::sample::select(vec![1.0, 1.5, 2.0, 3.0]),
        ) {
            let widths: Vec<u32> = widths.into_iter().collect();
            let wanted = widths[at.index(widths.len())];
            let density = Density::new(density).unwrap();
            let rendered = f64::from(wanted) / density.get();
            let chosen = downloaded(&widths, rendered, density).map(|n| widths[n]).unwrap();
            // A neighbour within the precision of a float is as good.
            prop_assert!(chosen.abs_diff(wanted) <= 1, "{chosen} instead of {wanted} of {widths:?}");
        }
    }
}
