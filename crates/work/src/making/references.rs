//! References: the pixels that files are made of and compared with, kept in memory for a while.
//!
//! A picture is decoded and scaled once for all widths and formats that are asked for together, and
//! on the bench for whatever is tried next.

use std::sync::Arc;
use std::time::Duration;

use brisk_margin_core::cache_key::CacheKey;
use brisk_margin_core::fitting::Fitting;
use brisk_margin_core::render_spec::RenderSpec;
use brisk_margin_core::units::Bytes;
use brisk_margin_imaging::codec::extras::Extras;
use brisk_margin_imaging::codec::png;
use brisk_margin_imaging::reference::{self, Reference, ReferenceError};
use brisk_margin_store::pictures::Picture;
use brisk_margin_store::{BlobHash, Keep};
use moka::future::Cache;

use super::Maker;
use super::error::MakeError;
use super::rendering::{Rendering, derived, logos, with_original};

/// References that nobody asked for are let go after this.
const IDLE: Duration = Duration::from_secs(60);

/// The references that were used last. Clones share them.
#[derive(Clone)]
pub struct References(Cache<(BlobHash, CacheKey), Arc<Reference>>);

impl References {
    /// Keeps references of `memory` in all at most.
    pub fn new(memory: Bytes) -> Self {
        let weigh = |_: &(BlobHash, CacheKey), reference: &Arc<Reference>| {
            let held = Reference::memory(reference.raster().size());
            u32::try_from(held.get()).unwrap_or(u32::MAX)
        };
        let cache = Cache::builder().max_capacity(memory.get()).weigher(weigh).time_to_idle(IDLE);
        Self(cache.build())
    }
}

/// The pixels of `picture` by `spec`: kept from before, or made now, once for all who ask.
///
/// # Errors
/// [`MakeError`] where they cannot be made.
pub async fn reference(
    maker: &Maker,
    picture: &Picture,
    spec: &RenderSpec,
) -> Result<Arc<Reference>, MakeError> {
    let key = (picture.hash.clone(), spec.cache_key());
    let made = maker.references.0.try_get_with(key, render(maker, picture, spec));
    // Whoever waited for somebody else's attempt has no part in its error but the words.
    made.await.map_err(|error| {
        Arc::try_unwrap(error).unwrap_or_else(|shared| MakeError::Shared {
            words: shared.to_string(),
            transient: shared.is_transient(),
        })
    })
}

async fn render(
    maker: &Maker,
    picture: &Picture,
    spec: &RenderSpec,
) -> Result<Arc<Reference>, MakeError> {
    let rendering = Rendering::new(picture, spec)?;
    let logos = logos(maker, &rendering.edits).await?;
    let size = rendering.plan.fitting.output;
    let memory = Bytes(rendering.memory().get() + Reference::memory(size).get());
    let made = with_original(maker, picture, memory, move |original| {
        let raster = rendering.render(original, &logos)?.raster;
        let profile = reference::profile(original, rendering.colours);
        Ok(Reference::new(raster, profile).map_err(ReferenceError::from)?)
    });
    Ok(Arc::new(made.await?))
}

/// The pixels of `picture` by each of `specs`, which are in the same colours; those without edits
/// are made from one decoding.
///
/// # Errors
/// [`MakeError`] where any of them cannot be made.
pub async fn references(
    maker: &Maker,
    picture: &Picture,
    specs: &[&RenderSpec],
) -> Result<Vec<Arc<Reference>>, MakeError> {
    let mut found = Vec::with_capacity(specs.len());
    let mut missing = Vec::new();
    for spec in specs {
        let key = (picture.hash.clone(), spec.cache_key());
        let kept = maker.references.0.get(&key).await;
        if kept.is_none() && spec.edits.is_plain() && missing.iter().all(|(k, _)| *k != key) {
            missing.push((key, spec.plan(picture.facts.size)?.1.fitting));
        }
        found.push(kept);
    }
    let made = match specs.first() {
        Some(first) if missing.len() > 1 => {
            let colours = first.colours;
            let (keys, fittings): (Vec<_>, Vec<Fitting>) = missing.into_iter().unzip();
            let memory = fittings.iter().map(|f| Reference::memory(f.output).get() * 2).sum();
            let made = with_original(maker, picture, Bytes(memory), move |original| {
                Ok(Reference::ladder(original, &fittings, colours)?)
            });
            keys.into_iter().zip(made.await?.into_iter().map(Arc::new)).collect()
        }
        _ => Vec::new(),
    };
    for (key, reference) in &made {
        maker.references.0.insert(key.clone(), Arc::clone(reference)).await;
    }
    let mut references = Vec::with_capacity(specs.len());
    for (spec, kept) in specs.iter().zip(found) {
        let key = spec.cache_key();
        let just_made = made.iter().find(|(other, _)| other.1 == key);
        references.push(match (kept, just_made) {
            (Some(kept), _) => kept,
            (None, Some((_, made))) => Arc::clone(made),
            (None, None) => reference(maker, picture, spec).await?,
        });
    }
    Ok(references)
}

/// The pixels of `picture` by `spec` as PNG with their profile, to be looked at.
///
/// # Errors
/// [`MakeError`] where they cannot be made.
pub async fn reference_file(
    maker: &Maker,
    picture: &Picture,
    spec: &RenderSpec,
) -> Result<bytes::Bytes, MakeError> {
    let rendering = Rendering::new(picture, spec)?;
    let logos = logos(maker, &rendering.edits).await?;
    let kind = format!("reference {}", spec.cache_key().as_str());
    derived(maker, picture, &kind, Keep::ForAWhile, move |original| {
        let icc = reference::profile(original, rendering.colours);
        let raster = rendering.render(original, &logos)?.raster;
        Ok(png::encode_fast_with(&raster, &Extras { icc, xmp: None })?)
    })
    .await
}
