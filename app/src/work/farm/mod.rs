//! Orders that many machines make together: bundled into one folder that all of them see, cut into chunks, and brought home. Spreading the
//! chunks is the farm's own business ([`slurm`]).

pub mod bundle;
pub mod slurm;

use super::running::{Ended, Running};
use super::{App, Result};
use crate::store::{OrderRow, StoreError};
use bundle::Bundle;
use dome_files::fingerprint::Summing;
use std::path::PathBuf;
use std::time::Duration;

/// How often is looked at how far a farm is.
const LOOKED_EVERY: Duration = Duration::from_secs(2);

/// So often in a row a farm may not answer.
const MOST_UNHEARD: u32 = 30;

/// Where a server's orders are made.
#[derive(Clone, Debug)]
pub struct Farm {
    /// A folder that all machines see, in which each order gets one of its own.
    pub shared: PathBuf,
}

/// Has an order made by a farm, as far as it goes, until it is stopped. What is missing in the end is left to whoever makes orders here.
pub(super) fn run(
    farm: &Farm,
    app: &App,
    running: &Running,
    row: &OrderRow,
) -> Result<Option<Ended>> {
    // Another data folder has orders of the same numbers.
    let mut spec = Summing::default();
    spec.text(&serde_json::to_string(&row.spec).map_err(StoreError::from)?);
    let name = format!("order-{}-{}", row.id, spec.finish().short());
    let root = farm.shared.join(name);
    let bundle = match Bundle::open(&root) {
        Ok(bundle) => bundle,
        Err(_) => Bundle::make(app, row, &root, &bundle::Cut::default())?,
    };
    let sent = match bundle.sent() {
        Some(sent) if slurm::states(&sent)?.is_open() => sent,
        _ => bundle.submit(&slurm::Wish::default())?,
    };
    let mut unheard = 0;
    loop {
        if running.control.is_stopped() {
            slurm::cancel(&sent)?;
            return Ok(Some(Ended::Stopped));
        }
        let states = match slurm::states(&sent) {
            Ok(states) => states,
            // A farm that does not answer for a moment goes on all the same.
            Err(_) if unheard < MOST_UNHEARD => {
                unheard += 1;
                std::thread::sleep(LOOKED_EVERY);
                continue;
            }
            Err(e) => return Err(e),
        };
        unheard = 0;
        let (done, total) = bundle.progress()?;
        running.share(done as f64 / total.max(1) as f64);
        running.set_note(&format!("On the farm: {}.", states.told()));
        if !states.is_open() {
            break;
        }
        std::thread::sleep(LOOKED_EVERY);
    }
    running.clear_note();
    // Tasks that failed for good say why in their logs; what they did not make is made here.
    bundle.collect(app, row)?;
    crate::folder::remove(bundle.root());
    Ok(None)
}
