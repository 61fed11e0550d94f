//! What the application does, as services; each has the handles that it needs and no more.
//!
//! - [`data_folder`]: where everything is kept; [`work_pool`]: where pictures are worked on;
//!   [`events`]: who is told.
//! - [`sites`]: the sites of an installation, each with services of its own.
//! - [`intake`]: the way of a file into the library; [`uploads`] can be resumed, [`folder_watch`]
//!   notices what others put into the site's own folder.
//! - [`jobs`]: long work, kept in the database until it is done. Jobs of a picture that was added
//!   are [`analysis`] and [`import_actions`]; [`status`] is worked out whenever it became stale,
//!   and [`removal`] sweeps.
//! - [`measuring`]: pages measured, and kept; [`layouts`]: how well their places do; [`margins`]: what pages weigh and how
//!   long they take; [`watch`] has them measured again.
//! - [`making`]: files and previews of pictures.
//! - [`icons`]: those of a site, looked at, made and checked.
//! - [`backups`]: an installation in a folder, and back from there; rows held against bytes.
//! - [`publishing`]: what a site's folder would be with other files, held against it in a browser;
//!   [`publications`] bring there what the library has, [`packages`] carry it elsewhere, [`delivery`] answers under its
//!   address, [`applying`] does all in one step, without a
//!   database.

pub mod analysis;
pub mod applying;
pub mod backups;
mod clock;
pub mod data_folder;
pub mod delivery;
pub mod events;
pub mod folder_watch;
pub mod icons;
pub mod import_actions;
pub mod intake;
pub mod jobs;
pub mod layouts;
pub mod making;
pub mod margins;
pub mod measuring;
pub mod packages;
pub mod publications;
pub mod publishing;
pub mod removal;
pub mod runs;
pub mod sites;
pub mod status;
pub mod uploads;
pub mod watch;
pub mod watched_folders;
pub mod work_pool;
