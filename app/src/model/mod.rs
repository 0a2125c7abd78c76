//! What is kept, apart from how it goes over HTTP and how it lies in the database. Store, work and commands use these; where
//! the page needs the same, its types are made from these, else `api` has types of its own.

pub mod jobs;
pub mod kept;
pub mod orders;
pub mod packages;
pub mod paths;
pub mod pictures;
pub mod places;
pub mod rigs;
pub mod scenes;
pub mod settings;
pub mod titles;
