//! What a drawing may be made of (SVG 2, Filter Effects 1, CSS Masking 1): everything else is left
//! out, whatever it is called.

/// Elements that draw, or say how.
#[rustfmt::skip]
const ELEMENTS: [&str; 59] = [
    "a", "animate", "animateMotion", "animateTransform", "circle", "clipPath", "defs", "desc",
    "ellipse", "feBlend", "feColorMatrix", "feComponentTransfer", "feComposite",
    "feConvolveMatrix", "feDiffuseLighting", "feDisplacementMap", "feDistantLight",
    "feDropShadow", "feFlood", "feFuncA", "feFuncB", "feFuncG", "feFuncR", "feGaussianBlur",
    "feImage", "feMerge", "feMergeNode", "feMorphology", "feOffset", "fePointLight",
    "feSpecularLighting", "feSpotLight", "feTile", "feTurbulence", "filter", "g", "image", "line",
    "linearGradient", "marker", "mask", "mpath", "path", "pattern", "polygon", "polyline",
    "radialGradient", "rect", "stop", "style", "svg", "switch", "symbol", "text", "textPath",
    "title", "tspan", "use", "view",
];

/// Attributes whose value is for people or a name: nothing is loaded by it.
const NAMES: [&str; 8] =
    ["id", "class", "lang", "space", "role", "name", "attributeName", "systemLanguage"];

/// Attributes of geometry, paint, text, filters and animation.
#[rustfmt::skip]
const ATTRIBUTES: [&str; 195] = [
    "accumulate", "additive", "alignment-baseline", "amplitude", "azimuth", "baseFrequency",
    "baseline-shift", "begin", "bias", "by", "calcMode", "clip", "clip-path", "clip-rule",
    "clipPathUnits", "color", "color-interpolation", "color-interpolation-filters",
    "color-rendering", "cx", "cy", "d", "diffuseConstant", "direction", "display", "divisor",
    "dominant-baseline", "dur", "dx", "dy", "edgeMode", "elevation", "enable-background", "end",
    "exponent", "fill", "fill-opacity", "fill-rule", "filter", "filterRes", "filterUnits",
    "flood-color", "flood-opacity", "font", "font-family", "font-feature-settings",
    "font-kerning", "font-size", "font-size-adjust", "font-stretch", "font-style", "font-variant",
    "font-variation-settings", "font-weight", "fr", "from", "fx", "fy",
    "glyph-orientation-horizontal", "glyph-orientation-vertical", "gradientTransform",
    "gradientUnits", "height", "image-rendering", "in", "in2", "inline-size", "intercept",
    "isolation", "k1", "k2", "k3", "k4", "kernelMatrix", "kernelUnitLength", "kerning",
    "keyPoints", "keySplines", "keyTimes", "lengthAdjust", "letter-spacing", "lighting-color",
    "limitingConeAngle", "line-height", "marker", "marker-end", "marker-mid", "marker-start",
    "markerHeight", "markerUnits", "markerWidth", "mask", "mask-type", "maskContentUnits",
    "maskUnits", "max", "method", "min", "mix-blend-mode", "mode", "numOctaves", "offset",
    "opacity", "operator", "order", "orient", "origin", "overflow", "paint-order", "path",
    "pathLength", "patternContentUnits", "patternTransform", "patternUnits", "pointer-events",
    "points", "pointsAtX", "pointsAtY", "pointsAtZ", "preserveAlpha", "preserveAspectRatio",
    "primitiveUnits", "r", "radius", "refX", "refY", "repeatCount", "repeatDur",
    "requiredExtensions", "requiredFeatures", "restart", "result", "rotate", "rx", "ry", "scale",
    "seed", "shape-inside", "shape-padding", "shape-rendering", "shape-subtract", "side", "slope",
    "spacing", "specularConstant", "specularExponent", "spreadMethod", "startOffset",
    "stdDeviation", "stitchTiles", "stop-color", "stop-opacity", "stroke", "stroke-dasharray",
    "stroke-dashoffset", "stroke-linecap", "stroke-linejoin", "stroke-miterlimit",
    "stroke-opacity", "stroke-width", "surfaceScale", "tableValues", "targetX", "targetY",
    "text-anchor", "text-decoration", "text-indent", "text-orientation", "text-overflow",
    "text-rendering", "textLength", "to", "transform", "transform-box", "transform-origin",
    "type", "unicode-bidi", "values", "vector-effect", "version", "viewBox", "visibility",
    "white-space", "width", "word-spacing", "writing-mode", "x", "x1", "x2", "xChannelSelector",
    "y", "y1", "y2", "yChannelSelector", "z",
];

/// Functions of CSS and of SVG that compute, and load nothing.
#[rustfmt::skip]
const FUNCTIONS: [&str; 59] = [
    "blur", "brightness", "calc", "circle", "clamp", "color", "color-mix", "conic-gradient",
    "contrast", "cubic-bezier", "drop-shadow", "ellipse", "grayscale", "hsl", "hsla",
    "hue-rotate", "hwb", "inset", "invert", "lab", "lch", "linear", "linear-gradient", "matrix",
    "matrix3d", "max", "min", "minmax", "oklab", "oklch", "opacity", "path", "perspective",
    "polygon", "radial-gradient", "rgb", "rgba", "rotate", "rotate3d", "rotatex", "rotatey",
    "rotatez", "round", "saturate", "scale", "scale3d", "scalex", "scaley", "scalez", "sepia",
    "skew", "skewx", "skewy", "steps", "translate", "translate3d", "translatex", "translatey",
    "var",
];

/// Whether a drawing may hold such an element.
pub(super) fn element(name: &str) -> bool {
    ELEMENTS.contains(&name)
}

/// What an attribute's value is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Attribute {
    /// Words or a name.
    Name,
    /// A value as in a style.
    Value,
    /// Declarations of a style.
    Style,
    /// Where something is taken from.
    Link,
}

/// What the value of such an attribute is; nothing where it is left out.
pub(super) fn attribute(name: &str) -> Option<Attribute> {
    match name {
        "style" => Some(Attribute::Style),
        "href" => Some(Attribute::Link),
        _ if NAMES.contains(&name) || name.starts_with("aria-") => Some(Attribute::Name),
        _ => ATTRIBUTES.contains(&name).then_some(Attribute::Value),
    }
}

/// Whether a value may call such a function; `url` is looked at by itself.
pub(super) fn function(name: &str) -> bool {
    FUNCTIONS.contains(&name.to_ascii_lowercase().as_str())
}
