//! The store against real PostgreSQL and blobs on disk, one binary.

mod alike;
mod lists;
mod names;
mod steps;
mod support;
mod troubles;
