//! What the tests of several crates share: databases of their own, small pictures, and
//! hostile files.

#[cfg(feature = "buckets")]
mod buckets;
#[cfg(feature = "databases")]
mod databases;
pub mod hostile;
#[cfg(feature = "databases")]
pub mod made_up;
pub mod pictures;
pub mod places;

#[cfg(feature = "buckets")]
pub use buckets::Buckets;
#[cfg(feature = "databases")]
pub use databases::{database, end_connections, execute, numbers, of_schema, set_answering};
