//! `seed`: a folder of pictures, brought in the way any picture is.

use std::path::{Path, PathBuf};

use brisk_margin_core::budget;
use brisk_margin_core::choice::EncodeRequest;
use brisk_margin_core::encoding::Quality;
use brisk_margin_core::format::Format;
use brisk_margin_core::framing::FocalPoint;
use brisk_margin_core::name_pattern::NameWish;
use brisk_margin_core::naming;
use brisk_margin_core::render_spec::RenderSpec;
use brisk_margin_core::slot_shape::{Fit, SlotShape};
use brisk_margin_core::units::Density;
use brisk_margin_imaging::choosing::Hints;
use brisk_margin_store::pictures::{Arrival, ChangeSet, FieldChange, Picture};
use brisk_margin_work::intake::{self, IncomingFile};
use brisk_margin_work::jobs::runner::JobRunner;
use brisk_margin_work::making::files::{self, FileWish};
use brisk_margin_work::sites::{SiteServices, Sites};
use clap::Args;
use serde::Deserialize;

use super::terminal::Watched;
use crate::home::{Failure, Home};

/// Fills the library with the pictures that a list names.
#[derive(Args)]
pub struct Seed {
    #[command(flatten)]
    home: Home,
    /// The list, a JSON file beside the pictures
    list: PathBuf,
}

/// What is brought in.
#[derive(Deserialize)]
struct List {
    /// The site's name.
    site: String,
    pictures: Vec<Seeded>,
}

/// A picture, and what is known of it.
#[derive(Deserialize)]
struct Seeded {
    /// Its file, beside the list.
    file: String,
    /// Where its subject is, as fractions of the upright picture.
    focal: (f64, f64),
    #[serde(default)]
    title: String,
    #[serde(default)]
    alt: String,
    #[serde(default)]
    creator: String,
    #[serde(default)]
    licence: String,
    /// Files that are made of it.
    #[serde(default)]
    files: Vec<Wanted>,
}

/// A file for a slot that is covered.
#[derive(Deserialize)]
struct Wanted {
    /// The box in CSS px.
    width: f64,
    height: f64,
    density: Density,
    format: Format,
    quality: Quality,
}

impl Seed {
    pub(super) async fn run(self) -> Result<(), Failure> {
        let list: List = serde_json::from_slice(&std::fs::read(&self.list)?)?;
        let beside = self.list.parent().unwrap_or(Path::new("."));
        let sites = self.home.open().await?;
        let app = site_named(&sites, &list.site).await?;
        let mut said = ChangeSet::default();
        let watched = Watched::of(list.pictures.len());
        for seeded in &list.pictures {
            watched.now(seeded.file.clone());
            let picture = bring_in(&app, &beside.join(&seeded.file), seeded).await?;
            for wanted in &seeded.files {
                make(&app, &picture, wanted).await?;
            }
            said.pictures.insert(picture.id, seeded.description());
            watched.one_more();
        }
        drop(watched);
        said.pictures.retain(|_, change| *change != FieldChange::default());
        app.store.edit("described the first pictures", &said).await?;
        JobRunner::new(&sites).do_all().await?;
        Ok(())
    }
}

impl Seeded {
    fn description(&self) -> FieldChange {
        let written = |text: &String| (!text.is_empty()).then(|| text.clone());
        FieldChange {
            title: written(&self.title),
            alt: written(&self.alt),
            creator: written(&self.creator),
            licence: written(&self.licence),
            ..FieldChange::default()
        }
    }
}

/// The site called `name`, which is added where there is none.
pub(super) async fn site_named(sites: &Sites, name: &str) -> Result<SiteServices, Failure> {
    for site in sites.all().await? {
        let services = sites.services(&site).await?;
        if services.store.site().await?.name == name {
            return Ok(services);
        }
    }
    let site = sites.installation().add_site(name).await?;
    Ok(sites.services(&site).await?)
}

async fn bring_in(app: &SiteServices, path: &Path, seeded: &Seeded) -> Result<Picture, Failure> {
    let hash = intake::hash_of(path).await?;
    let incoming = IncomingFile::upload(&seeded.file);
    let (Arrival::New(picture) | Arrival::There(picture) | Arrival::Back(picture)) =
        app.intake.accept_file(path, &hash, incoming).await?;
    let focal = FocalPoint::new(seeded.focal.0, seeded.focal.1)?;
    let moved = app.store.set_focal(picture.id, focal).await?;
    Ok(moved.unwrap_or(picture))
}

async fn make(app: &SiteServices, picture: &Picture, wanted: &Wanted) -> Result<(), Failure> {
    let slot = SlotShape::new(wanted.width, wanted.height, Fit::Cover)?;
    let adjustments = &picture.adjustments;
    let crop = adjustments.crop_spec(None);
    let spec = RenderSpec::new(slot, wanted.density, crop, &adjustments.edits);
    let (_, plan) = spec.plan(picture.facts.size)?;
    let name = NameWish::Stem(naming::propose_stem(&picture.name, slot, wanted.density));
    let wish = FileWish {
        picture,
        spec: &spec,
        fitting: &plan.fitting,
        reference: None,
        hints: Hints::NONE,
        request: EncodeRequest::at(wanted.format, wanted.quality),
        credit: None,
        cap: None,
        budget: budget::default_budget(plan.fitting.needed),
        name: &name,
    };
    files::make(&app.maker, wish).await?;
    Ok(())
}
