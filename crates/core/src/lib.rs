//! The job's nouns and rules: plain values in, plain values out.
//!
//! No interface, database, network, file system or codec in here. The order of the work:
//!
//! 1. A page is measured at several [`layout`] widths; what shows a picture there is a [`slot`],
//!    recognised by its [`recognise`] signature. [`needs`] says how many pixels it wants.
//! 2. An original has [`facts`], [`content`] and [`embedded`] metadata.
//! 3. [`framing`] says which part of it a slot shows, [`fitting`] what is cut, scaled and short,
//!    [`edits`] what else is changed.
//! 4. An output [`rule`] says how it is encoded; [`choice`] what is worth trying at which
//!    [`grade`]; [`encoding`] how one file is made.
//! 5. A [`responsive`] set has the files for every screen; [`sizes`] and [`markup`] tell the
//!    browser of it.
//! 6. People [`describe`] a picture; [`naming`] proposes file names.
//! 7. [`issue`] lists what can be worth mending, [`status`] what is for a picture and [`showing`]
//!    for a place, [`budget`] what margin is left.
//! 8. A [`publication`] writes to a site, and can be taken back; [`delivery`] answers for systems that only take
//!    an address.
//! 9. [`load`] models how long a page takes to come over a connection.
//! 10. Long work is a [`job`]. Who saves says what they have [`seen`].

pub mod adjustments;
pub mod background;
pub mod budget;
pub mod cache_key;
pub mod choice;
pub mod colour_space;
pub mod content;
pub mod credit;
pub mod delivery;
pub mod dense;
pub mod describe;
pub mod edits;
pub mod embedded;
pub mod encoder_values;
pub mod encoding;
pub mod facts;
pub mod fitting;
pub mod format;
pub mod framing;
pub mod geometry;
pub mod grade;
pub mod hidden;
pub mod icon;
pub mod issue;
pub mod job;
pub mod layout;
pub mod layout_summary;
pub mod load;
pub mod markup;
pub mod name_pattern;
pub mod naming;
pub mod needs;
pub mod object_fit;
pub mod orientation;
pub mod outside;
pub mod outside_encoding;
pub mod page_name;
pub mod place;
pub mod place_kind;
pub mod place_status;
pub mod place_use;
pub mod placement;
pub mod publication;
pub mod recognise;
pub mod render_spec;
pub mod responsive;
pub mod rule;
pub mod run;
pub mod seen;
pub mod set_plan;
pub mod showing;
pub mod shown_by;
pub mod site;
pub mod size_set;
pub mod sizes;
pub mod slot;
pub mod slot_name;
pub mod slot_shape;
pub mod source_format;
pub mod status;
pub mod units;
pub mod variant_spec;
pub mod watch;
pub mod words;
