//! The `sizes` attribute: how wide a slot's picture is rendered, for the browser to choose a file
//! by before it knows the layout (HTML Standard, 4.8.4).

use std::collections::BTreeMap;

use serde::Serialize;

/// How far the attribute may be from the layout, in CSS pixels.
pub const TOLERANCE: f64 = 1.0;

/// The value of a `sizes` attribute.
#[derive(Debug, Clone, PartialEq)]
pub struct Sizes {
    /// From the widest viewports down; the last has no condition.
    parts: Vec<Part>,
}

/// A length, from a viewport width on.
#[derive(Debug, Clone, Copy, PartialEq)]
struct Part {
    /// The narrowest viewport it holds for, in CSS pixels.
    from: u32,
    length: Length,
}

/// A length that grows evenly with the viewport.
#[derive(Debug, Clone, Copy, PartialEq)]
struct Length {
    /// Percent of the viewport's width.
    vw: f64,
    /// CSS pixels added to that.
    px: f64,
}

impl Length {
    fn at(self, viewport: u32) -> f64 {
        self.vw / 100.0 * f64::from(viewport) + self.px
    }

    fn error(self, samples: &[Measured]) -> f64 {
        samples.iter().map(|&(v, width)| (self.at(v) - width).abs()).fold(0.0, f64::max)
    }
}

/// A viewport's width and the picture's rendered width there, in CSS pixels.
type Measured = (u32, f64);

impl Sizes {
    /// The shortest list of lengths that is within [`TOLERANCE`] of the rendered width at every
    /// measured viewport and never changes within a stretch without need. Its conditions stand at the page's own `breakpoints` where one lies
    /// between two measured viewports, else at the viewport where the length changes.
    ///
    /// `None` where nothing was measured.
    ///
    /// ```
    /// use std::collections::BTreeMap;
    ///
    /// use brisk_margin_core::sizes::Sizes;
    ///
    /// // As wide as the window less its edges, and a fixed column from 900 px on.
    /// let shown = BTreeMap::from([(390, 358.0), (600, 568.0), (899, 867.0), (900, 400.0), (1280, 400.0)]);
    /// let sizes = Sizes::of(&shown, &[900]).expect("something was measured");
    /// assert_eq!(sizes.to_string(), "(min-width: 900px) 400px, calc(100vw - 32px)");
    /// ```
    pub fn of(rendered: &BTreeMap<u32, f64>, breakpoints: &[u32]) -> Option<Self> {
        let samples: Vec<Measured> = rendered.iter().map(|(&v, &width)| (v, width)).collect();
        let runs = stretches(&samples, breakpoints).flat_map(runs);
        let mut parts: Vec<(&[Measured], Length)> = Vec::new();
        let mut end = 0;
        for (run, length) in runs {
            end += run.len();
            // What a line can follow, a part of it can: joining as long as that goes gives the
            // fewest parts.
            let joined = parts.last().and_then(|(last, _)| {
                let both = &samples[end - run.len() - last.len()..end];
                Some((both, follow(both)?))
            });
            match (joined, parts.last_mut()) {
                (Some(joined), Some(last)) => *last = joined,
                _ => parts.push((run, length)),
            }
        }
        let mut below = None;
        let mut parts: Vec<Part> = parts
            .into_iter()
            .map(|(run, length)| {
                let from = below.map_or(0, |below| boundary(below, run[0].0, breakpoints));
                below = run.last().map(|&(viewport, _)| viewport);
                Part { from, length }
            })
            .collect();
        parts.reverse();
        (!parts.is_empty()).then_some(Self { parts })
    }

    /// The rendered width that it promises for a viewport, in CSS pixels.
    pub fn at(&self, viewport: u32) -> f64 {
        let part = self.parts.iter().find(|part| viewport >= part.from);
        part.or(self.parts.last()).map_or(0.0, |part| part.length.at(viewport))
    }
}

/// The samples between one breakpoint and the next, where a style sheet does not change.
fn stretches<'a>(
    samples: &'a [Measured],
    breakpoints: &'a [u32],
) -> impl Iterator<Item = &'a [Measured]> {
    samples.chunk_by(|&(v, _), &(w, _)| !breakpoints.iter().any(|&b| v < b && b <= w))
}

/// A stretch as one run where one line follows it, else as few as that takes.
fn runs(stretch: &[Measured]) -> Vec<(&[Measured], Length)> {
    let mut runs = Vec::new();
    let mut rest = stretch;
    // One sample always has a line, so that the rest gets shorter each time.
    while let Some((end, length)) =
        (1..=rest.len()).map_while(|end| Some((end, follow(&rest[..end])?))).last()
    {
        runs.push((&rest[..end], length));
        rest = &rest[end..];
    }
    runs
}

fn boundary(below: u32, above: u32, breakpoints: &[u32]) -> u32 {
    breakpoints.iter().copied().find(|&b| below < b && b <= above).unwrap_or(above)
}

/// A length that is near enough to all `samples`, with as few digits as that takes.
fn follow(samples: &[Measured]) -> Option<Length> {
    // The line that stays nearest to all points is parallel to one through two of them.
    let slopes = samples.iter().enumerate().flat_map(|(n, &(v, width))| {
        samples[n + 1..].iter().map(move |&(w, other)| (other - width) / f64::from(w - v))
    });
    let best = slopes
        .chain([0.0])
        .map(|slope| middle(samples, 100.0 * slope))
        .min_by(|a, b| a.error(samples).total_cmp(&b.error(samples)))?;
    if best.error(samples) > TOLERANCE {
        return None;
    }
    let rounded = |vw_digits: i32, px_digits: i32| {
        let round =
            |value: f64, digits: i32| (value * 10f64.powi(digits)).round() / 10f64.powi(digits);
        let even = middle(samples, round(best.vw, vw_digits));
        Length { vw: even.vw, px: round(even.px, px_digits) }
    };
    let mut shortest = (0..=4).flat_map(|digits| [rounded(digits, 0), rounded(digits, 2)]);
    let near = |length: &Length| length.error(samples) <= TOLERANCE.min(best.error(samples) + 0.25);
    Some(shortest.find(near).unwrap_or(best))
}

/// The line of that slope whose largest distance to the samples is least.
fn middle(samples: &[Measured], vw: f64) -> Length {
    let rest = samples.iter().map(|&(v, width)| width - vw / 100.0 * f64::from(v));
    let (least, most) = rest.fold((f64::INFINITY, f64::NEG_INFINITY), |(least, most), value| {
        (least.min(value), most.max(value))
    });
    Length { vw, px: least.midpoint(most) }
}

impl std::fmt::Display for Length {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match (self.vw, self.px) {
            (0.0, px) => write!(f, "{px}px"),
            (vw, 0.0) => write!(f, "{vw}vw"),
            (vw, px) if px < 0.0 => write!(f, "calc({vw}vw - {}px)", -px),
            (vw, px) => write!(f, "calc({vw}vw + {px}px)"),
        }
    }
}

impl std::fmt::Display for Sizes {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        for (n, Part { from, length }) in self.parts.iter().enumerate() {
            if n > 0 {
                f.write_str(", ")?;
            }
            match from {
                0 => write!(f, "{length}")?,
                _ => write!(f, "(min-width: {from}px) {length}")?,
            }
        }
        Ok(())
    }
}

impl Serialize for Sizes {
    fn serialize<S: serde::Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_str(self)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn sizes(samples: &[Measured], breakpoints: &[u32]) -> String {
        Sizes::of(&samples.iter().copied().collect(), breakpoints).unwrap().to_string()
    }

    #[test]
    fn plain_layouts_read_plainly() {
        assert_eq!(sizes(&[(390, 390.0), (820, 820.0), (1920, 1920.0)], &[]), "100vw");
        assert_eq!(sizes(&[(390, 358.0), (820, 788.0)], &[]), "calc(100vw - 32px)");
        assert_eq!(sizes(&[(390, 240.0), (1920, 240.0)], &[]), "240px");
    }

    #[test]
    fn a_change_stands_at_the_pages_own_breakpoint() {
        let samples = [
            (390, 358.0),
            (599, 567.0),
            (600, 284.0),
            (819, 393.5),
            (820, 394.0),
            (1199, 583.5),
            (1200, 568.0),
            (1920, 568.0),
        ];
        assert_eq!(
            sizes(&samples, &[600, 1200]),
            "(min-width: 1200px) 568px, (min-width: 600px) calc(50vw - 16px), calc(100vw - 32px)"
        );
    }

    #[test]
    fn without_a_known_breakpoint_it_stands_where_the_width_was_measured() {
        assert_eq!(
            sizes(&[(390, 390.0), (700, 700.0), (820, 300.0), (1280, 300.0)], &[]),
            "(min-width: 820px) 300px, 100vw"
        );
        assert!(Sizes::of(&BTreeMap::new(), &[]).is_none());
    }

    /// A layout as a style sheet would make it: a line for each stretch between breakpoints.
    fn layout() -> impl Strategy<Value = (Vec<u32>, Vec<(f64, f64)>)> {
        prop::collection::btree_set(400u32..1_800, 0..4).prop_flat_map(|breaks| {
            let count = breaks.len() + 1;
            let lines = prop::collection::vec((10.0..100.0f64, -60.0..60.0f64), count);
            (Just(breaks.into_iter().collect::<Vec<_>>()), lines)
        })
    }

    fn width_at(viewport: u32, breaks: &[u32], lines: &[(f64, f64)]) -> f64 {
        let (vw, px) = lines[breaks.iter().filter(|&&b| viewport >= b).count()];
        vw / 100.0 * f64::from(viewport) + px
    }

    proptest! {
        #[test]
        fn exact_at_every_measured_viewport_and_between((breaks, lines) in layout()) {
            let mut viewports = vec![320, 390, 2_560];
            viewports.extend(breaks.iter().flat_map(|&b| [b - 1, b]));
            viewports.sort_unstable();
            let between: Vec<u32> = viewports.windows(2).map(|w| w[0].midpoint(w[1])).collect();
            viewports.extend(&between);
            let samples: BTreeMap<u32, f64> =
                viewports.iter().map(|&v| (v, width_at(v, &breaks, &lines))).collect();
            let sizes = Sizes::of(&samples, &breaks).unwrap();
            for (&viewport, &width) in &samples {
                let told = sizes.at(viewport);
                prop_assert!((told - width).abs() <= TOLERANCE + 1e-6, "{viewport}: {told}, {width}");
            }
            // Viewports that were held out; a line was only measured at three points.
            for viewport in (330..2_500).step_by(37) {
                let (told, width) = (sizes.at(viewport), width_at(viewport, &breaks, &lines));
                prop_assert!((told - width).abs() <= TOLERANCE + 1e-6, "{viewport}: {told}, {width}");
            }
            prop_assert!(sizes.parts.len() <= lines.len());
        }
    }
}
