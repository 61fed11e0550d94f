//! Looks: whether places are seen as they were, by pictures of their page before and after.

use brisk_margin_core::format::Format;
use brisk_margin_core::geometry::{Rect, Size};
use brisk_margin_core::publication::look::{Look, part_of};
use brisk_margin_core::units::Bytes;
use brisk_margin_imaging::metric::QualityMetric;
use brisk_margin_imaging::reference::Reference;
use brisk_margin_site::measured::FoundPlace;
use brisk_margin_site::page::{Shot, TALLEST_SHOT};

use crate::making::Maker;

/// How each of `places` is seen in `shots` of its page, before and after, where it differs most; nothing
/// for those that are not to be seen there.
pub(super) async fn looks(
    maker: &Maker,
    places: &[&FoundPlace],
    shots: &[(Shot, Shot)],
) -> Vec<Option<Look>> {
    let mut all: Vec<Vec<Look>> = vec![Vec::new(); places.len()];
    for (before, after) in shots {
        let details = places.iter().map(|place| &place.details);
        let boxes = details.map(|details| {
            let at = details.positions.get(&before.width)?;
            Some((*at, *details.boxes.get(&before.width)?))
        });
        let boxes: Vec<Option<_>> = boxes.collect();
        if boxes.iter().all(Option::is_none) {
            continue;
        }
        let (width, pictures) = (before.width, [&before.picture, &after.picture].map(Vec::clone));
        let size = Size::new(width, TALLEST_SHOT as u32);
        // Both pictures, and what is kept of a part of one, which may be all of it.
        let memory = Bytes(size.pixels() * 8) + Reference::memory(size);
        let permit = maker.pool.admit(memory).await;
        let judged = maker.pool.run(permit, move |codecs| {
            let [before, after] = pictures.map(|file| codecs.decode(Format::Webp, &file));
            let (Ok(before), Ok(after)) = (before, after) else { return Vec::new() };
            let size = Size::new(width, TALLEST_SHOT as u32);
            let part =
                |(at, own)| part_of(at, own, size.width, size.height.min(after.size().height));
            let score = |part: Rect| {
                let metric = QualityMetric::new(before.crop(part)).ok()?;
                metric.score(&after.crop(part)).ok()
            };
            let of = |place: Option<_>| place.and_then(part).and_then(score);
            boxes.into_iter().map(of).collect()
        });
        // What cannot be judged is told as not judged.
        for (looks, score) in all.iter_mut().zip(judged.await.unwrap_or_default()) {
            looks.extend(score.map(|score| Look { width, score }));
        }
    }
    all.into_iter().map(Look::worst).collect()
}
