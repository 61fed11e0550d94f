//! The HTTP API, the document that describes it, the guard before it, and the client's own files.

mod bench;
mod collections;
mod delivery;
mod encoders;
mod events;
mod extract;
mod find;
mod fittings;
mod guard;
mod health;
mod icons;
mod issues;
mod jobs;
mod layouts;
mod margins;
mod measurements;
mod output_rules;
mod packages;
mod pictures;
mod problem;
mod publications;
mod requests;
mod responsive;
mod runs;
mod served;
mod site;
mod site_files;
mod site_folder;
mod sites;
mod slot_lists;
mod spreadsheet;
mod state;
mod tally;
mod trial_frames;
mod trials;
mod uploads;
mod variants;
pub mod web;

use axum::Router;
use axum::extract::DefaultBodyLimit;
use axum::middleware::from_fn;
use axum::routing::any;
use brisk_margin_work::sites::Sites;
use sites::Hub;
use tower::limit::GlobalConcurrencyLimitLayer;
use tower_http::compression::CompressionLayer;
use tower_http::compression::predicate::{DefaultPredicate, NotForContentType, Predicate};
use utoipa::OpenApi;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

pub use problem::Problem;
pub use state::App;

/// Uploads that are received at once for a site; others wait.
const MOST_UPLOADS: usize = 32;
/// The largest table of descriptions: 16 MB.
const MOST_TABLE: usize = 16 << 20;

#[derive(OpenApi)]
#[openapi(info(
    title = "Brisk Margin",
    description = "Pictures, the slots they fill, and the files made for them. Errors are \
                   problem documents (RFC 9457). Sizes are in pixels, weights in bytes."
), servers((url = "/api/sites/{site}")))]
struct Document;

#[derive(OpenApi)]
#[openapi(info(
    title = "Brisk Margin: the installation",
    description = "Its sites. What a site has is described at /api/sites/{site}/openapi.json."
))]
struct InstallationDocument;

fn described() -> OpenApiRouter<App> {
    let uploads = OpenApiRouter::new()
        .routes(routes!(pictures::upload::upload))
        .routes(routes!(uploads::append_upload))
        .routes(routes!(site_files::measure_files))
        // Intake counts the bytes itself and answers in words.
        .layer(DefaultBodyLimit::disable())
        .layer(GlobalConcurrencyLimitLayer::new(MOST_UPLOADS));
    let tables = OpenApiRouter::new()
        .routes(routes!(pictures::table::descriptions_as_csv, pictures::table::read_descriptions))
        .routes(routes!(pictures::list, pictures::describing::describe))
        .layer(DefaultBodyLimit::max(MOST_TABLE));
    OpenApiRouter::with_openapi(Document::openapi())
        .routes(routes!(events::events))
        .merge(uploads)
        .merge(tables)
        .routes(routes!(uploads::begin_upload, uploads::list_uploads))
        .routes(routes!(uploads::upload_state, uploads::cancel_upload))
        .routes(routes!(pictures::one, pictures::change))
        .routes(routes!(pictures::uses::picture_page))
        .routes(routes!(pictures::describing::describe_all))
        .routes(routes!(pictures::describing::propose_names))
        .routes(routes!(pictures::changes::changes))
        .routes(routes!(pictures::changes::take_back))
        .routes(routes!(pictures::changes::remove))
        .routes(routes!(pictures::changes::bring_back))
        .routes(routes!(pictures::alike::alike))
        .routes(routes!(pictures::alike::tell_apart))
        .routes(routes!(pictures::alike::merge))
        .routes(routes!(collections::shelves))
        .routes(routes!(collections::save_filter))
        .routes(routes!(collections::forget_filter, collections::rename_filter))
        .routes(routes!(collections::collect))
        .routes(routes!(collections::forget_collection, collections::rename_collection))
        .routes(routes!(collections::order))
        .routes(routes!(site_folder::site_folder))
        .routes(routes!(pictures::original))
        .routes(routes!(pictures::preview))
        .routes(routes!(bench::bench))
        .routes(routes!(bench::framings::framings))
        .routes(routes!(bench::framings::crop))
        .routes(routes!(bench::framings::aim))
        .routes(routes!(bench::geometry::trim))
        .routes(routes!(bench::geometry::rotate))
        .routes(routes!(bench::geometry::straighten))
        .routes(routes!(bench::sheet::sheet))
        .routes(routes!(bench::sheet::sheet_image))
        .routes(routes!(bench::steps::add_step))
        .routes(routes!(bench::steps::step, bench::steps::name_step))
        .routes(routes!(bench::steps::go_to_step))
        .routes(routes!(bench::steps::save))
        .routes(routes!(bench::steps::save_beside))
        .routes(routes!(bench::edit_kinds::edit_kinds))
        .routes(routes!(bench::edit_presets::edit_presets, bench::edit_presets::save_edit_preset))
        .routes(routes!(bench::edit_presets::forget_edit_preset))
        .routes(routes!(bench::edit_presets::lay_edit_preset))
        .routes(routes!(bench::banners::begin_banners))
        .routes(routes!(fittings::fit))
        .routes(routes!(variants::make))
        .routes(routes!(variants::file))
        .routes(routes!(variants::reference))
        .routes(routes!(trials::proof))
        .routes(routes!(trials::try_out))
        .routes(routes!(trials::trial_file))
        .routes(routes!(trials::trial_reference))
        .routes(routes!(trials::trial_differences))
        .routes(routes!(trial_frames::trial_frames))
        .routes(routes!(trial_frames::trial_frame))
        .routes(routes!(trials::choose_trial))
        .routes(routes!(trials::make_variant))
        .routes(routes!(responsive::drawing))
        .routes(routes!(responsive::set))
        .routes(routes!(responsive::make_set))
        .routes(routes!(runs::planning::forecast))
        .routes(routes!(runs::planning::start_run, runs::list_runs))
        .routes(routes!(runs::open_runs))
        .routes(routes!(runs::one_run))
        .routes(routes!(runs::results::run_items))
        .routes(routes!(runs::results::results_as_csv))
        .routes(routes!(runs::results::results_as_json))
        .routes(routes!(runs::results::checks))
        .routes(routes!(runs::results::against))
        .routes(routes!(runs::acting::pause_run))
        .routes(routes!(runs::acting::resume_run))
        .routes(routes!(runs::acting::cancel_run))
        .routes(routes!(runs::acting::make_again))
        .routes(routes!(runs::acting::approve))
        .routes(routes!(runs::acting::take_run_back))
        .routes(routes!(publications::acting::prepare, publications::publications))
        .routes(routes!(publications::publication, publications::acting::forget_publication))
        .routes(routes!(publications::acting::prepare_again))
        .routes(routes!(publications::acting::publish))
        .routes(routes!(publications::acting::take_publication_back))
        .routes(routes!(publications::acting::cancel_preparing))
        .routes(routes!(publications::contents::file_differences))
        .routes(routes!(publications::contents::changed_since))
        .routes(routes!(publications::contents::shot))
        .routes(routes!(publications::films::film_page, publications::films::films))
        .routes(routes!(publications::films::film_picture))
        .routes(routes!(packages::make_package))
        .routes(routes!(icons::site_icons, icons::save_icons))
        .routes(routes!(icons::icon_looks))
        .routes(routes!(icons::make_icons))
        .routes(routes!(icons::icon_file))
        .routes(routes!(icons::icon_package))
        .routes(routes!(icons::check_icons))
        .routes(routes!(output_rules::decision))
        .routes(routes!(output_rules::output_rule, output_rules::say_output_rule))
        .routes(routes!(tally::tally))
        .routes(routes!(site::site, site::change_site))
        .routes(routes!(encoders::encoders, encoders::keep_encoders))
        .routes(routes!(encoders::try_out_encoder))
        .routes(routes!(jobs::jobs))
        .routes(routes!(jobs::one_job, jobs::cancel_job))
        .routes(routes!(jobs::retry_job))
        .routes(routes!(measurements::measure))
        .routes(routes!(measurements::measuring, measurements::cancel))
        .routes(routes!(measurements::served))
        .routes(routes!(margins::margins))
        .routes(routes!(margins::reports::margins_as_csv))
        .routes(routes!(margins::reports::report))
        .routes(routes!(margins::site_history))
        .routes(routes!(margins::har::weigh_archives))
        .routes(routes!(margins::har::page_archive))
        .routes(routes!(margins::overruns::new_overruns))
        .routes(routes!(margins::overruns::see_overruns))
        .routes(routes!(margins::page::page_margins))
        .routes(routes!(margins::page::say_budgets))
        .routes(routes!(margins::views::say_views))
        .routes(routes!(margins::views::read_views))
        .routes(routes!(layouts::layouts))
        .routes(routes!(layouts::occurrences))
        .routes(routes!(layouts::fixed))
        .routes(routes!(layouts::slots::add_slot))
        .routes(routes!(layouts::slots::change_slot))
        .routes(routes!(layouts::slots::set_boxes))
        .routes(routes!(layouts::slots::place))
        .routes(routes!(layouts::slots::join))
        .routes(routes!(layouts::slots::split))
        .routes(routes!(layouts::slots::keep_apart))
        .routes(routes!(layouts::size_sets::size_sets, layouts::size_sets::keep_size_set))
        .routes(routes!(layouts::size_sets::remove_size_set))
        .routes(routes!(layouts::size_sets::apply_size_set))
        .routes(routes!(slot_lists::as_json))
        .routes(routes!(slot_lists::as_csv))
        .routes(routes!(slot_lists::import))
}

fn installation() -> OpenApiRouter<Hub> {
    OpenApiRouter::with_openapi(InstallationDocument::openapi())
        .routes(routes!(health::health))
        .routes(routes!(health::ready))
        .routes(routes!(health::limits))
        .routes(routes!(events::all_events))
        .routes(routes!(sites::sites, sites::add_site))
        .routes(routes!(sites::remove_site))
        .routes(routes!(sites::restore_site))
        .routes(routes!(sites::copy_presets))
        .routes(routes!(delivery::delivered))
}

/// Everything of a site, below `/api/sites/{site}`.
pub fn site_router(site: App) -> Router {
    let (router, document) = described().split_for_parts();
    router
        .route("/openapi.json", axum::routing::get(move || async { axum::Json(document) }))
        .fallback(async || Problem::no_such_address())
        .method_not_allowed_fallback(|| async { Problem::wrong_method() })
        .layer(from_fn(requests::routed))
        .with_state(site)
}

/// Everything below `/api`.
pub fn router(sites: Sites) -> Router {
    let (router, document) = installation().split_for_parts();
    router
        .route("/api/openapi.json", axum::routing::get(move || async { axum::Json(document) }))
        .route(
            "/api/sites/{site}/{*rest}",
            // Each route of a site has its own limit.
            any(sites::dispatch).layer(DefaultBodyLimit::disable()),
        )
        .route("/api/{*rest}", any(|| async { Problem::no_such_address() }))
        .method_not_allowed_fallback(|| async { Problem::wrong_method() })
        .with_state(Hub::new(sites))
}

/// The document that describes the API of a site, as JSON.
pub fn site_document() -> String {
    let (_, document) = described().split_for_parts();
    document.to_pretty_json().expect("a document of plain values")
}

/// The document that describes the API of the installation, as JSON.
pub fn installation_document() -> String {
    let (_, document) = installation().split_for_parts();
    document.to_pretty_json().expect("a document of plain values")
}

/// All that is served: the API, the client, and the guard before both.
pub fn application(sites: Sites, client: Router) -> Router {
    // Pictures are compressed by their own formats, and events must not wait in a buffer.
    let worth_it = DefaultPredicate::new().and(NotForContentType::new("image/"));
    client
        .merge(router(sites))
        .layer(CompressionLayer::new().gzip(true).compress_when(worth_it))
        .layer(from_fn(guard::guard))
        .layer(from_fn(requests::identified))
}
