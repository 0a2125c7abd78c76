//! Journeys through the application in a real browser: the driver of the browser, and what the tests of commands and server
//! share. A crate of its own, so that the application names no dependency for a browser's sake. The tests run the program that
//! lies beside them in the target folder: build it first (`cargo build --workspace --bins`), as `script/test` does.
#![allow(missing_docs)] // helpers of tests, named for what they do

pub mod browser;
#[path = "../../tests/support/mod.rs"]
pub mod support;
