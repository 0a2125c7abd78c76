//! Preflight: what would spoil a result, where, and the remedy.
