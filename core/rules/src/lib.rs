//! Preflight: what would spoil a result, where, and the remedy. One rule, one file.

// Outside of tests nothing may be unwrapped blindly.
#![cfg_attr(not(test), deny(clippy::unwrap_used))]

pub mod comfort;
pub mod delivery;
pub mod fit;
pub mod levels;
pub mod motion;
pub mod preflight;
pub mod titles;

pub use delivery::{Check, compare, compare_pair};
pub use preflight::{Facts, Finding, Fix, Level, OrderFacts, Purpose, StandFacts};
