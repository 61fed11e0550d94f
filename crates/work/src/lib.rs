//! What the application does, as services; each has the handles that it needs and no more.
//!
//! - [`data_folder`]: where everything is kept; [`work_pool`]: where pictures are worked on;
//!   [`events`]: who is told.
//! - [`intake`]: the way of a file into the library; [`uploads`] can be resumed, [`folder_watch`]
//!   notices what others put into the site's own folder.
//! - [`background`]: what happens to a picture after it was added: [`analysis`], [`status`] and
//!   [`import_actions`]; [`removal`] is what happens to one that was removed.
//! - [`measuring`]: pages measured in the background, and kept; [`layouts`]: how well their places
//!   do.
//! - [`making`]: files and previews of pictures.

pub mod analysis;
pub mod background;
pub mod data_folder;
pub mod events;
pub mod folder_watch;
pub mod import_actions;
pub mod intake;
pub mod layouts;
pub mod making;
pub mod measuring;
pub mod removal;
pub mod status;
pub mod uploads;
pub mod work_pool;
