//! Reduced copies: what previews are made from, so that a picture of 50 megapixels is looked at as
//! quickly as a small one.

use std::collections::VecDeque;
use std::sync::{Arc, Mutex};

use brisk_margin_core::edits::plan::Plan;
use brisk_margin_core::geometry::Size;
use brisk_margin_imaging::codec::{CodecError, png};
use brisk_margin_imaging::codecs::Codecs;
use brisk_margin_imaging::edited::render::Pixels;
use brisk_margin_imaging::raster::Raster;
use brisk_margin_imaging::render as pixels;
use brisk_margin_imaging::resize;
use brisk_margin_imaging::resize::Region;
use brisk_margin_store::pictures::Picture;
use brisk_margin_store::{BlobHash, Keep};
use tokio::sync::OnceCell;
use uuid::Uuid;

use super::Maker;
use super::error::MakeError;
use super::rendering;

/// The long side of the largest copy, in pixels.
const LONG_SIDE: u32 = 1_600;
/// How many pictures' copies stay in memory: at most about 14 MB each.
const KEPT: usize = 6;

/// A picture, upright and in sRGB, at several sizes, the largest first.
pub struct PreviewPyramid {
    sizes: Vec<Raster>,
    /// The picture's own size.
    size: Size,
}

impl PreviewPyramid {
    fn new(largest: Raster, size: Size) -> Self {
        let mut sizes = vec![largest];
        // 1,600, 800, 400 and 200 pixels: views of many slots at once are small.
        for _ in 0..3 {
            let last = &sizes[sizes.len() - 1];
            let half = |side: u32| side.div_ceil(2);
            let smaller = Size::new(half(last.size().width), half(last.size().height));
            sizes.push(resize::resize(last, Region::whole(last.size()), smaller));
        }
        Self { sizes, size }
    }

    /// The largest copy.
    pub fn raster(&self) -> &Raster {
        &self.sizes[0]
    }

    /// The smallest copy, for what looks at coarse shapes only.
    pub fn smallest(&self) -> &Raster {
        &self.sizes[self.sizes.len() - 1]
    }

    /// The smallest copy that has the pixels of `plan`; nothing where only the original has.
    pub fn pixels(&self, plan: &Plan) -> Option<Pixels<'_>> {
        let wanted = plan.scale() * f64::from(self.size.width);
        let enough = |raster: &&Raster| f64::from(raster.size().width) >= wanted;
        let found = self.sizes.iter().rev().find(enough);
        let whole = (self.raster().size() == self.size).then(|| self.raster());
        // A few percent are not seen.
        let nearly =
            (f64::from(self.raster().size().width) * 1.05 >= wanted).then(|| self.raster());
        found.or(whole).or(nearly).map(|raster| Pixels::copy(raster, self.size))
    }
}

/// The copies that were used last.
#[derive(Clone, Default)]
pub struct PreviewPyramids(Arc<Mutex<VecDeque<Kept>>>);

type Kept = (BlobHash, Arc<OnceCell<PreviewPyramid>>);

impl PreviewPyramids {
    fn cell(&self, hash: &BlobHash) -> Arc<OnceCell<PreviewPyramid>> {
        let mut kept = self.0.lock().expect("nobody panics while holding it");
        let found = kept.iter().position(|(other, _)| other == hash);
        let entry =
            found.and_then(|at| kept.remove(at)).unwrap_or_else(|| (hash.clone(), Arc::default()));
        let cell = Arc::clone(&entry.1);
        kept.push_front(entry);
        kept.truncate(KEPT);
        cell
    }
}

/// Images of previews between being rendered and being fetched: the last few, each given out once.
#[derive(Clone, Default)]
pub struct PreviewAtlases(Arc<Mutex<VecDeque<(Uuid, bytes::Bytes)>>>);

impl PreviewAtlases {
    /// How many are waiting at most: more than the previews that one bench asks for at once.
    const WAITING: usize = 24;

    /// Keeps an image until it is fetched; returns its number.
    pub fn keep(&self, image: bytes::Bytes) -> Uuid {
        let id = Uuid::new_v4();
        let mut waiting = self.0.lock().expect("nobody panics while holding it");
        waiting.push_back((id, image));
        if waiting.len() > Self::WAITING {
            waiting.pop_front();
        }
        id
    }

    /// The image `id`, given out once.
    pub fn take(&self, id: Uuid) -> Option<bytes::Bytes> {
        let mut waiting = self.0.lock().expect("nobody panics while holding it");
        let at = waiting.iter().position(|(other, _)| *other == id)?;
        waiting.remove(at).map(|(_, image)| image)
    }
}

/// The copy of `picture`: from memory, from the store, or made now, once for all who ask.
pub async fn pyramid_of(
    maker: &Maker,
    picture: &Picture,
) -> Result<Arc<OnceCell<PreviewPyramid>>, MakeError> {
    let cell = maker.pyramids.cell(&picture.hash);
    cell.get_or_try_init(|| async {
        let kind = format!("copy-{LONG_SIDE}");
        let file = rendering::derived(maker, picture, &kind, Keep::WithSource, |original| {
            Ok(png::encode_fast(&pixels::preview(original, LONG_SIDE)?)?)
        })
        .await?;
        let size = picture.facts.size;
        let memory = brisk_margin_core::units::Bytes(u64::from(LONG_SIDE).pow(2) * 12);
        let room = maker.pool.admit(memory).await;
        let read =
            move |_: &Codecs| Ok::<_, CodecError>(PreviewPyramid::new(png::decode(&file)?, size));
        Ok::<_, MakeError>(maker.pool.run(room, read).await??)
    })
    .await?;
    Ok(cell)
}
