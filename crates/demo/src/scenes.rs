//! The list of scenes: which pictures the park has, and where its site shows them.

use crate::file::{Camera, jpeg, png};
use crate::paint::{self, Painting};
use crate::{flat, land, sky, studio};

/// One picture of the park.
pub struct Scene {
    /// Its file name.
    pub name: &'static str,
    /// Where its subject is, as fractions of the upright picture.
    pub focal: (f64, f64),
    /// The slots it already has files for.
    pub places: &'static [Place],
    draw: fn() -> Vec<u8>,
}

impl Scene {
    /// Its file. The same bytes on every call.
    pub fn draw(&self) -> Vec<u8> {
        (self.draw)()
    }
}

/// A slot of the park's site, filled by cover.
pub struct Place {
    /// The box's width in CSS px.
    pub width: f64,
    /// The box's height in CSS px.
    pub height: f64,
    /// Device px per CSS px.
    pub density: f64,
    /// WebP, or else JPEG.
    pub webp: bool,
    /// From 1 to 100.
    pub quality: u8,
}

const fn place(width: f64, height: f64, density: f64, webp: bool, quality: u8) -> Place {
    Place { width, height, density, webp, quality }
}

/// The pictures, in the order in which they are brought in.
pub const SCENES: &[Scene] = &[
    Scene { name: "tarnlight-mark.png", focal: (0.5, 0.5), places: &[], draw: mark },
    Scene { name: "Plan of the park.png", focal: (0.5, 0.5), places: &[], draw: plan },
    Scene { name: "walk-group-old.jpg", focal: (0.5, 0.75), places: &[], draw: star_walk },
    Scene {
        name: "moon-teaser.jpg",
        focal: (0.6, 0.5),
        places: &[place(320.0, 320.0, 2.0, false, 70)],
        draw: moon_teaser,
    },
    Scene {
        name: "Guide Ottilie.jpg",
        focal: (0.5, 0.33),
        places: &[place(280.0, 350.0, 2.0, true, 78)],
        draw: guide,
    },
    Scene {
        name: "Hire telescope 80 mm.jpg",
        focal: (0.5, 0.48),
        places: &[place(360.0, 360.0, 1.0, true, 80), place(360.0, 360.0, 2.0, true, 96)],
        draw: telescope,
    },
    Scene { name: "Veil nebula export.png", focal: (0.5, 0.48), places: &[], draw: nebula },
    Scene {
        name: "Half moon.jpg",
        focal: (0.62, 0.5),
        places: &[place(560.0, 420.0, 1.0, true, 75)],
        draw: moon,
    },
    Scene { name: "Milky Way over the moor.jpg", focal: (0.4, 0.55), places: &[], draw: milky_way },
    Scene { name: "DSC_0412.JPG", focal: (0.6, 0.38), places: &[], draw: heather_path },
    Scene {
        name: "Dome at dusk.jpg",
        focal: (0.65, 0.58),
        places: &[
            place(912.0, 344.0, 1.0, true, 78),
            place(390.0, 300.0, 2.0, true, 78),
            place(1280.0, 480.0, 1.0, false, 94),
        ],
        draw: dome_at_dusk,
    },
];

fn mark() -> Vec<u8> {
    png(&paint::cutout((1400, 1000), flat::mark))
}

fn plan() -> Vec<u8> {
    png(&paint::drawing((1680, 1050), flat::plan))
}

/// Too small for any slot that it is likely to fill.
fn star_walk() -> Vec<u8> {
    jpeg(&paint::photograph((420, 280), 0.04, land::star_walk), 82.0, Camera::default())
}

/// Lean already: made for its slot, at a quality that leaves nothing to gain.
fn moon_teaser() -> Vec<u8> {
    jpeg(&paint::photograph((640, 640), 0.02, sky::moon), 62.0, Camera::default())
}

fn guide() -> Vec<u8> {
    jpeg(&paint::photograph((1600, 2000), 0.06, studio::guide), 92.0, Camera::default())
}

fn telescope() -> Vec<u8> {
    jpeg(&paint::photograph((2400, 1800), 0.03, studio::telescope), 93.0, Camera::default())
}

/// A photograph that somebody saved in a format for drawings.
fn nebula() -> Vec<u8> {
    png(&paint::photograph((2400, 1500), 0.03, sky::nebula))
}

fn moon() -> Vec<u8> {
    jpeg(&paint::photograph((2400, 2400), 0.03, sky::moon), 93.0, Camera::default())
}

fn milky_way() -> Vec<u8> {
    let camera = Camera { wide_gamut: true, ..Camera::default() };
    jpeg(&paint::photograph((4000, 2000), 0.05, sky::milky_way), 92.0, camera)
}

/// 24 megapixels, held upright: the sensor's rows run along the picture's columns.
fn heather_path() -> Vec<u8> {
    let upright = paint::photograph((4000, 6000), 0.06, land::heather_path);
    let camera = Camera { orientation: Some(6), located: true, wide_gamut: false };
    jpeg(&lying(&upright), 92.0, camera)
}

fn dome_at_dusk() -> Vec<u8> {
    dome_of((4800, 3200))
}

/// The dome at dusk in any size, in pixels across and down: the file of a camera.
pub fn dome_of(sides: (u32, u32)) -> Vec<u8> {
    let camera = Camera { located: true, ..Camera::default() };
    jpeg(&paint::photograph(sides, 0.05, land::dome_at_dusk), 93.0, camera)
}

/// The picture a quarter turn to the left, as orientation 6 stores it.
fn lying(upright: &Painting) -> Painting {
    let (width, height) = (upright.height, upright.width);
    let mut data = Vec::with_capacity(upright.data.len());
    for y in 0..height {
        for x in 0..width {
            let at = (x as usize * upright.width as usize + (height - 1 - y) as usize) * 3;
            data.extend_from_slice(&upright.data[at..at + 3]);
        }
    }
    Painting { width, height, channels: 3, data }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_upright_camera_picture_is_stored_lying() {
        // 2 × 3, numbered along its rows.
        let data = (1..=6u8).flat_map(|n| [n; 3]).collect();
        let turned = lying(&Painting { width: 2, height: 3, channels: 3, data });
        assert_eq!((turned.width, turned.height), (3, 2));
        let numbers: Vec<u8> = turned.data.iter().step_by(3).copied().collect();
        // Orientation 6 turns a stored picture clockwise to show it.
        assert_eq!(numbers, [2, 4, 6, 1, 3, 5]);
    }

    #[test]
    fn a_scene_is_the_same_on_every_run() {
        assert_eq!(star_walk(), star_walk());
    }
}
