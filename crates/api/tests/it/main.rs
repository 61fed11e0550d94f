//! The API against real PostgreSQL and real blobs, one binary.

mod api;
mod arrivals;
mod background;
mod bench;
mod corpus;
mod delivery;
mod geometry;
mod hostile_requests;
mod icons;
mod layouts;
mod library;
mod margins;
mod packages;
mod publications;
mod responsive;
mod runs;
mod saved_meanwhile;
mod sites;
mod support;
mod taking_back;
mod trials;
mod upgrade;
