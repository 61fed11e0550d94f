//! Extractors that answer with a problem document when a request cannot be read.

use axum::extract::rejection::{JsonRejection, PathRejection, QueryRejection};
use axum::extract::{FromRequest, FromRequestParts};

use super::problem::Problem;

/// A JSON body.
#[derive(FromRequest)]
#[from_request(via(axum::Json), rejection(Problem))]
pub struct Json<T>(pub T);

/// The variable parts of an address.
#[derive(FromRequestParts)]
#[from_request(via(axum::extract::Path), rejection(Problem))]
pub struct Path<T>(pub T);

/// What stands behind the question mark.
#[derive(FromRequestParts)]
#[from_request(via(axum::extract::Query), rejection(Problem))]
pub struct Query<T>(pub T);

impl From<JsonRejection> for Problem {
    fn from(rejection: JsonRejection) -> Self {
        let text = rejection.body_text();
        // The reader's own preface says nothing about the value.
        let reason = text.split_once("target type: ").map_or(text.as_str(), |(_, reason)| reason);
        Self { status: rejection.status().as_u16(), ..Self::invalid(reason) }
    }
}

impl From<PathRejection> for Problem {
    fn from(_: PathRejection) -> Self {
        Self::not_found("thing")
    }
}

impl From<QueryRejection> for Problem {
    fn from(rejection: QueryRejection) -> Self {
        Self::invalid(rejection.body_text())
    }
}
