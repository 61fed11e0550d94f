//! The one way in which a file is made: render, encode and choose, name, keep.

use std::sync::Arc;

use brisk_margin_core::choice::{ChoiceOutcome, EncodeRequest, is_lean};
use brisk_margin_core::credit::Credit;
use brisk_margin_core::encoding::Encoding;
use brisk_margin_core::fitting::Fitting;
use brisk_margin_core::format::Format;
use brisk_margin_core::grade::Score;
use brisk_margin_core::name_pattern::NameWish;
use brisk_margin_core::outside::OutsideEncoder;
use brisk_margin_core::render_spec::RenderSpec;
use brisk_margin_core::source_format::SourceFormat;
use brisk_margin_core::units::Bytes;
use brisk_margin_core::variant_spec::VariantSpec;
use brisk_margin_imaging::choosing::Hints;
use brisk_margin_imaging::codec::CodecError;
use brisk_margin_imaging::outside::Encoders;
use brisk_margin_imaging::reference::Reference;
use brisk_margin_store::pictures::Picture;
use brisk_margin_store::variants::{NewVariant, Variant};

use super::Maker;
use super::error::MakeError;
use super::rendering::with_original;
use super::trials::{self, Subject};

/// A file to be made.
pub struct FileWish<'a> {
    /// The picture.
    pub picture: &'a Picture,
    /// What decides its pixels.
    pub spec: &'a RenderSpec,
    /// How the picture fills them.
    pub fitting: &'a Fitting,
    /// The pixels, where they are in the hand already.
    pub reference: Option<&'a Arc<Reference>>,
    /// What other files of the picture told.
    pub hints: Hints,
    /// What is asked of the encoder.
    pub request: EncodeRequest,
    /// What the file says of who made it.
    pub credit: Option<&'a Credit>,
    /// The most bytes that it may have, also where the original's own are left alone.
    pub cap: Option<Bytes>,
    /// The budget that it counts under.
    pub budget: Bytes,
    /// What it is to be called.
    pub name: &'a NameWish,
}

/// A file, and how it came about.
pub struct Made {
    /// Where it is kept.
    pub variant: Variant,
    /// Whether it was made just now; nothing was encoded otherwise.
    pub is_new: bool,
    /// How the choice of its encoding ended.
    pub outcome: ChoiceOutcome,
    /// What counted of its encoding's score; nothing where that was not kept.
    pub counted: Option<Score>,
}

/// Makes a file and keeps it; the original's own where that is lean already. One that was made for
/// the same wish before is answered, whatever it is called.
///
/// # Errors
/// [`MakeError`] where it cannot be made.
pub async fn make(maker: &Maker, wish: FileWish<'_>) -> Result<Made, MakeError> {
    let FileWish { picture, spec, credit, reference, hints, request, .. } = wish;
    let of = Subject { picture, spec, credit, reference, hints };
    let settled = trials::run(maker, of, request).await?;
    let (encoding, outcome, counted) = (settled.encoding, settled.outcome, settled.counted);
    for is_copy in [false, true] {
        let spec = variant_spec(&wish, encoding, is_copy);
        if let Some(variant) = maker.store.variant_of(picture.id, &spec).await? {
            return Ok(Made { variant, is_new: false, outcome, counted });
        }
    }
    let encoded = match settled.file {
        Some(file) => file,
        None => trials::file(maker, of, encoding).await?,
    };
    let copy = lean_copy(maker, &wish, request.format()).await?.filter(|copy| {
        let copied = Bytes::of(copy);
        is_lean(copied, Bytes::of(&encoded)) && wish.cap.is_none_or(|cap| copied <= cap)
    });
    let new = NewVariant {
        picture_id: picture.id,
        spec: variant_spec(&wish, encoding, copy.is_some()),
        fitting: wish.fitting,
        name: wish.name,
        budget: wish.budget,
    };
    let variant = maker.store.add_variant(copy.unwrap_or(encoded), new).await?;
    Ok(Made { variant, is_new: true, outcome, counted })
}

fn variant_spec(wish: &FileWish<'_>, encoding: Encoding, is_copy: bool) -> VariantSpec {
    VariantSpec { framing: wish.spec.clone(), encoding, credit: wish.credit.cloned(), is_copy }
}

/// The original's own file without its metadata, where a file in `format` would show exactly its
/// pixels, or what an encoder from outside keeps it in; nothing where they are scaled, cut or changed, or where it
/// cannot be copied.
async fn lean_copy(
    maker: &Maker,
    wish: &FileWish<'_>,
    format: Format,
) -> Result<Option<bytes::Bytes>, MakeError> {
    let facts = &wish.picture.facts;
    let is_same_format = facts.format.name() == format.name();
    let outside = match facts.format == SourceFormat::Jpeg && !is_same_format {
        true => maker.encoders().await?,
        false => Vec::new(),
    };
    let keeps = |encoder: &OutsideEncoder| encoder.makes == format && encoder.transcoding.is_some();
    if !(is_same_format || outside.iter().any(keeps))
        || !wish.spec.is_untouched(facts.size, wish.fitting)
    {
        return Ok(None);
    }
    let xmp = wish.credit.map(Credit::packet);
    let keeps_srgb = wish.spec.colours.is_srgb();
    with_original(maker, wish.picture, Bytes(0), move |original| {
        // A profile stays, which is right only where files keep it.
        let is_srgb = original.icc().is_none() && original.own_profile().is_none();
        let shows_the_same = !keeps_srgb || is_srgb;
        let copy = shows_the_same.then(|| original.lossless_copy(xmp.as_deref()));
        let Some(copy) = copy.and_then(Result::ok) else { return Ok(None) };
        if is_same_format {
            return Ok(Some(copy.into()));
        }
        let encoders = Encoders { codecs: original.codecs(), outside: &outside };
        let kept = encoders.transcoded(&copy, format).map_err(CodecError::from)?;
        Ok(kept.map(bytes::Bytes::from))
    })
    .await
}
