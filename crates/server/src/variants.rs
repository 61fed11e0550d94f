//! Variants: the way from a picture in the library to the file for its slot, and to the pixels
//! that are looked at on the way.

use brisk_margin_core::budget;
use brisk_margin_core::choosing::ChoiceError;
use brisk_margin_core::codec::extras::Extras;
use brisk_margin_core::codec::{CodecError, png};
use brisk_margin_core::colour::ColourSpace;
use brisk_margin_core::encode::{self, EncodeError, Encoding, Quality};
use brisk_margin_core::finish::canvas::{Canvas, CanvasError};
use brisk_margin_core::finish::plan::Plan;
use brisk_margin_core::finish::render::{Logos, Rendered};
use brisk_margin_core::finish::{self, Finish};
use brisk_margin_core::format::SideTooLong;
use brisk_margin_core::metadata::Credit;
use brisk_margin_core::naming;
use brisk_margin_core::picture::{Picture as Original, PictureError};
use brisk_margin_core::render;
use brisk_margin_core::units::Bytes;
use brisk_margin_store::pictures::Picture;
use brisk_margin_store::variants::{Framing, NewVariant, Order, Unframed, Variant};
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
    let (canvas, plan) = order.framing.plan(picture.facts.size)?;
    let (fitting, encoding) = (plan.fitting, order.encoding);
    encoding.format().check_size(fitting.output)?;
    if let Some(kept) = app.store.variant_of(picture.id, &order).await? {
        return Ok(Made::Kept(kept));
    }
    let drawn = Drawn::new(&order.framing, canvas, plan);
    let logos = logos(app, &drawn.finish).await?;
    let xmp = order.credit.as_ref().map(Credit::packet);
    let bytes = work(app, picture, drawn.memory(), move |original| {
        let extras = Extras { icc: drawn.profile(original), xmp };
        Ok(encode::encode_with(&drawn.render(original, &logos)?.raster, encoding, &extras)?)
    })
    .await?;
    let new = NewVariant {
        picture_id: picture.id,
        file_name: name(picture, &order),
        order,
        fitting: &fitting,
        budget: budget::default_budget(fitting.needed),
    };
    let variant = app.store.add_variant(bytes.into(), new).await?;
    app.tell(Change::Variants);
    Ok(Made::New(variant))
}

/// What is rendered of a picture: its edits, and the part and size that are shown.
#[derive(Clone)]
pub struct Drawn {
    /// The edits.
    pub finish: Finish,
    /// The picture with its geometry changed.
    pub canvas: Canvas,
    /// The part and the size.
    pub plan: Plan,
    /// The colours of its pixels.
    pub colours: ColourSpace,
}

impl Drawn {
    /// What `framing` comes to by its `canvas` and `plan`.
    pub fn new(framing: &Framing, canvas: Canvas, plan: Plan) -> Self {
        Self { finish: framing.finish.clone(), canvas, plan, colours: framing.colours }
    }

    /// The profile that goes with the pixels; sRGB needs none.
    fn profile(&self, original: &Original<'_>) -> Option<Vec<u8>> {
        profile(original, self.colours)
    }

    /// All of `picture` with its edits, at most `side` pixels long.
    pub fn whole(picture: &Picture, finish: &Finish, side: u32) -> Result<Self, MakeError> {
        let canvas = Canvas::new(picture.facts.size, finish)?;
        let plan = Plan::whole(&canvas, finish).no_longer_than(side);
        Ok(Self { finish: finish.in_use(), canvas, plan, colours: ColourSpace::Srgb })
    }

    /// The memory that it takes besides decoding: the result twice, and a tile with its source.
    pub fn memory(&self) -> Bytes {
        const TILE: u64 = 96 << 20;
        let edits = if self.finish.is_plain() { 0 } else { TILE };
        Bytes(self.plan.fitting.output.pixels() * 8 + edits)
    }

    /// The pixels, from the original.
    pub fn render(&self, original: &Original<'_>, logos: &Logos) -> Result<Rendered, CodecError> {
        let Self { finish, canvas, plan, colours } = self;
        if finish.is_plain() {
            let raster = render::render_in(original, &plan.fitting, *colours)?;
            return Ok(Rendered { raster, remarks: Vec::new() });
        }
        finish::render::render(original, canvas, finish, plan, logos)
    }
}

fn profile(original: &Original<'_>, colours: ColourSpace) -> Option<Vec<u8>> {
    if colours.is_srgb() { None } else { original.own_profile() }
}

/// The pictures that `finish` lays on others, large enough for any frame. One that is gone is left
/// out, and the rendering says so.
pub async fn logos(app: &App, finish: &Finish) -> Result<Logos, MakeError> {
    const LONG_SIDE: u32 = 2_000;
    let mut logos = Logos::new();
    for hash in finish.logos().filter_map(BlobHash::parse) {
        let Some(length) = app.store.blobs().length(&hash).await? else { continue };
        let file = app.store.blobs().get(&hash).await?;
        let room = app.workshop.admit(Bytes(length.get() * 20)).await;
        let draw = move || Ok::<_, MakeError>(render::preview(&Original::open(&file)?, LONG_SIDE)?);
        logos.insert(hash.as_str().to_owned(), app.workshop.run(room, draw).await??);
    }
    Ok(logos)
}

/// The file name of `picture` made for `order`.
pub fn name(picture: &Picture, order: &Order) -> String {
    let Framing { slot, density, .. } = &order.framing;
    naming::propose(&picture.name, *slot, *density, order.encoding.format())
}

/// The pixels of `picture` in `framing` before they are encoded, as PNG with their profile: what
/// the file is held against.
pub async fn reference(
    app: &App,
    picture: &Picture,
    framing: Framing,
) -> Result<bytes::Bytes, MakeError> {
    let (canvas, plan) = framing.plan(picture.facts.size)?;
    let logos = logos(app, &framing.finish).await?;
    let kind = framing.recipe();
    let drawn = Drawn::new(&framing, canvas, plan);
    derived(app, picture, &kind, move |original| {
        let extras = Extras { icc: drawn.profile(original), xmp: None };
        Ok(png::encode_fast_with(&drawn.render(original, &logos)?.raster, &extras)?)
    })
    .await
}

/// Sees to it that [`reference`] has the pixels of `picture` in all `framings`, which are in the
/// same colours; those that are missing are made from one decoding, where no edit needs its own.
pub async fn references(
    app: &App,
    picture: &Picture,
    framings: &[&Framing],
) -> Result<(), MakeError> {
    let Some(colours) = framings.first().map(|framing| framing.colours) else { return Ok(()) };
    let mut missing = Vec::new();
    for framing in framings {
        let kind = framing.recipe();
        if !framing.finish.is_plain() {
            reference(app, picture, (*framing).clone()).await?;
        } else if app.store.blobs().derived(&picture.hash, &kind).await?.is_none() {
            missing.push((kind, framing.plan(picture.facts.size)?.1.fitting));
        }
    }
    if missing.is_empty() {
        return Ok(());
    }
    let (kinds, fittings): (Vec<_>, Vec<_>) = missing.into_iter().unzip();
    let memory = fittings.iter().map(|fitting| fitting.output.pixels() * 8).sum();
    let files = work(app, picture, Bytes(memory), move |original| {
        let mut files = Vec::new();
        let extras = Extras { icc: profile(original, colours), xmp: None };
        render::render_ladder(
            original,
            &fittings,
            colours,
            |n, raster| -> Result<(), MakeError> {
                files.push((n, png::encode_fast_with(raster, &extras)?));
                Ok(())
            },
        )?;
        Ok(files)
    })
    .await?;
    for (n, file) in files {
        app.store.blobs().put_derived(&picture.hash, &kinds[n], file.into()).await?;
    }
    Ok(())
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

/// The whole of `picture` with its edits at the size of `look`, as WebP.
pub async fn preview(app: &App, picture: &Picture, look: Look) -> Result<bytes::Bytes, MakeError> {
    let side = look.long_side();
    let finish = &picture.work.finish;
    if finish.is_plain() {
        let kind = format!("preview-{side}");
        return derived(app, picture, &kind, move |original| preview_of(original, side)).await;
    }
    let drawn = Drawn::whole(picture, finish, side)?;
    let edits = serde_json::to_string(&drawn.finish).expect("plain values");
    let kind = format!("preview-{side}-{}", BlobHash::of(edits.as_bytes()).as_str());
    let logos = logos(app, &drawn.finish).await?;
    derived(app, picture, &kind, move |original| {
        let encoding = Encoding::Webp(Quality::new(88)?);
        Ok(encode::encode(&drawn.render(original, &logos)?.raster, encoding)?)
    })
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
    Ok(encode::encode(&render::preview(original, side)?, Encoding::Webp(quality))?)
}

/// The drawing `picture` cleaned and in fewer bytes.
pub async fn drawing(app: &App, picture: &Picture) -> Result<bytes::Bytes, MakeError> {
    derived(app, picture, "drawing", |original| Ok(original.drawing()?.into_bytes())).await
}

/// What `make` makes of `picture`'s original, kept under `kind` and made again where it was lost.
pub async fn derived(
    app: &App,
    picture: &Picture,
    kind: &str,
    make: impl FnOnce(&Original<'_>) -> Result<Vec<u8>, MakeError> + Send + 'static,
) -> Result<bytes::Bytes, MakeError> {
    if let Some(kept) = app.store.blobs().derived(&picture.hash, kind).await? {
        return Ok(kept);
    }
    let made = bytes::Bytes::from(work(app, picture, Bytes(0), make).await?);
    app.store.blobs().put_derived(&picture.hash, kind, made.clone()).await?;
    Ok(made)
}

/// Does `work` on the original of `picture`, which takes so much memory besides decoding it.
pub async fn work<T: Send + 'static>(
    app: &App,
    picture: &Picture,
    besides: Bytes,
    work: impl FnOnce(&Original<'_>) -> Result<T, MakeError> + Send + 'static,
) -> Result<T, MakeError> {
    let memory = picture.facts.memory(picture.bytes).get() + besides.get();
    let room = app.workshop.admit(Bytes(memory)).await;
    let bytes = app.store.blobs().get(&picture.hash).await?;
    app.workshop.run(room, move || work(&Original::open(&bytes)?)).await?
}

/// Why no file was made.
#[derive(Debug, Error)]
pub enum MakeError {
    /// The picture cannot be framed so.
    #[error(transparent)]
    Unframed(#[from] Unframed),
    /// Its edits leave nothing of it.
    #[error(transparent)]
    Canvas(#[from] CanvasError),
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
    /// No encoding could be chosen.
    #[error(transparent)]
    Choice(#[from] ChoiceError),
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
