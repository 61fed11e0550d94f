//! Previews: pictures that are only looked at, and drawings as they are served.

use brisk_margin_core::encoding::{Encoding, Quality};
use brisk_margin_imaging::codec::extras::Extras;
use brisk_margin_imaging::codecs::Codecs;
use brisk_margin_imaging::encode::EncodeError;
use brisk_margin_imaging::original::Original;
use brisk_margin_imaging::raster::Raster;
use brisk_margin_imaging::render as pixels;
use brisk_margin_store::pictures::Picture;
use brisk_margin_store::{BlobHash, Keep};
use serde::Deserialize;
use utoipa::ToSchema;

use super::Maker;
use super::error::MakeError;
use super::rendering::{Rendering, derived, logos};

/// How large a picture is shown when it is only looked at.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize, ToSchema)]
#[serde(rename_all = "lowercase")]
pub enum PreviewSize {
    /// In a list.
    Thumbnail,
    /// On the bench.
    Bench,
}

impl PreviewSize {
    const fn long_side(self) -> u32 {
        match self {
            Self::Thumbnail => 192,
            Self::Bench => 1_600,
        }
    }
}

/// The whole of `picture` with its edits at the size of `size`, as WebP.
pub async fn preview(
    maker: &Maker,
    picture: &Picture,
    size: PreviewSize,
) -> Result<bytes::Bytes, MakeError> {
    let side = size.long_side();
    let edits = &picture.adjustments.edits;
    if edits.is_plain() {
        let kind = format!("preview-{side}");
        let make = move |original: &Original<'_>| preview_of(original, side);
        return derived(maker, picture, &kind, Keep::WithSource, make).await;
    }
    let drawn = Rendering::whole(picture, edits, side)?;
    let words = serde_json::to_string(&drawn.edits).expect("plain values");
    let kind = format!("preview-{side}-{}", BlobHash::of(words.as_bytes()).as_str());
    let logos = logos(maker, &drawn.edits).await?;
    derived(maker, picture, &kind, Keep::ForAWhile, move |original| {
        encoded(original, &drawn.render(original, &logos)?.raster)
    })
    .await
}

/// The file under `hash`, which a page serves, small, as WebP; `None` where there is none.
pub async fn served_preview(
    maker: &Maker,
    hash: &BlobHash,
) -> Result<Option<bytes::Bytes>, MakeError> {
    const SIDE: u32 = 640;
    if let Some(kept) = maker.store.blobs().derived(hash, "served", Keep::WithSource).await? {
        return Ok(Some(kept));
    }
    let Some(length) = maker.store.blobs().length(hash).await? else {
        return Ok(None);
    };
    let room = maker.pool.admit(length).await;
    let file = maker.store.blobs().get(hash).await?;
    let facts = {
        let file = file.clone();
        let read = move |codecs: &Codecs| {
            Original::open(codecs, &file).map(|original| original.facts().clone())
        };
        maker.pool.run(room, read).await??
    };
    let room = maker.pool.admit(facts.memory(length)).await;
    let make = move |codecs: &Codecs| preview_of(&Original::open(codecs, &file)?, SIDE);
    let made = bytes::Bytes::from(maker.pool.run(room, make).await??);
    maker.store.blobs().put_derived(hash, "served", Keep::WithSource, made.clone()).await?;
    Ok(Some(made))
}

fn preview_of(original: &Original<'_>, side: u32) -> Result<Vec<u8>, MakeError> {
    encoded(original, &pixels::preview(original, side)?)
}

/// Pixels that are only looked at, as WebP.
fn encoded(original: &Original<'_>, raster: &Raster) -> Result<Vec<u8>, MakeError> {
    let encoding = Encoding::Webp(Quality::new(88).map_err(EncodeError::from)?);
    Ok(original.codecs().encode(raster, encoding, &Extras::default())?)
}

/// The drawing `picture` cleaned and in fewer bytes.
pub async fn drawing(maker: &Maker, picture: &Picture) -> Result<bytes::Bytes, MakeError> {
    let clean = |original: &Original<'_>| Ok(original.drawing()?.into_bytes());
    derived(maker, picture, "drawing", Keep::WithSource, clean).await
}
