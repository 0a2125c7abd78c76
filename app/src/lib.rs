//! Owl Dome's application: commands, HTTP, store, queue. The rules of the job live in the core crates.

// Outside of tests nothing may be unwrapped blindly.
#![cfg_attr(not(test), deny(clippy::unwrap_used))]

pub mod api;
pub mod cli;
pub mod folder;
pub mod model;
pub mod store;
pub mod work;
