//! What a slot needs: pixels at each layout width and density, and the widths of its files.

use serde::Serialize;

use crate::geometry::Size;
use crate::layout::Boxes;
use crate::slot_shape::Fit;
use crate::units::{Bytes, CssPx, Density};

/// The pixels that a slot needs at one layout width and density.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Need {
    /// The viewport's width in CSS pixels.
    pub viewport: u32,
    /// Device pixels per CSS pixel.
    pub density: Density,
    /// Device pixels of the rendered picture.
    pub pixels: Size,
}

/// What a slot needs of a file of shape `aspect` (width over height), at every layout width where
/// it is shown and every density.
///
/// ```
/// use brisk_margin_core::geometry::Size;
/// use brisk_margin_core::layout::{BoxSize, Boxes};
/// use brisk_margin_core::needs::needs;
/// use brisk_margin_core::slot_shape::Fit;
/// use brisk_margin_core::units::Density;
///
/// // A square picture in a wide box: the browser cuts its top and bottom, and needs them all the
/// // same.
/// let boxes = Boxes::from([(1280, BoxSize { width: 900.0, height: 300.0 })]);
/// let needs = needs(&boxes, Fit::Cover, 1.0, &[Density::new(2.0)?]);
/// assert_eq!(needs[0].pixels, Size::new(1800, 1800));
/// # Ok::<_, Box<dyn std::error::Error>>(())
/// ```
pub fn needs(boxes: &Boxes, fit: Fit, aspect: f64, densities: &[Density]) -> Vec<Need> {
    let shown = boxes.iter().filter(|(_, size)| size.is_shown());
    shown
        .flat_map(|(&viewport, &size)| {
            let rendered = size.rendered(fit, aspect);
            densities.iter().map(move |&density| Need {
                viewport,
                density,
                pixels: device(rendered.width, rendered.height, density),
            })
        })
        .collect()
}

/// A rendered width in device pixels, never below one.
pub fn device_width(rendered: f64, density: Density) -> u32 {
    device(rendered, rendered, density).width
}

/// A rendered size in device pixels, never below one.
pub(crate) fn device(width: f64, height: f64, density: Density) -> Size {
    // A sliver of a picture rounds to nothing in CSS px; the file still has one pixel.
    let side = |length: f64| {
        CssPx::new(length.max(f64::MIN_POSITIVE)).map_or(1, |px| px.at(density).get())
    };
    Size::new(side(width), side(height))
}

/// Most files that one picture gets in one slot and format.
pub const MOST_WIDTHS: usize = 8;
/// A width this near the next larger one is not worth a file of its own.
const TOO_NEAR: f64 = 0.92;
/// Neighbours are to differ by about so many bytes.
pub const BYTE_STEP: Bytes = Bytes::kb(24);

/// How a file's bytes grow with its width, from one file that was encoded.
///
/// Bytes grow as pixels to the power 0.85, since large pictures have less detail per pixel. The
/// exponent is chosen, not fitted: four photographs of the demo, encoded at 400 to 2,400 px and
/// quality 75, gave 0.76 to 0.88 as JPEG and 0.68 to 0.85 as WebP, 0.79 in the mean. A larger one
/// puts more steps between wide files.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct ByteModel {
    /// The width of the file that was encoded.
    pub width: u32,
    /// Its bytes.
    pub bytes: Bytes,
}

impl ByteModel {
    const EXPONENT: f64 = 2.0 * 0.85;

    /// A guess where nothing was encoded yet: 0.12 bytes per pixel at 1,000 px across.
    pub fn provisional(aspect: f64) -> Self {
        Self { width: 1_000, bytes: Bytes((0.12 * 1e6 / aspect).round() as u64) }
    }

    /// The bytes of a file `width` pixels across.
    pub fn bytes(self, width: f64) -> f64 {
        self.bytes.get() as f64 * (width / f64::from(self.width)).powf(Self::EXPONENT)
    }

    /// The width whose file has `bytes`.
    fn width(self, bytes: f64) -> f64 {
        f64::from(self.width) * (bytes / self.bytes.get() as f64).powf(1.0 / Self::EXPONENT)
    }
}

/// The widths of the files for a slot, the smallest first, at most [`MOST_WIDTHS`].
///
/// Needed widths, none wider than the source gives; from the widest down, one that is at least
/// 92 % of the last kept is dropped. Where neighbours are more than [`BYTE_STEP`] apart by
/// `model`, the widest gap in bytes is filled first, with steps of equal bytes.
pub fn variant_widths(needs: &[Need], available: u32, model: ByteModel) -> Vec<u32> {
    let mut wanted: Vec<u32> = needs.iter().map(|need| need.pixels.width.min(available)).collect();
    wanted.sort_unstable_by(|a, b| b.cmp(a));
    let mut kept: Vec<u32> = Vec::new();
    for width in wanted {
        let near = kept.last().is_some_and(|&last| f64::from(width) >= TOO_NEAR * f64::from(last));
        if !near && kept.len() < MOST_WIDTHS {
            kept.push(width);
        }
    }
    kept.reverse();
    fill_gaps(kept, model)
}

/// Puts one step at a time into the gap whose parts are largest, until every part is small
/// enough or there are enough files.
fn fill_gaps(kept: Vec<u32>, model: ByteModel) -> Vec<u32> {
    let mut parts = vec![1u32; kept.len().saturating_sub(1)];
    let gap = |n: usize| model.bytes(kept[n + 1].into()) - model.bytes(kept[n].into());
    let mut room = MOST_WIDTHS.saturating_sub(kept.len());
    while room > 0 {
        let widest = (0..parts.len()).max_by(|&a, &b| {
            (gap(a) / f64::from(parts[a])).total_cmp(&(gap(b) / f64::from(parts[b])))
        });
        match widest {
            Some(n) if gap(n) / f64::from(parts[n]) > BYTE_STEP.get() as f64 => parts[n] += 1,
            _ => break,
        }
        room -= 1;
    }
    let mut widths = Vec::new();
    for (n, &width) in kept.iter().enumerate() {
        widths.push(width);
        let count = parts.get(n).copied().unwrap_or(1);
        widths.extend((1..count).map(|step| {
            let bytes = model.bytes(width.into()) + gap(n) * f64::from(step) / f64::from(count);
            model.width(bytes).round() as u32
        }));
    }
    widths.dedup();
    widths
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::layout::BoxSize;
    use proptest::prelude::*;

    fn densities() -> [Density; 2] {
        [Density::ONE, Density::new(2.0).unwrap()]
    }

    fn boxes(list: &[(u32, f64, f64)]) -> Boxes {
        list.iter().map(|&(v, width, height)| (v, BoxSize { width, height })).collect()
    }

    #[test]
    fn a_header_needs_its_box_at_every_density_and_hidden_boxes_nothing() {
        let boxes = boxes(&[(390, 390.0, 260.0), (820, 0.0, 0.0), (1280, 1280.0, 480.0)]);
        let needs = needs(&boxes, Fit::Exact, 1.5, &densities());
        let pixels: Vec<_> = needs.iter().map(|need| (need.viewport, need.pixels.width)).collect();
        assert_eq!(pixels, [(390, 390), (390, 780), (1280, 1280), (1280, 2560)]);
    }

    #[test]
    fn near_widths_share_a_file_and_wide_gaps_get_steps() {
        let widths = |list: &[u32], bytes: u64| {
            let needs: Vec<_> = list
                .iter()
                .map(|&w| Need { viewport: w, density: Density::ONE, pixels: Size::new(w, w) })
                .collect();
            variant_widths(&needs, 4_000, ByteModel { width: 1_000, bytes: Bytes(bytes) })
        };
        assert_eq!(widths(&[1_000, 950, 900], 10_000), [900, 1_000]);
        let steps = widths(&[400, 2_000], 80_000);
        assert_eq!((steps.len(), steps[0], *steps.last().unwrap()), (MOST_WIDTHS, 400, 2_000));
    }

    prop_compose! {
        fn case()(
            list in prop::collection::vec((320u32..2_600, 1.0..2_600.0f64, 1.0..1_600.0f64), 1..6),
            fit in prop::sample::select(Fit::ALL.to_vec()),
            aspect in 0.2..5.0f64,
            available in 50u32..6_000,
            bytes in 1_000u64..400_000,
        ) -> (Boxes, Fit, f64, u32, ByteModel) {
            (boxes(&list), fit, aspect, available, ByteModel { width: 1_000, bytes: Bytes(bytes) })
        }
    }

    proptest! {
        #[test]
        fn needed_pixels_are_what_the_rule_says((boxes, fit, aspect, ..) in case()) {
            for need in needs(&boxes, fit, aspect, &densities()) {
                let size = boxes[&need.viewport];
                // Read off DESIGN's sentence, not off the code.
                let css = match fit {
                    Fit::Cover if size.width / size.height < aspect => size.height * aspect,
                    Fit::Contain if size.width / size.height > aspect => size.height * aspect,
                    _ => size.width,
                };
                let exact = css * need.density.get();
                let above = f64::from(need.pixels.width) - exact;
                prop_assert!(
                    (-1.0 / 64.0 - 1e-6..1.0).contains(&above) || need.pixels.width == 1,
                    "{exact} became {}", need.pixels.width
                );
            }
        }

        #[test]
        fn every_need_is_met_without_waste((boxes, fit, aspect, available, model) in case()) {
            let needs = needs(&boxes, fit, aspect, &densities());
            let widths = variant_widths(&needs, available, model);
            prop_assert!(!widths.is_empty() && widths.len() <= MOST_WIDTHS);
            prop_assert!(widths.is_sorted() && *widths.last().unwrap() <= available);
            let most = needs.iter().map(|need| need.pixels.width).max().unwrap();
            prop_assert_eq!(*widths.last().unwrap(), most.min(available));
            for need in &needs {
                let wanted = need.pixels.width.min(available);
                let served = widths.iter().find(|&&width| width >= wanted);
                prop_assert!(served.is_some(), "{wanted} px are not served by {widths:?}");
            }
        }

        #[test]
        fn neighbours_differ_by_a_byte_step_unless_there_are_enough(
            (boxes, fit, aspect, available, model) in case()
        ) {
            let needs = needs(&boxes, fit, aspect, &densities());
            let widths = variant_widths(&needs, available, model);
            let step = BYTE_STEP.get() as f64;
            let largest = widths
                .windows(2)
                .map(|pair| model.bytes(pair[1].into()) - model.bytes(pair[0].into()))
                .fold(0.0, f64::max);
            // Rounding a width to a pixel moves its bytes a little.
            prop_assert!(widths.len() == MOST_WIDTHS || largest <= step * 1.05 + 2_000.0);
        }
    }
}
