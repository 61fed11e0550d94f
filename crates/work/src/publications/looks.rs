//! Looks: whether places are seen as they were, by pictures of their page before and after.

use brisk_margin_core::format::Format;
use brisk_margin_core::geometry::{Rect, Size};
use brisk_margin_core::grade::Score;
use brisk_margin_core::publication::look::{Look, part_of, seen_as};
use brisk_margin_core::units::Bytes;
use brisk_margin_imaging::metric::QualityMetric;
use brisk_margin_imaging::raster::Raster;
use brisk_margin_imaging::resize::{Region, resize};
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
        // Both pictures; what is judged of them is small.
        let memory = Bytes(size.pixels() * 8);
        let permit = maker.pool.admit(memory).await;
        let judged = maker.pool.run(permit, move |codecs| {
            let [before, after] = pictures.map(|file| codecs.decode(Format::Webp, &file));
            let (Ok(before), Ok(after)) = (before, after) else { return Vec::new() };
            let (size, other) = (before.size(), after.size());
            let height = size.height.min(other.height);
            let part = |(at, own)| part_of(at, own, size.width.min(other.width), height);
            let of = |place: Option<_>| score(&before, &after, place.and_then(part)?);
            boxes.into_iter().map(of).collect()
        });
        // What cannot be judged is told as not judged.
        for (looks, score) in all.iter_mut().zip(judged.await.unwrap_or_default()) {
            looks.extend(score.map(|score| Look { width, score }));
        }
    }
    all.into_iter().map(Look::worst).collect()
}

/// How alike a part of two pictures is as it is seen in passing; nothing where that cannot be told.
fn score(before: &Raster, after: &Raster, part: Rect) -> Option<Score> {
    let seen = |page: &Raster| resize(page, Region::of(part), seen_as(part.size()));
    QualityMetric::new(seen(before)).ok()?.score(&seen(after)).ok()
}

#[cfg(test)]
mod tests {
    use super::*;
    use brisk_margin_core::encoding::{Encoding, Quality};
    use brisk_margin_imaging::codec::extras::Extras;
    use brisk_margin_imaging::codecs::Codecs;
    use brisk_margin_testing::pictures::spots;

    #[test]
    fn a_lean_file_is_seen_as_its_picture_and_another_part_or_picture_is_not() {
        let (picture, other) = (spots(1, 600, 400), spots(2, 600, 400));
        let codecs = Codecs::in_process();
        let lean = Encoding::Jpeg(Quality::new(30).unwrap());
        let file = codecs.encode(&picture, lean, &Extras::default()).unwrap();
        let lean = codecs.decode(Format::Jpeg, &file).unwrap();
        let moved = picture.crop(Rect { x: 40, y: 0, width: 560, height: 400 });
        let whole = Rect::whole(picture.size());
        let moved = resize(&moved, Region::whole(moved.size()), picture.size());
        let look = |after: &Raster| {
            let score = score(&picture, after, whole).unwrap();
            (Look { width: 390, score }.is_otherwise(), score)
        };
        for (name, after, is_otherwise) in
            [("lean", &lean, false), ("another part", &moved, true), ("another", &other, true)]
        {
            let (told, score) = look(after);
            assert_eq!(told, is_otherwise, "{name}: {score:?}");
        }
    }
}
