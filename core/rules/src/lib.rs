//! Preflight: what would spoil a result, where, and the remedy. One rule, one file.

pub mod delivery;

pub use delivery::{Check, compare};
