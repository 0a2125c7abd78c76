//! The Merlow Observatory, the demo scene, built by code as glTF.
