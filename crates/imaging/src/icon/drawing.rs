//! Drawn icons: a master that is a drawing on its ground, and another one for dark themes.

use std::fmt::Write;

use brisk_margin_core::icon::design::IconSetting;
use percent_encoding::{AsciiSet, CONTROLS, utf8_percent_encode};

use super::master::MasterDrawing;
use crate::codec::svg::NAMESPACE;

/// The side of a drawn icon in its own units.
const SIDE: f64 = 512.0;
/// What an address of a drawing does not say as it is.
const ADDRESS: &AsciiSet = &CONTROLS.add(b'"').add(b'#').add(b'%').add(b'<').add(b'>').add(b'&');
/// Shows one of two as the theme is.
const BY_THEME: &str = "<style>.dark{display:none}@media(prefers-color-scheme:dark)\
                        {.light{display:none}.dark{display:inline}}</style>";

/// The drawing `light` as an icon, as `setting` says, and `dark` in its place where the theme is.
pub fn icon_drawing(
    light: &MasterDrawing,
    dark: Option<&MasterDrawing>,
    setting: IconSetting,
) -> String {
    let is_whole = light.square.size() == light.size;
    let is_bare = setting.margin == 0 && setting.corner == 0 && setting.background.0.is_none();
    if is_whole && is_bare && dark.is_none() {
        return light.text.clone();
    }
    let mut text = format!("<svg xmlns=\"{NAMESPACE}\" viewBox=\"0 0 {SIDE} {SIDE}\">");
    let radius = SIDE * f64::from(setting.corner) / 100.0;
    if radius > 0.0 {
        let _ = write!(
            text,
            "<clipPath id=\"o\"><rect width=\"{SIDE}\" height=\"{SIDE}\" rx=\"{radius}\"/></clipPath>"
        );
    }
    if dark.is_some() {
        text.push_str(BY_THEME);
    }
    text.push_str(if radius > 0.0 { "<g clip-path=\"url(#o)\">" } else { "<g>" });
    if let Some(colour) = setting.background.0 {
        let _ = write!(text, "<rect width=\"{SIDE}\" height=\"{SIDE}\" fill=\"{colour}\"/>");
    }
    let margin = SIDE * f64::from(setting.margin) / 100.0;
    for (class, drawing) in
        [("light", Some(light)), ("dark", dark)].into_iter().filter_map(|(c, d)| Some((c, d?)))
    {
        let class = if dark.is_some() { format!(" class=\"{class}\"") } else { String::new() };
        let MasterDrawing { text: inner, size, square } = drawing;
        let side = SIDE - 2.0 * margin;
        let _ = write!(
            text,
            "<svg{class} x=\"{margin}\" y=\"{margin}\" width=\"{side}\" height=\"{side}\" \
             viewBox=\"{} {} {} {}\"><image width=\"{}\" height=\"{}\" \
             href=\"data:image/svg+xml,{}\"/></svg>",
            square.x,
            square.y,
            square.width,
            square.height,
            size.width,
            size.height,
            utf8_percent_encode(inner, ADDRESS),
        );
    }
    text.push_str("</g></svg>");
    text
}
