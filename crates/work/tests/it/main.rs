//! Services against real PostgreSQL, one binary.

mod layouts;
mod margins;
