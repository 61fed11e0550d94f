//! `seed`: the demo's pictures, brought in the way any picture is.

use std::collections::HashMap;
use std::pin::pin;

use brisk_margin_core::encode::{Encoding, Quality};
use brisk_margin_core::format::Format;
use brisk_margin_core::framing::FocalPoint;
use brisk_margin_core::slot::{Fit, Slot};
use brisk_margin_core::units::Density;
use brisk_margin_demo::{Place, Scene, site};
use brisk_margin_store::pictures::{Arrival, Edit, Edits, Page, Picture};
use brisk_margin_store::variants::{Framing, Order};
use bytes::Bytes;
use clap::Args;
use futures::{StreamExt, stream};

use super::{Failure, Home};
use crate::app::App;
use crate::intake::{self, Arriving, Spooled};
use crate::{looking, variants};

/// Fills the library with the pictures of the Tarnlight Observatory, and writes its website.
#[derive(Args)]
pub struct Seed {
    #[command(flatten)]
    home: Home,
}

impl Seed {
    pub(super) async fn run(self) -> Result<(), Failure> {
        let app = self.home.open().await?;
        app.store.change_site(|site| site.name = "Tarnlight Observatory".to_owned()).await?;
        let scenes = stream::iter(brisk_margin_demo::SCENES).map(|scene| async move {
            (scene, tokio::task::spawn_blocking(|| scene.draw()).await)
        });
        // The next picture is drawn while this one is brought in.
        let mut drawn = pin!(scenes.buffered(2));
        let mut files = HashMap::new();
        while let Some((scene, file)) = drawn.next().await {
            let file = Bytes::from(file?);
            files.insert(scene.name, file.clone());
            let picture = bring_in(&app, scene, file).await?;
            for place in scene.places {
                fill(&app, &picture, place).await?;
            }
        }
        describe(&app).await?;
        looking::catch_up(&app).await?;
        let site = app.folder().site();
        let write = move || site::write(&site, |scene| files[scene.name].to_vec());
        Ok(tokio::task::spawn_blocking(write).await??)
    }
}

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

async fn describe(app: &App) -> Result<(), Failure> {
    let page = Page { limit: 500, ..Page::default() };
    let (pictures, _) = app.store.pictures(&page).await?;
    let said = pictures.iter().filter_map(|picture| {
        let (_, title, alt, creator) = SAID.iter().find(|said| said.0 == picture.name)?;
        let edit = Edit {
            title: Some((*title).to_owned()),
            alt: Some((*alt).to_owned()),
            creator: Some((*creator).to_owned()),
            licence: Some("CC BY-SA 4.0".to_owned()),
            ..Edit::default()
        };
        Some((picture.id, edit))
    });
    let edits = Edits { pictures: said.collect(), ..Edits::default() };
    app.store.edit("described the first pictures", &edits).await?;
    Ok(())
}

async fn bring_in(app: &App, scene: &Scene, file: Bytes) -> Result<Picture, Failure> {
    let chunks = stream::iter([Ok::<_, std::convert::Infallible>(file)]);
    let spooled = Spooled::receive(&app.folder().spool(), chunks).await?;
    let (Arrival::New(picture) | Arrival::There(picture) | Arrival::Back(picture)) =
        intake::accept(app, spooled, Arriving::upload(scene.name)).await?;
    let focal = FocalPoint::new(scene.focal.0, scene.focal.1)?;
    let moved = app.store.set_focal(picture.id, focal).await?;
    Ok(moved.unwrap_or(picture))
}

async fn fill(app: &App, picture: &Picture, place: &Place) -> Result<(), Failure> {
    let slot = Slot::new(place.width, place.height, Fit::Cover)?;
    let format = if place.webp { Format::Webp } else { Format::Jpeg };
    let order = Order {
        framing: Framing::new(
            slot,
            Density::new(place.density)?,
            picture.work.aim(None),
            &picture.work.finish,
        ),
        encoding: Encoding::new(format, Quality::new(place.quality)?),
        credit: None,
        is_copy: false,
    };
    variants::make(app, picture, order).await?;
    Ok(())
}
