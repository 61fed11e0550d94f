//! Pictures that look the same, found by an index.

use std::collections::BTreeSet;

use brisk_margin_core::content::{ContentClass, ImageAnalysis, PerceptualHash, WeightSample};
use uuid::Uuid;

use crate::support::{Home, home, picture};

fn looking_like(hash: u64) -> ImageAnalysis {
    ImageAnalysis {
        class: ContentClass::Photograph,
        colours: 900,
        is_transparent: false,
        hash: PerceptualHash(hash),
        sample: WeightSample::even(160_000, 16_000),
    }
}

async fn pairs(home: &Home) -> BTreeSet<(Uuid, Uuid, u32)> {
    let pairs = home.store.alike(1_000).await.unwrap().into_iter();
    pairs.map(|pair| (pair.one.id, pair.other.id, pair.distance)).collect()
}

#[tokio::test]
async fn the_index_finds_whom_comparing_all_with_all_would_find() {
    let home = home().await;
    // Families of hashes a few signs apart, and the two ends: all signs, and none.
    let mut hashes = vec![0, u64::MAX, u64::MAX >> 3, 1 << 63];
    for family in 1..8u64 {
        let first = family.wrapping_mul(0x9E37_79B9_7F4A_7C15);
        hashes.extend(
            (0..9).map(|signs| first ^ ((1u64 << signs) - 1).rotate_left(7 * family as u32)),
        );
        hashes.push(first ^ 0x0101_0101_0101_0100);
    }
    let mut known = Vec::new();
    for hash in hashes {
        let bytes = format!("{hash} {}", known.len());
        let id = picture(&home.store, Box::leak(bytes.into_boxed_str()).as_bytes()).await.id;
        home.store.keep_analysis(id, &looking_like(hash)).await.unwrap();
        known.push((id, PerceptualHash(hash)));
    }
    let mut expected = BTreeSet::new();
    for (n, &(one, hash)) in known.iter().enumerate() {
        for &(other, there) in &known[n + 1..] {
            let distance = hash.distance(there);
            if distance <= PerceptualHash::NEAR {
                expected.insert((one.min(other), one.max(other), distance));
            }
        }
    }
    assert!(expected.len() > 100, "{}", expected.len());
    assert_eq!(pairs(&home).await, expected);
}
