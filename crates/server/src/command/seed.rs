//! `seed`: the demo's pictures, brought in the way any picture is.

use std::collections::HashMap;
use std::pin::pin;

use brisk_margin_core::encode::{Encoding, Quality};
use brisk_margin_core::format::Format;
use brisk_margin_core::framing::FocalPoint;
use brisk_margin_core::slot::{Fit, Slot};
use brisk_margin_core::units::Density;
use brisk_margin_demo::{Place, Scene, site};
use brisk_margin_store::pictures::{Arrival, Picture};
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
        looking::catch_up(&app).await?;
        let site = app.folder().site();
        let write = move || site::write(&site, |scene| files[scene.name].to_vec());
        Ok(tokio::task::spawn_blocking(write).await??)
    }
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
        framing: Framing::new(slot, Density::new(place.density)?, picture.focal),
        encoding: Encoding::new(format, Quality::new(place.quality)?),
    };
    variants::make(app, picture, order).await?;
    Ok(())
}
