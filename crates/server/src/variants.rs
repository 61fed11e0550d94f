//! Variants: the way from a picture in the library to the file for its slot, and to the pixels
//! that are looked at on the way.

use brisk_margin_core::budget;
use brisk_margin_core::codec::{CodecError, png};
use brisk_margin_core::encode::{self, EncodeError, Encoded, Encoding, Quality};
use brisk_margin_core::fitting::TooSmall;
use brisk_margin_core::format::SideTooLong;
use brisk_margin_core::naming;
use brisk_margin_core::picture::{Picture as Original, PictureError};
use brisk_margin_core::render;
use brisk_margin_store::pictures::Picture;
use brisk_margin_store::variants::{Framing, NewVariant, Order, Variant};
use brisk_margin_store::{BlobError, BlobHash, StoreError};
use thiserror::Error;

use crate::app::{App, Change};
use crate::workshop::WorkFailed;

/// Whether a variant had to be made.
pub enum Made {
    /// It was encoded just now.
    New(Variant),
    /// The same order was made before; nothing was encoded.
    Kept(Variant),
}

/// The file of `picture` for `order`: the one that was made before, or a new one.
pub async fn make(app: &App, picture: &Picture, order: Order) -> Result<Made, MakeError> {
    let fitting = order.framing.fit(picture.facts.size)?;
    let encoding = order.encoding;
    encoding.format().check_size(fitting.output)?;
    if let Some(kept) = app.store.variant_of(picture.id, &order).await? {
        return Ok(Made::Kept(kept));
    }
    let Encoded { bytes, .. } = work(app, picture, move |original| {
        Ok(encode::encode(&render::render(original, &fitting)?, encoding)?)
    })
    .await?;
    let new = NewVariant {
        picture_id: picture.id,
        order,
        fitting: &fitting,
        file_name: name(picture, &order),
        budget: budget::default_budget(fitting.needed),
    };
    let variant = app.store.add_variant(bytes.into(), new).await?;
    app.tell(Change::Variants);
    Ok(Made::New(variant))
}

/// The file name of `picture` made for `order`.
pub fn name(picture: &Picture, order: &Order) -> String {
    let Framing { slot, density, .. } = order.framing;
    naming::propose(&picture.name, slot, density, order.encoding.format())
}

/// The pixels of `picture` in `framing` before they are encoded, as PNG: what the file is held
/// against.
pub async fn reference(
    app: &App,
    picture: &Picture,
    framing: Framing,
) -> Result<bytes::Bytes, MakeError> {
    let fitting = framing.fit(picture.facts.size)?;
    derived(app, picture, &framing.recipe(), move |original| {
        Ok(png::encode_fast(&render::render(original, &fitting)?)?)
    })
    .await
}

/// How large a picture is shown when it is only looked at.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Look {
    /// In a list.
    Thumbnail,
    /// On the bench.
    Bench,
}

impl Look {
    const fn long_side(self) -> u32 {
        match self {
            Self::Thumbnail => 192,
            Self::Bench => 1_600,
        }
    }
}

/// The whole of `picture` at the size of `look`, as WebP.
pub async fn preview(app: &App, picture: &Picture, look: Look) -> Result<bytes::Bytes, MakeError> {
    let side = look.long_side();
    derived(app, picture, &format!("preview-{side}"), move |original| preview_of(original, side))
        .await
}

/// The file under `hash`, which a page serves, small, as WebP; `None` where there is none.
pub async fn served_preview(app: &App, hash: &BlobHash) -> Result<Option<bytes::Bytes>, MakeError> {
    const SIDE: u32 = 640;
    if let Some(kept) = app.store.blobs().derived(hash, "served").await? {
        return Ok(Some(kept));
    }
    let Some(length) = app.store.blobs().length(hash).await? else {
        return Ok(None);
    };
    let room = app.workshop.admit(length).await;
    let file = app.store.blobs().get(hash).await?;
    let facts = {
        let file = file.clone();
        let read = move || Original::open(&file).map(|original| original.facts().clone());
        app.workshop.run(room, read).await??
    };
    let room = app.workshop.admit(facts.memory(length)).await;
    let make = move || preview_of(&Original::open(&file)?, SIDE);
    let made = bytes::Bytes::from(app.workshop.run(room, make).await??);
    app.store.blobs().put_derived(hash, "served", made.clone()).await?;
    Ok(Some(made))
}

fn preview_of(original: &Original<'_>, side: u32) -> Result<Vec<u8>, MakeError> {
    let quality = Quality::new(88)?;
    Ok(encode::encode(&render::preview(original, side)?, Encoding::Webp(quality))?.bytes)
}

/// What `make` makes of `picture`, kept under `kind` and made again where it was lost.
async fn derived(
    app: &App,
    picture: &Picture,
    kind: &str,
    make: impl FnOnce(&Original<'_>) -> Result<Vec<u8>, MakeError> + Send + 'static,
) -> Result<bytes::Bytes, MakeError> {
    if let Some(kept) = app.store.blobs().derived(&picture.hash, kind).await? {
        return Ok(kept);
    }
    let made = bytes::Bytes::from(work(app, picture, make).await?);
    app.store.blobs().put_derived(&picture.hash, kind, made.clone()).await?;
    Ok(made)
}

async fn work<T: Send + 'static>(
    app: &App,
    picture: &Picture,
    work: impl FnOnce(&Original<'_>) -> Result<T, MakeError> + Send + 'static,
) -> Result<T, MakeError> {
    let room = app.workshop.admit(picture.facts.memory(picture.bytes)).await;
    let bytes = app.store.blobs().get(&picture.hash).await?;
    app.workshop.run(room, move || work(&Original::open(&bytes)?)).await?
}

/// Why no file was made.
#[derive(Debug, Error)]
pub enum MakeError {
    /// The slot asks for exact pixels that the picture does not have.
    #[error(transparent)]
    TooSmall(#[from] TooSmall),
    /// The format has no room for the file.
    #[error(transparent)]
    Side(#[from] SideTooLong),
    /// The encoder failed.
    #[error(transparent)]
    Encode(#[from] EncodeError),
    /// The decoder failed on an original that was accepted.
    #[error(transparent)]
    Codec(#[from] CodecError),
    /// The original is not what was accepted.
    #[error("the stored original cannot be read: {0}")]
    Original(#[from] PictureError),
    /// The codec broke down.
    #[error(transparent)]
    Work(#[from] WorkFailed),
    /// The database failed.
    #[error(transparent)]
    Store(#[from] StoreError),
    /// The blob store failed.
    #[error(transparent)]
    Blob(#[from] BlobError),
}
