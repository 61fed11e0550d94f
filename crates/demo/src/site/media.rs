//! The pictures that the site serves.

use crate::file::{Camera, jpeg, png};
use crate::paint::{self, Colour, Point};
use crate::scenes::{SCENES, Scene};
use crate::{land, sky, studio};

/// A picture that the site serves.
pub struct Medium {
    /// Its file name, in the folder `media`.
    pub name: &'static str,
    source: Source,
}

enum Source {
    /// A picture of the library, unchanged: as it came from the camera.
    Original(&'static str),
    /// Part of a scene: size, shift to the right and down, zoom, JPEG quality.
    View { draw: fn(Point) -> Colour, size: (u32, u32), shift: (f32, f32), zoom: f32, quality: f32 },
    /// A file that only claims to be a picture.
    Broken,
}

impl Medium {
    /// Its file; `original` gives that of a scene.
    pub fn bytes(&self, original: impl Fn(&Scene) -> Vec<u8>) -> Vec<u8> {
        match self.source {
            Source::Original(name) => {
                let scene = SCENES.iter().find(|scene| scene.name == name);
                original(scene.expect("a scene of that name"))
            }
            Source::View { draw, size, shift, zoom, quality } => {
                let view = |point: Point| {
                    draw(Point {
                        x: point.x * zoom + shift.0,
                        y: point.y * zoom + shift.1,
                        px: point.px * zoom,
                    })
                };
                let painting = paint::photograph(size, 0.04, view);
                if self.name.ends_with(".png") {
                    png(&painting)
                } else {
                    jpeg(&painting, quality, Camera::default())
                }
            }
            Source::Broken => b"\xFF\xD8\xFF\xE0 the transfer broke off here".to_vec(),
        }
    }
}

const fn original(name: &'static str, scene: &'static str) -> Medium {
    Medium { name, source: Source::Original(scene) }
}

const fn view(
    name: &'static str,
    draw: fn(Point) -> Colour,
    size: (u32, u32),
    shift: (f32, f32),
    zoom: f32,
) -> Medium {
    Medium { name, source: Source::View { draw, size, shift, zoom, quality: 88.0 } }
}

const GALLERY: (u32, u32) = (960, 640);
const PRODUCT: (u32, u32) = (720, 720);
const PORTRAIT: (u32, u32) = (640, 800);
const WALK: (u32, u32) = (1024, 576);

/// Every picture that the site serves.
pub static MEDIA: &[Medium] = &[
    original("dome-at-dusk.jpg", "Dome at dusk.jpg"),
    original("DSC_0412.JPG", "DSC_0412.JPG"),
    original("veil-nebula.png", "Veil nebula export.png"),
    original("half-moon.jpg", "Half moon.jpg"),
    original("plan.png", "Plan of the park.png"),
    original("tarnlight-mark.png", "tarnlight-mark.png"),
    original("walk-group-old.jpg", "walk-group-old.jpg"),
    original("moon-teaser.jpg", "moon-teaser.jpg"),
    original("banner.jpg", "Milky Way over the moor.jpg"),
    Medium { name: "guide-9.jpg", source: Source::Broken },
    view("dome-400.jpg", land::dome_at_dusk, (400, 300), (0.35, 0.2), 0.75),
    view("dome-800.jpg", land::dome_at_dusk, (800, 600), (0.35, 0.2), 0.75),
    view("dome-1600.jpg", land::dome_at_dusk, (1600, 1200), (0.35, 0.2), 0.75),
    view("dome-wide-1600.jpg", land::dome_at_dusk, (1600, 600), (0.0, 0.25), 0.55),
    view("terrace.jpg", studio::guide, (1000, 700), (0.0, 0.2), 0.6),
    view("path.jpg", land::heather_path, (1100, 733), (0.0, 0.3), 0.45),
    view("telescope-night.jpg", studio::telescope, (1400, 933), (0.0, 0.0), 1.0),
    view("walk-1.jpg", land::star_walk, WALK, (0.0, 0.0), 1.0),
    view("walk-2.jpg", land::star_walk, WALK, (0.3, 0.2), 0.6),
    view("walk-3.jpg", sky::milky_way, WALK, (0.1, 0.2), 0.8),
    view("walk-4.jpg", land::heather_path, WALK, (0.0, 0.25), 0.35),
    view("walk-5.jpg", sky::milky_way, WALK, (1.0, 0.1), 0.7),
    view("walk-6.jpg", land::dome_at_dusk, WALK, (0.2, 0.1), 0.8),
    view("hire-1.jpg", studio::telescope, PRODUCT, (0.16, 0.0), 1.0),
    view("hire-2.jpg", studio::telescope, PRODUCT, (0.30, 0.1), 0.7),
    view("hire-3.jpg", studio::telescope, PRODUCT, (0.55, 0.1), 0.5),
    view("hire-4.jpg", studio::telescope, PRODUCT, (0.35, 0.35), 0.45),
    view("hire-5.jpg", studio::telescope, PRODUCT, (0.2, 0.3), 0.6),
    view("hire-6.jpg", studio::telescope, PRODUCT, (0.4, 0.2), 0.55),
    view("hire-7.jpg", studio::telescope, PRODUCT, (0.1, 0.05), 1.1),
    view("hire-8.jpg", studio::telescope, PRODUCT, (0.45, 0.4), 0.5),
    view("guide-1.jpg", studio::guide, PORTRAIT, (0.0, 0.0), 1.0),
    view("guide-2.jpg", studio::guide, PORTRAIT, (0.05, 0.05), 0.9),
    view("guide-3.jpg", studio::guide, PORTRAIT, (0.1, 0.1), 0.75),
    view("guide-4.jpg", studio::guide, PORTRAIT, (-0.05, 0.0), 1.1),
    view("guide-5.jpg", studio::guide, PORTRAIT, (0.0, 0.1), 0.85),
    view("guide-6.jpg", studio::guide, PORTRAIT, (0.12, 0.12), 0.7),
    view("guide-7.jpg", studio::guide, PORTRAIT, (0.02, -0.05), 1.0),
    view("night-01.jpg", sky::nebula, GALLERY, (0.0, 0.0), 1.0),
    view("night-02.jpg", sky::nebula, GALLERY, (0.4, 0.2), 0.5),
    view("night-03.jpg", sky::nebula, GALLERY, (0.2, 0.4), 0.6),
    view("night-04.jpg", sky::milky_way, GALLERY, (0.0, 0.2), 0.7),
    view("night-05.jpg", sky::milky_way, GALLERY, (0.8, 0.1), 0.8),
    view("night-06.jpg", sky::milky_way, GALLERY, (1.6, 0.0), 0.9),
    view("night-07.jpg", sky::moon, GALLERY, (0.0, 0.1), 0.8),
    view("night-08.jpg", sky::moon, GALLERY, (0.4, 0.3), 0.4),
    view("night-09.jpg", sky::moon, GALLERY, (0.45, 0.5), 0.3),
    view("night-10.jpg", land::dome_at_dusk, GALLERY, (0.3, 0.2), 0.7),
    view("night-11.jpg", land::dome_at_dusk, GALLERY, (0.0, 0.4), 0.6),
    view("night-12.jpg", land::dome_at_dusk, GALLERY, (0.7, 0.3), 0.4),
    view("night-13.jpg", land::heather_path, GALLERY, (0.0, 0.3), 0.44),
    view("night-14.jpg", land::heather_path, GALLERY, (0.1, 0.5), 0.3),
    view("night-15.jpg", land::star_walk, GALLERY, (0.2, 0.3), 0.6),
    view("night-16.jpg", land::star_walk, GALLERY, (0.0, 0.0), 0.9),
];
