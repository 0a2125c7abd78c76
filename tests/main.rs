//! Tests of whole commands and of the server. They are one program, so that all of them share the processors while some wait.

#[path = "support/stage.rs"]
mod stage;
mod support;

mod answers;
mod commands;
mod conversions;
mod denoising;
mod depth_frames;
mod farm;
mod faults;
mod film_making;
mod film_orders;
mod films;
mod fingerprints;
mod foretold;
mod frame_orders;
mod frames;
mod jobs;
mod kills;
mod light_units;
mod matroska;
mod measured_lights;
mod mended;
mod moving_frames;
mod odd_scenes;
mod outputs;
mod packings;
mod pairs;
mod paths;
mod renders;
mod sequences;
mod server;
mod settings;
mod standing;
mod stereo;
mod survival;
mod workers;
