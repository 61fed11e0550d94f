//! Files of pictures: their names and their keys.

use std::collections::BTreeSet;

use brisk_margin_core::name_pattern::NameWish;
use brisk_margin_core::units::Bytes;
use brisk_margin_core::variant_spec::VariantSpec;
use brisk_margin_store::pictures::Picture;
use brisk_margin_store::variants::{NewVariant, Variant};
use brisk_margin_store::{Store, StoreError};
use futures::future::join_all;
use serde_json::{Value, json};

use crate::support::{home, picture};

/// What is asked for at `width` px in `format` at `quality`, with `edits`.
fn spec(width: u32, format: &str, quality: u8, edits: &[Value]) -> VariantSpec {
    let slot = json!({"width": width, "height": 200, "fit": "cover"});
    let asked = json!({
        "slot": slot, "density": 1, "focal": {"x": 0.5, "y": 0.5}, "format": format,
        "quality": quality, "finish": {"version": 1, "steps": edits},
    });
    serde_json::from_value(asked).unwrap()
}

/// Keeps `bytes` as the file for `spec`, wished to be called "walks".
async fn keep(
    store: &Store,
    picture: &Picture,
    spec: VariantSpec,
    bytes: String,
) -> Result<Variant, StoreError> {
    let (_, plan) = spec.framing.plan(picture.facts.size).unwrap();
    let new = NewVariant {
        picture_id: picture.id,
        spec,
        fitting: &plan.fitting,
        name: &NameWish::Stem("walks".to_owned()),
        budget: Bytes::kb(50),
    };
    store.add_variant(bytes.into(), new).await
}

#[tokio::test]
async fn many_who_ask_at_once_never_get_one_name_for_different_pixels() {
    let home = home().await;
    let moor = picture(&home.store, b"moor").await;
    let asked = (0..40_u32)
        .map(|n| keep(&home.store, &moor, spec(300 + n, "jpeg", 80, &[]), format!("file {n}")));
    let made = join_all(asked).await;
    let names: BTreeSet<String> = made.into_iter().map(|file| file.unwrap().file_name).collect();
    assert_eq!(names.len(), 40, "{names:?}");
    assert!(names.contains("walks.jpg") && names.contains("walks-40.jpg"), "{names:?}");
}

#[tokio::test]
async fn the_same_pixels_encoded_otherwise_take_over_the_name() {
    let home = home().await;
    let moor = picture(&home.store, b"moor").await;
    let first = keep(&home.store, &moor, spec(300, "jpeg", 80, &[]), "a".into()).await.unwrap();
    let again = keep(&home.store, &moor, spec(300, "jpeg", 60, &[]), "b".into()).await.unwrap();
    let other = keep(&home.store, &moor, spec(301, "jpeg", 60, &[]), "c".into()).await.unwrap();
    let names = [first, again, other].map(|file| file.file_name);
    assert_eq!(names, ["walks.jpg", "walks.jpg", "walks-2.jpg"]);
}

#[tokio::test]
async fn another_picture_never_takes_a_name() {
    let home = home().await;
    let (moor, path) = (picture(&home.store, b"moor").await, picture(&home.store, b"path").await);
    let first = keep(&home.store, &moor, spec(300, "webp", 80, &[]), "a".into()).await.unwrap();
    let other = keep(&home.store, &path, spec(300, "webp", 80, &[]), "b".into()).await.unwrap();
    assert_eq!([first.file_name, other.file_name], ["walks.webp", "walks-2.webp"]);
}

#[tokio::test]
async fn a_file_with_sixty_long_texts_on_it_is_kept_and_found_again() {
    let home = home().await;
    let moor = picture(&home.store, b"moor").await;
    let text = |n: usize| {
        json!({
            "kind": "text", "text": format!("{n} {}", "Star walks below the dome ".repeat(4)),
            "font": "sans", "weight": "semibold", "colour": "#ffffff", "align": "left",
            "leading": 1.25, "width": 80.0, "size": {"of": "css", "px": 24.0},
            "behind": {"kind": "nothing"},
            "at": {"across": "middle", "down": "end", "x": {"of": "css", "px": 0.0},
                "y": {"of": "css", "px": 8.0}},
        })
    };
    let texts: Vec<Value> = (0..60).map(text).collect();
    let asked = spec(300, "jpeg", 80, &texts);
    let made = keep(&home.store, &moor, asked.clone(), "long".into()).await.unwrap();
    let found = home.store.variant_of(moor.id, &asked).await.unwrap();
    assert_eq!(found.map(|file| file.id), Some(made.id));

    // All the same but the last word of the last text.
    let mut others = texts;
    others[59]["text"] = json!("the end");
    let other = home.store.variant_of(moor.id, &spec(300, "jpeg", 80, &others)).await.unwrap();
    assert!(other.is_none());
}
