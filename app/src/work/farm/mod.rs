//! Orders that many machines make together: bundled into one folder that all of them see, cut into chunks, and brought home. Spreading the
//! chunks is the farm's own business ([`slurm`]).

pub mod bundle;
pub mod slurm;

use super::eyes::Eyes;
use super::running::{Ended, Running};
use super::shot::Watcher;
use super::{App, Result};
use crate::store::{OrderRow, StoreError};
use bundle::Bundle;
use dome_files::fingerprint::Summing;
use dome_imaging::LayeredStrip;
use dome_trace::Control;
use std::path::{Path, PathBuf};
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

impl Farm {
    /// The folder of an order in the shared one. Another data folder has orders of the same numbers.
    fn root(&self, row: &OrderRow) -> Result<PathBuf> {
        let mut spec = row.spec.clone();
        // It keeps its folder while it goes to and fro.
        spec.here = false;
        let mut sum = Summing::default();
        sum.text(&serde_json::to_string(&spec).map_err(StoreError::from)?);
        Ok(self
            .shared
            .join(format!("order-{}-{}", row.id, sum.finish().short())))
    }

    /// What the farm had begun of an order, with all that it still had to do given up. A farm that does not answer holds nobody up: what
    /// its tasks may still make is taken or left.
    fn given_up(&self, row: &OrderRow) -> Result<Option<Bundle>> {
        let Ok(bundle) = Bundle::open(&self.root(row)?) else {
            return Ok(None);
        };
        if let Some(sent) = bundle.sent()
            && slurm::states(&sent).is_ok_and(|states| states.is_open())
        {
            let _ = slurm::cancel(&sent);
        }
        Ok(Some(bundle))
    }

    /// Takes an order back from the farm: what is finished comes home. Parts of a picture that are not joined yet wait in their
    /// folder, for the case that it goes there again.
    pub(super) fn come_home(&self, app: &App, row: &OrderRow) -> Result<()> {
        if let Some(bundle) = self.given_up(row)? {
            bundle.collect_finished(app, row)?;
        }
        Ok(())
    }

    /// Removes what the farm has of an order that is made or gone.
    pub fn forget(&self, row: &OrderRow) -> Result<()> {
        if let Some(bundle) = self.given_up(row)? {
            crate::folder::remove(bundle.root());
        }
        Ok(())
    }
}

/// Watches a part that is made here.
struct Here<'a>(&'a Running);

impl Watcher for Here<'_> {
    fn control(&self) -> &Control {
        &self.0.control
    }

    fn looks(&self, look: &mut dyn FnMut()) {
        look();
    }

    fn aims_at(&self, _: f32) {}

    fn begins(&self, _: &Eyes, _: (u32, u32)) {}

    fn works(&self, work: &mut dyn FnMut()) {
        work();
    }

    fn strip_begins(&self, _: u32) {}

    fn strip_ends(&self, _: (u32, u32), _: &[LayeredStrip]) {}
}

/// Copies the files of a folder; whether all of them came.
fn copy_files(from: &Path, to: &Path) -> bool {
    let Ok(files) = std::fs::read_dir(from) else {
        return false;
    };
    files
        .flatten()
        .all(|f| std::fs::copy(f.path(), to.join(f.file_name())).is_ok())
}

/// Has an order made by a farm, as far as it goes, until it is stopped. What is missing in the end is left to whoever makes orders here.
pub(super) fn run(
    farm: &Farm,
    app: &App,
    running: &Running,
    row: &OrderRow,
) -> Result<Option<Ended>> {
    let root = farm.root(row)?;
    let bundle = match Bundle::open(&root) {
        Ok(bundle) => bundle,
        Err(_) => {
            let cut = bundle::Cut::default();
            match Bundle::make(app, row, &root, &cut, &Here(running)) {
                Err(_) if running.control.is_stopped() => return Ok(Some(Ended::Stopped)),
                made => made?,
            }
        }
    };
    let sent = match bundle.sent() {
        Some(sent) if slurm::states(&sent)?.is_open() => sent,
        _ => bundle.submit(&slurm::Wish::default())?,
    };
    let mut unheard = 0;
    loop {
        if running.control.is_stopped() {
            slurm::cancel(&sent)?;
            if matches!(app.store.order(row.id), Err(StoreError::Missing { .. })) {
                crate::folder::remove(bundle.root());
            }
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
    let (done, total) = bundle.progress()?;
    if done < total {
        let logs = app.folder.farm_logs(row.id);
        crate::folder::remove(&logs);
        let kept = match std::fs::create_dir_all(&logs).is_ok() && copy_files(&bundle.logs(), &logs)
        {
            true => format!("its logs are in {}", logs.display()),
            false => "its logs could not be kept".to_owned(),
        };
        running.remark(format!(
            "The farm did not make {} of {total} chunks, so this machine makes them; {kept}.",
            total - done
        ));
        let begins = |nth: usize, of: usize| {
            running.share((done + nth) as f64 / total as f64);
            running.set_note(&format!("What the farm did not make, {} of {of}.", nth + 1));
        };
        if !bundle.make_missing_parts(&Here(running), &begins)? {
            return Ok(Some(Ended::Stopped));
        }
        running.clear_note();
    }
    bundle.collect_finished(app, row)?;
    crate::folder::remove(bundle.root());
    Ok(None)
}
