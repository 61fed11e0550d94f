//! Icons that tests of checks begin with.

use super::{IconAnswer, IconFound, NamedAs, NamedBy};
use crate::geometry::Size;
use crate::units::Bytes;

/// A good one of `side` px.
pub(super) fn icon(named_as: NamedAs, side: u32) -> IconFound {
    IconFound {
        address: "https://tarnlight.example/icon.png".to_owned(),
        named_as,
        named_by: vec![NamedBy::Page("/".to_owned())],
        times: 1,
        said: vec![Size::new(side, side)],
        elsewhere: None,
        answer: Some(IconAnswer {
            status: 200,
            media_type: "image/png".to_owned(),
            bytes: Bytes(900),
            kept: Some(604_800),
        }),
        sizes: vec![Size::new(side, side)],
        is: Some("image/png".to_owned()),
        is_enlarged: false,
    }
}
