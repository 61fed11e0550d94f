//! Responsive sets: for each shape of a slot, the widths of its files and how wide they are shown.

use std::ops::Range;

use crate::layout::{Boxes, rendered_widths};
use crate::markup::shape::Shape;
use crate::needs;
use crate::needs::{ByteModel, variant_widths};
use crate::sizes::Sizes;
use crate::slot_shape::Fit;
use crate::units::Density;

/// How a slot is laid out.
#[derive(Debug, Clone, Copy)]
pub struct Layout<'a> {
    /// Its boxes at every viewport that is known of.
    pub rendered: &'a Boxes,
    /// How a picture fills it.
    pub fit: Fit,
    /// Where the pages that it is on change their style sheets, in CSS pixels.
    pub breakpoints: &'a [u32],
    /// The densities that files are made for.
    pub densities: &'a [Density],
}

/// What is known of the files for one shape.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct WidthLimits {
    /// Width over height.
    pub aspect: f64,
    /// The widest file that the picture gives, in pixels.
    pub available: u32,
    /// How bytes grow with width.
    pub model: ByteModel,
    /// Whether each screen gets a file of its own: an edit keeps its size in CSS pixels, or a style
    /// sheet names the files.
    pub is_apart: bool,
}

impl WidthLimits {
    /// Files of shape `aspect` of a picture that nobody chose yet.
    pub fn provisional(aspect: f64) -> Self {
        let model = ByteModel::provisional(aspect);
        Self { aspect, available: u32::MAX, model, is_apart: false }
    }
}

/// The files of one shape.
#[derive(Debug, Clone, PartialEq)]
pub struct ShapeWidths {
    /// The narrowest viewport that shows it; 0 for the narrowest shape.
    pub from: u32,
    /// The widths of its files in pixels, the smallest first.
    pub widths: Vec<u32>,
    /// How wide they are shown; nothing where that was never measured.
    pub sizes: Option<Sizes>,
}

impl Layout<'_> {
    /// The files for shapes, which stand from the widest viewports down, each with what is known of
    /// it.
    pub fn sources(&self, shapes: &[(Shape, WidthLimits)]) -> Vec<ShapeWidths> {
        let mut below = u32::MAX;
        let source = |(shape, stock): &(Shape, WidthLimits)| {
            let viewports = shape.from..below;
            below = shape.from;
            self.source(shape, viewports, *stock)
        };
        shapes.iter().map(source).collect()
    }

    fn source(&self, shape: &Shape, viewports: Range<u32>, stock: WidthLimits) -> ShapeWidths {
        let needs = needs::needs(&shape.boxes, self.fit, stock.aspect, self.densities);
        let widths = match stock.is_apart {
            false => variant_widths(&needs, stock.available, stock.model),
            true => {
                let each = needs.iter().map(|need| need.pixels.width.min(stock.available));
                let mut widths: Vec<u32> = each.collect();
                widths.sort_unstable();
                widths.dedup();
                widths
            }
        };
        let boxes: Boxes = self.rendered.range(viewports).map(|(&v, &size)| (v, size)).collect();
        let rendered = rendered_widths(&boxes, self.fit, stock.aspect);
        ShapeWidths { from: shape.from, widths, sizes: Sizes::of(&rendered, self.breakpoints) }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::layout::{BoxSize, Cropping};
    use crate::markup::shape::shapes;
    use crate::units::Bytes;

    #[test]
    fn each_shape_has_the_widths_and_sizes_of_its_own_viewports() {
        let boxes: Boxes = [(390, 390.0, 300.0), (820, 820.0, 340.0), (1_280, 1_280.0, 480.0)]
            .map(|(v, width, height)| (v, BoxSize { width, height }))
            .into();
        let densities = [Density::ONE, Density::new(2.0).unwrap()];
        let breakpoints = [600];
        let layout = Layout {
            rendered: &boxes,
            fit: Fit::Cover,
            breakpoints: &breakpoints,
            densities: &densities,
        };
        let shapes = shapes(&boxes, Fit::Cover, Cropping::ArtDirection, &breakpoints, drop);
        let stock = |shape: &Shape| WidthLimits {
            aspect: shape.largest().unwrap().aspect(),
            available: 2_000,
            model: ByteModel { width: 1_000, bytes: Bytes(10_000) },
            is_apart: false,
        };
        let stocked: Vec<_> = shapes.iter().map(|shape| (shape.clone(), stock(shape))).collect();
        let sources = layout.sources(&stocked);
        let told: Vec<_> = sources.iter().map(|s| (s.from, s.widths.clone())).collect();
        assert_eq!(told, [(600, vec![907, 1_280, 1_814, 2_000]), (0, vec![390, 780])]);
        // The tablet's box is narrower than the file that fills its height.
        let wide = sources[0].sizes.clone().unwrap();
        assert!((wide.at(820) - 906.7).abs() <= 1.0 && (wide.at(1_280) - 1_280.0).abs() <= 1.0);
        assert_eq!(sources[1].sizes.clone().unwrap().to_string(), "390px");
        let near = WidthLimits { is_apart: true, available: 950, ..stock(&shapes[0]) };
        let apart = layout.sources(&[(shapes[0].clone(), near)]);
        assert_eq!(apart[0].widths, [907, 950]);
    }
}
