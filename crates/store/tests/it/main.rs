//! The store against real PostgreSQL and blobs on disk and in a bucket, one binary.

mod alike;
mod blobs;
mod changes;
mod jobs;
mod lists;
mod names;
mod runs;
mod steps;
mod support;
mod sweeping;
mod together;
mod troubles;
