//! Small versions of a master: which helps make it more readable, and what comes of them.

use brisk_margin_core::geometry::Size;
use brisk_margin_core::icon::design::Help;
use brisk_margin_core::icon::legibility::Legibility;

use super::figure::Figure;
use super::help;
use super::legible::{TABS, legibility};
use super::master::Master;
use crate::raster::Raster;
use crate::resize::{Region, resize};

/// A mark is worked on at about so many px of a side, which is a whole number of times its small size.
const WORKED_ON: u32 = 192;
/// At least and at most so many times.
const TIMES: (u32, u32) = (4, 8);
/// A help that makes less of a difference is none.
const LEAST: f64 = 0.5;
/// Room around a mark that it is cropped to, as a share of it, so that it does not touch the edge.
const ROOM: f64 = 0.04;

/// A small version.
#[derive(Debug, Clone, PartialEq)]
pub struct Small {
    /// Pixels of its side.
    pub size: u32,
    /// The master scaled down, and nothing else.
    pub plain: Raster,
    /// How well that can be read on light and on dark tabs.
    pub plain_legibility: [Legibility; 2],
    /// The helps that make it more readable, in order.
    pub helps: Vec<Help>,
    /// With those of them that were not set aside.
    pub helped: Raster,
    /// How well that can be read on light and on dark tabs.
    pub legibility: [Legibility; 2],
}

/// `master` at `size` px with the helps that make it more readable, but for those of `without`.
pub fn small(master: &Master, size: u32, without: &[Help]) -> Small {
    let trying = Trying::new(master, size);
    let plain = trying.version(&[]);
    let (mut helps, mut best) = (Vec::new(), plain.score());
    for help in Help::ALL {
        let with: Vec<Help> = helps.iter().copied().chain([help]).collect();
        let score = trying.version(&with).score();
        if score > best + LEAST {
            (helps, best) = (with, score);
        }
    }
    let used: Vec<Help> = helps.iter().copied().filter(|help| !without.contains(help)).collect();
    let Version { small: helped, legibility } = trying.version(&used);
    Small {
        size,
        plain: plain.small,
        plain_legibility: plain.legibility,
        helps,
        helped,
        legibility,
    }
}

/// A master at a whole number of times a small size, all of it and cropped to its mark.
struct Trying {
    size: u32,
    times: u32,
    whole: (Raster, Figure),
    cropped: (Raster, Figure),
}

impl Trying {
    fn new(master: &Master, size: u32) -> Self {
        let times = (WORKED_ON / size).clamp(TIMES.0, TIMES.1);
        let at = |part: Region| {
            let part = master.part(part, size * times);
            let figure = Figure::of(&part);
            (part, figure)
        };
        let whole = at(Region::whole(master.pixels().size()));
        Self { size, times, whole, cropped: at(with_room(master)) }
    }

    /// The small version with `helps`.
    fn version(&self, helps: &[Help]) -> Version {
        let is_cropped = helps.contains(&Help::Crop);
        let (full, figure) = if is_cropped { &self.cropped } else { &self.whole };
        let (mut mark, mut figure) = (full.clone(), figure.clone());
        for help in helps {
            let changed = match help {
                Help::Thicken => help::thicken(&mark, &figure, self.times),
                Help::Contrast => help::raise_contrast(&mark, &figure),
                Help::FewerColours => help::in_few_colours(&mark),
                Help::Snap => help::snap(&mark, &figure, self.times),
                Help::Crop | Help::Sharpen => continue,
            };
            figure = Figure::of(&changed);
            mark = changed;
        }
        let output = Size::new(self.size, self.size);
        let mut small = resize(&mark, Region::whole(mark.size()), output);
        if helps.contains(&Help::Sharpen) {
            small = help::sharpen(&small);
        }
        let legibility = TABS.map(|ground| legibility(&small, full, &figure, ground));
        Version { small, legibility }
    }
}

/// What some helps make of a master at a small size.
struct Version {
    small: Raster,
    legibility: [Legibility; 2],
}

impl Version {
    /// How well it can be read where it can be read best, and a little of how well on the other ground.
    fn score(&self) -> f64 {
        let [light, dark] = self.legibility.map(|one| one.score);
        light.max(dark) + light.min(dark) / 4.0
    }
}

/// The square around the mark, with a little room.
fn with_room(master: &Master) -> Region {
    let (around, side) = (master.figure().square(), f64::from(master.pixels().size().width));
    let length = (around.width * (1.0 + 2.0 * ROOM)).min(side);
    let start = |at: f64| (at + (around.width - length) / 2.0).clamp(0.0, side - length);
    Region { x: start(around.x), y: start(around.y), width: length, height: length }
}
