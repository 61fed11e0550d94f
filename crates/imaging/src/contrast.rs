//! Contrast of colours, as the Web Content Accessibility Guidelines (WCAG 2.2) have it.

use crate::resize;

/// Relative luminance of an sRGB colour (WCAG 2.2).
pub(crate) fn luminance(colour: [u8; 3]) -> f64 {
    let [r, g, b] = colour.map(|shade| f64::from(resize::TO_LINEAR[usize::from(shade)]) / 65_535.0);
    0.2126 * r + 0.7152 * g + 0.0722 * b
}

/// The contrast ratio of two luminances (WCAG 2.2).
pub(crate) fn contrast(a: f64, b: f64) -> f64 {
    (a.max(b) + 0.05) / (a.min(b) + 0.05)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn contrast_is_that_of_the_guidelines() {
        let ratio = |a, b| contrast(luminance(a), luminance(b));
        assert!((ratio([0; 3], [255; 3]) - 21.0).abs() < 1e-9);
        // #767676 is the lightest grey that white text of any size may stand on.
        assert!((ratio([255; 3], [0x76; 3]) - 4.54).abs() < 0.01);
    }
}
