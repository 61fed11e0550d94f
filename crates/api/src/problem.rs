//! Problem documents: how the API says what went wrong (RFC 9457).

use axum::extract::multipart::MultipartRejection;
use axum::http::{HeaderValue, StatusCode, header};
use axum::response::{IntoResponse, Response};
use brisk_margin_imaging::choosing::ChoiceError;
use brisk_margin_imaging::original::PictureError;
use brisk_margin_store::{BlobError, StoreError};
use serde::Serialize;
use utoipa::ToSchema;

use crate::requests;
use brisk_margin_core::render_spec::RenderSpecError;

use brisk_margin_work::intake::IntakeError;
use brisk_margin_work::making::MakeError;
use brisk_margin_work::work_pool::WorkFailed;

/// What went wrong, in words for a person and in a type for a program.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, ToSchema)]
pub struct Problem {
    /// Names the kind of problem; the same for every occurrence.
    #[serde(rename = "type")]
    pub kind: String,
    /// The kind in words.
    pub title: &'static str,
    /// The HTTP status.
    pub status: u16,
    /// What happened this time, and what to do.
    pub detail: String,
    /// The id of the request, by which the server's log tells of it.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub request: Option<String>,
}

impl Problem {
    /// A problem of `kind`, a short name that goes into its type.
    pub fn new(status: StatusCode, kind: &str, title: &'static str, detail: impl ToString) -> Self {
        Self {
            kind: format!("urn:brisk-margin:problem:{kind}"),
            title,
            status: status.as_u16(),
            detail: detail.to_string(),
            request: requests::current(),
        }
    }

    /// A request whose values cannot be used.
    pub fn invalid(detail: impl ToString) -> Self {
        let status = StatusCode::UNPROCESSABLE_ENTITY;
        Self::new(status, "invalid", "The request holds a value that cannot be used", detail)
    }

    /// Nothing of that number.
    pub fn not_found(what: &str) -> Self {
        let detail = format!("there is no such {what} here; it may be from another data folder");
        Self::new(StatusCode::NOT_FOUND, "not-found", "Not found", detail)
    }

    /// An address that the API does not have.
    pub fn no_such_address() -> Self {
        let detail = "the API has no such address; /api/openapi.json and, for a site, its openapi.json list those it has";
        Self::new(StatusCode::NOT_FOUND, "not-found", "Not found", detail)
    }

    /// A method that the address does not take.
    pub fn wrong_method() -> Self {
        let detail = "this address does not take that method; openapi.json lists them";
        Self::new(StatusCode::METHOD_NOT_ALLOWED, "method", "Method not allowed", detail)
    }

    /// Something that should not happen. Its words are for the log: they tell of the inside.
    fn internal(error: impl std::fmt::Display) -> Self {
        tracing::error!(%error, "a request failed");
        let title = "The server could not finish this";
        let detail = "nothing was changed; the server's log says more";
        Self::new(StatusCode::INTERNAL_SERVER_ERROR, "internal", title, detail)
    }
}

impl IntoResponse for Problem {
    fn into_response(self) -> Response {
        let status = StatusCode::from_u16(self.status).expect("made from a status");
        let mut response = (status, axum::Json(self)).into_response();
        let media_type = HeaderValue::from_static("application/problem+json");
        response.headers_mut().insert(header::CONTENT_TYPE, media_type);
        response
    }
}

impl From<IntakeError> for Problem {
    fn from(error: IntakeError) -> Self {
        match error {
            IntakeError::TooLarge => {
                let status = StatusCode::PAYLOAD_TOO_LARGE;
                Self::new(status, "too-large", "The file is too large", error)
            }
            IntakeError::BrokenOff(_) => {
                let status = StatusCode::BAD_REQUEST;
                Self::new(status, "broken-off", "The transfer broke off", error)
            }
            IntakeError::Disk(_) => Self::no_room(error),
            IntakeError::Archive(_) | IntakeError::EmptyArchive => Self::invalid(error),
            IntakeError::Picture(reason) => Self::refused(&reason),
            IntakeError::Work(reason) => reason.into(),
            IntakeError::Store(reason) => reason.into(),
            IntakeError::Blob(reason) => reason.into(),
        }
    }
}

impl Problem {
    pub(crate) fn no_room(error: impl std::fmt::Display) -> Self {
        tracing::error!(%error, "a file could not be written");
        let status = StatusCode::INSUFFICIENT_STORAGE;
        Self::new(status, "no-room", "The file could not be written", error)
    }

    fn refused(reason: &PictureError) -> Self {
        let unsupported = |detail: &PictureError| {
            let status = StatusCode::UNSUPPORTED_MEDIA_TYPE;
            Self::new(status, "unsupported", "This kind of file is not taken", detail)
        };
        match reason {
            PictureError::NoPicture | PictureError::NotRead(_) => unsupported(reason),
            PictureError::Empty | PictureError::TooManyPixels(_) | PictureError::Codec(_) => {
                let status = StatusCode::UNPROCESSABLE_ENTITY;
                Self::new(status, "unreadable", "The picture cannot be used", reason)
            }
        }
    }
}

impl From<MultipartRejection> for Problem {
    fn from(rejection: MultipartRejection) -> Self {
        let status = StatusCode::UNSUPPORTED_MEDIA_TYPE;
        Self::new(status, "form", "The request is no form", rejection.body_text())
    }
}

impl From<MakeError> for Problem {
    fn from(error: MakeError) -> Self {
        let cannot = |kind, title| Self::new(StatusCode::UNPROCESSABLE_ENTITY, kind, title, &error);
        match &error {
            MakeError::RenderSpec(RenderSpecError::TooSmall(_)) => {
                cannot("too-small", "The picture is too small for this exact slot")
            }
            MakeError::RenderSpec(RenderSpecError::Canvas(_)) | MakeError::Canvas(_) => {
                cannot("nothing-left", "The edits cannot be applied")
            }
            MakeError::Side(_) => cannot("too-long", "The format has no room for this file"),
            MakeError::Work(reason) => (*reason).into(),
            MakeError::Encode(_) | MakeError::Codec(_) => {
                cannot("codec", "The file could not be made")
            }
            MakeError::Choice(ChoiceError::NotLossless(_)) => {
                cannot("not-lossless", "This format always loses something")
            }
            MakeError::Choice(_) => cannot("codec", "No encoding could be chosen"),
            MakeError::Reference(_) | MakeError::Shared { transient: false, .. } => {
                cannot("codec", "The pixels could not be made")
            }
            MakeError::Original(_)
            | MakeError::Store(_)
            | MakeError::Blob(_)
            | MakeError::Shared { .. } => Self::internal(error),
        }
    }
}

impl From<WorkFailed> for Problem {
    fn from(error: WorkFailed) -> Self {
        let status = StatusCode::UNPROCESSABLE_ENTITY;
        Self::new(status, "codec", "The codec broke down on this picture", error)
    }
}

impl From<StoreError> for Problem {
    fn from(error: StoreError) -> Self {
        match error {
            StoreError::Blob(error) => error.into(),
            StoreError::SavedMeanwhile => {
                let title = "Somebody else saved it in the meantime";
                Self::new(StatusCode::CONFLICT, "saved-meanwhile", title, error)
            }
            StoreError::TooManyJobs => {
                let title = "Too many jobs wait";
                Self::new(StatusCode::TOO_MANY_REQUESTS, "too-many-jobs", title, error)
            }
            StoreError::SameName(_) => {
                let title = "The name is taken";
                Self::new(StatusCode::CONFLICT, "same-name", title, error)
            }
            StoreError::SameAddress => {
                let title = "Another site has this address";
                Self::new(StatusCode::CONFLICT, "same-address", title, error)
            }
            StoreError::Unusable => Self::invalid(error),
            error if error.is_away() => {
                tracing::error!(%error, "the database is away");
                let status = StatusCode::SERVICE_UNAVAILABLE;
                let title = "The database cannot be reached";
                Self::new(
                    status,
                    "database-away",
                    title,
                    "nothing was changed; try again in a moment",
                )
            }
            error => Self::internal(error),
        }
    }
}

impl From<BlobError> for Problem {
    fn from(error: BlobError) -> Self {
        if error.is_out_of_room() {
            return Self::no_room(error);
        }
        let status = StatusCode::INTERNAL_SERVER_ERROR;
        match error {
            BlobError::Missing(_) => {
                Self::new(status, "file-missing", "The file is missing from the blob store", error)
            }
            BlobError::Damaged(_) => {
                Self::new(status, "file-damaged", "The file in the blob store is damaged", error)
            }
            error if error.is_transient() => {
                tracing::error!("{error}");
                let status = StatusCode::SERVICE_UNAVAILABLE;
                let title = "The blob store cannot be reached";
                Self::new(status, "blobs-away", title, format!("{error}; try again in a moment"))
            }
            error => Self::internal(error),
        }
    }
}
