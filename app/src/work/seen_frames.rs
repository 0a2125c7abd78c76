//! What was found of the files of orders' frames, remembered.

use super::frame_plan::FramePlan;
use std::collections::HashMap;
use std::path::PathBuf;
use std::sync::{Mutex, PoisonError};
use std::time::{Duration, SystemTime};

/// Most frames that are looked for on the disk whenever an order is told.
const LOOKED_FOR: usize = 2_000;

/// What was found of the frames of orders, as long as no file came or went in their folders: thousands of files are not looked at
/// whenever somebody asks how far an order is.
#[derive(Default)]
pub struct Seen(Mutex<HashMap<i64, SeenOrder>>);

#[derive(Clone, Default)]
pub(super) struct SeenOrder {
    /// When files last came or went in each folder.
    changed: Vec<Option<SystemTime>>,
    missing: Option<Vec<u64>>,
    pub(super) bytes: Option<u64>,
}

/// Orders whose frames are remembered.
const REMEMBERED: usize = 1000;

fn changed(folders: &[PathBuf]) -> Vec<Option<SystemTime>> {
    (folders.iter())
        .map(|f| std::fs::metadata(f).ok()?.modified().ok())
        .collect()
}

impl Seen {
    pub(super) fn of(&self, order: i64, folders: Option<&[PathBuf]>) -> Option<SeenOrder> {
        let now = changed(folders?);
        let known = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        known.get(&order).filter(|k| k.changed == now).cloned()
    }

    pub(super) fn keep(
        &self,
        order: i64,
        folders: Option<&[PathBuf]>,
        put: impl FnOnce(&mut SeenOrder),
    ) {
        let Some(folders) = folders else {
            return;
        };
        let now = changed(folders);
        let just = |t: &Option<SystemTime>| {
            t.is_some_and(|t| t.elapsed().is_ok_and(|e| e < Duration::from_secs(1)))
        };
        if now.iter().any(just) {
            // Clocks of file systems are coarse: what changes again within the same tick would not be seen.
            return;
        }
        let mut known = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        if known.len() >= REMEMBERED && !known.contains_key(&order) {
            known.clear();
        }
        let own = known.entry(order).or_default();
        if own.changed != now {
            *own = SeenOrder {
                changed: now,
                ..SeenOrder::default()
            };
        }
        put(own);
    }

    /// Frames of which a file is missing.
    pub(super) fn missing(&self, order: i64, plan: &FramePlan) -> Vec<u64> {
        let folders = plan.folders();
        if let Some(missing) = self.of(order, folders.as_deref()).and_then(|k| k.missing) {
            return missing;
        }
        let missing = plan.missing(LOOKED_FOR);
        self.keep(order, folders.as_deref(), |k| {
            k.missing = Some(missing.clone())
        });
        missing
    }
}
