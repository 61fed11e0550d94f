//! Choice: which file of a `srcset` a browser downloads.

use crate::units::Density;

/// Which of `widths`, the smallest first, a browser downloads for a picture that is rendered
/// `rendered` CSS pixels wide at `density`; nothing where there is none.
///
/// The HTML Standard (4.8.4.3.7) leaves this to the browser. Chromium goes to the first file that
/// has the screen's density, but stays one short of it on screens denser than 1 where that is
/// nearer by ratio. Its lengths are 32-bit floats, which decide where two are equally near.
pub fn downloaded(widths: &[u32], rendered: f64, density: Density) -> Option<usize> {
    let wanted = density.get() as f32;
    let of = |n: usize| widths[n] as f32 / rendered as f32;
    let last = widths.len().checked_sub(1)?;
    let Some(enough) = (1..=last).find(|&n| of(n) >= wanted) else { return Some(last) };
    let (below, above) = (of(enough - 1), of(enough));
    let goes_on = wanted <= 1.0 && wanted > below || wanted >= (below * above).sqrt();
    Some(if goes_on { enough } else { enough - 1 })
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn a_plain_screen_gets_enough_and_a_dense_one_what_is_nearest() {
        let chosen = |widths: &[u32], rendered, density| {
            downloaded(widths, rendered, Density::new(density).unwrap()).map(|n| widths[n])
        };
        assert_eq!(chosen(&[400, 800], 401.0, 1.0), Some(800));
        assert_eq!(chosen(&[400, 800], 400.0, 1.0), Some(400));
        assert_eq!(chosen(&[400, 800, 1_600], 400.0, 2.0), Some(800));
        // 560 px would be needed: 1.4 times 400, and 800 is 1.43 times that.
        assert_eq!(chosen(&[400, 800], 280.0, 2.0), Some(400));
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
