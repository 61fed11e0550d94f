//! Layout widths, and the boxes that a slot has at each of them.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use crate::slot_shape::Fit;

/// A layout width: a viewport at which slots are measured, in CSS pixels.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct LayoutWidth {
    /// The viewport's width.
    pub width: u32,
    /// Its height, which decides what is above the fold.
    pub height: u32,
}

impl LayoutWidth {
    /// A phone, a tablet, a laptop and a wide screen.
    pub const USUAL: [Self; 4] = [
        Self { width: 390, height: 844 },
        Self { width: 820, height: 1180 },
        Self { width: 1280, height: 800 },
        Self { width: 1920, height: 1080 },
    ];

    /// A viewport of `width` with the height of the usual one that is nearest.
    pub fn of(width: u32) -> Self {
        let nearest = Self::USUAL.into_iter().min_by_key(|usual| usual.width.abs_diff(width));
        Self { width, height: nearest.map_or(800, |usual| usual.height) }
    }
}

/// The size of a box in CSS pixels; zero where nothing is shown.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(from = "[f64; 2]", into = "[f64; 2]")]
pub struct BoxSize {
    /// CSS pixels across.
    pub width: f64,
    /// CSS pixels down.
    pub height: f64,
}

impl From<[f64; 2]> for BoxSize {
    fn from([width, height]: [f64; 2]) -> Self {
        Self { width, height }
    }
}

impl From<BoxSize> for [f64; 2] {
    fn from(size: BoxSize) -> Self {
        [size.width, size.height]
    }
}

impl BoxSize {
    /// One of so many CSS pixels across and down.
    pub const fn new(width: f64, height: f64) -> Self {
        Self { width, height }
    }

    /// Whether anything can be seen in it.
    pub fn is_shown(self) -> bool {
        self.width > 0.0 && self.height > 0.0
    }

    /// Width over height.
    pub fn aspect(self) -> f64 {
        self.width / self.height
    }

    /// The size in CSS pixels at which a file of shape `aspect` is rendered in this box, of
    /// which the browser may cut a part.
    pub fn rendered(self, fit: Fit, aspect: f64) -> Self {
        let Self { width, height } = self;
        match fit {
            Fit::Cover => {
                Self { width: width.max(height * aspect), height: height.max(width / aspect) }
            }
            Fit::Contain => {
                Self { width: width.min(height * aspect), height: height.min(width / aspect) }
            }
            Fit::Width => Self { width, height: width / aspect },
            Fit::Exact => self,
        }
    }
}

/// The largest of `boxes` by area, of those that are shown.
pub fn largest(boxes: impl IntoIterator<Item = BoxSize>) -> Option<BoxSize> {
    let shown = boxes.into_iter().filter(|size| size.is_shown());
    shown.max_by(|a, b| (a.width * a.height).total_cmp(&(b.width * b.height)))
}

/// A slot's boxes, by the width of the viewport they were measured at.
pub type Boxes = BTreeMap<u32, BoxSize>;

/// The width at which a file of shape `aspect` is rendered at every viewport in `boxes`, and at
/// those between where a fit begins to follow the other side of the box: boxes are taken to grow
/// evenly from one viewport to the next. Viewports that show nothing are left out.
pub fn rendered_widths(boxes: &Boxes, fit: Fit, aspect: f64) -> BTreeMap<u32, f64> {
    let shown: Vec<(u32, BoxSize)> =
        boxes.iter().map(|(&v, &size)| (v, size)).filter(|(_, size)| size.is_shown()).collect();
    let width = |size: BoxSize| size.rendered(fit, aspect).width;
    let mut widths: BTreeMap<u32, f64> = shown.iter().map(|&(v, size)| (v, width(size))).collect();
    if !matches!(fit, Fit::Cover | Fit::Contain) {
        return widths;
    }
    for pair in shown.windows(2) {
        let [(v, a), (w, b)] = [pair[0], pair[1]];
        // How much wider the box is than the file would be at the box's height.
        let (at_a, at_b) = (a.width - a.height * aspect, b.width - b.height * aspect);
        if at_a * at_b >= 0.0 {
            continue;
        }
        let crossing = f64::from(v) + f64::from(w - v) * at_a / (at_a - at_b);
        for viewport in [crossing.floor() as u32, crossing.ceil() as u32] {
            if v < viewport && viewport < w {
                let share = f64::from(viewport - v) / f64::from(w - v);
                let between = |a: f64, b: f64| a + (b - a) * share;
                let size = BoxSize {
                    width: between(a.width, b.width),
                    height: between(a.height, b.height),
                };
                widths.insert(viewport, width(size));
            }
        }
    }
    widths
}

/// Shapes differ by at most this much where one file, cropped to the slot, serves all of them.
const SAME_SHAPE: f64 = 0.02;
/// Beyond this much, each shape gets a crop of its own.
const OTHER_SHAPE: f64 = 0.25;

/// Who crops a picture to a slot's boxes.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Cropping {
    /// The file has the slot's shape, which is the same at every layout width.
    File,
    /// One file holds what any layout width shows, and the browser cuts the rest.
    Browser,
    /// A file for each shape: art direction.
    ArtDirection,
}

impl Cropping {
    /// Every way, in the order they are offered.
    pub const ALL: [Self; 3] = [Self::File, Self::Browser, Self::ArtDirection];

    /// Its name in the API and in the database.
    pub const fn name(self) -> &'static str {
        match self {
            Self::File => "file",
            Self::Browser => "browser",
            Self::ArtDirection => "art-direction",
        }
    }

    /// Who crops by default: the file where the shape stays within 2 %, a file for each shape
    /// where it changes by more than 25 %, the browser between. A fit that does not crop leaves
    /// the picture's own shape.
    pub fn of(boxes: &Boxes, fit: Fit) -> Self {
        if !fit.crops() {
            return Self::File;
        }
        let shapes = boxes.values().filter(|size| size.is_shown()).map(|size| size.aspect());
        let (least, most) = shapes.fold((f64::INFINITY, 0.0f64), |(least, most), aspect| {
            (least.min(aspect), most.max(aspect))
        });
        match most / least - 1.0 {
            change if change <= SAME_SHAPE => Self::File,
            change if change <= OTHER_SHAPE => Self::Browser,
            change if change.is_nan() => Self::File,
            _ => Self::ArtDirection,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const WIDE: BoxSize = BoxSize { width: 900.0, height: 300.0 };

    #[test]
    fn the_rendered_picture_is_judged_and_not_the_box() {
        // A square file covering a wide box is as high as it is wide; most of it is cut.
        assert_eq!(WIDE.rendered(Fit::Cover, 1.0), BoxSize { width: 900.0, height: 900.0 });
        assert_eq!(WIDE.rendered(Fit::Contain, 1.0), BoxSize { width: 300.0, height: 300.0 });
        assert_eq!(WIDE.rendered(Fit::Width, 1.5), BoxSize { width: 900.0, height: 600.0 });
    }

    #[test]
    fn a_cover_that_changes_sides_between_two_viewports_is_followed() {
        // As wide as the viewport and 300 px high: a file of 3:2 needs 450 px at least.
        let boxes: Boxes =
            [320, 1_320].map(|v| (v, BoxSize { width: v.into(), height: 300.0 })).into();
        let widths = rendered_widths(&boxes, Fit::Cover, 1.5);
        assert_eq!(widths, [(320, 450.0), (450, 450.0), (1_320, 1_320.0)].into());
    }

    #[test]
    fn who_crops_follows_how_much_the_shape_changes() {
        let boxes = |second: f64| -> Boxes {
            [
                (390, BoxSize { width: 300.0, height: 200.0 }),
                (820, BoxSize { width: second, height: 200.0 }),
            ]
            .into()
        };
        assert_eq!(Cropping::of(&boxes(303.0), Fit::Cover), Cropping::File);
        assert_eq!(Cropping::of(&boxes(360.0), Fit::Cover), Cropping::Browser);
        assert_eq!(Cropping::of(&boxes(600.0), Fit::Cover), Cropping::ArtDirection);
        assert_eq!(Cropping::of(&boxes(600.0), Fit::Width), Cropping::File);
        assert_eq!(Cropping::of(&Boxes::new(), Fit::Cover), Cropping::File);
    }
}
