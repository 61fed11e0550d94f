//! The site's encoders from outside: which there are, and what one makes of a picture.

use axum::Json;
use axum::extract::State;
use brisk_margin_core::format::Format;
use brisk_margin_core::grade::Score;
use brisk_margin_core::outside::{OutsideEncoder, check_all};
use brisk_margin_core::seen::Seen;
use brisk_margin_core::site::SiteSettings;
use brisk_margin_core::units::Bytes;
use brisk_margin_work::making::encoder_tries::{EncoderTried, try_encoder};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::{Problem, extract};
use crate::state::App;

/// Encoders from outside.
#[derive(Serialize, ToSchema)]
pub(super) struct EncodersBody {
    /// The programs that this server runs for sites, with their whole paths; none where it was started without
    /// `--encoder-program`.
    programs: Vec<String>,
    /// Those of the site, in the order they are tried.
    encoders: Vec<OutsideEncoder>,
    /// The formats that files can be made in here.
    formats: Vec<FormatBody>,
}

/// A format that files can be made in.
#[derive(Serialize, ToSchema)]
pub(super) struct FormatBody {
    format: Format,
    /// Which browsers show it, in words.
    shown_by: &'static str,
    /// Whether an encoder from outside makes it, alone or besides ours.
    outside: bool,
}

impl EncodersBody {
    fn new(app: &App, encoders: Vec<OutsideEncoder>) -> Self {
        let outside = |format| encoders.iter().any(|encoder| encoder.makes == format);
        let formats = Format::ALL.into_iter().filter(|format| format.is_ours() || outside(*format));
        let of = |format: Format| {
            let shown_by = format.shown_by();
            FormatBody { format, shown_by, outside: outside(format) }
        };
        let formats = formats.map(of).collect();
        Self { programs: app.maker.pool.codecs().programs().to_vec(), encoders, formats }
    }
}

/// The programs that may be run, and the site's encoders.
#[utoipa::path(get, path = "/encoders", responses((status = 200, body = EncodersBody)))]
pub(super) async fn encoders(State(app): State<App>) -> Result<Json<EncodersBody>, Problem> {
    let encoders = app.store.site().await?.encoders;
    Ok(Json(EncodersBody::new(&app, encoders)))
}

/// Encoders to be kept.
#[derive(Deserialize, ToSchema)]
pub(super) struct EncodersWish {
    encoders: Vec<OutsideEncoder>,
    /// Those that were there when whoever saves looked: what somebody else saved since is not overwritten.
    #[serde(default)]
    #[schema(value_type = Option<Vec<OutsideEncoder>>)]
    seen: Seen<Vec<OutsideEncoder>>,
}

/// Keeps the site's encoders in place of those that were there. What they made stays.
#[utoipa::path(put, path = "/encoders", request_body = EncodersWish, responses(
    (status = 200, body = EncodersBody),
    (status = 409, description = "Somebody saved since", body = Problem, content_type = "application/problem+json"),
    (status = 422, body = Problem, content_type = "application/problem+json"),
))]
pub(super) async fn keep_encoders(
    State(app): State<App>,
    extract::Json(wish): extract::Json<EncodersWish>,
) -> Result<Json<EncodersBody>, Problem> {
    check_all(&wish.encoders).map_err(Problem::invalid)?;
    for encoder in &wish.encoders {
        check_programs(&app, encoder)?;
    }
    let are_as_seen = |now: &SiteSettings| wish.seen.holds(Some(&now.encoders));
    let change = |settings: &mut SiteSettings| {
        settings.encoders = wish.encoders;
    };
    let settings = app.store.change_site_where(are_as_seen, change).await?;
    Ok(Json(EncodersBody::new(&app, settings.encoders)))
}

/// Sites name programs, and whoever starts the server says which of them run.
fn check_programs(app: &App, encoder: &OutsideEncoder) -> Result<(), Problem> {
    let runs = app.maker.pool.codecs().programs();
    match encoder.programs().find(|program| !runs.iter().any(|allowed| allowed == program)) {
        None => Ok(()),
        Some(program) => Err(Problem::invalid(format!(
            "this server does not run {program}; start it with --encoder-program {program}, or choose one that it runs"
        ))),
    }
}

/// What an encoder made of a picture of the site.
#[derive(Serialize, ToSchema)]
pub(super) struct EncoderTriedBody {
    /// The picture's name.
    picture: String,
    /// The quality, on the encoder's own scale, of its smallest file that is *good*.
    quality: Option<f64>,
    bytes: Bytes,
    score: Score,
    /// How many files were made to find it.
    encodes: u32,
    /// How long that took.
    millis: u64,
    /// What our own files of the same picture weigh.
    ours: Vec<FormatWeight>,
    /// What its file without loss weighs; null where it makes none.
    lossless: Option<Bytes>,
    /// What it makes of a JPEG from which every byte comes back; null where it does not.
    transcoding: Option<TranscodingBody>,
}

/// What a file in a format weighs.
#[derive(Serialize, ToSchema)]
struct FormatWeight {
    format: Format,
    bytes: Bytes,
}

/// A JPEG, and what it was kept in.
#[derive(Serialize, ToSchema)]
struct TranscodingBody {
    jpeg: Bytes,
    bytes: Bytes,
}

impl From<EncoderTried> for EncoderTriedBody {
    fn from(tried: EncoderTried) -> Self {
        let weight = |(format, bytes)| FormatWeight { format, bytes };
        Self {
            picture: tried.picture,
            quality: tried.encoding.quality().map(|quality| quality.get()),
            bytes: tried.bytes,
            score: tried.score,
            encodes: tried.encodes,
            millis: tried.millis,
            ours: tried.ours.into_iter().map(weight).collect(),
            lossless: tried.lossless,
            transcoding: tried.transcoding.map(|(jpeg, bytes)| TranscodingBody { jpeg, bytes }),
        }
    }
}

/// Tries an encoder on a picture of the library that does not move, a photograph where there is one, beside our own.
/// Nothing is kept.
#[utoipa::path(post, path = "/encoders/try", request_body = OutsideEncoder, responses(
    (status = 200, body = EncoderTriedBody),
    (status = 422, description = "With the program's own words", body = Problem, content_type = "application/problem+json"),
))]
pub(super) async fn try_out_encoder(
    State(app): State<App>,
    extract::Json(encoder): extract::Json<OutsideEncoder>,
) -> Result<Json<EncoderTriedBody>, Problem> {
    encoder.check().map_err(Problem::invalid)?;
    check_programs(&app, &encoder)?;
    let tried = try_encoder(&app.maker, encoder).await?;
    let empty =
        || Problem::invalid("there is no still picture to try it on; add one to the library first");
    Ok(Json(tried.ok_or_else(empty)?.into()))
}
