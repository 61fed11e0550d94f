//! Icons of a site: what is decided for them is looked at, made, published and checked.
//!
//! - [`looks`]: how they look at every size before anything is made.
//! - [`checking`]: what those that a site serves come to.
//!
//! [`publications`](crate::publications) bring them to the site's folder, and into the heads of its pages.

pub mod checking;
pub mod looks;
pub(crate) mod ready;

use std::sync::Arc;

use brisk_margin_archive::Packing;
use brisk_margin_core::choice::QualityTarget;
use brisk_margin_core::geometry::Rect;
use brisk_margin_core::icon::design::{DesignError, IconDesign, usual_square};
use brisk_margin_core::icon::manifest::{MANIFEST, manifest};
use brisk_margin_core::icon::snippet::snippet;
use brisk_margin_core::icon::target::{IconTarget, MadeIcon};
use brisk_margin_core::units::Bytes;
use brisk_margin_imaging::choosing::never;
use brisk_margin_imaging::codecs::Codecs;
use brisk_margin_imaging::icon::file::{IconError, IconFile, Icons, USUAL};
use brisk_margin_imaging::icon::master::{Master, MasterError};
use brisk_margin_imaging::original::Original;
use brisk_margin_store::icons::{SiteIcons, StoredIcon};
use brisk_margin_store::pictures::Picture;
use brisk_margin_store::{BlobError, BlobHash, StoreError};
use thiserror::Error;
use url::Url;
use uuid::Uuid;

use crate::making::rendering::with_original;
use crate::making::{MakeError, Maker};
use crate::work_pool::WorkFailed;

/// What making all files takes besides decoding the master: a few rasters of a megapixel, and what measures them.
const MEMORY: Bytes = Bytes(200 << 20);

/// Why no icons come of it.
#[derive(Debug, Error)]
pub enum IconsError {
    /// No master was chosen.
    #[error("choose the picture that the icons are made of first")]
    NoMaster,
    /// A master is not in the library any more.
    #[error("the {0} is not in the library any more; choose another picture, or restore it")]
    Gone(&'static str),
    /// The dark drawing or its master is none.
    #[error(
        "a drawing for dark themes needs both masters to be SVG drawings; leave it out, or choose drawings"
    )]
    NoDrawing,
    /// What is decided cannot be meant.
    #[error(transparent)]
    Design(#[from] DesignError),
    /// No mark on the master.
    #[error(transparent)]
    Master(#[from] MasterError),
    /// A file could not be made.
    #[error(transparent)]
    Icon(#[from] IconError),
    /// The original cannot be read.
    #[error(transparent)]
    Make(#[from] MakeError),
    /// A worker broke down.
    #[error(transparent)]
    Work(#[from] WorkFailed),
    /// Nothing was made.
    #[error("no icon files were made yet; make them first")]
    NothingMade,
    /// The database.
    #[error(transparent)]
    Store(#[from] StoreError),
    /// Bytes.
    #[error(transparent)]
    Blob(#[from] BlobError),
    /// The disk.
    #[error("the files cannot be written: {0}")]
    Disk(#[from] std::io::Error),
}

/// The masters of a design, read.
#[derive(Clone)]
pub struct Masters {
    /// The picture that all are made of, upright and as it is in the library.
    pub picture: Picture,
    /// The square of it that is shown.
    pub square: Rect,
    master: Arc<Master>,
    small: Option<Arc<Master>>,
    dark: Option<Arc<Master>>,
    /// How good files must be.
    want: QualityTarget,
}

impl Masters {
    fn icons<'a>(&'a self, design: &'a IconDesign) -> Icons<'a> {
        Icons {
            want: self.want,
            design,
            master: &self.master,
            small: self.small.as_deref(),
            dark: self.dark.as_deref(),
        }
    }
}

/// The icons of a site.
#[derive(Clone)]
pub struct IconWork {
    maker: Maker,
}

impl IconWork {
    /// Icons of the site that `maker` makes files for.
    pub const fn new(maker: Maker) -> Self {
        Self { maker }
    }

    /// Reads the masters of `design`.
    ///
    /// # Errors
    /// [`IconsError`].
    pub async fn masters(&self, design: &IconDesign) -> Result<Masters, IconsError> {
        design.check()?;
        let id = design.master.ok_or(IconsError::NoMaster)?;
        let picture = self.picture(id, "master").await?;
        let size = picture.facts.size;
        let square = design.square_of(size, usual_square(size, picture.adjustments.focal))?;
        let master = self.master(&picture, square).await?;
        let small = self.other(design.small, "simpler mark").await?;
        let dark = self.other(design.dark, "drawing for dark themes").await?;
        if dark.as_ref().is_some_and(|dark| dark.drawing().and(master.drawing()).is_none()) {
            return Err(IconsError::NoDrawing);
        }
        // A promise that nothing is lost holds for icons, too.
        let want = match self.maker.store.decision(id, None).await?.want.value {
            QualityTarget::Lossless => QualityTarget::Lossless,
            _ => USUAL,
        };
        Ok(Masters { picture, square, master, small, dark, want })
    }

    async fn other(
        &self,
        id: Option<Uuid>,
        what: &'static str,
    ) -> Result<Option<Arc<Master>>, IconsError> {
        let Some(id) = id else { return Ok(None) };
        let picture = self.picture(id, what).await?;
        let square = usual_square(picture.facts.size, picture.adjustments.focal);
        Ok(Some(self.master(&picture, square).await?))
    }

    async fn picture(&self, id: Uuid, what: &'static str) -> Result<Picture, IconsError> {
        let picture = self.maker.store.picture(id).await?;
        let picture = picture.filter(|picture| picture.removed_at.is_none());
        picture.ok_or(IconsError::Gone(what))
    }

    async fn master(&self, picture: &Picture, square: Rect) -> Result<Arc<Master>, IconsError> {
        let key = (picture.hash.as_str().to_owned(), [square.x, square.y, square.width]);
        let ready = &self.maker.ready_masters.0;
        if let Some(ready) = ready.get(&key).await {
            return Ok(ready);
        }
        let read = move |original: &Original<'_>| Ok(Master::read(original, square));
        let master = Arc::new(with_original(&self.maker, picture, Bytes(32 << 20), read).await??);
        ready.insert(key, Arc::clone(&master)).await;
        Ok(master)
    }

    /// Makes every file of what is saved, and keeps them in place of those before.
    ///
    /// # Errors
    /// [`IconsError`].
    pub async fn make(&self) -> Result<(), IconsError> {
        let design = self.maker.store.icons().await?.design;
        let masters = self.masters(&design).await?;
        let room = self.maker.pool.admit(MEMORY).await;
        let work = {
            let design = design.clone();
            move |codecs: &Codecs| masters.icons(&design).files(codecs, &never)
        };
        let files = self.maker.pool.run(room, work).await??;
        let stored = files.into_iter().map(|file| {
            let IconFile { made, media_type, size, bytes } = file;
            let (hash, weight) = (BlobHash::of(&bytes), Bytes::of(&bytes));
            let media_type = media_type.to_owned();
            (StoredIcon { made, media_type, size, bytes: weight, hash }, bytes)
        });
        self.maker.store.keep_icon_files(&design, stored.collect()).await?;
        Ok(())
    }

    /// The files that were made with their manifest and the lines for pages, as a zip archive in `folder`. It has no
    /// name, and goes with the value.
    ///
    /// # Errors
    /// [`IconsError`].
    pub async fn package(&self, folder: &std::path::Path) -> Result<std::fs::File, IconsError> {
        let icons = self.maker.store.icons().await?;
        let texts = texts(&icons, self.address().await?.as_ref()).ok_or(IconsError::NothingMade)?;
        let mut packing = Packing::into(tempfile::tempfile_in(folder)?);
        for file in &icons.files {
            let bytes = self.maker.store.blobs().get(&file.hash).await?;
            packing.add(&file.made.file_name, &bytes)?;
        }
        packing.add(MANIFEST, texts.manifest.as_bytes())?;
        packing.add("head.html", format!("{}\n", texts.lines.join("\n")).as_bytes())?;
        Ok(packing.finish()?)
    }

    /// The address of the site's host, without a path; nothing where it is not known.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn address(&self) -> Result<Option<Url>, StoreError> {
        let address = self.maker.store.site().await?.address;
        Ok(address.and_then(|address| Url::parse(&address).ok()))
    }
}

/// The texts that go with files that were made.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct IconTexts {
    /// The manifest.
    pub manifest: String,
    /// The lines for the heads of pages.
    pub lines: Vec<String>,
    /// Whether they name a sharing picture.
    pub name_picture: bool,
}

/// The texts that go with the files of `icons`, on a site at `address`; nothing where none were made.
pub fn texts(icons: &SiteIcons, address: Option<&Url>) -> Option<IconTexts> {
    let (design, _) = icons.made.as_ref()?;
    let made: Vec<MadeIcon> = icons.files.iter().map(|file| file.made.clone()).collect();
    let origin = address.map(|address| address.origin().ascii_serialization());
    Some(IconTexts {
        manifest: manifest(design, &made),
        lines: snippet(design, &made, origin.as_deref()),
        name_picture: origin.is_some()
            && made.iter().any(|icon| icon.target == IconTarget::Sharing),
    })
}
