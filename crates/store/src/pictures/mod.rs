//! Pictures: the originals in the library, what is said of them, and how they stand.

mod alike;
mod analysis;
mod changes;
mod list;
mod removal;
mod status;
mod steps;

use brisk_margin_core::adjustments::Adjustments;
use brisk_margin_core::content::{ContentClass, PerceptualHash, WeightSample};
use brisk_margin_core::describe::Description;
use brisk_margin_core::edits::canvas::Canvas;
use brisk_margin_core::edits::canvas::CanvasError;
use brisk_margin_core::embedded::EmbeddedMetadata;
use brisk_margin_core::facts::PictureFacts;
use brisk_margin_core::framing::FocalPoint;
use brisk_margin_core::geometry::Size;
use brisk_margin_core::issue::{Issue, IssueKind};
use brisk_margin_core::name_pattern::NameParts;
use brisk_margin_core::place::Place;
use brisk_margin_core::placement::Placement;
use brisk_margin_core::slot::Slot;
use brisk_margin_core::source_format::SourceFormat;
use brisk_margin_core::status::Estimate;
use brisk_margin_core::units::Bytes;
use chrono::{DateTime, Utc};
use sea_orm::sea_query::{Expr, ExprTrait, OnConflict};
use sea_orm::{ActiveValue::Set, ColumnTrait, EntityTrait, QueryFilter};
use serde::{Deserialize, Serialize};
use uuid::Uuid;

use crate::entities::picture::{ActiveModel, Column, Entity, Model};
use crate::layouts::{json, read};
use crate::{BlobHash, Store, StoreError};
use brisk_margin_core::site::ImportAction;

pub use alike::Pair;
pub use changes::{Change, ChangeSet, FieldChange, TakenBack};
pub(crate) use list::Conditions;
pub use list::{After, Filter, ListPage, ShownBy, Sort};
pub use status::{RefreshedStatus, Relations};
pub use steps::Step;

/// A picture in the library.
#[derive(Debug, Clone, PartialEq)]
pub struct Picture {
    /// Its number, in order of arrival.
    pub id: Uuid,
    /// Its name, tidied.
    pub name: String,
    /// The hash of its original.
    pub hash: BlobHash,
    /// What its header says.
    pub facts: PictureFacts,
    /// The weight of its original.
    pub bytes: Bytes,
    /// How it is framed and finished, wherever it is shown.
    pub adjustments: Adjustments,
    /// The step of its work that holds; nothing before the first.
    pub step: Option<Uuid>,
    /// The step that lay on the bench last.
    pub draft: Option<Uuid>,
    /// The picture that it was made from, and whose original it shares.
    pub made_from: Option<Uuid>,
    /// When it arrived.
    pub created_at: DateTime<Utc>,
    /// The folder of the library it lies in; empty for none.
    pub folder: String,
    /// How it arrived.
    pub origin: Origin,
    /// What people say of it.
    pub description: Description,
    /// What its file tells.
    pub embedded: EmbeddedMetadata,
    /// How it looks, once it was looked at.
    pub analysis: Option<StoredAnalysis>,
    /// Why it could not be looked at.
    pub analysis_failed: Option<String>,
    /// How many places show it.
    pub uses: u32,
    /// What a page that shows it transfers today.
    pub today: Bytes,
    /// What it could weigh.
    pub possible: Option<Estimate>,
    /// More pixels that its most demanding slot asks for, in percent.
    pub short: Option<f64>,
    /// What is worth doing with it, the most serious first.
    pub issues: Vec<Issue>,
    /// Whether anybody who has its address may fetch what was made of it.
    pub is_public: bool,
    /// When it was removed.
    pub removed_at: Option<DateTime<Utc>>,
    /// How often anything changed that its status depends on.
    pub revision: i32,
}

/// How a picture looks, as it is stored.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct StoredAnalysis {
    /// What kind it is.
    pub class: ContentClass,
    /// How many colours it has, as far as they were counted.
    pub colours: u32,
    /// Whether a pixel is transparent.
    pub is_transparent: bool,
    /// A hash of how it looks.
    pub hash: PerceptualHash,
    /// How heavy it is to encode.
    pub sample: WeightSample,
}

/// How a picture arrived.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Origin {
    /// Sent by somebody who uses Brisk Margin, or by a script.
    Upload,
    /// Found in the site's own folder.
    Folder,
}

impl Origin {
    const fn name(self) -> &'static str {
        match self {
            Self::Upload => "upload",
            Self::Folder => "folder",
        }
    }
}

/// A picture about to be added.
#[derive(Debug, Clone, Copy)]
pub struct NewPicture<'a> {
    /// Its name, tidied.
    pub name: &'a str,
    /// The folder of the library it lies in; empty for none.
    pub folder: &'a str,
    /// How it arrived.
    pub origin: Origin,
    /// What its header says.
    pub facts: &'a PictureFacts,
    /// What else its file tells.
    pub embedded: &'a EmbeddedMetadata,
    /// What is done with it once it was looked at.
    pub import_action: &'a ImportAction,
}

/// Whether a picture was new.
#[derive(Debug, Clone, PartialEq)]
pub enum Arrival {
    /// It was not in the library before.
    New(Picture),
    /// The same bytes are there already.
    There(Picture),
    /// The same bytes had been removed and are back now.
    Back(Picture),
}

impl Picture {
    /// The picture with its geometry changed.
    ///
    /// # Errors
    /// [`CanvasError`] where its edits leave nothing of it.
    pub fn canvas(&self) -> Result<Canvas, CanvasError> {
        Canvas::new(self.facts.size, &self.adjustments.edits)
    }

    /// Whether it is transparent somewhere; before it was looked at, whether it can be.
    pub fn is_transparent(&self) -> bool {
        self.analysis.as_ref().map_or(self.facts.has_alpha, |analysis| analysis.is_transparent)
    }

    /// Its size as it is shown, in pixels of the original.
    pub fn shown_size(&self) -> Size {
        self.canvas().map_or(self.facts.size, |canvas| canvas.size())
    }

    /// The picture in a place.
    pub fn placement<'a>(&'a self, slot: &'a Slot, place: &'a Place) -> Placement<'a> {
        Placement { slot, place, adjustments: &self.adjustments, source: self.facts.size }
    }

    /// The parts of file names for it, in the slot called `slot` or in none; `initials` are the
    /// site's.
    pub fn name_parts(&self, slot: Option<&str>, initials: &str) -> NameParts {
        let added = self.created_at.format("%Y-%m-%d").to_string();
        NameParts::new(
            &self.name,
            self.facts.size,
            &self.description,
            &self.embedded,
            &added,
            slot,
            initials,
        )
    }
}

impl Store {
    /// Keeps `data` and adds a picture for it, or brings that back where the same bytes had been
    /// removed. The bytes are safe before there is a row, and nobody deletes them in between.
    pub async fn add_picture(
        &self,
        data: bytes::Bytes,
        new: NewPicture<'_>,
    ) -> Result<Arrival, StoreError> {
        let bytes = data.len() as i64;
        // Written and synced before the transaction, and once more where a sweep came between.
        let hash = self.blobs.put(data.clone()).await?;
        let transaction = self.holding_bytes().await?;
        self.blobs.put_again(&hash, data).await?;
        let row = ActiveModel {
            id: Set(Uuid::now_v7()),
            name: Set(new.name.to_owned()),
            folder: Set(new.folder.to_owned()),
            origin: Set(new.origin.name().to_owned()),
            hash: Set(hash.as_str().to_owned()),
            format: Set(new.facts.format.name().to_owned()),
            width: Set(new.facts.size.width as i32),
            height: Set(new.facts.size.height as i32),
            bytes: Set(bytes),
            today: Set(bytes),
            has_alpha: Set(new.facts.has_alpha),
            frames: Set(new.facts.frames as i32),
            has_location: Set(new.facts.has_location),
            profile: Set(new.facts.profile.clone()),
            embedded: Set(json(new.embedded)),
            import_action: Set(
                (*new.import_action != ImportAction::List).then(|| json(new.import_action))
            ),
            focal_x: Set(FocalPoint::CENTRE.x()),
            focal_y: Set(FocalPoint::CENTRE.y()),
            created_at: Set(Utc::now()),
            ..Default::default()
        };
        // Two uploads of the same bytes may arrive at once; the table decides which is new.
        let inserted = Entity::insert(row)
            .on_conflict(of_originals())
            .exec_without_returning(&transaction)
            .await?;
        transaction.commit().await?;
        let found = self.picture_by_hash(&hash).await?;
        let found = found.ok_or_else(|| StoreError::Corrupt("a picture vanished".to_owned()))?;
        if inserted == 1 {
            return Ok(Arrival::New(found));
        }
        self.is_there(found).await
    }

    /// What the arrival of `data` means, which are those of `found`: lost ones are there again.
    ///
    /// # Errors
    /// Those of the database and the blob store.
    pub async fn arrive_again(
        &self,
        found: Picture,
        data: bytes::Bytes,
    ) -> Result<Arrival, StoreError> {
        self.blobs.put(data).await?;
        self.is_there(found).await
    }

    async fn is_there(&self, found: Picture) -> Result<Arrival, StoreError> {
        if found.analysis_failed.is_some() {
            self.analyse_again(found.id).await?;
        }
        if found.removed_at.is_none() {
            return Ok(Arrival::There(found));
        }
        self.bring_back(&[found.id]).await?;
        Ok(Arrival::Back(Picture { removed_at: None, ..found }))
    }

    /// The picture whose original has `hash`, removed or not.
    pub async fn picture_by_hash(&self, hash: &BlobHash) -> Result<Option<Picture>, StoreError> {
        let found = Entity::find()
            .filter(Column::Hash.eq(hash.as_str()).and(Column::IsCopy.eq(false)))
            .one(&self.db)
            .await?;
        found.map(Picture::try_from).transpose()
    }

    /// The picture `id`, removed or not.
    pub async fn picture(&self, id: Uuid) -> Result<Option<Picture>, StoreError> {
        Entity::find_by_id(id).one(&self.db).await?.map(Picture::try_from).transpose()
    }

    /// The pictures `ids` that are not removed, in no order.
    pub async fn pictures_of(&self, ids: &[Uuid]) -> Result<Vec<Picture>, StoreError> {
        let query = Entity::find()
            .filter(Column::Id.is_in(ids.iter().copied()))
            .filter(Column::RemovedAt.is_null());
        query.all(&self.db).await?.into_iter().map(Picture::try_from).collect()
    }

    /// Moves the focal point of picture `id`; `None` where there is no such picture.
    pub async fn set_focal(
        &self,
        id: Uuid,
        focal: FocalPoint,
    ) -> Result<Option<Picture>, StoreError> {
        /// Who saves all the time is let go first so often.
        const TRIES: u32 = 5;
        for tried in 1.. {
            let Some(picture) = self.picture(id).await? else { break };
            let adjustments = Adjustments { focal, ..picture.adjustments.clone() };
            match self.lay_adjustments("moved the focal point", &[(picture, adjustments)]).await {
                // It goes onto what was saved, whatever that is.
                Err(StoreError::SavedMeanwhile) if tried < TRIES => {}
                laid => {
                    laid?;
                    return self.picture(id).await;
                }
            }
        }
        Ok(None)
    }

    /// Writes what `row` sets, and has its picture worked out again.
    async fn change(&self, row: ActiveModel) -> Result<(), StoreError> {
        let id = row.id.clone().unwrap();
        Entity::update_many()
            .set(row)
            .col_expr(Column::Revision, Expr::col(Column::Revision).add(1))
            .filter(Column::Id.eq(id))
            .exec(&self.db)
            .await?;
        Ok(())
    }
}

/// Two rows of one original are no conflict where one is a picture made from the other.
fn of_originals() -> OnConflict {
    let mut same = OnConflict::column(Column::Hash);
    same.target_and_where(Expr::col(Column::IsCopy).not()).do_nothing();
    same
}

impl TryFrom<Model> for Picture {
    type Error = StoreError;

    fn try_from(row: Model) -> Result<Self, StoreError> {
        let corrupt = |what: &str, value: &str| StoreError::Corrupt(format!("the {what} {value}"));
        let format =
            SourceFormat::named(&row.format).ok_or_else(|| corrupt("format", &row.format))?;
        let analysis = looked(&row)?;
        let focal = FocalPoint::new(row.focal_x, row.focal_y)
            .map_err(|error| StoreError::Corrupt(error.to_string()))?;
        let adjustments = row.adjustments.map_or_else(|| Ok(Adjustments::plain(focal)), read)?;
        let bytes = |count: i64| Bytes(count.unsigned_abs());
        let possible = match (row.possible_low, row.possible, row.possible_high) {
            (Some(low), Some(about), Some(high)) => {
                Some(Estimate { low: bytes(low), about: bytes(about), high: bytes(high) })
            }
            _ => None,
        };
        Ok(Self {
            id: row.id,
            name: row.name,
            hash: BlobHash::stored(&row.hash),
            facts: PictureFacts {
                format,
                size: Size::new(row.width as u32, row.height as u32),
                has_alpha: row.has_alpha,
                frames: row.frames as u32,
                has_location: row.has_location,
                profile: row.profile,
            },
            bytes: bytes(row.bytes),
            step: row.step,
            draft: row.draft,
            made_from: row.made_from,
            adjustments: Adjustments { focal, ..adjustments },
            created_at: row.created_at,
            folder: row.folder,
            origin: if row.origin == Origin::Folder.name() {
                Origin::Folder
            } else {
                Origin::Upload
            },
            description: Description {
                title: row.title,
                alt: row.alt,
                decorative: row.decorative,
                caption: row.caption,
                creator: row.creator,
                licence: row.licence,
                source: row.source,
            },
            embedded: read(row.embedded)?,
            analysis,
            analysis_failed: row.analysis_failed,
            uses: row.uses as u32,
            today: bytes(row.today),
            possible,
            short: row.short,
            // An issue that this version does not know is one that it would not give.
            issues: issues(&row.issues, row.short),
            is_public: row.is_public,
            removed_at: row.removed_at,
            revision: row.revision,
        })
    }
}

fn issues(names: &[String], short: Option<f64>) -> Vec<Issue> {
    let kinds = names.iter().filter_map(|name| IssueKind::of_pictures(name));
    kinds.filter_map(|kind| Issue::of_picture(kind, short)).collect()
}

fn looked(row: &Model) -> Result<Option<StoredAnalysis>, StoreError> {
    let (Some(class), Some(hash), Some(sample)) = (&row.class, row.perceptual_hash, &row.sample)
    else {
        return Ok(None);
    };
    let class = ContentClass::named(class)
        .ok_or_else(|| StoreError::Corrupt(format!("the content class {class}")))?;
    Ok(Some(StoredAnalysis {
        class,
        colours: row.colours.unwrap_or_default().unsigned_abs(),
        is_transparent: row.is_transparent.unwrap_or_default(),
        hash: PerceptualHash(hash.cast_unsigned()),
        sample: read(sample.clone())?,
    }))
}
