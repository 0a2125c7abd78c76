//! What is kept, apart from how it goes over HTTP and how it lies in the database.

pub mod jobs;
