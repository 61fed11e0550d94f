//! The park's pictures as files, with the list that says what is known of them.

use std::fs;
use std::io;
use std::path::Path;

use rayon::prelude::*;
use serde_json::{Value, json};

use crate::{Place, SCENES, Scene};

/// The list's name, beside the pictures.
pub const LIST: &str = "seed.json";

/// What is said of some of the pictures: title, alt text, creator. The others wait to be described.
const SAID: [(&str, &str, &str, &str); 4] = [
    (
        "Dome at dusk.jpg",
        "The dome at dusk",
        "The dome, its shutter open, in front of the evening sky",
        "Ada Fenn",
    ),
    (
        "Half moon.jpg",
        "Half moon",
        "The moon at first quarter, craters along the shadow line",
        "Ada Fenn",
    ),
    (
        "Plan of the park.png",
        "Plan of the park",
        "Plan of the park: dome, terrace, car park and the three star-walk paths",
        "",
    ),
    ("Milky Way over the moor.jpg", "Milky Way over the moor", "IMG_2231", "Bo Ruel"),
];

/// Draws every scene into `folder`, which is made where it is missing, and writes the list.
pub fn write(folder: &Path) -> io::Result<()> {
    fs::create_dir_all(folder)?;
    SCENES
        .par_iter()
        .with_max_len(1)
        .try_for_each(|scene| fs::write(folder.join(scene.name), scene.draw()))?;
    let pictures: Vec<Value> = SCENES.iter().map(described).collect();
    let list = json!({"site": "Tarnlight Observatory", "pictures": pictures});
    fs::write(folder.join(LIST), format!("{list:#}\n"))
}

fn described(scene: &Scene) -> Value {
    let files: Vec<Value> = scene.places.iter().map(file).collect();
    let mut picture = json!({"file": scene.name, "focal": scene.focal, "files": files});
    if let Some((_, title, alt, creator)) = SAID.iter().find(|said| said.0 == scene.name) {
        picture["title"] = (*title).into();
        picture["alt"] = (*alt).into();
        picture["creator"] = (*creator).into();
        picture["licence"] = "CC BY-SA 4.0".into();
    }
    picture
}

fn file(place: &Place) -> Value {
    let format = if place.webp { "webp" } else { "jpeg" };
    json!({
        "width": place.width, "height": place.height, "density": place.density,
        "format": format, "quality": place.quality,
    })
}
