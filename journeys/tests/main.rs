//! Journeys in a real browser. They are one program, so that one can go on while another waits.

mod depth_journey;
mod film_journey;
mod journey;
mod keyboard;
mod newcomer;
mod over_time;
mod path_journey;
mod pictures;
mod queue_journey;
mod replacing;
mod stand_journey;
mod windows;
