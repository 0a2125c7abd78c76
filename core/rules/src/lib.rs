//! Preflight: what would spoil a result, where, and the remedy. One rule, one file.

pub mod comfort;
pub mod delivery;
pub mod preflight;

pub use delivery::{Check, compare, compare_pair};
pub use preflight::{Facts, Finding, Fix, Level, OrderFacts, Purpose, StandFacts};
