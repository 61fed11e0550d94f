//! The store against real PostgreSQL and blobs on disk, one binary.

mod alike;
mod changes;
mod jobs;
mod lists;
mod names;
mod steps;
mod support;
mod troubles;
