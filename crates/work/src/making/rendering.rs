//! Rendering: from a picture in the library and what decides its pixels to those pixels.

use brisk_margin_core::colour_space::ColourSpace;
use brisk_margin_core::edits::EditList;
use brisk_margin_core::edits::canvas::Canvas;
use brisk_margin_core::edits::plan::Plan;
use brisk_margin_core::render_spec::RenderSpec;
use brisk_margin_core::units::Bytes;
use brisk_margin_imaging::codec::CodecError;
use brisk_margin_imaging::codecs::Codecs;
use brisk_margin_imaging::edited::render::{Logos, Rendered, render};
use brisk_margin_imaging::original::Original;
use brisk_margin_imaging::render as pixels;
use brisk_margin_store::pictures::Picture;
use brisk_margin_store::{BlobHash, Keep};

use super::Maker;
use super::error::MakeError;

/// What is rendered of a picture: its edits, and the part and size that are shown.
#[derive(Clone)]
pub struct Rendering {
    /// The edits.
    pub edits: EditList,
    /// The picture with its geometry changed.
    pub canvas: Canvas,
    /// The part and the size.
    pub plan: Plan,
    /// The colours of its pixels.
    pub colours: ColourSpace,
}

impl Rendering {
    /// What `spec` comes to for `picture`.
    ///
    /// # Errors
    /// [`MakeError::RenderSpec`] where it cannot be framed so.
    pub fn new(picture: &Picture, spec: &RenderSpec) -> Result<Self, MakeError> {
        let (canvas, plan) = spec.plan(picture.facts.size)?;
        Ok(Self { edits: spec.edits.clone(), canvas, plan, colours: spec.colours })
    }

    /// All of `picture` with its edits, at most `side` pixels long.
    pub fn whole(picture: &Picture, edits: &EditList, side: u32) -> Result<Self, MakeError> {
        let canvas = Canvas::new(picture.facts.size, edits)?;
        let plan = Plan::whole(&canvas, edits).no_longer_than(side);
        Ok(Self { edits: edits.in_use(), canvas, plan, colours: ColourSpace::Srgb })
    }

    /// The memory that it takes besides decoding: the result twice, and a tile with its source.
    pub fn memory(&self) -> Bytes {
        const TILE: u64 = 96 << 20;
        let edits = if self.edits.is_plain() { 0 } else { TILE };
        Bytes(self.plan.fitting.output.pixels() * 8 + edits)
    }

    /// The pixels, from the original.
    pub fn render(&self, original: &Original<'_>, logos: &Logos) -> Result<Rendered, CodecError> {
        let Self { edits, canvas, plan, colours } = self;
        if edits.is_plain() {
            let raster = pixels::render_in(original, &plan.fitting, *colours)?;
            return Ok(Rendered { raster, issues: Vec::new(), contrasts: Vec::new() });
        }
        render(original, canvas, edits, plan, logos)
    }
}

/// The pictures that `edits` lays on others, large enough for any frame. One that is gone is left
/// out, and the rendering says so.
pub async fn logos(maker: &Maker, edits: &EditList) -> Result<Logos, MakeError> {
    const LONG_SIDE: u32 = 2_000;
    let mut logos = Logos::new();
    for hash in edits.logos().filter_map(BlobHash::parse) {
        let Some(length) = maker.store.blobs().length(&hash).await? else { continue };
        let file = maker.store.blobs().get(&hash).await?;
        let room = maker.pool.admit(Bytes(length.get() * 20)).await;
        let draw = move |codecs: &Codecs| {
            Ok::<_, MakeError>(pixels::preview(&Original::open(codecs, &file)?, LONG_SIDE)?)
        };
        logos.insert(hash.as_str().to_owned(), maker.pool.run(room, draw).await??);
    }
    Ok(logos)
}

/// What `make` makes of `picture`'s original, kept under `kind` for as long as `keep` says and made
/// again where it was lost.
pub async fn derived(
    maker: &Maker,
    picture: &Picture,
    kind: &str,
    keep: Keep,
    make: impl FnOnce(&Original<'_>) -> Result<Vec<u8>, MakeError> + Send + 'static,
) -> Result<bytes::Bytes, MakeError> {
    if let Some(kept) = maker.store.blobs().derived(&picture.hash, kind, keep).await? {
        return Ok(kept);
    }
    let made = bytes::Bytes::from(with_original(maker, picture, Bytes(0), make).await?);
    maker.store.blobs().put_derived(&picture.hash, kind, keep, made.clone()).await?;
    Ok(made)
}

/// Does `work` on the original of `picture`, which takes so much memory besides decoding it.
pub async fn with_original<T: Send + 'static>(
    maker: &Maker,
    picture: &Picture,
    besides: Bytes,
    work: impl FnOnce(&Original<'_>) -> Result<T, MakeError> + Send + 'static,
) -> Result<T, MakeError> {
    let memory = picture.facts.memory(picture.bytes).get() + besides.get();
    let room = maker.pool.admit(Bytes(memory)).await;
    let bytes = maker.store.blobs().get(&picture.hash).await?;
    maker.pool.run(room, move |codecs| work(&Original::open(codecs, &bytes)?)).await?
}
